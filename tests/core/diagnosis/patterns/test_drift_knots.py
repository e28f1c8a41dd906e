"""When a need for fuel moved, and not only by how much."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.patterns.drift import drift_course
from lean_trim.core.diagnosis.patterns.drift_knots import DriftCourse, follow, moving_between
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.core.types import Floats
from lean_trim.simcar.drive import simulate

NOISE = 0.01


def shape(time_s: Floats) -> Floats:
    """Fuel that heats up for five minutes after the first five, and then rests."""
    return np.clip((time_s - 300.0) / 300.0, 0.0, 1.0)


def samples(of: Floats, minutes: float = 20.0) -> tuple[Floats, Floats]:
    rng = np.random.default_rng(5)
    time_s = np.arange(0.0, 60.0 * minutes, 0.5)
    return time_s, of[: len(time_s)] + NOISE * rng.standard_normal(len(time_s))


def followed(
    time_s: Floats, residual: Floats, beside: Floats | None = None, coefficient: float = 0.0
) -> DriftCourse:
    """The course that is read where states come round all along."""
    place = np.random.default_rng(6).integers(0, 12, len(time_s))
    line = drift_course(time_s, ())
    coefficient = coefficient or float(line @ residual / (line @ line))
    none = np.empty((0, len(time_s)))
    weight = np.full(len(time_s), NOISE**-2)
    return follow(
        time_s, (), line, coefficient, residual, weight, place, none if beside is None else beside
    )


def test_a_drift_that_comes_to_rest_is_followed() -> None:
    time_s = np.arange(0.0, 1200.0, 0.5)
    time_s, residual = samples(0.05 * shape(time_s))
    course = followed(time_s, residual)
    true = 0.05 * (shape(time_s) - shape(time_s).mean())
    assert np.abs(course.at(time_s) - true).max() < 0.004
    assert course.at(time_s).mean() == pytest.approx(0.0, abs=1e-9)
    assert course.moved_pct == pytest.approx(5.0, abs=0.5)
    begins, ends = moving_between(course)
    assert begins == pytest.approx(300.0, abs=45.0) and ends == pytest.approx(600.0, abs=45.0)


def test_one_that_goes_on_evenly_stays_a_line() -> None:
    time_s = np.arange(0.0, 1200.0, 0.5)
    time_s, residual = samples(-0.04 * time_s / 1200.0)
    course = followed(time_s, residual)
    line = -0.04 * drift_course(time_s, ())
    assert np.abs(course.at(time_s) - line).max() < 0.002
    assert course.moved_pct == pytest.approx(-4.0, abs=0.3)
    begins, ends = moving_between(course)
    assert begins == pytest.approx(0.0, abs=60.0) and ends == pytest.approx(1200.0, abs=60.0)


def test_what_another_slow_term_can_stand_for_is_no_bend() -> None:
    time_s = np.arange(0.0, 1200.0, 0.5)
    soak = np.exp(-time_s / 150.0)
    time_s, residual = samples(0.04 * time_s / 1200.0 - 0.02 * soak)
    # As both are weighed together, whoever weighs the line knows of the soak.
    course = followed(time_s, residual, soak[None], 0.04)
    ends = course.at(np.array([300.0, 900.0]))
    free = followed(time_s, residual, None, 0.04).at(np.array([0.0]))[0]
    # Seen alone the beginning is 2 % lower; beside a soak it is the line's.
    assert np.diff(ends)[0] == pytest.approx(0.02, abs=0.006)
    assert course.at(np.array([0.0]))[0] > free + 0.008


def test_each_drive_has_a_mean_of_its_own() -> None:
    time_s = np.concatenate([np.arange(0.0, 900.0), np.arange(910.0, 1810.0)])
    line = drift_course(time_s, (905.0,))
    course = follow(
        time_s,
        (905.0,),
        line=line,
        coefficient=0.03,
        residual=0.03 * line,
        weight=np.full(len(time_s), NOISE**-2),
        place=np.arange(len(time_s)) % 7,
        beside=np.empty((0, len(time_s))),
    )
    np.testing.assert_allclose(course.at(time_s), 0.03 * line, atol=1e-6)


def heated(log: Log, by: float) -> Log:
    lam = log[Role.LAMBDA] * np.exp(by * shape(log.time_s))
    return replace(log, channels={**log.channels, Role.LAMBDA: lam})


@pytest.mark.slow
def test_a_rail_that_heats_and_rests_leaves_the_table_of_the_mean(heron_vehicle: Vehicle) -> None:
    log = simulate(heron_vehicle, seed=3, minutes=20.0)
    sound = solve([log], heron_vehicle)
    solution = solve([heated(log, 0.05)], heron_vehicle)
    assert solution.seen.drift is not None
    begins, ends = moving_between(solution.seen.drift)
    assert 100.0 < begins < 400.0 and 500.0 < ends < 800.0
    assert solution.seen.drift.moved_pct == pytest.approx(5.0, abs=1.2)
    said = next(f for f in solution.findings if f.id == "drift").message
    assert "min at equal states" in said and "from 0:" not in said
    # A line alone leaves 1.02 %.
    assert _apart(solution, sound) < 0.95


def _apart(one: Solution, other: Solution) -> float:
    """How far two tables lie apart beyond what lifts both alike, percent."""
    both = one.estimate.supported & other.estimate.supported
    apart = (one.estimate.correction_pct - other.estimate.correction_pct)[both]
    return float(np.std(apart))
