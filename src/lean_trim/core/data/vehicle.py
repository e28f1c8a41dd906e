"""What is known of the vehicle before any log: engine, fuel, injectors, sensors, limits."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Literal, get_args

import numpy as np
from numpy.typing import ArrayLike

from lean_trim.core.data.table_kinds import HOLD_KINDS, Holds, holds_of, table_words
from lean_trim.core.data.tables import Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.knobs import Knob, default_of
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    TABLE_LIMITS = Message(
        "vehicle.table_limits",
        "table limits: resolution {resolution:g} must be above 0 and lowest {lowest:g} below "
        "highest {highest:g}",
    )
    SOURCE_KIND = Message(
        "vehicle.source_kind", "airflow source is {kind!r}; allowed are {allowed}"
    )


Airflow = Literal["ve", "maf"]
Feedback = Literal["wideband", "narrowband", "none"]
SensorPlace = Literal["downpipe", "tailpipe"]
Induction = Literal["atmospheric", "boosted", "unknown"]
COMPRESSION = 10.0
"""Compression ratio where the sheet names none (common practice, no source)."""
PressureReference = Literal["manifold", "atmosphere", "compensated"]
AirflowSourceKind = Literal["auto", "table", "flag", "rule"]


@dataclass(frozen=True, eq=False)
class Injectors:
    """Injector data as the ECU holds it.

    Flow per injector in g/s at the rated Δp, dead time in ms over volts. A flow not known is NaN,
    dead times not known are empty: the airflow model or the logged channels then do without.
    ``pressure_reference`` is what the rated pressure is held against: the manifold, the atmosphere,
    or whatever it is, with the ECU accounting for it. ``pressure_known`` is False where a usual
    rated pressure was taken. ``small_add_ms`` is what the ECU adds to short pulses over the open
    times ``small_open_ms``, held past the ends.
    """

    flow_g_per_s: float
    rated_pressure_kpa: float
    volts: Floats
    dead_time_ms: Floats
    pressure_reference: PressureReference = "manifold"
    pressure_known: bool = True
    small_open_ms: Floats = field(default_factory=lambda: np.zeros(0))
    small_add_ms: Floats = field(default_factory=lambda: np.zeros(0))

    @property
    def is_known(self) -> bool:
        """True if a pulse width can be turned into fuel."""
        return bool(np.isfinite(self.flow_g_per_s)) and len(self.volts) > 0

    def dead_time_at(self, volts: ArrayLike) -> Floats:
        """Dead time in ms, interpolated over battery voltage, held constant past the ends.

        Parameters
        ----------
        volts : battery voltage, V.

        Returns
        -------
        Dead time, ms, shape of the input; NaN if it is not known.
        """
        if not len(self.volts):
            return np.full(np.shape(volts), np.nan)
        return np.asarray(np.interp(np.asarray(volts, float), self.volts, self.dead_time_ms))

    def open_time_ms(self, pulse_ms: ArrayLike, volts: ArrayLike) -> Floats:
        """Time the ECU lets fuel flow by its own reckoning: a pulse less dead time and what short ones get.

        Parameters
        ----------
        pulse_ms : commanded, ms, shape (n,).
        volts : battery voltage, V, shape (n,) or one.

        Returns
        -------
        ms, shape (n,); may be below 0, NaN where it is not known.
        """
        left = np.asarray(pulse_ms, float) - self.dead_time_at(volts)
        if not len(self.small_open_ms):
            return left
        # The ECU adds over the time it wants; what is left of a pulse is that and what was added.
        ends = self.small_open_ms + self.small_add_ms
        inside = np.interp(left, ends, self.small_open_ms)
        below = left < ends[0]
        above = left > ends[-1]
        inside = np.where(below, left - self.small_add_ms[0], inside)
        return np.where(
            above, left - self.small_add_ms[-1], np.where(np.isnan(left), np.nan, inside)
        )


@dataclass(frozen=True)
class TableLimits:
    """Resolution and range of the ECU's table field, in the table's unit."""

    resolution: float
    lowest: float
    highest: float

    def __post_init__(self) -> None:
        if not (self.resolution > 0 and self.lowest < self.highest):
            raise BadInputError(
                Say.TABLE_LIMITS(
                    resolution=self.resolution, lowest=self.lowest, highest=self.highest
                )
            )

    def holding(self, cells: Floats) -> TableLimits:
        """The same range, as much wider as a table that was read from the ECU says it is.

        Parameters
        ----------
        cells : that it holds, in the table's unit, any shape.

        Returns
        -------
        Limits no cell lies outside of.
        """
        return replace(
            self,
            lowest=min(self.lowest, float(np.min(cells))),
            highest=max(self.highest, float(np.max(cells))),
        )


AIRFLOW_SOURCE_KINDS: tuple[AirflowSourceKind, ...] = get_args(AirflowSourceKind)
AIRFLOW_SOURCE_KNOBS: tuple[Knob, ...] = (
    Knob("ve_below_rpm", "VE table below", 0.0, 0.0, 10000.0, "rpm"),
    Knob("ve_above_map_rate", "and MAP faster than", 0.0, 0.0, 500.0, "%/s"),
)


@dataclass(frozen=True)
class AirflowSourceSettings:
    """How to tell which airflow model was in force.

    kind : "auto" takes a logged flag, else what the pulse width shows, else the table throughout;
        "table" is the user's word that the ECU was forced onto it; "flag" needs the logged flag;
        "rule" applies the two limits below.
    ve_below_rpm : the VE table is in force below this engine speed, 0 to 10000 rpm.
    ve_above_map_rate : and while MAP moves faster than this, percent of itself per second, 0
        (never) to 500.
    of : the airflow table the user's word speaks of, "ve" or "maf"; "" for the one that is corrected.
    """

    kind: AirflowSourceKind = "auto"
    ve_below_rpm: float = default_of(AIRFLOW_SOURCE_KNOBS, "ve_below_rpm")
    ve_above_map_rate: float = default_of(AIRFLOW_SOURCE_KNOBS, "ve_above_map_rate")
    of: str = ""

    def __post_init__(self) -> None:
        if self.kind not in AIRFLOW_SOURCE_KINDS:
            raise BadInputError(
                Say.SOURCE_KIND(kind=self.kind, allowed=", ".join(AIRFLOW_SOURCE_KINDS))
            )
        for knob in AIRFLOW_SOURCE_KNOBS:
            knob.checked(getattr(self, knob.name))


@dataclass(frozen=True, eq=False)
class OtherAirflow:
    """The airflow table of a blended ECU that is not the one under correction, with its field's limits."""

    airflow: Airflow
    table: Table
    limits: TableLimits


