"""Round after round on narrowband cars whose table is a quarter short of fuel: trims stand at their stop."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from campaigns.runner import Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import solve
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import FleetCar, random_car

COUNT = 10
ROUNDS = 3
MINUTES = 14.0
FIRST_SEED = 200
LEAN = 1.35
"""Fuel the engine needs over what the table gives."""
PART_KPA = 85.0
DRIVEN_S = 1.0
MOST_AFTER_ONE = 14.0
MOST_AFTER_THREE = 3.0
"""Percent lean that may be left at part throttle where it was driven."""


def narrowband_car(number: int) -> FleetCar:
    """One of the random cars with a VE table and a narrowband loop, by its number."""
    seeds = range(FIRST_SEED, FIRST_SEED + 50 * (COUNT + number))
    cars = (random_car(seed) for seed in seeds)
    found = (c for c in cars if c.vehicle.feedback == "narrowband" and c.vehicle.airflow == "ve")
    return next(c for i, c in enumerate(found) if i == number)


def without_wideband(log: Log) -> Log:
    """The log of a car that has nothing but its narrowband sensor."""
    return replace(log, channels={r: v for r, v in log.channels.items() if r is not Role.LAMBDA})


def _prepare(folder: Path) -> object:
    return None


def _trial(folder: Path, seed: int) -> Trial:
    car = narrowband_car(seed)
    table = car.vehicle.table
    best = car.best.reshape(table.shape)
    part = np.broadcast_to(table.axes[0].points[:, None] < PART_KPA, table.shape)
    vehicle = car.vehicle.with_table(table.with_values(np.round(best / LEAN, 2)))
    driven = np.zeros(table.shape, bool)
    left: list[float] = []
    for number in range(ROUNDS):
        log = without_wideband(simulate(vehicle, 10 * seed + number, MINUTES, truth=car.truth))
        solution = solve([log], vehicle)
        # What no round drove yet cannot be right; it is judged from the round on that drives it.
        driven |= part & (solution.estimate.seconds >= DRIVEN_S)
        proposal = propose_for(summary_of(solution), PolicySettings())
        vehicle = vehicle.with_table(proposal.table)
        error_pct = 100.0 * (vehicle.table.values / best - 1.0)
        left.append(round(float(-error_pct[driven].min()), 2))
    return {"left": left}


def _table(results: Sequence[Trial]) -> list[str]:
    left = np.array([r["left"] for r in results])
    lines = [
        f"Tables that give 1/{LEAN:g} of the fuel, a loop that holds lambda 1 and has no wideband. Percent "
        f"that the leanest cell below {PART_KPA:g} kPa is left lean, of the cells driven for a second, "
        "after each round. At most "
        f"{MOST_AFTER_ONE:g} after one and {MOST_AFTER_THREE:g} after {ROUNDS} are wanted.",
        "",
        "| | " + " | ".join(f"round {n + 1}" for n in range(ROUNDS)) + " |",
        "|---|" + "---|" * ROUNDS,
    ]
    for name, values in (("median", np.median(left, axis=0)), ("worst", left.max(axis=0))):
        lines.append(f"| {name} | " + " | ".join(f"{v:.1f}" for v in values) + " |")
    return lines


def _failed(results: Sequence[Trial]) -> list[Trial]:
    most = np.array([MOST_AFTER_ONE, np.inf, MOST_AFTER_THREE])
    return [r for r in results if (np.array(r["left"]) > most).any()]


CAMPAIGN = Campaign(
    title="Three rounds on a table far too lean",
    count=COUNT,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)
