"""plan.json: the next drive, state by state, and what is expected of every cell after it."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.planning.choosing import HEAVY
from lean_trim.core.planning.full_throttle import full_throttle_lines
from lean_trim.core.planning.plan import Held, Plan
from lean_trim.formats.round_json import axis_key
from lean_trim.formats.whole_files import write_whole

LEAST_SHARE = 0.1
"""Part a cell has in what the ECU reads at a state from which the state tells of it."""
KNOWN_PCT = 1.0
CAUTION = (
    "Lean at load destroys engines. A plan is an estimate, not a permission: with a second person or on a "
    "dynamometer, on a closed course; the driver never reads a screen."
)


def plan_dict(
    plan: Plan, table: Table, card: Sequence[str], questions: Sequence[str] = ()
) -> dict[str, Any]:
    """A plan as plain values.

    Parameters
    ----------
    plan : of the next drive.
    table : that will be driven.
    card : the plan in words.
    questions : what separates causes that are open.

    Returns
    -------
    As docs/formats.md describes it.
    """
    cells = _cells(plan, table)
    states = [_state(plan, h, table) for h in plan.held]
    return {
        "where": plan.where,
        "minutes": plan.seconds / 60.0,
        "plan": states,
        "expected_rms_pct": {"before": plan.rms_before_pct, "after": plan.rms_after_pct},
        "expected_std_error_pct": float(np.sqrt(np.mean(plan.error_pct**2)))
        if len(plan.known)
        else None,
        "reachable": cells,
        "not_offered": [
            {
                "rpm": float(plan.known.rpm[i]),
                "map_kpa": float(plan.known.map_kpa[i]),
                "lean_edge_pct": float(plan.known.lean_edge_pct[i]),
            }
            for i in np.flatnonzero(plan.not_yet)
        ],
        "card": list(card),
        "to_separate": list(questions),
        "full_throttle": list(full_throttle_lines(plan, plan.ratios)),
        "caution": CAUTION,
    }


def _state(plan: Plan, held: Held, table: Table) -> dict[str, Any]:
    at = tuple(a[held.state : held.state + 1] for a in plan.known.at)
    mesh = table.interpolate(*at)
    read = mesh.cells[0][mesh.weights[0] >= LEAST_SHARE]
    return {
        "rpm": held.rpm,
        "map_kpa": held.map_kpa,
        "gear": held.gear or None,
        "speed_kmh": _number(held.speed_kmh),
        "grade_pct": _number(100.0 * held.grade),
        "seconds": held.seconds,
        "cells": [_place(table, int(cell)) for cell in read],
        "std_error_pct": {"before": held.before_pct, "after": held.after_pct},
        "why": _why(plan, held),
        "how": _how(plan, held),
    }


def _why(plan: Plan, held: Held) -> str:
    seconds = float(plan.known.seconds[held.state])
    driven = "nobody drove near it" if seconds < 0.5 else f"{seconds:.0f} s near it so far"
    heavy = plan.known.map_kpa[held.state] >= HEAVY * plan.baro_kpa
    what = "; it proves what lies above it" if heavy else ""
    return f"{driven}: ±{held.before_pct:.1f} % now, ±{held.after_pct:.1f} % after{what}"


def _how(plan: Plan, held: Held) -> str:
    gear = f"gear {held.gear}, " if held.gear else ""
    speed = f"{held.speed_kmh:.0f} km/h, " if np.isfinite(held.speed_kmh) else ""
    if plan.where == "road":
        return f"{gear}{speed}{100.0 * held.grade:+.1f} % grade, held at {held.map_kpa:.0f} kPa"
    return f"{gear}{speed}brake at {held.rpm:.0f} rpm, throttle to {held.map_kpa:.0f} kPa"


def _number(value: float) -> float | None:
    return float(value) if np.isfinite(value) else None


def _place(table: Table, cell: int) -> dict[str, float]:
    places = np.unravel_index(cell, table.shape)
    return {
        axis_key(axis.unit): float(axis.points[i])
        for axis, i in zip(table.axes, places, strict=True)
    }


def _cells(plan: Plan, table: Table) -> list[dict[str, Any]]:
    """Every cell: whether a state reaches it, and the error expected there after the drive."""
    weight = np.zeros(table.size)
    error = np.zeros(table.size)
    if len(plan.known):
        mesh = table.interpolate(*plan.known.at)
        np.add.at(weight, mesh.cells.ravel(), mesh.weights.ravel())
        spread = np.repeat(plan.error_pct, mesh.cells.shape[1])
        np.add.at(error, mesh.cells.ravel(), mesh.weights.ravel() * spread)
    reached = weight > LEAST_SHARE
    return [
        _place(table, cell)
        | {
            "reachable": bool(reached[cell]),
            "expected_std_error_pct": float(error[cell] / weight[cell]) if reached[cell] else None,
        }
        for cell in range(table.size)
    ]


def plan_text(plan: Plan, table: Table, card: Sequence[str], questions: Sequence[str] = ()) -> str:
    """``plan_dict`` as JSON.

    Returns the text of a plan.json.
    """
    told = plan_dict(plan, table, card, questions)
    return json.dumps(told, indent=1, ensure_ascii=False, allow_nan=False)


def write_plan(
    plan: Plan, table: Table, card: Sequence[str], path: Path, questions: Sequence[str] = ()
) -> None:
    """Write a plan.json.

    Parameters
    ----------
    plan, table, card, questions : as for ``plan_dict``.
    path : replaced if it exists.
    """
    write_whole(path, plan_text(plan, table, card, questions))