@dataclass(frozen=True, eq=False)
class Layer:
    """One of several VE tables an ECU blends over the position of a cam or flap.

    Attributes
    ----------
    name : in the calibration: "ve", "ve_2" and so on.
    table : VE over the axes every VE table may have; not every layer need have the same.
    at : position at which it is in force alone, in the unit of the log.
    """

    name: str
    table: Table
    at: float


@dataclass(frozen=True, eq=False)
class Layered:
    """Several VE tables of one ECU, as seen by one of them.

    Attributes
    ----------
    name, at : of the table that is looked at, as of a ``Layer``.
    others : the rest, by name.
    channel : the column of a log that holds the position; "" if that is said log by log.
    """

    name: str
    at: float
    others: tuple[Layer, ...]
    channel: str = ""


@dataclass(frozen=True, eq=False)
class Vehicle:
    """One vehicle with the calibration that is in its ECU.

    ``compression`` is the engine's ratio, ``induction`` whether it can make boost (what is not known
    is taken for boosted), ``follows_barometer`` an ECU that makes up for height by itself.
    ``fuel_varies`` is a flex-fuel car, whose ECU follows the ethanol in the tank. ``corrections``
    are tables of fuel beyond airflow and target, as far as they are known, by the names of
    ``fuel_corrections``. ``other`` is the second airflow table of a blended ECU, None where there is
    one; ``airflow``, ``table`` and ``limits`` are then of the one that is looked at. ``layered`` are the
    VE tables of an ECU that blends several over the position of a cam or flap.
    """

    name: str
    displacement_l: float
    cylinders: int
    stoich_afr: float
    airflow: Airflow
    feedback: Feedback
    injectors: Injectors
    table: Table
    target: Table | None
    limits: TableLimits
    exhaust_volume_l: float
    redline_rpm: float = field(default=7000.0)
    sensor_place: SensorPlace = "downpipe"
    airflow_source: AirflowSourceSettings = field(default_factory=AirflowSourceSettings)
    fuel_varies: bool = False
    corrections: Mapping[str, Table] = field(default_factory=dict)
    compression: float = COMPRESSION
    induction: Induction = "unknown"
    follows_barometer: bool = False
    other: OtherAirflow | None = None
    layered: Layered | None = None

    @property
    def table_name(self) -> str:
        """The airflow table under correction by its name in the calibration."""
        return self.airflow if self.layered is None else self.layered.name

    @property
    def layers(self) -> tuple[Layer, ...]:
        """The other VE tables of an ECU that blends several; none of other ECUs."""
        return () if self.layered is None else self.layered.others

    @property
    def airflow_tables(self) -> tuple[str, ...]:
        """Names of all its airflow tables, in the order of work."""
        if self.other is not None:
            # The curve first: most of the driving is on it (common practice, no source).
            return ("maf", "ve")
        return tuple(sorted((self.table_name, *(layer.name for layer in self.layers))))

    @property
    def table_title(self) -> str:
        """What the table under correction is called, and at which position where there are several."""
        return (
            f"{table_words(self.table)} at {self.own_layer.at:g}"
            if self.layers
            else table_words(self.table)
        )

    @property
    def own_layer(self) -> Layer:
        """The table under correction as one of several."""
        at = 0.0 if self.layered is None else self.layered.at
        return Layer(name=self.table_name, table=self.table, at=at)

    def seen_by(self, name: str) -> Vehicle:
        """The same vehicle with one of its airflow tables under correction.

        Parameters
        ----------
        name : of the table: "ve", "maf", "ve_2".

        Returns
        -------
        The same record where that one is looked at already, or there is no other.
        """
        other = self.other
        for layer in self.layers:
            if layer.name == name:
                return self._seen_by_layer(layer)
        if other is None or name == self.airflow:
            return self
        own = OtherAirflow(airflow=self.airflow, table=self.table, limits=self.limits)
        return replace(
            self, airflow=other.airflow, table=other.table, limits=other.limits, other=own
        )

    def _seen_by_layer(self, layer: Layer) -> Vehicle:
        assert self.layered is not None
        rest = (self.own_layer, *(one for one in self.layers if one is not layer))
        others = tuple(sorted(rest, key=lambda one: one.name))
        layered = replace(self.layered, name=layer.name, at=layer.at, others=others)
        return replace(self, table=layer.table, layered=layered)

    @property
    def is_speed_density(self) -> bool:
        """True if air follows from pressure, charge temperature and a VE table."""
        return self.airflow == "ve" and holds_of(self.table) is Holds.VE

    @property
    def cylinder_l(self) -> float:
        """Swept volume of one cylinder, L."""
        return self.displacement_l / self.cylinders

    def with_table(self, table: Table) -> Vehicle:
        """The same vehicle driven on another airflow table.

        Parameters
        ----------
        table : of the vehicle's kind of airflow model.

        Returns
        -------
        A new vehicle; this one stays as it is.
        """
        return replace(self, table=table)


def default_limits(airflow: Airflow, holds: Holds = Holds.VE) -> TableLimits:
    """Field limits assumed where the vehicle sheet names none (common practice, no source).

    Parameters
    ----------
    airflow : "ve" (a grid) or "maf" (a curve).
    holds : what the cells of a grid are.

    Returns
    -------
    In the ECU's own numbers.
    """
    if airflow == "maf":
        return TableLimits(0.001, 0.0, 2000.0)
    if holds is Holds.VE:
        return TableLimits(0.1, 5.0, 250.0)
    kind = HOLD_KINDS[holds]
    return TableLimits(kind.resolution, kind.low, kind.high)


def default_exhaust_volume_l(displacement_l: float) -> float:
    """Volume between valves and sensor assumed where the sheet names none: 1.5 engine volumes.

    Parameters
    ----------
    displacement_l : of the engine, L.

    Returns
    -------
    Volume, L.
    """
    return 1.5 * displacement_l
