"""A vehicle as far as it has been said: what is typed, what is taken by default, what is still missing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from lean_trim.core.data.fuels import FUELS, OWN, fuel_of
from lean_trim.core.data.table_kinds import Holds, holds_of
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import (
    Airflow,
    AirflowSourceSettings,
    Feedback,
    Induction,
    Injectors,
    Layered,
    OtherAirflow,
    PressureReference,
    SensorPlace,
    TableLimits,
    Vehicle,
)
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.formats.tables.block import number_in
from lean_trim.formats.tables.form import GridForm, form_of
from lean_trim.workspace.vehicle.dead_times import dead_times_in, dead_times_text
from lean_trim.workspace.vehicle.fields import FIELDS, Key, units_of
from lean_trim.workspace.vehicle.told import Told


class Say:
    """Sentences of this module."""

    NOT_A_NUMBER = Message("draft.not_a_number", "“{text}” is not a number")
    NOT_WHOLE = Message("draft.not_whole", "{value:g} is not a whole number")
    OUT_OF_RANGE = Message(
        "draft.out_of_range", "{value:g} {unit}: allowed are {low:g} to {high:g} {unit}"
    )
    NEEDED = Message("draft.needed", "needed")
    DEFAULT = Message("draft.default", "{value} {unit} taken, {words}")
    AS_OURS = Message("draft.as_ours", "= {value:.4g} {unit}")
    OF_FUEL = Message(
        "draft.of_fuel", "= {value:.4g} {unit} of {fuel}; rated volumes are of n-heptane"
    )
    MISSING_TABLE = Message("draft.missing_table", "the airflow table")
    MISSING_TARGET = Message("draft.missing_target", "a target λ, as the log has none")
    MISSING_NAME = Message("draft.missing_name", "a name")
    WRONG_KIND = Message(
        "draft.wrong_kind",
        "a {wanted}, since that is the airflow model; the table here is a {have}",
    )
    LIMITS_CROSS = Message("draft.limits_cross", "the lowest value is not below the highest")
    BEYOND_LIMITS = Message(
        "draft.beyond_limits",
        "The table holds {value:g}, which is outside the field's range of {low:g} to {high:g}",
    )
    LAYERS_OF_VE = Message(
        "draft.layers_of_ve",
        "Several tables over cam or flap go with tables of VE alone: take them away, or the other airflow "
        "table",
    )
    WRONG = Message("draft.wrong", "{label}: {problem}")


BOOST_SHOWN_KPA = 115.0
"""Manifold pressure no atmospheric engine reaches, in any weather."""


@dataclass(frozen=True)
class Entered:
    """A number as it was typed, and the unit it was typed in."""

    text: str = ""
    unit: str = ""


@dataclass(frozen=True, eq=False)
class VehicleDraft:
    """What was said of a vehicle.

    Attributes
    ----------
    name : of the vehicle.
    numbers : by key, as typed.
    fuel : a name of ``FUELS`` or ``OWN``.
    airflow, feedback, sensor_place, reference, induction : choices.
    follows_barometer : the ECU makes up for height by itself.
    fuel_varies : a flex-fuel car, whose ECU follows the ethanol in the tank.
    dead_times : pairs of volts and ms as text, "" if not known.
    form : what the airflow grid's numbers mean.
    table, target : as they were pasted; None if not yet, or if the log tells the target.
    told : what a log tells.
    airflow_source : of a vehicle that is being changed.
    small_open_ms, small_add_ms, corrections, other : of a sheet it began with; they are not typed here.
    """

    name: str = ""
    numbers: Mapping[Key, Entered] = field(default_factory=dict)
    fuel: str = "petrol"
    airflow: Airflow = "ve"
    feedback: Feedback = "wideband"
    fuel_varies: bool = False
    sensor_place: SensorPlace = "downpipe"
    reference: PressureReference = "manifold"
    induction: Induction = "unknown"
    follows_barometer: bool = False
    dead_times: str = ""
    form: GridForm = field(default_factory=GridForm)
    table: Table | None = None
    target: Table | None = None
    told: Told = field(default_factory=Told)
    airflow_source: AirflowSourceSettings = field(default_factory=AirflowSourceSettings)
    small_open_ms: tuple[float, ...] = ()
    small_add_ms: tuple[float, ...] = ()
    corrections: Mapping[str, Table] = field(default_factory=dict)
    other: OtherAirflow | None = None
    layered: Layered | None = None

    def typed(self, key: Key, text: str, unit: str = "") -> VehicleDraft:
        """The draft with one number typed.

        Parameters
        ----------
        key : which number.
        text : "" takes it back.
        unit : one of its units, "" for ours.

        Returns
        -------
        A new draft.
        """
        return replace(self, numbers={**self.numbers, key: Entered(text.strip(), unit)})

    def number_or_none(self, key: Key) -> float | None:
        """A number in our unit; None if it is not typed or wrong."""
        try:
            return self._typed_number(key)
        except BadInputError:
            return None

    def _typed_number(self, key: Key) -> float | None:
        """What was typed, in our unit; None if nothing was."""
        entered = self.numbers.get(key, Entered())
        if not entered.text:
            return None
        limits = FIELDS[key]
        units = units_of(key, self)
        # A unit that another choice took away (of another airflow table, say) falls back to ours.
        own = units.get(entered.unit) or next(iter(units.values()))
        # A comma alone is a decimal one; beside a point it can only part thousands.
        value = number_in(
            entered.text, "," if "," in entered.text and "." not in entered.text else "."
        )
        if not np.isfinite(value):
            raise BadInputError(Say.NOT_A_NUMBER(text=entered.text))
        ours = float(own.ours(value))
        if not limits.low <= ours <= limits.high:
            low, high = (float(own.own(x)) for x in (limits.low, limits.high))
            raise BadInputError(Say.OUT_OF_RANGE(value=value, low=low, high=high, unit=own.unit))
        if limits.whole and ours != round(ours):
            raise BadInputError(Say.NOT_WHOLE(value=value))
        return ours

    def number(self, key: Key) -> float:
        """A number in our unit: typed, by default, or NaN where the vehicle does without.

        Raises BadInputError if it is wrong, or missing where it is needed.
        """
        value = self._typed_number(key)
        if value is not None:
            return value
        limits = FIELDS[key]
        if limits.default is not None:
            return limits.default(self)[0]
        if limits.unknown:
            return float("nan")
        raise BadInputError(Say.NEEDED())

    def problem(self, key: Key) -> str:
        """What is wrong with a number that was typed.

        Returns "" if nothing is; what is only missing is not wrong yet.
        """
        try:
            self._typed_number(key)
        except BadInputError as error:
            return str(error)
        return ""

    def note(self, key: Key) -> str:
        """What stands for a number that is not typed, or what a typed one is in our unit.

        Parameters
        ----------
        key : which number.

        Returns
        -------
        A few words.
        """
        limits = FIELDS[key]
        value = self.number_or_none(key)
        ours = next(iter(limits.units.values())).unit
        if value is None:
            if limits.default is not None:
                taken, words = limits.default(self)
                return str(Say.DEFAULT(value=f"{taken:g}", unit=ours, words=words)).replace(
                    "  ", " "
                )
            return limits.unknown or str(Say.NEEDED())
        unit = self.numbers[key].unit
        if unit in ("", ours):
            return ""
        if key is Key.FLOW and unit == "cm³/min":
            return str(Say.OF_FUEL(value=value, unit=ours, fuel=self.fuel))
        return str(Say.AS_OURS(value=value, unit=ours))

    @property
    def dead_times_problem(self) -> str:
        """What is wrong with the dead times, "" if nothing is."""
        try:
            dead_times_in(self.dead_times)
        except BadInputError as error:
            return str(error)
        return ""

    @property
    def wrong(self) -> tuple[str, ...]:
        """Everything that was said and cannot be, as sentences."""
        out = [
            str(Say.WRONG(label=FIELDS[key].label, problem=problem))
            for key in Key
            if (problem := self.problem(key))
        ]
        if self.dead_times_problem:
            out.append(self.dead_times_problem)
        # The table is held against its limits, which have to be numbers first.
        if not out:
            out += self._table_problems()
        return tuple(out)

    def _table_problems(self) -> list[str]:
        low = self.number(Key.LOWEST)
        high = self.number(Key.HIGHEST)
        if not low < high:
            return [str(Say.LIMITS_CROSS())]
        if self.table is None:
            return []
        layers = () if self.layered is None else self.layered.others
        if layers and (self.other is not None or holds_of(self.table) is not Holds.VE):
            return [str(Say.LAYERS_OF_VE())]
        shown = np.concatenate([t.shown.ravel() for t in (self.table, *(x.table for x in layers))])
        outside = shown[(shown < low) | (shown > high)]
        return (
            [str(Say.BEYOND_LIMITS(value=float(outside[0]), low=low, high=high))]
            if len(outside)
            else []
        )

    @property
    def missing(self) -> tuple[str, ...]:
        """What has to be said before the vehicle is one, as names."""
        out = [] if self.name.strip() else [str(Say.MISSING_NAME())]
        for key, limits in FIELDS.items():
            # What has a usual value, or can do without, holds nobody up.
            needed = limits.default is None and not limits.unknown
            if needed and not self.numbers.get(key, Entered()).text:
                out.append(limits.label.lower())
        if self.table is None:
            out.append(str(Say.MISSING_TABLE()))
        # The airflow source may be changed after the table was pasted.
        elif (len(self.table.axes) == 1) != (self.airflow == "maf"):
            curve = self.airflow == "maf"
            words = ("curve", "table over engine speed")
            out.append(str(Say.WRONG_KIND(wanted=words[not curve], have=words[curve])))
        if self.target is None and self.told.path is not None and not self.told.has_target:
            out.append(str(Say.MISSING_TARGET()))
        return tuple(out)

    @property
    def is_ready(self) -> bool:
        """True if a vehicle can be made of it."""
        return not self.missing and not self.wrong

    def vehicle(self) -> Vehicle:
        """The vehicle.

        Returns
        -------
        With defaults where nothing was said.

        Raises
        ------
        BadInputError
            If something is missing or wrong.
        """
        for sentence in (*self.missing, *self.wrong):
            raise BadInputError(sentence)
        assert self.table is not None
        volts, dead = dead_times_in(self.dead_times)
        return Vehicle(
            name=self.name.strip(),
            displacement_l=self.number(Key.DISPLACEMENT),
            cylinders=round(self.number(Key.CYLINDERS)),
            stoich_afr=self.number(Key.STOICH),
            airflow=self.airflow,
            feedback=self.feedback,
            injectors=Injectors(
                self.number(Key.FLOW),
                self.number(Key.PRESSURE),
                volts,
                dead,
                self.reference,
                small_open_ms=np.array(self.small_open_ms, float),
                small_add_ms=np.array(self.small_add_ms, float),
            ),
            table=self.table,
            target=self.target,
            limits=TableLimits(
                *(self.number(k) for k in (Key.RESOLUTION, Key.LOWEST, Key.HIGHEST))
            ),
            exhaust_volume_l=self.number(Key.EXHAUST),
            redline_rpm=self.number(Key.REDLINE),
            sensor_place=self.sensor_place,
            compression=self.number(Key.COMPRESSION),
            induction=self.induction,
            follows_barometer=self.follows_barometer,
            airflow_source=self.airflow_source,
            fuel_varies=self.fuel_varies,
            corrections=self.corrections,
            # A table of the other's kind takes its place; two of one kind are no blended ECU.
            other=self.other if self.other and self.other.airflow != self.airflow else None,
            layered=self.layered,
        )


def with_told(draft: VehicleDraft, told: Told) -> VehicleDraft:
    """The draft with what a log tells, where the user has not said otherwise."""
    # What was typed is the user's word; a log only speaks where nobody did.
    fuel = (
        told.fuel if told.fuel and not draft.numbers.get(Key.STOICH, Entered()).text else draft.fuel
    )
    airflow = told.airflow if told.airflow is not None and draft.table is None else draft.airflow
    # Said to be atmospheric stays so: the log's pressure may be a sensor's fault.
    boosts = draft.induction == "unknown" and told.highest_kpa > BOOST_SHOWN_KPA
    return replace(
        draft,
        told=told,
        fuel=fuel,
        airflow=airflow,
        feedback=told.feedback or draft.feedback,
        induction="boosted" if boosts else draft.induction,
    )


def draft_of(vehicle: Vehicle) -> VehicleDraft:
    """A vehicle as it would have been typed.

    Parameters
    ----------
    vehicle : of a job.

    Returns
    -------
    Its draft, everything said.
    """
    injectors = vehicle.injectors
    said = {
        Key.CYLINDERS: vehicle.cylinders,
        Key.DISPLACEMENT: vehicle.displacement_l,
        Key.STOICH: vehicle.stoich_afr,
        Key.FLOW: injectors.flow_g_per_s,
        Key.PRESSURE: injectors.rated_pressure_kpa,
        Key.REDLINE: vehicle.redline_rpm,
        Key.EXHAUST: vehicle.exhaust_volume_l,
        Key.COMPRESSION: vehicle.compression,
        Key.RESOLUTION: vehicle.limits.resolution,
        Key.LOWEST: vehicle.limits.lowest,
        Key.HIGHEST: vehicle.limits.highest,
    }
    fuel = fuel_of(vehicle.stoich_afr)
    return VehicleDraft(
        name=vehicle.name,
        numbers={k: Entered(f"{v:.10g}" if np.isfinite(v) else "") for k, v in said.items()},
        fuel=fuel if fuel in FUELS else OWN,
        airflow=vehicle.airflow,
        feedback=vehicle.feedback,
        sensor_place=vehicle.sensor_place,
        reference=injectors.pressure_reference,
        induction=vehicle.induction,
        follows_barometer=vehicle.follows_barometer,
        dead_times=dead_times_text(injectors.volts, injectors.dead_time_ms),
        form=form_of(vehicle.table) or GridForm(),
        table=vehicle.table,
        target=vehicle.target,
        airflow_source=vehicle.airflow_source,
        fuel_varies=vehicle.fuel_varies,
        small_open_ms=tuple(injectors.small_open_ms.tolist()),
        small_add_ms=tuple(injectors.small_add_ms.tolist()),
        corrections=vehicle.corrections,
        other=vehicle.other,
        layered=vehicle.layered,
    )
