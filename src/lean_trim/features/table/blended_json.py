"""round.json of an ECU with several airflow tables: every cell names its table."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.pipeline.summary import Summary
from lean_trim.formats.round_json import axis_key, round_dict
from lean_trim.formats.whole_files import write_whole

OF_ONE_TABLE = ("samples", "delay", "wall_film", "warm_up", "shared", "residual", "logs")
"""What is told of each table apart."""


@dataclass(frozen=True)
class TableRound:
    """What became of one of several tables: solved and proposed, or left whole and why."""

    vehicle: Vehicle
    summary: Summary | None
    proposal: Proposal | None
    why: str = ""


def blended_dict(rounds: Sequence[TableRound]) -> dict[str, Any]:
    """All tables as plain values.

    Parameters
    ----------
    rounds : what became of each table, in the order of work; one was solved at least.

    Returns
    -------
    As docs/formats.md describes it: what speaks of the drive as for one table, by the first that was
    solved; ``cells`` of all, each with its ``table``; ``airflow_tables`` with what speaks of one.
    """
    told = {r.vehicle.table_name: _told(r) for r in rounds}
    first = next(r for r in rounds if r.summary is not None)
    out = dict(told[first.vehicle.table_name])
    # As the sheet says: several VE tables are one airflow source.
    out["airflow"] = "ve" if first.vehicle.layers else "blended"
    out["cells"] = [{"table": name, **cell} for name, one in told.items() for cell in one["cells"]]
    out["airflow_tables"] = {
        name: {key: one[key] for key in (*OF_ONE_TABLE, "why") if key in one}
        for name, one in told.items()
    }
    findings: dict[tuple[str, str], dict[str, Any]] = {}
    for one in told.values():
        for finding in one.get("findings", ()):
            findings.setdefault((finding["id"], finding["message"]), finding)
    out["findings"] = list(findings.values())
    return out


def _told(one: TableRound) -> dict[str, Any]:
    if one.summary is not None and one.proposal is not None:
        return round_dict(one.summary, one.proposal)
    return {"cells": _kept(one), "why": one.why}


def _kept(one: TableRound) -> list[dict[str, Any]]:
    """Cells of a table nothing was learned of."""
    table = one.vehicle.table
    nothing = dict.fromkeys(("correction_pct", "std_error_pct", "own_error_pct"))
    return [
        {axis_key(a.unit): float(a.points[i]) for a, i in zip(table.axes, place, strict=True)}
        | {"before": float(table.shown[place]), "after": float(table.shown[place]), "step_pct": 0.0}
        | nothing
        | {"seconds": 0.0, "visits": 0, "status": "kept", "limited_by": "other_table_in_force"}
        for place in np.ndindex(table.shape)
    ]


def write_blended_round(rounds: Sequence[TableRound], path: Path) -> None:
    """Write ``blended_dict`` as JSON.

    Parameters
    ----------
    rounds : what became of each table.
    path : replaced if it exists.
    """
    told = blended_dict(rounds)
    write_whole(path, json.dumps(told, indent=1, ensure_ascii=False, allow_nan=False))
