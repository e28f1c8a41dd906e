"""The vehicle sheet: one JSON file and the tables it names."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any, get_args

import numpy as np

from lean_trim.core.data.axis_gaps import gaps_of
from lean_trim.core.data.calibration import AIRFLOW_TABLES
from lean_trim.core.data.fuel_corrections import CORRECTIONS
from lean_trim.core.data.table_kinds import Holds, Rows, holds_of
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import (
    AIRFLOW_SOURCE_KINDS,
    COMPRESSION,
    Airflow,
    AirflowSourceKind,
    AirflowSourceSettings,
    Feedback,
    Induction,
    Injectors,
    OtherAirflow,
    PressureReference,
    SensorPlace,
    TableLimits,
    Vehicle,
    default_exhaust_volume_l,
    default_limits,
)
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.layers_sheet import layer_files, layered_of, layers_dict
from lean_trim.formats.sheet import Sheet
from lean_trim.formats.tables import read_table, write_table
from lean_trim.formats.tables.form import GridForm, form_of
from lean_trim.formats.tables.fuel_corrections import read_correction
from lean_trim.formats.tables.table_units import CELL_UNITS, ROW_UNITS
from lean_trim.formats.whole_files import write_whole

LARGEST_BYTES = 4 << 20
"""Largest sheet, 4 MiB; a sheet is a page of text."""
MOST_DIGITS = 18
"""Digits of a whole number that is still one of ours."""


class Say:
    """Sentences of this module."""

    TABLE_PATH = Message(
        "vehicle_sheet.table_path",
        "{source}: key tables.{key} is {value!r}; the path of a CSV file is needed",
    )
    NOT_A_TABLE_KIND = Message(
        "vehicle_sheet.not_a_table_kind",
        "{source}: key airflow_table is for a table over engine speed, not for a curve",
    )
    DEAD_TIME_OBJECT = Message(
        "vehicle_sheet.dead_time_object",
        "{source}: key injectors.dead_time_ms is {raw!r}; an object of volts: ms is needed",
    )
    OTHER_TABLE = Message(
        "vehicle_sheet.other_table",
        "{source}: key airflow is {airflow!r}, which does not go with its airflow tables",
    )
    WHOSE_LIMITS = Message(
        "vehicle_sheet.whose_limits",
        "{source}: key table_limits does not say of which table; with two of them write table_limits.ve and "
        "table_limits.maf, each with resolution, lowest, highest",
    )
    BAD_CHOICE = Message(
        "vehicle_sheet.bad_choice", "{source}: key {key} is {value!r}; allowed is one of {allowed}"
    )
    UNREADABLE = Message("vehicle_sheet.unreadable", "{path}: cannot be read ({cause})")
    NO_SHEET = Message(
        "vehicle_sheet.no_sheet",
        "{path}: is no file of at most {most} MB, so it cannot be a vehicle sheet",
    )
    TOO_DEEP = Message(
        "vehicle_sheet.too_deep", "{path}: its brackets are nested too deeply for a sheet"
    )
    NOT_TEXT = Message(
        "vehicle_sheet.not_text", "{path}: is not text, so it cannot be a vehicle sheet"
    )
    NOT_JSON = Message(
        "vehicle_sheet.not_json", "{path}, line {line}, column {column}: not valid JSON ({reason})"
    )
    SMALL_PULSES = Message(
        "vehicle_sheet.small_pulses",
        "{source}: key injectors.small_pulse_ms is {raw!r}; an object of two or more open times: "
        "added time is needed, in ms, 0 to 10 and -0.5 to 0.9, each open time with what is added "
        "longer than the last",
    )
    DEAD_TIME_NUMBERS = Message(
        "vehicle_sheet.dead_time_numbers",
        "{source}: key injectors.dead_time_ms holds a value that is not a number",
    )
    DEAD_TIME_RANGE = Message(
        "vehicle_sheet.dead_time_range",
        "{source}: key injectors.dead_time_ms has {ms:g} ms at {volts:g} V; allowed is 0 to 10 ms "
        "at 4 to 32 V",
    )


KNOWN = {
    "name",
    "engine",
    "fuel",
    "airflow",
    "feedback",
    "injectors",
    "tables",
    "exhaust_volume_l",
    "redline_rpm",
    "table_limits",
    "sensor_place",
    "induction",
    "follows_barometer",
    "airflow_source",
    "airflow_table",
    "table_position",
}
KNOWN_TABLES = (*AIRFLOW_TABLES, "target_lambda", *CORRECTIONS)
PLACES = ("downpipe", "tailpipe")
AIRFLOWS: tuple[Airflow, ...] = get_args(Airflow)
BLENDED = "blended"
"""An ECU with both airflow tables; the curve is looked at first, for it is put right first."""
FEEDBACKS: tuple[Feedback, ...] = get_args(Feedback)
INDUCTIONS: tuple[Induction, ...] = get_args(Induction)
REFERENCES: tuple[PressureReference, ...] = get_args(PressureReference)
ABSENT = object()
USUAL_PRESSURE_KPA = 300.0
"""Rated pressure taken where it is not known (common practice, no source)."""


def read_vehicle(path: Path) -> tuple[Vehicle, list[str]]:
    """Read a sheet and its tables.

    Returns
    -------
    The vehicle, and one warning for every unknown key.

    Raises
    ------
    BadInputError
        Naming the file and the key (or line and column) and what is allowed.
    """
    try:
        size = path.stat().st_size
        if size > LARGEST_BYTES or not path.is_file():
            raise BadInputError(Say.NO_SHEET(path=path, most=LARGEST_BYTES >> 20))
        # Editors of some systems put a byte order mark before the text.
        data = json.loads(path.read_text(encoding="utf-8-sig"), parse_int=_whole)
    except OSError as error:
        raise BadInputError(Say.UNREADABLE(path=path, cause=error.strerror)) from error
    except RecursionError as error:
        raise BadInputError(Say.TOO_DEEP(path=path)) from error
    except UnicodeDecodeError as error:
        raise BadInputError(Say.NOT_TEXT(path=path)) from error
    except json.JSONDecodeError as error:
        raise BadInputError(
            Say.NOT_JSON(path=path, line=error.lineno, column=error.colno, reason=error.msg)
        ) from error
    sheet = Sheet(data, str(path))
    # A misspelt key must not pass for one that was taken in.
    warnings = [f"{path}: unknown key {k!r} is not used" for k in sheet.data if k not in KNOWN]
    tables = sheet.data.get("tables")
    named = tables if isinstance(tables, dict) else {}
    warnings += [f"{path}: unknown table {k!r} is not used" for k in named if k not in KNOWN_TABLES]
    vehicle = _vehicle(sheet, path.parent)
    others = [vehicle.other.table] if vehicle.other is not None else []
    others += [layer.table for layer in vehicle.layers]
    tables = (vehicle.table, *others, *([vehicle.target] if vehicle.target is not None else []))
    warnings += [f"{path}: {gap}" for table in tables for gap in gaps_of(table)]
    return vehicle, warnings


def _whole(digits: str) -> float | int:
    """A whole number of JSON; one longer than any of ours is too large for every range."""
    return int(digits) if len(digits) <= MOST_DIGITS else float("inf")


def _vehicle(sheet: Sheet, folder: Path) -> Vehicle:
    airflow, other = _airflows(sheet)
    feedback = sheet.choice("feedback", FEEDBACKS)
    litres = sheet.number("engine.displacement_l", 0.05, 30.0)
    target = _table_path(sheet, "target_lambda", folder, required=False)
    table_path = _table_path(sheet, airflow, folder, required=True)
    assert table_path is not None
    form = _form(sheet, airflow if other is None else other)
    layers = {
        name: read_table(path, "ve", form) for name, path in layer_files(folder, sheet).items()
    }
    return Vehicle(
        layered=layered_of(sheet, layers, only_ve=airflow == "ve" and form.holds is Holds.VE),
        name=str(sheet.get("name") or "Unnamed"),
        displacement_l=litres,
        cylinders=int(sheet.number("engine.cylinders", 1, 16)),
        compression=sheet.number("engine.compression", 5.0, 25.0, COMPRESSION),
        induction=_induction(sheet),
        follows_barometer=sheet.get("follows_barometer") is True,
        stoich_afr=sheet.number("fuel.stoich_afr", 2.0, 40.0),
        airflow=airflow,
        feedback=next(f for f in FEEDBACKS if f == feedback),
        injectors=_injectors(sheet),
        table=read_table(table_path, airflow, form),
        target=read_table(target, "target_lambda") if target else None,
        limits=_limits(sheet, airflow, form.holds, other is not None),
        other=_other(sheet, folder, other, form),
        exhaust_volume_l=sheet.number(
            "exhaust_volume_l", 0.0, 50.0, default_exhaust_volume_l(litres)
        ),
        redline_rpm=sheet.number("redline_rpm", 1000.0, 20000.0, 7000.0),
        sensor_place=_sensor_place(sheet),
        airflow_source=_source(sheet),
        fuel_varies=_varies(sheet),
        corrections={
            name: read_correction(path, name) for name, path in _correction_paths(sheet, folder)
        },
    )


def _airflows(sheet: Sheet) -> tuple[Airflow, Airflow | None]:
    """The table that is looked at first, and the other one of a blended ECU."""
    word = sheet.choice("airflow", (*AIRFLOWS, BLENDED))
    if word == BLENDED:
        return "maf", "ve"
    return next(a for a in AIRFLOWS if a == word), None


def _other(
    sheet: Sheet, folder: Path, other: Airflow | None, form: GridForm
) -> OtherAirflow | None:
    if other is None:
        return None
    path = _table_path(sheet, other, folder, required=True)
    assert path is not None
    return OtherAirflow(
        airflow=other,
        table=read_table(path, other, form),
        limits=_limits(sheet, other, form.holds, of_two=True),
    )


def _correction_paths(sheet: Sheet, folder: Path) -> list[tuple[str, Path]]:
    """Files of the corrections of fuel the sheet names, in their order."""
    paths = [(name, _table_path(sheet, name, folder, required=False)) for name in CORRECTIONS]
    return [(name, path) for name, path in paths if path is not None]


def _varies(sheet: Sheet) -> bool:
    value = sheet.get("fuel.varies")
    if value is None or isinstance(value, bool):
        return bool(value)
    raise BadInputError(
        Say.BAD_CHOICE(source=sheet.source, key="fuel.varies", value=value, allowed="true, false")
    )


def _form(sheet: Sheet, airflow: str) -> GridForm:
    """What the grid's numbers mean."""
    if airflow == "maf" or sheet.get("airflow_table") is None:
        if sheet.get("airflow_table") is not None:
            raise BadInputError(Say.NOT_A_TABLE_KIND(source=sheet.source))
        return GridForm()
    rows = Rows(sheet.choice("airflow_table.rows", tuple(Rows), Rows.MAP))
    holds = Holds(sheet.choice("airflow_table.holds", tuple(Holds), Holds.VE))
    own = sheet.choice(
        "airflow_table.row_unit", tuple(ROW_UNITS[rows]), next(iter(ROW_UNITS[rows]))
    )
    cells = sheet.choice(
        "airflow_table.cell_unit", tuple(CELL_UNITS[holds]), next(iter(CELL_UNITS[holds]))
    )
    dead = sheet.number("airflow_table.dead_time_ms", 0.0, 10.0, 0.0)
    named = own if sheet.get("airflow_table.row_unit") is not None else ""
    return GridForm(rows, named, holds, cells, dead)


