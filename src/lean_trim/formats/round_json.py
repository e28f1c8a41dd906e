"""What one round found, as JSON for other people's scripts."""

from __future__ import annotations

import json
import math
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.data.tables import OwnUnit, Table
from lean_trim.core.decision.proposal import Proposal, Status
from lean_trim.core.decision.shortfall import shortfalls
from lean_trim.core.diagnosis.inference import Inferred
from lean_trim.core.drive.film import MIDDLE_KPA, MIDDLE_RPM
from lean_trim.core.drive.nuisance_terms import COLD_BELOW_C, Term
from lean_trim.core.estimation.carried import BETWEEN_DRIVES, PlaceMeans
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.log_shares import LogShare
from lean_trim.core.pipeline.summary import SampleCounts, Summary
from lean_trim.core.sieve.sieve import RULES, SieveSettings
from lean_trim.formats.whole_files import write_whole

STATUS_IN_FILES = {
    Status.FAULT: "limited",
    Status.BEYOND: "kept",
    Status.WAITS: "limited",
    Status.NOT_IN_FORCE: "kept",
    Status.ONE_SIDED: "limited",
}
LIMITED_BY = {
    Status.LIMITED: "step",
    Status.FAULT: "fault",
    Status.KNOCK: "knock",
    Status.BEYOND: "airflow_sensor_end",
    Status.WAITS: "fuel_pressure_not_logged",
    Status.NOT_IN_FORCE: "other_table_in_force",
    Status.ONE_SIDED: "read_from_one_side",
}
"""A cell written less than it asked for is "limited", and by what; knock always had its own
word."""


def round_dict(summary: Summary, proposal: Proposal) -> dict[str, Any]:
    """Cells, samples, delay and findings as plain values; unknown numbers become null.

    Parameters
    ----------
    summary : of one round.
    proposal : what would be written.

    Returns
    -------
    As docs/formats.md describes it.
    """
    estimate = summary.estimate
    settings = summary.sieve
    return {
        "format": "lean-trim round 1",
        "vehicle": summary.vehicle.name,
        "method": estimate.method,
        "cells": _cells(summary, proposal),
        "samples": _samples(summary.samples, settings),
        "delay": _delay(summary),
        "wall_film": {
            "at_kpa": MIDDLE_KPA,
            "at_rpm": MIDDLE_RPM,
            "x": _plain(estimate.wall_x),
            "x_se": _plain(estimate.wall_x_se),
            "tau_s": _plain(summary.film.tau_s),
            "tau_se_s": _plain(summary.film.tau_se_s),
            "events": summary.film.events,
        },
        "warm_up": _warm_up(estimate),
        "shared": {
            c.term.value: {"value": _plain(c.value), "std_error": _plain(c.std_error)}
            for c in estimate.shared
        },
        "residual": {
            "rms_pct": _plain(summary.residual.rms),
            "trim_rms_pct": _plain(summary.residual.trim_rms),
            "cells": summary.residual.cells,
        },
        "logs": [_public(share) for share in summary.logs],
        "inferred": [_public(thing) for thing in summary.inferred],
        "settings": {"changed": dict(settings.changes), "disabled": sorted(settings.disabled)},
        "findings": [
            {
                "id": f.id,
                "severity": f.severity,
                "first_time_s": f.first_time_s,
                "seconds": f.seconds,
                "message": f.message,
                "probability": round(f.probability, 3),
                "sure": f.sureness,
                "effect": None if f.effect is None else str(f.effect),
                "samples": f.samples,
                "alike": list(f.alike),
            }
            for f in (*shortfalls(estimate, proposal, summary.vehicle.induction), *summary.findings)
        ],
        "places": None if summary.places is None else _places(summary.places, estimate.table),
    }


def _samples(samples: SampleCounts, settings: SieveSettings) -> dict[str, Any]:
    """How many samples there were, were used, and were left out or marked by which rule."""
    marking = {rule.name for rule in RULES if rule.marks}
    idle = settings.disabled | marking
    return {
        "total": samples.total,
        "used": samples.used,
        "used_s": _plain(samples.used_s),
        "left_out": {name: n for name, n in samples.hit.items() if n and name not in idle},
        "marked": {name: n for name, n in samples.hit.items() if n and name in marking},
        "blank": {role.value: n for role, n in samples.blank.items()},
        "impossible": {role.value: n for role, n in samples.impossible.items()},
    }


