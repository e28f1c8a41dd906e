"""What is a learned map worth by itself: ECUs with other grids, that learn fast or slowly, and spread it?"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from campaigns.runner import Campaign, Trial
from lean_trim.core.data.table_kinds import Holds, Rows, airflow_grid, rows_of
from lean_trim.core.data.tables import Table
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.learned.correction import correct_by, never_leaner
from lean_trim.core.learned.reading import CellState, read_learned
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import FleetCar, random_car
from lean_trim.simcar.self_learning import LearnedTrims, LearningEcu, learn_along
from lean_trim.simcar.truth import Truth

COUNT = 60
FIRST_CAR = 140_000
MINUTES = 40.0
LEARNED = 2.0
"""Time constants of learning from which a cell has learned (1 - 1/e² = 86 % of what there was)."""
TOUCHED_S = 0.2
SPEEDS = (0.05, 0.1, 0.3, 1.0)
SPREADS = ((0.0, 1), (0.3, 1), (0.5, 2), (0.6, 3))
NOISE_PCT = 2.0
"""Below that a map says no more: what its own cells scatter by."""
WORST_RATIO = 0.5
"""Half of the error has to be out where it learned."""


def _car(seed: int) -> FleetCar:
    start = FIRST_CAR + 100 * seed
    return next(
        c
        for c in map(random_car, range(start, start + 100))
        if c.vehicle.airflow == "ve"
        and c.vehicle.feedback != "none"
        and rows_of(c.vehicle.table) is Rows.MAP
    )


def ecu_for(seed: int, redline_rpm: float, top_kpa: float) -> LearningEcu:
    """An ECU whose grid, speed, spreading, locks, bias and flares follow from a seed."""
    rng = np.random.default_rng([seed, 3])
    rpm = 500.0 + (redline_rpm - 500.0) * np.linspace(0.0, 1.0, int(rng.integers(8, 17))) ** 1.2
    rows = np.linspace(20.0, top_kpa, int(rng.integers(8, 15)))
    spread, reach = SPREADS[seed % len(SPREADS)]
    return LearningEcu(
        rpm=tuple(np.round(rpm).tolist()),
        map_kpa=tuple(np.round(rows).tolist()),
        speed_per_s=SPEEDS[(seed // len(SPREADS)) % len(SPEEDS)],
        spread=spread,
        reach=reach,
        locked_from_kpa=float(rng.choice([85.0, 95.0, np.inf])),
        locked_below_rpm=float(rng.choice([0.0, 1200.0])),
        rich_bias_pct=float(rng.choice([0.0, 2.0])),
        flares_s=tuple(rng.uniform(200.0, 2200.0, int(rng.integers(0, 3))).tolist()),
    )


def grid_of(learned: LearnedTrims, cells: np.ndarray) -> Table:
    """Numbers over the grid of an ECU, as a table of trims."""
    return airflow_grid(learned.ecu.rpm, learned.ecu.map_kpa, cells, holds=Holds.FUEL_TRIM)


def where(learned: LearnedTrims, table: Table, cells: np.ndarray) -> np.ndarray:
    """Nodes of a table half a step from such cells of the ECU's grid, or nearer."""
    rows, columns = np.meshgrid(*(a.points for a in table.axes), indexing="ij")
    marked = grid_of(learned, np.where(cells, 1.0, 0.0))
    share = marked.lookup(rows.ravel(), columns.ravel()).reshape(table.shape) - 100.0
    half = [np.diff(a.points)[-1] / 2.0 for a in marked.axes]
    inside = (rows <= marked.axes[0].points[-1] + half[0]) & (
        columns <= marked.axes[1].points[-1] + half[1]
    )
    return np.asarray((share >= 0.5 + 1e-9) & inside)


def error_pct(truth: Truth, table: Table) -> np.ndarray:
    """How far each node is off, percent; above 0 is lean."""
    rows, columns = np.meshgrid(*(a.points for a in table.axes), indexing="ij")
    true = truth.ve_surface(columns.ravel(), rows.ravel()).reshape(table.shape)
    return np.asarray(100.0 * (true / table.values - 1.0))


def rms(values: np.ndarray) -> float:
    """Root of the mean square; NaN of none."""
    return float(np.sqrt(np.mean(values**2))) if values.size else float("nan")