def _form_dict(table: Table) -> dict[str, Any]:
    """The inverse of ``_form``; nothing for VE over MAP as we count them, and for curves."""
    form = form_of(table)
    if form is None:
        return {}
    said: dict[str, Any] = {
        "rows": str(form.rows),
        "row_unit": form.row_unit,
        "holds": str(form.holds),
        "cell_unit": form.cell_unit,
    }
    if form.holds is Holds.FUEL_TIME:
        said["dead_time_ms"] = form.dead_time_ms
    usual = {"rows": "map", "row_unit": "kPa", "holds": "ve", "cell_unit": "%"}
    return {} if said == usual else {"airflow_table": said}


def _induction(sheet: Sheet) -> Induction:
    found = sheet.choice("induction", INDUCTIONS, "unknown")
    return next(i for i in INDUCTIONS if i == found)


def _sensor_place(sheet: Sheet) -> SensorPlace:
    return (
        "tailpipe" if sheet.choice("sensor_place", PLACES, "downpipe") == "tailpipe" else "downpipe"
    )


def _source(sheet: Sheet) -> AirflowSourceSettings:
    word = sheet.choice("airflow_source.kind", AIRFLOW_SOURCE_KINDS, "auto")
    kind: AirflowSourceKind = next(k for k in AIRFLOW_SOURCE_KINDS if k == word)
    return AirflowSourceSettings(
        kind,
        sheet.number("airflow_source.ve_below_rpm", 0.0, 10000.0, 0.0),
        sheet.number("airflow_source.ve_above_map_rate_pct_per_s", 0.0, 500.0, 0.0),
        sheet.choice("airflow_source.of", ("", *AIRFLOWS), ""),
    )


