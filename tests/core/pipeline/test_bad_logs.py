"""Whatever a log holds, a solve ends with a finite table or with a sentence that says what is wrong."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import AirflowSourceSettings, Vehicle
from lean_trim.core.decision.driving_shares import driving_seconds
from lean_trim.core.decision.proposal import PolicySettings, propose
from lean_trim.core.errors import LeanTrimError, LogError
from lean_trim.core.explore.alignment import align_moments
from lean_trim.core.pipeline.factors import table_factor
from lean_trim.core.pipeline.solve import DrivenLog, Solution, SolveSettings, refit, solve
from lean_trim.core.pipeline.summary import restraints_of
from lean_trim.core.sieve.sieve import RULES, SieveSettings
from tests.builders import maf_vehicle, small_vehicle, steady_states, with_channel

BASE = steady_states(1.05, seconds=2.5, noise=0.004)


def spoiled(rng: np.random.Generator) -> Log:
    """The steady drive with channels missing, empty, wild, zero or turned round, and odd times."""
    n = int(rng.choice([2, 20, 600, len(BASE), len(BASE)]))
    channels = {r: v[:n].copy() for r, v in BASE.channels.items()}
    channels[Role.MAF_HZ] = 1000.0 + 6000.0 * rng.random(n)
    damage = (
        lambda x: np.full(n, np.nan),
        lambda x: np.where(rng.random(n) < 0.3, np.nan, x),
        lambda x: np.where(rng.random(n) < 0.01, 1e9, x),
        lambda x: np.zeros(n),
        lambda x: -x,
        lambda x: np.where(rng.random(n) < 0.05, np.inf, x),
    )
    for role in list(channels):
        if (chance := rng.random()) < 0.04:
            del channels[role]
        elif chance < 0.16:
            channels[role] = damage[rng.integers(len(damage))](channels[role])
    if rng.random() < 0.3:
        channels[Role.AIRFLOW_SOURCE] = np.round(rng.random(n))
    time = BASE.time_s[:n]
    if rng.random() < 0.2:
        time = np.cumsum(rng.exponential(0.05, n))
    elif rng.random() < 0.1:
        time = np.repeat(time[::2], 2)[:n]
    return Log(time, channels)


def odd_vehicle(rng: np.random.Generator) -> Vehicle:
    vehicle = small_vehicle() if rng.random() < 0.6 else maf_vehicle()
    kind = ("auto", "auto", "rule", "table", "flag")[rng.integers(5)]
    feedback = ("wideband", "narrowband", "none")[rng.integers(3)]
    vehicle = replace(
        vehicle, feedback=feedback, airflow_source=AirflowSourceSettings(kind, 2000.0, 50.0)
    )  # type: ignore[arg-type]
    return replace(vehicle, target=None) if rng.random() < 0.3 else vehicle


def whole_way(rng: np.random.Generator) -> tuple[Solution, np.ndarray]:
    """Solve, solve again with a knob turned, and propose."""
    log = spoiled(rng)
    vehicle = odd_vehicle(rng)
    off = frozenset(r.name for r in RULES if rng.random() < 0.4)
    method = "surface" if rng.random() < 0.7 else "average"
    settings = SolveSettings(method, sieve=SieveSettings(disabled=off))  # type: ignore[arg-type]
    other = DrivenLog(log, vehicle.table.with_values(vehicle.table.values * 1.1))
    solution = solve([log] if rng.random() < 0.7 else [log, other], vehicle, settings)
    solution = refit(
        solution, replace(settings, sieve=settings.sieve.turned("tip", "after_s", 2.0))
    )
    align_moments(solution.frame, solution.delay, table_factor(solution.frame, solution.estimate))
    policy = PolicySettings(unvisited="taper", extrapolate_end=True)
    shares = driving_seconds(solution.sifted, solution.observations).shares(
        solution.estimate.table.shape
    )
    restraints = restraints_of(solution.sifted, solution.seen.unsettled, solution.observations)
    return solution, propose(
        solution.estimate, policy, vehicle.limits, restraints, shares
    ).table.values


@pytest.mark.filterwarnings("ignore::RuntimeWarning")
@pytest.mark.parametrize("first", range(0, 120, 20))
def test_no_log_breaks_the_solve(first: int) -> None:
    solved = 0
    for seed in range(first, first + 20):
        with suppress(LeanTrimError):
            solution, values = whole_way(np.random.default_rng(seed))
            solved += 1
            assert np.isfinite(values).all()
            assert np.isfinite(solution.observations.k).all()
    assert solved > 0


@pytest.mark.parametrize("method", ["surface", "average"])
def test_too_little_data_is_refused_with_the_reasons_that_took_it(method: str) -> None:
    settings = SolveSettings(method, sieve=SieveSettings({"settling.minutes": 60.0}))  # type: ignore[arg-type]
    with pytest.raises(
        LogError,
        match=r"The sieve left 0 of 5952 samples; at least 20 .* settling after a flash 238 s",
    ):
        solve([BASE], small_vehicle(), settings)


def test_the_three_reasons_that_took_most_are_named() -> None:
    """Of five that took something; a list of all would bury what to do."""
    at = BASE.time_s
    log = with_channel(BASE, Role.DUTY, np.where(at > 100.0, 96.0, 40.0))
    log = with_channel(log, Role.LAMBDA, np.where(at > 60.0, 1.45, BASE[Role.LAMBDA]))
    log = with_channel(log, Role.COOLANT, np.where(at < 90.0, 20.0, 88.0))
    settings = SolveSettings(sieve=SieveSettings({"settling.minutes": 60.0}))
    with pytest.raises(LogError, match="The sieve left 0") as refused:
        solve([log], small_vehicle(), settings)
    reasons = str(refused.value).split("left out for: ")[1].split(". ")[0]
    assert len(reasons.split(", ")) == 3 and reasons.startswith("settling after a flash 238 s, ")
