"""Everything about a vehicle that is typed as a number: range, units and default in one place."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from lean_trim.core.data.fuels import FUELS, PETROL, rated_flow_g_per_s
from lean_trim.core.data.tables import OwnUnit
from lean_trim.core.data.vehicle import COMPRESSION, default_exhaust_volume_l, default_limits
from lean_trim.formats.tables.table_units import LB_G, PSI_KPA

if TYPE_CHECKING:
    from lean_trim.core.data.vehicle import TableLimits
    from lean_trim.workspace.vehicle.draft import VehicleDraft


class Key(StrEnum):
    """A number of the vehicle."""

    CYLINDERS = "cylinders"
    DISPLACEMENT = "displacement"
    STOICH = "stoich"
    FLOW = "flow"
    PRESSURE = "pressure"
    REDLINE = "redline"
    EXHAUST = "exhaust"
    COMPRESSION = "compression"
    RESOLUTION = "resolution"
    LOWEST = "lowest"
    HIGHEST = "highest"


@dataclass(frozen=True)
class Field:
    """A number that may be typed.

    Attributes
    ----------
    label : beside it.
    low, high : allowed range, in our unit (the first of ``units``).
    units : by name, how a typed number relates to ours.
    tip : what it is for.
    default : what is taken when nothing is typed, with the words that say so; None for what has to
        be typed.
    unknown : words for nothing typed where the vehicle does without; "" where it does not.
    whole : only whole numbers.
    """

    label: str
    low: float
    high: float
    units: Mapping[str, OwnUnit]
    tip: str
    default: Callable[[VehicleDraft], tuple[float, str]] | None = None
    unknown: str = ""
    whole: bool = False


def _plain(unit: str) -> dict[str, OwnUnit]:
    return {unit: OwnUnit(unit)}


def _limits(draft: VehicleDraft) -> TableLimits:
    return default_limits(draft.airflow, draft.form.holds)


def _stoich(draft: VehicleDraft) -> tuple[float, str]:
    fuel = FUELS.get(draft.fuel, PETROL)
    return fuel.stoich_afr, f"of {fuel.name}"


def _redline(draft: VehicleDraft) -> tuple[float, str]:
    if draft.table is not None and len(draft.table.axes) == 2:
        return float(draft.table.axes[1].points[-1]), "the table's last column"
    if draft.told.highest_rpm:
        return draft.told.highest_rpm, "what the log reached"
    return 7000.0, "where nothing is known"


def _exhaust(draft: VehicleDraft) -> tuple[float, str]:
    litres = draft.number_or_none(Key.DISPLACEMENT) or 2.0
    return default_exhaust_volume_l(litres), "1.5 engine volumes; read from the logs later"


FIELDS: dict[Key, Field] = {
    Key.CYLINDERS: Field(
        "Cylinders", 1, 16, _plain(""), "Every one with its own injector", whole=True
    ),
    Key.DISPLACEMENT: Field(
        "Displacement",
        0.05,
        30.0,
        {"L": OwnUnit("L"), "cm³": OwnUnit("cm³", 1000.0)},
        "Swept volume of the whole engine",
    ),
    Key.STOICH: Field(
        "Stoichiometry",
        2.0,
        40.0,
        _plain("kg/kg"),
        "Air to fuel by mass, as the ECU has it; a gauge may count on another one",
        _stoich,
    ),
    Key.FLOW: Field(
        "Flow of one injector",
        0.1,
        200.0,
        _plain("g/s"),
        "As the ECU has it. Needed for what pulse width tells: enrichments, sagging pressure, "
        "what trims are",
        unknown="not known: pulse width is not used",
    ),
    Key.PRESSURE: Field(
        "rated at",
        50.0,
        30000.0,
        {"kPa": OwnUnit("kPa"), "bar": OwnUnit("bar", 0.01), "psi": OwnUnit("psi", 1.0 / PSI_KPA)},
        "Pressure over the injector at which it was rated",
        lambda draft: (300.0, "the usual rating"),
    ),
    Key.REDLINE: Field(
        "Top speed", 1000.0, 20000.0, _plain("rpm"), "Highest engine speed, for the plan", _redline
    ),
    Key.EXHAUST: Field(
        "Exhaust volume",
        0.0,
        50.0,
        _plain("L"),
        "Volume between valves and λ sensor; makes the sensor late at low flow",
        _exhaust,
    ),
    Key.COMPRESSION: Field(
        "Compression",
        5.0,
        25.0,
        _plain(""),
        "Ratio of the engine; says how much fuller a cylinder gets at height",
        lambda draft: (COMPRESSION, "usual"),
    ),
    Key.RESOLUTION: Field(
        "Step of the field",
        1e-6,
        100.0,
        _plain(""),
        "Smallest step the ECU's table holds, in its own numbers",
        lambda draft: (_limits(draft).resolution, "usual"),
    ),
    Key.LOWEST: Field(
        "Lowest value",
        -100.0,
        1e6,
        _plain(""),
        "Lowest number the table's field holds",
        lambda draft: (_limits(draft).lowest, "usual"),
    ),
    Key.HIGHEST: Field(
        "Highest value",
        -100.0,
        1e6,
        _plain(""),
        "Highest number the table's field holds",
        lambda draft: (_limits(draft).highest, "usual"),
    ),
}


def units_of(key: Key, draft: VehicleDraft) -> Mapping[str, OwnUnit]:
    """Units a number may be typed in; a volume of an injector depends on the fuel.

    Returns by name, ours first.
    """
    if key is not Key.FLOW:
        return FIELDS[key].units
    fuel = FUELS.get(draft.fuel, PETROL)
    per_cm3 = rated_flow_g_per_s(1.0, fuel.density_kg_per_l)
    return {
        "g/s": OwnUnit("g/s"),
        "cm³/min": OwnUnit("cm³/min", 1.0 / per_cm3),
        "lb/h": OwnUnit("lb/h", 3600.0 / LB_G),
    }