def _table_path(sheet: Sheet, key: str, folder: Path, required: bool) -> Path | None:
    value = sheet.get(f"tables.{key}")
    if value is None and not required:
        return None
    if not isinstance(value, str) or not value or not _is_file_name(value):
        raise BadInputError(Say.TABLE_PATH(source=sheet.source, key=key, value=value))
    return folder / value


def _is_file_name(text: str) -> bool:
    """True if a file may be called that; not with a NUL, or half of a character."""
    return "\0" not in text and text.isprintable()


def _injectors(sheet: Sheet) -> Injectors:
    raw = sheet.get("injectors.dead_time_ms")
    whole = sheet.get("injectors")
    if raw is None and (whole is None or (isinstance(whole, dict) and "dead_time_ms" in whole)):
        return _with_injectors(sheet, np.array([]), np.array([]))
    if not isinstance(raw, dict) or not raw:
        raise BadInputError(Say.DEAD_TIME_OBJECT(source=sheet.source, raw=raw))
    try:
        # JSON keys are text, and in text 10 comes before 9.
        pairs = sorted((float(v), float(ms)) for v, ms in raw.items())
    except (TypeError, ValueError):
        raise BadInputError(Say.DEAD_TIME_NUMBERS(source=sheet.source)) from None
    for volts, ms in pairs:
        if not (4.0 <= volts <= 32.0 and 0.0 <= ms <= 10.0):
            raise BadInputError(Say.DEAD_TIME_RANGE(source=sheet.source, ms=ms, volts=volts))
    return _with_injectors(
        sheet, np.array([v for v, _ in pairs]), np.array([ms for _, ms in pairs])
    )


