"""Does enrichment at half of what is needed come right in two rounds, whatever the ECU reads it by?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from campaigns.runner import Campaign, Trial
from lean_trim.core.data.fuel_corrections import (
    ENRICHMENT,
    SPEED,
    THROTTLE_RATE,
    WALL_SHARE,
    WALL_TIME,
    correction_table,
    curve_of,
)
from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline.solve import solve
from lean_trim.core.pipeline.transients import TransientReport, table_to_write, transients_of
from lean_trim.core.transients.errors import GRID
from lean_trim.core.transients.events import Kind
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron, heron_with_corrections
from lean_trim.simcar.truth import Truth, truth_for

MINUTES = 12.0
DRIVES = 3
SOON = (GRID >= 0.0) & (GRID <= 1.5)
LEANED = (Kind.TIP_IN, Kind.STAB, Kind.AFTER_CUT)
THICK_X = 0.32
THICK_TAU_S = 0.5
WAYS = ("MAP rate", "throttle rate", "MAP rate and engine speed", "wall film")
"""What the ECU reads enrichment by; the last one makes up for its film, and knows next to none."""
FILMS = ("as it is", "half as thick again")


def _prepare(folder: Path) -> object:
    return None


def _tables(way: str) -> dict[str, Table]:
    tables = dict(heron_with_corrections().corrections)
    if way == "throttle rate":
        tables[ENRICHMENT] = curve_of(
            ENRICHMENT, [0, 30, 80, 160, 300, 600], [0, 0, 6, 9, 14, 17], THROTTLE_RATE
        )
    if way == "MAP rate and engine speed":
        curve = tables[ENRICHMENT]
        speeds = Axis(SPEED, "rpm", np.array([800.0, 2000.0, 3500.0, 6000.0]))
        cells = np.repeat(curve.shown[:, None], len(speeds), axis=1)
        tables[ENRICHMENT] = correction_table(ENRICHMENT, (curve.axes[0], speeds), cells)
    if way == "wall film":
        share = curve_of(WALL_SHARE, [20, 60, 100, 200], [8, 8, 8, 8])
        return {WALL_SHARE: share, WALL_TIME: curve_of(WALL_TIME, [0, 40, 80], [0.6, 0.4, 0.2])}
    return tables


def _leanest(report: TransientReport) -> tuple[float, float]:
    """Largest lean peak of the mean of a kind, and of a single change."""
    mine = [c.of for c in report.changes if c.of.key.kind in LEANED]
    mean = max(float(np.nanmax(one.mean_pct[SOON])) for one in mine)
    return mean, max(m.lean_pct for one in mine for m in one.events)


def _trial(folder: Path, seed: int) -> Trial:
    way = WAYS[seed % len(WAYS)]
    film = seed // len(WAYS)
    vehicle: Vehicle = replace(heron(), corrections=_tables(way))
    truth: Truth = truth_for(vehicle)
    if film:
        truth = replace(truth, wall_x=THICK_X, wall_tau_s=THICK_TAU_S)
    result: Trial = {"seed": seed, "way": way, "film": FILMS[film]}
    for number in range(1, DRIVES + 1):
        report = transients_of(
            solve([simulate(vehicle, 20 * seed + number, MINUTES, truth)], vehicle)
        )
        mean, single = _leanest(report)
        result |= {f"mean_{number}": round(mean, 2), f"single_{number}": round(single, 2)}
        asked = {
            name: table_to_write(report, name, vehicle.corrections).table
            for name in vehicle.corrections
        }
        better = {name: table or vehicle.corrections[name] for name, table in asked.items()}
        vehicle = replace(vehicle, corrections=better)
    return result


def _table(results: Sequence[Trial]) -> list[str]:
    lines = [
        f"*Heron* on tables that enrich by half of what it needs and fade too soon, {MINUTES:g} "
        "min a drive, its film as it is and half as thick again. Largest lean peak of the mean of "
        "a kind, and in brackets of a single change, percent.",
        "",
        "| enrichment by | film | as it was | after one round | after two |",
        "|---|---|---|---|---|",
    ]
    for r in results:
        peaks = (f"{r[f'mean_{n}']:.1f} ({r[f'single_{n}']:.1f})" for n in range(1, DRIVES + 1))
        lines.append(f"| {r['way']} | {r['film']} | {' | '.join(peaks)} |")
    return lines


def _failed(results: Sequence[Trial]) -> list[Trial]:
    """Cars two rounds do not bring below half of what they began with."""
    return [r for r in results if "failed" in r or r[f"mean_{DRIVES}"] > 0.5 * r["mean_1"]]


CAMPAIGN = Campaign(
    title="Enrichment in rounds",
    count=len(WAYS) * len(FILMS),
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
    section="enrichment",
)
