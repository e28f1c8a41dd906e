"""A hole is a hole: bridged where that is safe, never zero, and what cannot be is counted."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import bridged, held
from lean_trim.core.data.log import Log
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.pipeline.solve import Solution, solve
from tests.builders import small_vehicle, steady_states, with_channel

TIME = np.arange(100) / 25.0
RAMP = 2000.0 + 40.0 * np.arange(100)


def log_of(role: Role, values: np.ndarray, joints_s: tuple[float, ...] = ()) -> Log:
    return Log(TIME, {Role.RPM: RAMP, role: values}, joints_s=joints_s)


def holed(values: np.ndarray, *rows: slice | int) -> np.ndarray:
    out = np.array(values, float)
    for row in rows:
        out[row] = np.nan
    return out


def test_what_moves_with_the_engine_is_joined_by_a_line_over_a_few_samples_only() -> None:
    log, holes = bridged(log_of(Role.MAP, holed(RAMP / 50.0, slice(10, 14), slice(40, 70))))
    np.testing.assert_allclose(log[Role.MAP][:40], RAMP[:40] / 50.0)
    assert np.isnan(log[Role.MAP][40:70]).all()
    assert holes.blank == {Role.MAP: 34}
    assert holes.impossible == {}


def test_slow_channels_are_held_and_lambda_is_never_invented() -> None:
    log, _ = bridged(log_of(Role.COOLANT, holed(np.linspace(60, 80, 100), slice(20, 90))))
    assert (log[Role.COOLANT][20:90] == log[Role.COOLANT][19]).all()
    log, _ = bridged(log_of(Role.LAMBDA, holed(np.ones(100), 7)))
    assert np.isnan(log[Role.LAMBDA][7])


def test_half_an_injection_never_was() -> None:
    width = np.where(np.arange(100) < 50, 3.0, 0.0)
    log, _ = bridged(
        log_of(Role.PULSE_WIDTH, holed(width, slice(48, 52), slice(20, 22), slice(80, 82)))
    )
    assert np.isnan(log[Role.PULSE_WIDTH][48:52]).all()
    assert (log[Role.PULSE_WIDTH][20:22] == 3.0).all()
    assert (log[Role.PULSE_WIDTH][80:82] == 0.0).all()


def test_no_hole_is_bridged_from_another_recording() -> None:
    log, _ = bridged(
        log_of(Role.COOLANT, holed(np.full(100, 85.0), slice(50, 100)), joints_s=(TIME[50],))
    )
    assert np.isnan(log[Role.COOLANT][50:]).all()


def test_a_sound_log_is_handed_back_as_it_is() -> None:
    log = log_of(Role.MAP, RAMP / 50.0)
    assert bridged(log)[0] is log


def test_held_values_begin_with_the_first_known_one() -> None:
    np.testing.assert_array_equal(
        held(np.array([np.nan, 2.0, np.nan, 3.0, np.nan])), [2, 2, 2, 3, 3]
    )
    np.testing.assert_array_equal(held(np.full(3, np.nan)), np.zeros(3))


def test_one_blank_engine_speed_is_neither_a_stop_nor_a_start_nor_a_shift() -> None:
    """It used to cost the twenty seconds after a start, and a blank gear a second as a shift."""
    whole = steady_states(1.05, seconds=1.0)
    rows = np.arange(200, len(whole), 400)
    rpm = whole[Role.RPM].copy()
    gear = whole[Role.GEAR].copy()
    rpm[rows], gear[rows + 50] = np.nan, np.nan
    patchy = solve(
        [with_channel(with_channel(whole, Role.RPM, rpm), Role.GEAR, gear)], small_vehicle()
    )
    assert (patchy.regime != Regime.STOPPED).all()
    sound = solve([whole], small_vehicle())
    assert patchy.sifted.used.sum() > 0.97 * sound.sifted.used.sum()


def spoiled(log: Log, share: float = 0.005) -> Log:
    rng = np.random.default_rng(4)
    for role, value in (
        (Role.RPM, 65535.0),
        (Role.LAMBDA, 1e308),
        (Role.MAP, np.inf),
        (Role.THROTTLE, -1e9),
    ):
        values = log[role].copy()
        values[rng.random(len(log)) < share] = value
        log = with_channel(log, role, values)
    return log


def test_impossible_readings_change_nothing_and_are_counted() -> None:
    sound = steady_states(1.05, seconds=2.0, noise=0.004)
    bad = spoiled(sound)
    clean = solve([sound], small_vehicle())
    dirty = solve([bad], small_vehicle())
    both = clean.estimate.supported & dirty.estimate.supported
    assert both.sum() >= clean.estimate.supported.sum() - 1
    assert np.abs(clean.estimate.correction_pct - dirty.estimate.correction_pct)[both].max() < 0.2
    counted = dirty.frame.holes.impossible
    assert counted[Role.RPM] == (bad[Role.RPM] == 65535.0).sum()
    assert set(counted) == {Role.RPM, Role.LAMBDA, Role.MAP, Role.THROTTLE}
    assert f"engine speed {counted[Role.RPM]}" in said(dirty)
    assert not clean.frame.holes.impossible


def said(solution: Solution) -> str:
    return next(f.message for f in solution.findings if f.id == "impossible_readings")


def test_a_frame_of_a_patchy_log_knows_its_holes() -> None:
    log = steady_states(seconds=0.5)
    values = log[Role.IAT].copy()
    values[5:9] = np.nan
    assert make_frame(with_channel(log, Role.IAT, values), small_vehicle()).holes.blank == {
        Role.IAT: 4
    }
