"""Thresholds of reading a drive from both sides: gauge, jumps to lean, loops, calibrations."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive import lean_spikes
from lean_trim.core.drive.conditions import make_conditions
from lean_trim.core.drive.delay import DelaySettings, aligned_lambda
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.gauge import LOOP_ERROR, PRIOR, read_gauge
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.narrowband import to_and_fro
from lean_trim.core.drive.which_table import driven_on
from tests.builders import small_vehicle, steady_states, with_channel
from tests.core.test_thresholds import STEADY, TIME, N


def test_a_loop_that_is_off_for_five_seconds_at_a_time_says_so_in_its_error() -> None:
    """Readings that alternate by 2 % every five seconds: the error of their mean by hand.

    Twenty blocks of ±0.02 have a standard deviation of 0.02, their mean one of 0.02 / √19; with the
    loop's own error it is hypot(0.003, 0.0046) = 0.0055.
    """
    swing = np.round(3.0 * np.sin(2.0 * np.pi * TIME / 1.5), 2)
    off = np.where((TIME // 5.0) % 2 == 0, 0.02, -0.02)
    log = with_channel(with_channel(STEADY, Role.STFT, swing), Role.CLOSED_LOOP, 1.0)
    log = with_channel(log, Role.LAMBDA, 1.0 + off)
    gauge = read_gauge(log, small_vehicle(feedback="narrowband"), np.ones(N))
    by_hand = np.hypot(LOOP_ERROR, 0.02 / np.sqrt(19.0))
    # A gauge that is right beforehand, by Student's t of three degrees, takes a part off.
    share = 1.0 / (1.0 + 4.0 / (3.0 * PRIOR**2 + (gauge.mean - 1.0) ** 2) * by_hand**2)
    assert gauge.std_error == pytest.approx(np.sqrt(share) * by_hand, rel=0.04)


def jumping(moved_before_s: float) -> Log:
    """Jumps to lean every ten seconds, each so long after the throttle moved by 12 % in 0.2 s."""
    lean = (TIME % 10.0 > 5.0) & (TIME % 10.0 < 5.5)
    moves = (TIME - 5.0 + moved_before_s) / 10.0
    way = np.clip((moves % 1.0) * 10.0 / 0.2, 0.0, 1.0)
    back = np.floor(moves) % 2 == 0
    log = with_channel(STEADY, Role.LAMBDA, np.where(lean, 1.15, 1.0))
    return with_channel(log, Role.THROTTLE, 25.0 + 12.0 * np.where(back, 1.0 - way, way))


@pytest.mark.parametrize(("moved_before_s", "counted"), [(1.5, True), (0.5, False)])
def test_a_jump_counts_where_nothing_moved_shortly_before(
    moved_before_s: float, counted: bool
) -> None:
    frame = make_frame(jumping(moved_before_s), small_vehicle())
    lam = aligned_lambda(frame, DelaySettings(0.0, 0.0, 0.0))
    assert (make_conditions(Motion(frame), lam).lean_spikes.count > 0) == counted


@pytest.mark.parametrize(("errors", "dips"), [(3.6, True), (2.4, False)])
def test_speed_dips_at_the_jumps_beyond_three_standard_errors(errors: float, dips: bool) -> None:
    """Nine jumps, each with a fall of speed of a third of so many standard deviations of its change."""
    rng = np.random.default_rng(8)
    rpm = 2500.0 + np.cumsum(rng.standard_normal(N))
    starts = np.arange(200, 2300, 250)
    known = np.ones(N, bool)
    spread, fall = _change(rpm, starts)
    # So that their mean fall is what is wanted whatever the noise there is.
    wanted = errors * spread / np.sqrt(len(starts))
    lowered = rpm.copy()
    for start in starts:
        lowered[start:] -= wanted - fall
    assert lean_spikes._dips(lowered, TIME, starts.astype(float), known) == dips


def _change(rpm: np.ndarray, starts: np.ndarray) -> tuple[float, float]:
    """Spread of the change of speed over 0.8 s, and its mean fall at the starts below the usual one."""
    smooth = np.convolve(rpm, np.ones(8) / 8.0, mode="same")
    change = np.roll(smooth, -10) - np.roll(smooth, 10)
    inner = change[50:-50]
    usual = float(np.median(inner))
    spread = 1.4826 * float(np.median(np.abs(inner - usual)))
    return spread, usual - float(change[starts].mean())


@pytest.mark.parametrize(("rests_s", "swings"), [(0.3, True), (0.5, False)])
def test_a_trim_rests_after_four_of_its_moves(rests_s: float, swings: bool) -> None:
    """A trim that moves every 0.1 s, read every 0.02 s, and stands still once on its way."""
    time = np.arange(0.0, 20.0, 0.02)
    moving = np.floor(time / 0.1) * 0.1
    stood = np.clip(moving - 10.1, 0.0, rests_s - 0.1)
    phase = (moving - stood) / 1.6 % 1.0
    log = Log(time, {Role.STFT: np.round(16.0 * np.abs(phase - 0.5) - 4.0, 2)})
    assert to_and_fro(log)[505:515].all() == swings


@pytest.mark.parametrize(("off", "told"), [(1.007, True), (1.013, False)])
def test_a_calibration_explains_the_fuel_within_a_percent(off: float, told: bool) -> None:
    vehicle = small_vehicle()
    log = steady_states(1.0)
    dead_ms = vehicle.injectors.dead_time_at(13.8)
    log = with_channel(log, Role.PULSE_WIDTH, (log[Role.PULSE_WIDTH] - dead_ms) * off + dead_ms)
    table = vehicle.table
    other = replace(vehicle, table=table.with_values(0.92 * table.values))
    assert (driven_on(log, vehicle, other) is vehicle) == told
