"""Random injector swaps with known truth: are flow and dead time found, and are their errors honest?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from campaigns.runner import Campaign, Trial
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline.injectors import identify_injectors
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import random_car
from lean_trim.simcar.fleet.dress import dressed

MINUTES = 20.0
FLOW_SPREAD = 0.10
DEAD_SPREAD_MS = 0.10
SHAPE = 0.5
"""Of the trust, how far a table drawn from it bends beside its mean error."""
LENGTH = 0.35
CELL_SCATTER = 0.002
TRUSTS = (1.0, 3.0, 3.0, 5.0)
"""Words about the table, by seed in turn, percent."""


def swap(seed: int) -> tuple[Vehicle, Log, dict[str, float]]:
    """A car whose injectors were changed: its sheet, a drive, and the truth."""
    car = random_car(seed)
    rng = np.random.default_rng([seed, 12])
    trust = TRUSTS[seed % len(TRUSTS)]
    error = _table_error(car.vehicle.table, trust / 100.0, rng)
    values = np.round(np.asarray(car.best).reshape(car.vehicle.table.shape) * (1.0 + error), 2)
    if len(car.vehicle.table.axes) == 1:
        values = np.maximum.accumulate(values)
    flow = float(np.exp(rng.normal(0.0, FLOW_SPREAD)))
    dead = float(rng.normal(0.0, DEAD_SPREAD_MS))
    truth = replace(car.truth, flow_scale=flow, dead_time_shift_ms=dead)
    vehicle = replace(car.vehicle, table=car.vehicle.table.with_values(values))
    faults = replace(car.faults, pump_sag_pct=0.0)
    drive = simulate(vehicle, seed, MINUTES, truth=truth, faults=faults, log_hz=car.dress.log_hz)
    log = dressed(drive, car.dress, seed)
    return (
        vehicle,
        log,
        {"flow": flow, "dead": dead, "trust": trust, "level": float(np.mean(error))},
    )


def _table_error(table: Table, trust: float, rng: np.random.Generator) -> np.ndarray:
    """Relative error of a table that is good to so much: a level, a bend, and the scatter of cells."""
    at = np.meshgrid(*[np.linspace(0.0, 1.0, len(a)) for a in table.axes], indexing="ij")
    flat = [x.ravel() for x in at]
    apart = sum((x[:, None] - x[None, :]) ** 2 for x in flat)
    near = np.exp(-0.5 * apart / LENGTH**2) + 1e-9 * np.eye(table.size)
    bend = np.linalg.cholesky(near) @ rng.standard_normal(table.size)
    cells = CELL_SCATTER * rng.standard_normal(table.size)
    return np.asarray((rng.normal(0.0, trust) + SHAPE * trust * bend + cells).reshape(table.shape))


def _prepare(folder: Path) -> object:
    return None


def _trial(folder: Path, seed: int) -> Trial:
    vehicle, log, truth = swap(seed)
    result: Trial = {"seed": seed, "kind": vehicle.airflow, "feedback": vehicle.feedback, **truth}
    try:
        found = identify_injectors([log], vehicle, truth["trust"]).split
    except Exception as error:
        return {**result, "failed": f"{type(error).__name__}: {error}"}
    return {
        **result,
        "found_flow": found.flow_scale,
        "flow_se": found.flow_se,
        "found_dead": found.dead_ms,
        "dead_se": found.dead_se_ms,
        "shape": found.shape,
        "holds": bool(found.word_holds),
        "z_flow": (found.flow_scale - truth["flow"]) / found.flow_se,
        "z_dead": (found.dead_ms - truth["dead"]) / found.dead_se_ms,
    }


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if "failed" in r]


def _table(results: Sequence[Trial]) -> list[str]:
    good = [r for r in results if "failed" not in r]
    lines = [
        "| trust, % | swaps | flow within 2σ | flow off, % rms | σ | dead time within 2σ | off, "
        "ms rms | σ |",
        "|---|---|---|---|---|---|---|---|",
    ]
    for trust in (*sorted(set(TRUSTS)), None):
        some = [r for r in good if trust is None or r["trust"] == trust]
        if not some:
            continue
        flow = np.array([r["z_flow"] for r in some])
        dead = np.array([r["z_dead"] for r in some])
        off = 100.0 * np.array([r["found_flow"] / r["flow"] - 1.0 for r in some])
        ms = np.array([r["found_dead"] - r["dead"] for r in some])
        lines.append(
            f"| {'all' if trust is None else f'{trust:g}'} | {len(some)} | "
            f"{int((abs(flow) < 2).sum())} | {np.sqrt(np.mean(off**2)):.1f} | "
            f"{100 * np.median([r['flow_se'] for r in some]):.1f} | {int((abs(dead) < 2).sum())} "
            f"| {np.sqrt(np.mean(ms**2)):.3f} | {np.median([r['dead_se'] for r in some]):.3f} |"
        )
    return lines


CAMPAIGN = Campaign(
    title="Injector swaps: flow, dead time and airflow told apart",
    count=60,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)
