"""``injectors.json``: what flow, dead time and airflow are off by, and the tables that follow."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.data.injector_tables import PRESSURES_KPA
from lean_trim.core.injectors.methods import compare_methods
from lean_trim.core.injectors.small_pulses import SmallPulses
from lean_trim.core.injectors.tables import dead_time_over_voltage, flow_over_pressure
from lean_trim.core.pipeline.injectors import InjectorReport, verdict_of
from lean_trim.formats.whole_files import write_whole

FORMAT = "lean-trim injectors 1"


def injectors_dict(report: InjectorReport) -> dict[str, Any]:
    """A report as plain values.

    Parameters
    ----------
    report : as ``identify_injectors`` gives it.

    Returns
    -------
    For JSON.
    """
    split = report.split
    vehicle = report.solution.prepared.frame.vehicle
    verdict = verdict_of(report)
    driven = np.isfinite(split.airflow)
    methods = compare_methods(report.places, split)
    return {
        "format": FORMAT,
        "vehicle": vehicle.name,
        "flow_scale": split.flow_scale,
        "flow_scale_se": split.flow_se,
        "dead_time_shift_ms": split.dead_ms,
        "dead_time_shift_ms_se": split.dead_se_ms,
        "correlation": split.correlation,
        "identifiable_flow": verdict.identifiable_flow,
        "identifiable_dead_time": verdict.identifiable_dead_time,
        "identifiable": verdict.identifiable,
        "message": verdict.message,
        "reasons": {"flow": str(verdict.flow), "dead_time": str(verdict.dead_time)},
        "airflow_trusted_pct": report.trust_pct,
        "airflow_trust_holds": split.word_holds,
        "airflow_error_pct_rms": 100.0 * float(np.sqrt(np.mean(split.airflow[driven] ** 2))),
        "dead_time_slope_ms_per_v": _or_none(report.slope.ms_per_v),
        "dead_time_slope_ms_per_v_se": _or_none(report.slope.se),
        "load_steps": report.slope.steps,
        "small_pulses": _small_rows(report.small),
        "fuel_pressure": {
            "follows_manifold": _or_none(report.supply.follows),
            "sag_pct": _or_none(report.supply.sag_pct),
        },
        "schools": {
            "as_it_is_pct_rms": methods.as_it_is,
            "by_flow_and_dead_time_pct_rms": methods.by_flow_and_dead_time,
            "by_dead_time_alone_pct_rms": methods.by_dead_time_alone,
            "hand_shift_ms": methods.hand_shift_ms,
        },
        **_tables(report),
    }


def _tables(report: InjectorReport) -> dict[str, Any]:
    """What follows to be written: flow over pressure, dead time over voltage."""
    split = report.split
    injectors = report.solution.prepared.frame.vehicle.injectors
    return {
        "flow_vs_pressure": [
            {"kpa": p, "g_per_s": round(float(q), 4)}
            for p, q in zip(PRESSURES_KPA, flow_over_pressure(injectors, split), strict=True)
        ],
        "dead_time": [
            {"volts": float(v), "ms": round(float(ms), 4), "was_ms": float(was)}
            for v, ms, was in zip(
                injectors.volts,
                dead_time_over_voltage(injectors, split, report.slope),
                injectors.dead_time_ms,
                strict=True,
            )
        ],
    }


def _small_rows(small: SmallPulses | None) -> list[dict[str, Any]]:
    """What short pulses lose, at the points the drive has evidence of; with the dead time of longer ones."""
    if small is None:
        return []
    columns = zip(small.open_ms, small.loss_ms, small.se_ms, small.known, strict=True)
    return [
        {"open_ms": float(e), "add_ms": round(float(ms), 4), "add_ms_se": round(float(se), 4)}
        for e, ms, se, known in columns
        if known
    ]


def _or_none(value: float) -> float | None:
    """A figure for JSON, which has no NaN."""
    return value if np.isfinite(value) else None


def write_injectors(report: InjectorReport, path: Path) -> None:
    """Write a report, replacing the file only when all of it is written.

    Parameters
    ----------
    report : as ``identify_injectors`` gives it.
    path : replaced if it exists.
    """
    write_whole(path, json.dumps(injectors_dict(report), indent=1, ensure_ascii=False))
