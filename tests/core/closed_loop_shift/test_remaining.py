"""The second pass: trims that remain are found by cell and taken over, until they have settled."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.closed_loop_shift.feed_forward import first_feed_forward, has_settled
from lean_trim.core.closed_loop_shift.remaining import remaining_trims
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.errors import LogError

PRESSURE = np.array([40.0, 100.0, 140.0])
SPEED = np.array([1000.0, 2000.0, 3000.0])
NEEDED = np.array([[0.0, 0.0, 0.0], [4.0, 11.0, 20.0], [11.0, 20.0, 26.0]])
"""Fuel each cell needs beyond the ECU's, percent (invented)."""


def drive(fed_pct: np.ndarray, seed: int, skip: tuple[int, int] | None = None) -> Log:
    """Ten seconds in every cell at 10 Hz; the loop makes up what is not fed forward."""
    rng = np.random.default_rng(seed)
    rows = [(i, j) for i in range(3) for j in range(3) if (i, j) != skip]
    at = np.repeat(rows, 100, axis=0)
    left = 100.0 * ((1.0 + NEEDED / 100.0) / (1.0 + fed_pct / 100.0) - 1.0)[at[:, 0], at[:, 1]]
    long = 0.3 * left
    short = 100.0 * ((1.0 + left / 100.0) / (1.0 + long / 100.0) - 1.0)
    channels = {
        Role.RPM: SPEED[at[:, 1]] + rng.normal(0.0, 5.0, len(at)),
        Role.MAP: PRESSURE[at[:, 0]] + rng.normal(0.0, 0.3, len(at)),
        Role.STFT: short + rng.normal(0.0, 1.0, len(at)),
        Role.LTFT: long,
    }
    return Log(0.1 * np.arange(len(at)), channels, "second pass")


@pytest.mark.parametrize("seed", range(20))
def test_trims_are_below_two_percent_after_the_second_pass(seed: int) -> None:
    fed = first_feed_forward(NEEDED)
    before = remaining_trims(drive(fed, seed), PRESSURE, SPEED)
    assert not has_settled(before.trim_pct) and np.isfinite(before.trim_pct).all()
    after = remaining_trims(drive(before.fed_forward(fed), 100 + seed), PRESSURE, SPEED)
    assert has_settled(after.trim_pct)


def test_where_nobody_drove_nothing_changes() -> None:
    fed = first_feed_forward(NEEDED)
    found = remaining_trims(drive(fed, 1, skip=(2, 2)), PRESSURE, SPEED)
    assert np.isnan(found.trim_pct[2, 2]) and found.seconds[2, 2] < 3.0
    assert found.fed_forward(fed)[2, 2] == fed[2, 2]


def test_what_is_no_closed_loop_is_left_out() -> None:
    """Open loop, a cold engine and a cut say nothing of what the loop needs."""
    log = drive(np.zeros((3, 3)), 2)
    for role, value in ((Role.CLOSED_LOOP, 0.0), (Role.COOLANT, 30.0), (Role.LAMBDA, 1.4)):
        channels = {**log.channels, role: np.full(len(log), value)}
        found = remaining_trims(Log(log.time_s, channels, "x"), PRESSURE, SPEED)
        assert found.seconds.sum() == 0.0


def test_a_trim_at_its_stop_is_told() -> None:
    log = drive(np.zeros((3, 3)), 3)
    short = np.where(log[Role.MAP] > 120.0, 25.0, log[Role.STFT])
    found = remaining_trims(
        Log(log.time_s, {**log.channels, Role.STFT: short}, "x"), PRESSURE, SPEED
    )
    assert found.stopped[2].all() and not found.stopped[:2].any()


def test_a_log_without_trims_is_refused() -> None:
    log = drive(np.zeros((3, 3)), 4)
    kept = {r: x for r, x in log.channels.items() if r is not Role.STFT}
    with pytest.raises(LogError, match="short-term trim"):
        remaining_trims(Log(log.time_s, kept, "x"), PRESSURE, SPEED)
