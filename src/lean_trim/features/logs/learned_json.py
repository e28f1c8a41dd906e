"""What a learned map says of a table, as JSON for other people's scripts."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.learned.advice import advise, remarks
from lean_trim.core.learned.correction import LearnedCorrection
from lean_trim.core.learned.reading import CellState, LearnedReading
from lean_trim.formats.whole_files import write_whole

STATE_NAMES = {
    CellState.UNVISITED: "unvisited",
    CellState.LEARNED: "learned",
    CellState.SPREAD: "spread",
    CellState.FLARE: "flare",
}


def learned_dict(
    reading: LearnedReading, found: LearnedCorrection, before: Table, after: Table
) -> dict[str, Any]:
    """Cells of the map and of the table, advice and remarks as plain values.

    Parameters
    ----------
    reading : the map as understood.
    found : what it says of the table.
    before, after : the table as it was, and as it would be written.

    Returns
    -------
    As docs/formats.md describes it.
    """
    return {
        "format": "lean-trim learned 1",
        "rich_bias_pct": reading.bias_pct,
        "scatter_pct": _plain(reading.scatter_pct),
        "swings": reading.swings,
        "stop_pct": _plain(reading.stop_pct) if reading.stop_pct else None,
        "map": [
            _at(reading.table.axes, place)
            | {
                "trim_pct": _plain(float(reading.trim_pct[place])),
                "state": STATE_NAMES[CellState(int(reading.state[place]))],
            }
            for place in np.ndindex(reading.table.shape)
        ],
        "cells": [
            _at(before.axes, place)
            | {
                "before": float(before.shown[place]),
                "after": float(after.shown[place]),
                "asked_pct": _plain(float(found.asked_pct[place])),
                "std_error_pct": _plain(float(found.error_pct[place])),
                "status": _status(found, place),
            }
            for place in np.ndindex(before.shape)
        ],
        "advice": [
            {
                "region": str(one.region),
                "learned": one.learned,
                "scatter_pct": _plain(one.scatter_pct),
                "lock": one.lock,
                "message": str(one.said),
            }
            for one in advise(reading)
        ],
        "remarks": [str(said) for said in remarks(reading)],
    }


def _status(found: LearnedCorrection, place: tuple[int, ...]) -> str:
    if found.held[place]:
        return "held"
    return "corrected" if found.by_map[place] else "kept"


def _at(axes: tuple[Axis, ...], place: tuple[int, ...]) -> dict[str, float]:
    names = {"kPa": "map_kpa", "rpm": "rpm"}
    return {names.get(a.unit, a.unit): float(a.points[i]) for a, i in zip(axes, place, strict=True)}


def _plain(value: float) -> float | None:
    return round(float(value), 4) if math.isfinite(value) else None


def write_learned(told: dict[str, Any], path: Path) -> None:
    """Write it whole.

    Parameters
    ----------
    told : by ``learned_dict``.
    path : replaced if it exists.
    """
    write_whole(path, json.dumps(told, indent=1, ensure_ascii=False, allow_nan=False))