def _with_injectors(sheet: Sheet, volts: Floats, dead_time_ms: Floats) -> Injectors:
    """Injectors with what is null left unknown; a missing key is a slip, a null is a word."""
    whole = sheet.get("injectors")
    absent = sheet.data.get("injectors", ABSENT) is None
    known = whole if isinstance(whole, dict) else {}

    def unless_null(key: str, low: float, high: float, instead: float) -> float:
        if absent or (key in known and known[key] is None):
            return instead
        return sheet.number(f"injectors.{key}", low, high)

    reference = sheet.choice("injectors.pressure_reference", REFERENCES, "manifold")
    open_ms, add_ms = _small_pulses(sheet)
    return Injectors(
        unless_null("flow_g_per_s", 0.1, 200.0, float("nan")),
        unless_null("rated_pressure_kpa", 50.0, 30000.0, USUAL_PRESSURE_KPA),
        volts,
        dead_time_ms,
        next(r for r in REFERENCES if r == reference),
        pressure_known=not (absent or known.get("rated_pressure_kpa", 0) is None),
        small_open_ms=open_ms,
        small_add_ms=add_ms,
    )


def _small_pulses(sheet: Sheet) -> tuple[Floats, Floats]:
    """What is added to short pulses; nothing where the key is absent."""
    raw = sheet.get("injectors.small_pulse_ms")
    if raw is None:
        return np.zeros(0), np.zeros(0)
    refused = BadInputError(Say.SMALL_PULSES(source=sheet.source, raw=raw))
    try:
        pairs = np.array(sorted((float(e), float(ms)) for e, ms in raw.items()))
    except (AttributeError, TypeError, ValueError):
        raise refused from None
    if len(pairs) < 2:
        raise refused
    open_ms, add_ms = pairs.T
    inside = (open_ms >= 0.0) & (open_ms <= 10.0) & (add_ms >= -0.5) & (add_ms <= 0.9)
    if (
        not inside.all()
        or (np.diff(open_ms + add_ms) <= 0.0).any()
        or (np.diff(open_ms) <= 0.0).any()
    ):
        raise refused
    return open_ms, add_ms