def judged(learned: LearnedTrims, table: Table, truth: Truth) -> Trial:
    """What a learned map alone makes of a table, against the truth."""
    reading = read_learned(grid_of(learned, learned.trim_pct), learned.ecu.rich_bias_pct)
    found = correct_by(reading, table)
    before = error_pct(truth, table)
    after = error_pct(truth, table.with_values(table.values * (1.0 + found.step_pct / 100.0)))
    # What must not be taken out of a high row cannot be.
    may = ~(never_leaner(table) & (before < 0.0))
    at = where(learned, table, learned.seconds * learned.ecu.speed_per_s >= LEARNED) & may
    elsewhere = ~where(learned, table, learned.seconds > TOUCHED_S) & (found.step_pct != 0.0)
    leaned_high = never_leaner(table) & (found.step_pct < 0.0)
    return {
        "nodes": int(at.sum()),
        "before": round(rms(before[at]), 3),
        "after": round(rms(after[at]), 3),
        "elsewhere": int(elsewhere.sum()),
        "elsewhere_before": round(rms(before[elsewhere]), 3),
        "elsewhere_after": round(rms(after[elsewhere]), 3),
        "leaned_high": int(leaned_high.sum()),
        "spread": reading.count(CellState.SPREAD),
        "flares": reading.count(CellState.FLARE),
        "swings": reading.swings,
    }


def _prepare(folder: Path) -> object:
    return None


def _trial(folder: Path, seed: int) -> Trial:
    car = _car(seed)
    table = car.vehicle.table
    ecu = ecu_for(seed, car.truth.redline_rpm, float(table.axes[0].points[-1]))
    result: Trial = {"seed": seed, "speed": ecu.speed_per_s, "ecu_spread": ecu.spread}
    log = simulate(car.vehicle, seed, MINUTES, car.truth)
    try:
        return {**result, **judged(learn_along(log, ecu), table, car.truth)}
    except LeanTrimError as error:
        return {**result, "failed": f"{type(error).__name__}: {error}"}


def _pooled(results: Sequence[Trial], part: str) -> tuple[float, float]:
    """Error before and after over all nodes of all trials."""
    counts = np.array([r["nodes" if part == "" else "elsewhere"] for r in results], float)
    before, after = (
        np.array([r[f"{part}{when}"] for r in results], float) for when in ("before", "after")
    )
    there = counts > 0
    if not there.any():
        return float("nan"), float("nan")
    weights = counts[there] / counts[there].sum()
    return (
        float(np.sqrt(weights @ before[there] ** 2)),
        float(np.sqrt(weights @ after[there] ** 2)),
    )


def _line(name: str, results: Sequence[Trial]) -> str:
    before, after = _pooled(results, "")
    nodes = sum(r["nodes"] for r in results)
    elsewhere = sum(r["elsewhere"] for r in results)
    there, then = _pooled(results, "elsewhere_")
    beside = f"{elsewhere} ({there:.2f} → {then:.2f} %)" if elsewhere else "0"
    return (
        f"| {name} | {len(results)} | {nodes} | {before:.2f} | {after:.2f} | {after / before:.2f} "
        f"| {beside} | {sum(r['leaned_high'] for r in results)} |"
    )


def _table(results: Sequence[Trial]) -> list[str]:
    known = [r for r in results if "failed" not in r and r["nodes"] > 0]
    lines = [
        f"{len(results)} random speed-density cars, {MINUTES:g} min each on an ECU that learns trims "
        "over a grid of its own (8 to 16 × 8 to 14 cells), with or without locked regions, a rich "
        "bias that is told, and flares. Learned: cells with two time constants of learning or more. "
        "Errors of the airflow table, percent rms over its nodes, before and after the map alone "
        "was taken.",
        "",
        "| ECU | trials | nodes | before | after | ratio | changed elsewhere | leaned above 80 kPa |",
        "|---|---:|---:|---:|---:|---:|---:|---:|",
    ]
    for spread, reach in SPREADS:
        some = [r for r in known if r["ecu_spread"] == spread]
        name = f"spreads {spread:g}, {reach} cells" if spread else "does not spread"
        lines += [_line(name, some)] if some else []
    for speed in SPEEDS:
        some = [r for r in known if r["speed"] == speed]
        lines += [_line(f"learns {100 * speed:g} %/s", some)] if some else []
    lines.append(_line("all", known))
    return lines


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [
        r
        for r in results
        if "failed" in r
        or r["leaned_high"]
        or (r["nodes"] >= 10 and r["after"] > max(WORST_RATIO * r["before"], NOISE_PCT))
    ]


CAMPAIGN = Campaign("Learned maps", COUNT, _prepare, _trial, _table, _failed, section="learned")