def _delay(summary: Summary) -> dict[str, Any]:
    """Parts of the sensor's delay with their errors."""
    found = summary.delay
    settings = found.settings
    volume = settings.exhaust_volume_l
    return {
        "cycles": _plain(settings.cycles),
        "cycles_se": _plain(found.cycles_se),
        "exhaust_volume_l": _plain(summary.vehicle.exhaust_volume_l if volume is None else volume),
        "exhaust_volume_se_l": _plain(found.volume_se_l),
        "sensor_s": _plain(settings.sensor_s),
        "sensor_se_s": _plain(found.sensor_se_s),
        "total_se_s": _plain(found.total_se_s),
        "estimated": found.estimated,
        "moments": found.moments,
        "note": found.note,
    }


def _cells(summary: Summary, proposal: Proposal) -> list[dict[str, Any]]:
    estimate = summary.estimate
    out = []
    for place in np.ndindex(estimate.table.shape):
        status = Status(str(proposal.status[place]))
        cell: dict[str, Any] = {
            axis_key(a.unit): float(a.points[i])
            for a, i in zip(estimate.table.axes, place, strict=True)
        }
        cell |= {
            "before": float(estimate.table.shown[place]),
            "after": float(proposal.table.shown[place]),
            "correction_pct": _plain(float(estimate.correction_pct[place])),
            "step_pct": _plain(float(proposal.step_pct[place])),
            "std_error_pct": _plain(
                math.hypot(estimate.own_error_pct[place], summary.shared_error_pct[place])
            ),
            "own_error_pct": _plain(float(estimate.own_error_pct[place])),
            "seconds": _plain(float(estimate.seconds[place])),
            "visits": int(estimate.visits[place]),
            "status": str(STATUS_IN_FILES.get(status, status)),
        }
        if status in LIMITED_BY:
            cell["limited_by"] = LIMITED_BY[status]
        out.append(cell)
    return out


def _warm_up(estimate: Estimate) -> dict[str, Any] | None:
    """Slope of k over coolant below 75 °C, percent per kelvin; None where no cold running was used."""
    cold = estimate.of(Term.COLD)
    if cold is None:
        return None
    return {
        "slope_pct_per_k": _plain(100.0 * cold.value),
        "std_error": _plain(100.0 * cold.std_error),
        "below_c": COLD_BELOW_C,
    }


def _public(record: LogShare | Inferred) -> dict[str, Any]:
    return {k: _plain(v) if isinstance(v, float) else v for k, v in asdict(record).items()}


def axis_key(unit: str) -> str:
    """What an axis is called in a cell, by its unit."""
    return {"kPa": "map_kpa", "rpm": "rpm", "Hz": "maf_hz", "V": "maf_v"}.get(unit, unit)


def _plain(value: float | np.floating) -> float | None:
    return round(float(value), 4) if math.isfinite(value) else None


def _places(means: PlaceMeans, table: Table) -> dict[str, list[float]]:
    """What a drive said place by place, column by column."""
    own = table.own or OwnUnit(table.unit)
    noise = np.sqrt(np.maximum(means.noise - BETWEEN_DRIVES**2, 0.0))
    keep = (means.wanted > 0.0) & (noise > 0.0) & np.isfinite(noise)
    columns = {axis_key(a.unit): x for a, x in zip(table.axes, means.at, strict=True)}
    columns |= {
        "wanted": np.asarray(own.own(means.wanted)),
        "error_pct": 100.0 * noise,
        "seconds": means.seconds,
    }
    return {name: [round(x, 5) for x in c[keep].tolist()] for name, c in columns.items()}


def write_round(summary: Summary, proposal: Proposal, path: Path) -> None:
    """Write ``round_dict`` as JSON.

    Parameters
    ----------
    summary : of one round.
    proposal : what would be written.
    path : replaced if it exists.
    """
    write_whole(
        path,
        json.dumps(round_dict(summary, proposal), indent=1, ensure_ascii=False, allow_nan=False),
    )