def _limits(sheet: Sheet, airflow: Airflow, holds: Holds, of_two: bool = False) -> TableLimits:
    """Limits of a table's field; those of two tables stand under their names."""
    base = default_limits(airflow, holds)
    plain = sheet.get("table_limits.resolution")
    if of_two and plain is not None:
        raise BadInputError(Say.WHOSE_LIMITS(source=sheet.source, airflow=airflow))
    key = f"table_limits.{airflow}" if of_two else "table_limits"
    return TableLimits(
        sheet.number(f"{key}.resolution", 1e-6, 10.0, base.resolution),
        sheet.number(f"{key}.lowest", -100.0, 1e6, base.lowest),
        sheet.number(f"{key}.highest", 0.0, 1e6, base.highest),
    )


def _limits_dict(limits: TableLimits) -> dict[str, float]:
    return {"resolution": limits.resolution, "lowest": limits.lowest, "highest": limits.highest}


def write_vehicle(vehicle: Vehicle, folder: Path) -> Path:
    """Write sheet and tables into a folder; returns the sheet's path.

    Parameters
    ----------
    vehicle : with its tables.
    folder : made if it is not there.

    Returns
    -------
    Path of the sheet.
    """
    folder.mkdir(parents=True, exist_ok=True)
    tables: dict[str, str] = {}
    for layer in sorted((vehicle.own_layer, *vehicle.layers), key=lambda layer: layer.name):
        write_table(layer.table, folder / f"{layer.name}.csv")
        tables[layer.name] = f"{layer.name}.csv"
    if vehicle.other is not None:
        write_table(vehicle.other.table, folder / f"{vehicle.other.airflow}.csv")
        tables[vehicle.other.airflow] = f"{vehicle.other.airflow}.csv"
    if vehicle.target is not None:
        write_table(vehicle.target, folder / "target_lambda.csv")
        tables["target_lambda"] = "target_lambda.csv"
    for name, table in vehicle.corrections.items():
        write_table(table, folder / f"{name}.csv")
        tables[name] = f"{name}.csv"
    path = folder / "vehicle.json"
    write_whole(
        path, json.dumps(vehicle_dict(vehicle) | {"tables": tables}, indent=1, ensure_ascii=False)
    )
    return path


