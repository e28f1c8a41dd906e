"""What a drive shows of transients, warm-up and idle, as the open file ``transients.json``."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.pipeline.transients import TransientReport
from lean_trim.core.transients.after_start import AfterStart
from lean_trim.core.transients.classes import ClassKey, TransientClass
from lean_trim.core.transients.cold_film import ColdFilm
from lean_trim.core.transients.cuts import CutThresholds
from lean_trim.core.transients.errors import GRID
from lean_trim.core.transients.idle import Idle
from lean_trim.core.transients.needed import Amount, Change
from lean_trim.core.transients.to_write import Written
from lean_trim.core.transients.warm_up import TemperatureBin
from lean_trim.core.types import Floats
from lean_trim.formats.whole_files import write_whole

FIGURES = ("lean_pct", "rich_pct", "lean_area", "rich_area", "settles_s")


def write_transients(
    report: TransientReport, path: Path, asked: Mapping[str, Written] | None = None
) -> None:
    """Write the report of one drive.

    Parameters
    ----------
    report : of the drive.
    path : replaced if it exists.
    asked : proposals for the ECU's own tables, by name; None without any.
    """
    tables = {name: _table(written) for name, written in (asked or {}).items()}
    write_whole(path, json.dumps({**as_json(report), "tables": tables}, indent=1) + "\n")


def as_json(report: TransientReport) -> dict[str, Any]:
    """The report in numbers, texts and lists.

    Parameters
    ----------
    report : of the drive.

    Returns
    -------
    Unknown figures are None; percent, seconds and kPa as the names say.
    """
    film = report.film
    return {
        "wall_x": _plain(film.share) if film.known else None,
        "wall_x_se": _plain(film.share_se),
        "wall_tau_s": _plain(film.tau_s) if film.known else None,
        "wall_tau_s_se": _plain(film.tau_se_s),
        "wall_film": {
            "known": film.known,
            "why": "" if film.why is None else str(film.why),
            "at_map_kpa": _plain(film.map_kpa),
            "x_per_100_kpa": _plain(film.slope),
            "x_per_100_kpa_se": _plain(film.slope_se),
            "tau_falls_pct_per_1000_rpm": _plain(100.0 * film.falls),
            "map_lag_s": _plain(film.map_lag_s),
            "map_lag_s_se": _plain(film.map_lag_se_s),
            "quick_changes": film.windows,
        },
        "wall_film_cold": None if report.cold_film is None else _cold(report.cold_film),
        "message": "" if report.missing is None else str(report.missing),
        "grid_s": _plains(GRID),
        "classes": [_class(c) for c in report.classes],
        "proposed": [_change(c) for c in report.changes],
        "warm_up": [_warm_up(b) for b in report.warm_up],
        "intake_air": [_bin(b, "intake_air_c") for b in report.intake],
        "after_start": None if report.after_start is None else _after_start(report.after_start),
        "barometer": [_bin(b, "baro_kpa") for b in report.height],
        "fuel_cut": None if report.cuts is None else _cuts(report.cuts, report.idle),
        "idle": None if report.idle is None else {**_idle(report.idle), "diluted": report.diluted},
    }


def _table(written: Written) -> dict[str, Any]:
    table = written.table
    if table is None:
        return {"said": str(written.said), "write": None}
    axes = [{"name": a.name, "unit": a.shown_unit, "points": _plains(a.shown)} for a in table.axes]
    cells = np.round(np.asarray(table.shown, float), 4).tolist()
    return {"said": str(written.said), "unit": table.shown_unit, "axes": axes, "write": cells}


def _cold(cold: ColdFilm) -> dict[str, Any]:
    return {
        "coolant_c": _plain(cold.coolant_c),
        "x": _plain(cold.share),
        "x_se": _plain(cold.share_se),
        "tau_s": _plain(cold.tau_s),
        "tau_s_se": _plain(cold.tau_se_s),
        "quick_changes": cold.windows,
    }


def _after_start(found: AfterStart) -> dict[str, Any]:
    return {
        "missing_pct": _plain(found.missing_pct),
        "std_error_pct": _plain(found.std_error_pct),
        "fades_s": _plain(found.fades_s),
        "start_s": _plain(found.start_s),
        "coolant_c": _plain(found.coolant_c),
    }


def _key(key: ClassKey) -> dict[str, Any]:
    return {
        "kind": str(key.kind),
        "size": key.size,
        "rpm_from": key.rpm_from,
        "rpm_to": None if np.isinf(key.rpm_to) else key.rpm_to,
        "warm": key.warm,
    }


def _class(one: TransientClass) -> dict[str, Any]:
    figures = {}
    for name in FIGURES:
        mean, error = one.mean_of(name)
        figures[name] = _plain(mean)
        figures[f"{name}_se"] = _plain(error)
    return {
        **_key(one.key),
        "events": len(one.events),
        **figures,
        "mean_error_pct": _plains(one.mean_pct),
        "seen": [
            {
                "edge_s": _plain(m.event.edge_s),
                "size": m.event.size,
                "rpm": _plain(m.event.rpm),
                **{name: _plain(getattr(m, name)) for name in FIGURES},
            }
            for m in one.events
        ],
    }


def _change(change: Change) -> dict[str, Any]:
    return {
        **_key(change.of.key),
        "given": _amount(change.given),
        "needed": _amount(change.needed),
        "proposed": _amount(change.proposed),
        "expected_lean_pct": _plain(change.expected_lean_pct),
        "modelled_error_pct": _plains(change.modelled_pct),
        "expected_error_pct": _plains(change.expected_pct),
        "said": str(change.said),
    }


def _amount(amount: Amount) -> dict[str, Any]:
    return {"amount_pct": _plain(amount.percent), "decay_s": _plain(amount.decay_s)}


def _warm_up(one: TemperatureBin) -> dict[str, Any]:
    added = {
        "enrichment_pct": _plain(one.given_pct),
        "proposed_enrichment_pct": _plain(one.proposed_pct),
    }
    return {**_bin(one, "coolant_c"), **added}


def _cuts(cuts: CutThresholds, idle: Idle | None) -> dict[str, Any]:
    return {
        "cuts": cuts.cuts,
        "enters_from_rpm": _plain(cuts.enters_rpm),
        "enters_up_to_map_kpa": _plain(cuts.enters_map_kpa),
        "fuel_back_at_rpm": _plain(cuts.leaves_rpm),
        "enters_from_coolant_c": _plain(cuts.coolant_c),
        "proposed_from_rpm": _plain(cuts.entry_to_write(np.nan if idle is None else idle.most_rpm)),
        "hunts": cuts.hunts,
        "hunt_period_s": _plain(cuts.hunt_period_s),
    }


def _bin(one: TemperatureBin, name: str) -> dict[str, Any]:
    return {
        name: one.at_c,
        "lambda_error_pct": one.error_pct,
        "std_error_pct": one.std_error_pct,
        "seconds": one.seconds,
    }


def _idle(idle: Idle) -> dict[str, Any]:
    widest = idle.swings[0] if idle.swings else None
    return {
        "seconds": idle.seconds,
        "mean_error_pct": _plain(idle.error_pct),
        "spread_pct": _plain(idle.spread_pct),
        "within_noise": idle.is_noise,
        "rpm_spread": _plain(idle.rpm_spread),
        "oscillation_period_s": None if widest is None else widest.period_s,
        "oscillation_size": None if widest is None else widest.peak_to_peak,
        "oscillation_of": "" if widest is None else widest.what,
        "loop": str(idle.loop),
        "rpm": _plain(idle.rpm),
        "in_gear": [
            {
                "in_gear": g.in_gear,
                "seconds": g.seconds,
                "mean_error_pct": _plain(g.error_pct),
                "rpm": _plain(g.rpm),
            }
            for g in idle.gears
        ],
        "swings": [
            {
                "what": s.what,
                "peak_to_peak": s.peak_to_peak,
                "period_s": s.period_s,
                "share": s.share,
            }
            for s in idle.swings
        ],
    }


def _plain(value: float) -> float | None:
    return round(float(value), 4) if np.isfinite(value) else None


def _plains(values: Floats) -> list[float | None]:
    return [_plain(v) for v in values.tolist()]
