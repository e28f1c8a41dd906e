"""Where a loop whose sensor was not logged says what lambda is, and where nobody knows."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.narrowband import loop_holds, stop_sides, to_and_fro, turns_of
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.drive.trim_stops import still_on_its_way, trim_stops, whole_scale
from tests.builders import small_vehicle, steady_states, with_channel, without

TIME = np.arange(0.0, 40.0, 0.1)


def trims(stft: np.ndarray, **channels: np.ndarray) -> Log:
    return Log(TIME, {Role.STFT: stft, **{Role[k]: v for k, v in channels.items()}})


def swinging(period_s: float = 1.6) -> np.ndarray:
    """A triangle about 0, which goes to and fro as a narrowband loop does."""
    phase = (TIME / period_s) % 1.0
    return np.round(4.0 * np.abs(phase - 0.5) - 1.0, 3)


def test_a_trim_that_swings_is_a_loop_and_one_that_rests_is_none() -> None:
    stft = swinging()
    # Full throttle: the loop opens and its trim is held at 0.
    stft[150:230] = 0.0
    holds = to_and_fro(trims(stft))
    assert holds[20:140].all() and holds[250:380].all()
    assert not holds[152:229].any()


def test_a_trim_that_only_fades_is_no_loop() -> None:
    stft = 8.0 * np.exp(-TIME / 10.0)
    assert not to_and_fro(trims(stft)).any()


@pytest.mark.parametrize(("lasts_s", "left"), [(1.2, 0.0), (0.5, 0.3), (0.9, 0.1)])
def test_a_loop_that_opens_for_a_moment_and_lets_its_trim_fade_holds_nothing_meanwhile(
    lasts_s: float, left: float
) -> None:
    """A burst of boost between two swings, by 50 rows a second; it closes before the trim is at rest."""
    time = np.arange(0.0, 30.0, 0.02)
    phase = (time / 1.6) % 1.0
    stft = 16.0 * np.abs(phase - 0.5) - 4.0
    opens = 800
    rows = round(lasts_s / 0.02)
    stft[opens : opens + rows] = 6.0 * np.exp(-np.arange(rows) * 0.02 / 0.15)
    holds = to_and_fro(Log(time, {Role.STFT: np.round(stft, 2)}))
    assert not holds[opens + 2 : opens + rows - 1].any()
    assert holds[100:700].all() and holds[opens + rows + 100 : -100].all()


def test_a_loop_that_jumps_and_then_ramps_swings() -> None:
    """Proportional and integral: at every crossing a jump, then a steady climb."""
    time = np.arange(0.0, 30.0, 0.05)
    phase = (time / 2.0) % 1.0
    ramp = np.where(phase < 0.5, 4.0 * phase, 4.0 * (1.0 - phase)) - 1.0
    jump = np.where(phase < 0.5, 1.0, -1.0)
    assert to_and_fro(Log(time, {Role.STFT: np.round(ramp + jump, 2)}))[60:-60].all()


def test_a_trim_that_hardly_leaves_0_is_looked_at_without_complaint() -> None:
    time = np.arange(0.0, 30.0, 0.1)
    small = np.round(0.1 * np.sin(2.0 * np.pi * time / 1.6), 3)
    assert to_and_fro(Log(time, {Role.STFT: small}))[20:-20].mean() > 0.9


def test_a_coarse_trim_logged_slowly_swings_all_the_same() -> None:
    time = np.arange(0.0, 60.0, 0.25)
    steps = np.round(3.0 * np.sin(2.0 * np.pi * time / 3.0) / 0.78) * 0.78
    assert to_and_fro(Log(time, {Role.STFT: steps}))[20:-20].mean() > 0.9


@pytest.mark.parametrize("period_s", [1.6, 14.0])
def test_two_turns_within_six_seconds_are_needed(period_s: float) -> None:
    assert to_and_fro(trims(swinging(period_s)))[20:-20].all() == (period_s < 12.0)


def test_a_flag_is_not_believed_where_the_table_wants_rich() -> None:
    target = np.where(TIME < 20.0, 1.0, 0.81)
    still = trims(np.zeros(len(TIME)), CLOSED_LOOP=np.ones(len(TIME)))
    holds = loop_holds(still, target)
    assert holds[TIME < 20.0].all() and not holds[TIME >= 20.0].any()
    # A loop that works there says so by its swings.
    swings = trims(swinging(), CLOSED_LOOP=np.ones(len(TIME)))
    assert loop_holds(swings, target)[20:-20].all()


def test_lambda_is_unknown_where_the_loop_is_open_and_wanted_is_one_where_it_works() -> None:
    log = steady_states(1.0)
    flag = (log[Role.MAP] < 80.0).astype(float)
    log = with_channel(log, Role.CLOSED_LOOP, flag)
    log = with_channel(log, Role.TARGET, np.where(flag > 0.5, 0.98, 0.81))
    log = without(log, Role.LAMBDA)
    frame = make_frame(log, small_vehicle(feedback="narrowband"))
    lam = frame.log[Role.LAMBDA]
    assert np.isnan(lam[flag < 0.5]).all()
    assert (lam[flag > 0.5] == 1.0).all() and (frame.target[flag > 0.5] == 1.0).all()
    # A wideband loop holds what is wanted instead.
    wide = make_frame(log, small_vehicle(feedback="wideband"))
    np.testing.assert_array_equal(wide.log[Role.LAMBDA][flag > 0.5], 0.98)
    assert np.isnan(wide.log[Role.LAMBDA][flag < 0.5]).all()


def at_its_stop() -> Log:
    """Up at 3 % a second, at the stop of 25 %, back to 0; over and over."""
    phase = TIME % 20.0
    return trims(np.round(np.clip(3.0 * phase, 0.0, 25.0), 2))


def test_a_stop_is_where_a_trim_rests_at_its_end() -> None:
    sides = stop_sides(at_its_stop())
    phase = TIME % 20.0
    assert (sides[(phase > 8.5) & (phase < 19.9)] == 1).all()
    assert not sides[phase < 8.2].any()
    assert (stop_sides(trims(-at_its_stop()[Role.STFT])) <= 0).all()
    # A swing touches its extremes for a moment, and a trim that never goes far has no stop.
    assert not stop_sides(trims(4.0 * swinging())).any()
    assert not stop_sides(trims(np.full(len(TIME), 2.0))).any()


def stopped_frame(share: float):
    """A narrowband car whose trim is at 25 % and 8 % in so much of its driving, else swings."""
    log = without(steady_states(1.0, seconds=6.0), Role.LAMBDA, Role.PULSE_WIDTH)
    n = len(log)
    stopped = np.arange(n) < share * n
    swing = 2.0 * np.sin(2 * np.pi * log.time_s / 1.5)
    log = with_channel(log, Role.STFT, np.where(stopped, 25.0, swing))
    log = with_channel(log, Role.LTFT, np.where(stopped, 8.0, 0.0))
    log = with_channel(log, Role.CLOSED_LOOP, np.ones(n))
    return make_frame(log, small_vehicle(feedback="narrowband"))


def test_the_whole_table_is_scaled_where_feedback_hardly_ever_arrives() -> None:
    frame = stopped_frame(0.8)
    cruise = np.full(len(frame.log), int(Regime.CRUISE), np.int8)
    assert whole_scale(frame, cruise) == pytest.approx(1.25 * 1.08, abs=0.001)
    assert whole_scale(stopped_frame(0.3), cruise) == 1.0


def test_with_a_wideband_nothing_is_a_stop() -> None:
    log = with_channel(steady_states(1.0), Role.STFT, 25.0)
    frame = make_frame(log, small_vehicle())
    assert not trim_stops(frame).any() and not still_on_its_way(frame).any()


def test_a_way_up_is_no_reading_until_the_trim_turns() -> None:
    log = without(steady_states(1.0), Role.LAMBDA, Role.PULSE_WIDTH)
    phase = log.time_s % 20.0
    rising = np.where(phase < 10.0, phase, 10.0 + np.sin(2 * np.pi * phase / 1.3))
    log = with_channel(log, Role.STFT, rising)
    log = with_channel(log, Role.CLOSED_LOOP, (phase > 0.5).astype(float))
    way = still_on_its_way(make_frame(log, small_vehicle(feedback="narrowband")))
    assert way[(phase > 1.0) & (phase < 9.5)].all()
    assert not way[(phase > 12.0) & (phase < 19.5)].any()


def test_a_ramp_after_a_turn_is_no_reading_either() -> None:
    """As a loop far from its table goes back up after overrun: it had closed and turned long before."""
    log = without(steady_states(1.0), Role.LAMBDA, Role.PULSE_WIDTH)
    phase = log.time_s % 30.0
    swing = 1.5 * np.sin(2 * np.pi * phase / 1.3)
    noise = 0.3 * np.sin(2 * np.pi * phase / 0.2)
    back_up = np.clip(-8.0 + 4.0 * (phase - 10.0), -8.0, 16.0)
    stft = np.where(phase < 10.0, swing, np.where(phase < 16.0, back_up + noise, 16.0 + swing))
    log = with_channel(log, Role.STFT, stft)
    log = with_channel(log, Role.CLOSED_LOOP, np.ones(len(log)))
    way = still_on_its_way(make_frame(log, small_vehicle(feedback="narrowband")))
    assert way[(phase > 10.5) & (phase < 15.5)].all()
    assert not way[(phase > 1.0) & (phase < 9.0)].any()
    assert not way[(phase > 17.5) & (phase < 29.0)].any()


def test_turns_are_those_of_the_way_and_not_of_its_noise() -> None:
    trim = np.array([0.0, 1.0, 2.0, 1.5, 3.0, 2.9, 4.0, 2.0, 0.0, 0.5, -1.0, 1.0])
    assert turns_of(trim) == [0, 6, 10, 11]
    assert turns_of(np.zeros(4)) == [0, 3]
