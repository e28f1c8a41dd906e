"""What one round found, as JSON for other people's scripts."""

from __future__ import annotations

import json
import math
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.decision.proposal import Proposal, Status
from lean_trim.core.decision.shortfall import shortfalls
from lean_trim.core.diagnosis.inference import Inferred
from lean_trim.core.drive.shared_terms import COLD_BELOW_C, Term
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.log_shares import LogShare
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.sieve.sieve import RULES

STATUS_IN_FILES = {Status.FAULT: "limited"}
LIMITED_BY = {Status.LIMITED: "step", Status.FAULT: "fuel_pressure", Status.KNOCK: "knock"}
"""A cell written less than it asked for is "limited", and by what; knock always had its own word."""


def round_dict(solution: Solution, proposal: Proposal) -> dict[str, Any]:
    """Cells, samples, delay and findings as plain values; unknown numbers become null.

    Parameters
    ----------
    solution : of one round.
    proposal : what would be written.

    Returns
    -------
    As docs/formats.md describes it.
    """
    estimate = solution.estimate
    sifted = solution.sifted
    log = solution.frame.log
    delay = solution.delay.settings
    volume = delay.exhaust_volume_l
    idle = sifted.settings.disabled | {rule.name for rule in RULES if rule.marks}
    return {
        "format": "lean-trim round 1",
        "vehicle": solution.frame.vehicle.name,
        "method": estimate.method,
        "cells": _cells(solution, proposal),
        "samples": {
            "total": len(log),
            "used": int(sifted.used.sum()),
            "used_s": _plain(solution.observations.seconds.sum()),
            "left_out": {name: n for name, n in sifted.counts.items() if n and name not in idle},
            "marked": {
                rule.name: sifted.counts[rule.name]
                for rule in RULES
                if rule.marks and sifted.counts[rule.name]
            },
            "blank": {role.value: n for role, n in solution.frame.holes.blank.items()},
            "impossible": {role.value: n for role, n in solution.frame.holes.impossible.items()},
        },
        "delay": {
            "cycles": _plain(delay.cycles),
            "cycles_se": _plain(solution.delay.cycles_se),
            "exhaust_volume_l": _plain(solution.frame.vehicle.exhaust_volume_l if volume is None else volume),
            "exhaust_volume_se_l": _plain(solution.delay.volume_se_l),
            "sensor_s": _plain(delay.sensor_s),
            "sensor_se_s": _plain(solution.delay.sensor_se_s),
            "total_se_s": _plain(solution.delay.total_se_s),
            "estimated": solution.delay.estimated,
            "moments": solution.delay.moments,
            "note": solution.delay.note,
        },
        "wall_film": {
            "x": _plain(estimate.wall_x),
            "x_se": _plain(estimate.wall_x_se),
            "tau_s": _plain(solution.film.tau_s),
            "tau_se_s": _plain(solution.film.tau_se_s),
            "events": solution.film.events,
        },
        "warm_up": _warm_up(estimate),
        "shared": {
            c.term.value: {"value": _plain(c.value), "std_error": _plain(c.std_error)}
            for c in estimate.shared
        },
        "residual": {
            "rms_pct": _plain(solution.residual.rms),
            "trim_rms_pct": _plain(solution.residual.trim_rms),
            "cells": solution.residual.cells,
        },
        "logs": [_public(share) for share in solution.logs],
        "inferred": [_public(thing) for thing in solution.inferred],
        "settings": {"changed": dict(sifted.settings.changes), "disabled": sorted(sifted.settings.disabled)},
        "findings": [
            {
                "id": f.id,
                "severity": f.severity,
                "first_time_s": f.first_time_s,
                "seconds": f.seconds,
                "message": f.message,
            }
            for f in (*shortfalls(estimate, proposal), *solution.findings)
        ],
    }


def _cells(solution: Solution, proposal: Proposal) -> list[dict[str, Any]]:
    estimate = solution.estimate
    out = []
    for place in np.ndindex(estimate.table.shape):
        status = Status(str(proposal.status[place]))
        cell: dict[str, Any] = {
            _axis_key(a.unit): float(a.points[i]) for a, i in zip(estimate.table.axes, place, strict=True)
        }
        cell |= {
            "before": float(estimate.table.values[place]),
            "after": float(proposal.table.values[place]),
            "correction_pct": _plain(float(estimate.correction_pct[place])),
            "step_pct": _plain(float(proposal.step_pct[place])),
            "std_error_pct": _plain(float(estimate.std_error_pct[place])),
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


def _axis_key(unit: str) -> str:
    return {"kPa": "map_kpa", "rpm": "rpm", "Hz": "maf_hz", "V": "maf_v"}.get(unit, unit)


def _plain(value: float | np.floating) -> float | None:
    return round(float(value), 4) if math.isfinite(value) else None


def write_round(solution: Solution, proposal: Proposal, path: Path) -> None:
    """Write ``round_dict`` as JSON.

    Parameters
    ----------
    solution : of one round.
    proposal : what would be written.
    path : replaced if it exists.
    """
    path.write_text(
        json.dumps(round_dict(solution, proposal), indent=1, ensure_ascii=False, allow_nan=False),
        encoding="utf-8",
    )
