"""Units tables are written in, each as what the ECU's own number is of ours."""

from __future__ import annotations

from collections.abc import Mapping

from lean_trim.core.data.table_kinds import HOLD_KINDS, ROW_KINDS, Holds, Rows
from lean_trim.core.data.tables import OwnUnit
from lean_trim.core.physics import STANDARD_KPA

LB_G = 453.59237
"""One avoirdupois pound, NIST SP 811."""
PSI_KPA = 6.894757
INHG_KPA = 3.386389
"""Conventional inch of mercury, NIST SP 811."""


def _gauge(unit: str, scale: float) -> OwnUnit:
    return OwnUnit(f"{unit} gauge", scale, -STANDARD_KPA * scale)


_PER_KPA = {
    "kPa": 1.0,
    "psi": 1.0 / PSI_KPA,
    "bar": 0.01,
    "inHg": 1.0 / INHG_KPA,
    "hPa": 10.0,
    "mbar": 10.0,
}
PRESSURES: dict[str, OwnUnit] = {unit: OwnUnit(unit, scale) for unit, scale in _PER_KPA.items()} | {
    f"{unit} gauge": _gauge(unit, scale) for unit, scale in _PER_KPA.items()
}
"""Absolute, and above a barometer at sea level: the ECU's own axis does not move with the
weather."""
FLOWS: dict[str, OwnUnit] = {
    "g/s": OwnUnit("g/s"),
    "kg/h": OwnUnit("kg/h", 3.6),
    "lb/min": OwnUnit("lb/min", 60.0 / LB_G),
    "lb/h": OwnUnit("lb/h", 3600.0 / LB_G),
}
SIGNALS: dict[str, tuple[str, OwnUnit]] = {
    "Hz": ("Hz", OwnUnit("Hz")),
    "kHz": ("Hz", OwnUnit("kHz", 1e-3)),
    "V": ("V", OwnUnit("V")),
    "mV": ("V", OwnUnit("mV", 1000.0)),
}
"""Of a mass-airflow sensor: our unit, and the ECU's."""
ROW_UNITS: dict[Rows, Mapping[str, OwnUnit]] = {
    Rows.MAP: PRESSURES,
    Rows.MAP_OVER_BARO: {"ratio": OwnUnit("ratio"), "%": OwnUnit("%", 100.0)},
    Rows.THROTTLE: {"%": OwnUnit("%"), "0..1": OwnUnit("0..1", 0.01)},
    Rows.LOAD_PER_REV: {"g/rev": OwnUnit("g/rev")},
    Rows.LOAD_PER_STROKE: {
        "mg/stroke": OwnUnit("mg/stroke"),
        "g/stroke": OwnUnit("g/stroke", 1e-3),
    },
}
CELL_UNITS: dict[Holds, Mapping[str, OwnUnit]] = {
    Holds.VE: {"%": OwnUnit("%"), "0..1": OwnUnit("0..1", 0.01)},
    Holds.AIR_PER_STROKE: {"mg": OwnUnit("mg"), "g": OwnUnit("g", 1e-3)},
    Holds.AIRFLOW: FLOWS,
    Holds.FUEL_TIME: {"ms": OwnUnit("ms"), "µs": OwnUnit("µs", 1000.0)},
    Holds.FUEL_TRIM: {"%": OwnUnit("%")},
}
_SAME = {
    **{unit.lower(): unit for unit in (*_PER_KPA, "g/rev", "mg/stroke", "g/stroke", "ratio")},
    "kpaabs": "kPa",
    "psia": "psi",
    "psig": "psi gauge",
    "kpag": "kPa gauge",
    "barg": "bar gauge",
    "%": "%",
    "tps": "%",
    "tps%": "%",
    "mg/str": "mg/stroke",
    "mg/hub": "mg/stroke",
    "map/baro": "ratio",
}
"""Words of labels, folded, and the unit they name."""


def unit_in(label: str) -> str:
    """The unit a corner or header names, as the tables above write it.

    Parameters
    ----------
    label : such as "kPa", "MAP [psi]" or "TPS %".

    Returns
    -------
    "" where it names none.
    """
    inside = label.replace("[", " ").replace("]", " ").replace("(", " ").replace(")", " ").lower()
    words = inside.split()
    for word in reversed(words):
        gauge = "gauge" in words and word != "gauge"
        found = _SAME.get(word, "")
        if found:
            return f"{found} gauge" if gauge and found in _PER_KPA else found
    return ""


def rows_by_unit(unit: str) -> Rows | None:
    """What rows are, where their unit leaves only one thing.

    Parameters
    ----------
    unit : as ``unit_in`` gives it.

    Returns
    -------
    None where it does not tell.
    """
    found = [rows for rows, units in ROW_UNITS.items() if unit in units]
    return found[0] if len(found) == 1 else None


def row_unit(rows: Rows, unit: str = "") -> OwnUnit | None:
    """How an ECU counts rows in a unit; None if as we do.

    Parameters
    ----------
    rows : what they are.
    unit : one of their units, "" for ours.

    Returns
    -------
    The unit.
    """
    return None if unit in ("", ROW_KINDS[rows].unit) else ROW_UNITS[rows][unit]


def cell_unit(holds: Holds, unit: str = "") -> OwnUnit | None:
    """How an ECU counts cells in a unit; None if as we do.

    Parameters
    ----------
    holds : what they are.
    unit : one of their units, "" for ours.

    Returns
    -------
    The unit.
    """
    return None if unit in ("", HOLD_KINDS[holds].unit) else CELL_UNITS[holds][unit]
