"""Is the pulse width what this calibration gives? Only then is fuel beyond it believed, log by log."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.joining import join_logs
from lean_trim.core.data.log import Log
from lean_trim.core.drive.conditions import Conditions, make_conditions
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.pulse_width_proof import LEAST_S, off_calibration
from lean_trim.core.pipeline.solve import DrivenLog as Driven
from lean_trim.core.pipeline.solve import pieces_of, solve
from tests.builders import make_log, small_vehicle, steady_states, with_channel

DEAD_MS = 0.82
"""Dead time of the builders' injectors at 13.8 V."""


def steady_log(seconds: float = 60.0) -> Log:
    time = np.arange(round(seconds / 0.04)) * 0.04
    return make_log(time, np.full(len(time), 2500.0), np.full(len(time), 50.0))


def with_more_fuel(log: Log, factor: np.ndarray | float) -> Log:
    """Fuel that table and trims do not explain, and the richer mixture it makes."""
    width = (log[Role.PULSE_WIDTH] - DEAD_MS) * factor + DEAD_MS
    return with_channel(
        with_channel(log, Role.PULSE_WIDTH, width), Role.LAMBDA, log[Role.LAMBDA] / factor
    )


def conditions_of(*logs: Log) -> Conditions:
    frame = make_frame(join_logs(logs), small_vehicle(), pieces_of([Driven(log) for log in logs]))
    return make_conditions(Motion(frame), frame.log[Role.LAMBDA])


def test_the_builders_dead_time_is_what_this_file_takes_it_for() -> None:
    assert small_vehicle().injectors.dead_time_at(13.8) == pytest.approx(DEAD_MS)


@pytest.mark.parametrize(
    ("factor", "believed"), [(1.0, True), (1.015, True), (0.985, True), (1.04, False), (0.9, False)]
)
def test_a_log_is_believed_if_its_steady_running_follows_from_the_calibration(
    factor: float, believed: bool
) -> None:
    conditions = conditions_of(with_more_fuel(steady_log(), factor))
    assert conditions.pulse_width_proven.all() == conditions.pulse_width_proven.any() == believed
    assert off_calibration(conditions.frame, conditions.regime).any() != believed


def test_every_log_answers_for_itself() -> None:
    one = steady_log()
    other = with_more_fuel(steady_log(), 1.1)
    proven = conditions_of(one, other).pulse_width_proven
    assert proven[: len(one)].all()
    assert not proven[len(one) :].any()


def test_too_little_steady_running_proves_nothing() -> None:
    assert not conditions_of(steady_log(0.8 * LEAST_S)).pulse_width_proven.any()
    assert not conditions_of(
        with_channel(steady_log(), Role.PULSE_WIDTH, np.nan)
    ).pulse_width_proven.any()


@pytest.mark.parametrize("factor", [1.1, 1.25])
def test_fuel_that_stays_beside_target_and_trims_counts_as_fuel_and_not_as_air(
    factor: float,
) -> None:
    """From 4000 rpm up the ECU adds fuel it does not name; lambda is richer for it.

    The table is right and stays so.
    """
    log = steady_states(noise=0.002)
    log = with_more_fuel(log, np.where(log[Role.RPM] > 4000.0, factor, 1.0))
    estimate = solve([log], small_vehicle()).estimate
    high = estimate.supported & (small_vehicle().table.axes[1].points[None, :] > 4000.0)
    assert high.any()
    np.testing.assert_allclose(estimate.correction_pct[high], 0.0, atol=0.6)


def test_the_same_fuel_all_over_is_another_calibration_and_does_not_count() -> None:
    log = steady_states(noise=0.002)
    half = with_more_fuel(log, np.where(log[Role.RPM] > 2000.0, 1.1, 1.0))
    solution = solve([half], small_vehicle())
    assert "other_calibration" in [f.id for f in solution.findings]
    fast = half[Role.RPM] > 2000.0
    assert not solution.sifted.used[fast].any()
    assert solution.sifted.used[~fast].any()