def vehicle_dict(vehicle: Vehicle) -> dict[str, Any]:
    """Everything of the sheet but the tables.

    Parameters
    ----------
    vehicle : whose sheet is wanted.

    Returns
    -------
    Plain values for JSON.
    """
    injectors = vehicle.injectors
    return {
        "name": vehicle.name,
        "engine": {
            "displacement_l": vehicle.displacement_l,
            "cylinders": vehicle.cylinders,
            "compression": vehicle.compression,
        },
        "fuel": {"stoich_afr": vehicle.stoich_afr, "varies": vehicle.fuel_varies},
        "airflow": vehicle.airflow if vehicle.other is None else BLENDED,
        "feedback": vehicle.feedback,
        "injectors": {
            "flow_g_per_s": injectors.flow_g_per_s if np.isfinite(injectors.flow_g_per_s) else None,
            "rated_pressure_kpa": injectors.rated_pressure_kpa
            if injectors.pressure_known
            else None,
            "pressure_reference": injectors.pressure_reference,
            "dead_time_ms": {
                f"{v:g}": float(ms)
                for v, ms in zip(injectors.volts, injectors.dead_time_ms, strict=True)
            }
            or None,
            **_small_dict(injectors),
        },
        **_form_dict(vehicle.seen_by("ve").table),
        **layers_dict(vehicle),
        "exhaust_volume_l": vehicle.exhaust_volume_l,
        "redline_rpm": vehicle.redline_rpm,
        "sensor_place": vehicle.sensor_place,
        "induction": vehicle.induction,
        "follows_barometer": vehicle.follows_barometer,
        "airflow_source": {
            "kind": vehicle.airflow_source.kind,
            "ve_below_rpm": vehicle.airflow_source.ve_below_rpm,
            "ve_above_map_rate_pct_per_s": vehicle.airflow_source.ve_above_map_rate,
            **({"of": vehicle.airflow_source.of} if vehicle.airflow_source.of else {}),
        },
        "table_limits": _limits_dict(vehicle.limits)
        if vehicle.other is None
        else {
            vehicle.airflow: _limits_dict(vehicle.limits),
            vehicle.other.airflow: _limits_dict(vehicle.other.limits),
        },
    }


def _small_dict(injectors: Injectors) -> dict[str, Any]:
    pairs = zip(injectors.small_open_ms.tolist(), injectors.small_add_ms.tolist(), strict=True)
    added = {f"{e:g}": ms for e, ms in pairs}
    return {"small_pulse_ms": added} if added else {}


def vehicle_from_dict(
    data: dict[str, Any],
    table: Any,
    target: Any,
    other: Table | None = None,
    layers: Mapping[str, Table] | None = None,
) -> Vehicle:
    """The inverse of ``vehicle_dict`` with tables given.

    Parameters
    ----------
    data : as ``vehicle_dict`` makes it, perhaps damaged.
    table, target : its tables; no target is None. Of a blended ECU the table is the curve.
    other : the second airflow table of a blended ECU, a grid.
    layers : further VE tables by name; ``table`` is then the one called ve.

    Returns
    -------
    The vehicle.

    Raises
    ------
    BadInputError
        Naming the key and what is allowed.
    """
    sheet = Sheet(data, "vehicle")
    airflow, second = _airflows(sheet)
    if (second is None) != (other is None):
        raise BadInputError(Say.OTHER_TABLE(source="vehicle", airflow=sheet.get("airflow")))
    holds = holds_of(table if other is None else other) or Holds.VE
    feedback = sheet.choice("feedback", FEEDBACKS)
    one_of_ve = airflow == "ve" and other is None and holds is Holds.VE
    return Vehicle(
        layered=layered_of(sheet, layers or {}, only_ve=one_of_ve),
        name=str(sheet.get("name") or "Unnamed"),
        displacement_l=sheet.number("engine.displacement_l", 0.05, 30.0),
        cylinders=int(sheet.number("engine.cylinders", 1, 16)),
        stoich_afr=sheet.number("fuel.stoich_afr", 2.0, 40.0),
        airflow=airflow,
        feedback=next(f for f in FEEDBACKS if f == feedback),
        injectors=_injectors(sheet),
        table=table,
        target=target,
        limits=_limits(sheet, airflow, holds, other is not None),
        other=None
        if other is None or second is None
        else OtherAirflow(
            airflow=second, table=other, limits=_limits(sheet, second, holds, of_two=True)
        ),
        exhaust_volume_l=sheet.number("exhaust_volume_l", 0.0, 50.0),
        redline_rpm=sheet.number("redline_rpm", 1000.0, 20000.0),
        sensor_place=_sensor_place(sheet),
        airflow_source=_source(sheet),
        fuel_varies=_varies(sheet),
        compression=sheet.number("engine.compression", 5.0, 25.0, COMPRESSION),
        induction=_induction(sheet),
        follows_barometer=sheet.get("follows_barometer") is True,
    )
