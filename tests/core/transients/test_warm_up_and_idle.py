"""Warm-up steps and idling on planted channels."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.pipeline.solve import solve
from lean_trim.core.pipeline.transients import TransientReport, transients_of
from lean_trim.core.transients.idle import PRESSURE, SPARK, SPEED, TRIM, Loop, at_idle, idle_of
from lean_trim.core.transients.warm_up import over_temperature
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import faults_of
from lean_trim.simcar.heron import heron

N = 6000
STEP_S = 0.05
TIME = STEP_S * np.arange(N)
SECONDS = np.full(N, STEP_S)
EVERY = np.ones(N, bool)


def test_steps_of_temperature_have_their_mean_and_what_the_ecu_adds() -> None:
    coolant = np.linspace(20.0, 60.0, N, endpoint=False)
    rng = np.random.default_rng(1)
    error = -(60.0 - coolant) / 10.0 + rng.normal(0.0, 0.5, N)
    found = over_temperature(coolant, error, EVERY, SECONDS, given_pct=np.full(N, 8.0))
    assert [b.at_c for b in found] == [25.0, 35.0, 45.0, 55.0]
    for one in found:
        assert one.error_pct == pytest.approx(
            -(60.0 - one.at_c) / 10.0, abs=min(2.0 * one.std_error_pct, 1.0)
        )
        assert one.proposed_pct == pytest.approx(
            100.0 * (1.08 * (1.0 + one.error_pct / 100.0) - 1.0)
        )
    assert sum(b.seconds for b in found) == pytest.approx(N * STEP_S, abs=1.0)


def test_a_temperature_that_was_not_logged_or_not_driven_has_no_steps() -> None:
    assert over_temperature(np.full(N, np.nan), np.zeros(N), EVERY, SECONDS) == ()
    assert over_temperature(np.full(N, 50.0), np.zeros(N), ~EVERY, SECONDS) == ()
    (one,) = over_temperature(np.full(N, 99.0), np.zeros(N), EVERY, SECONDS, step=2.0)
    assert one.at_c == 99.0 and np.isnan(one.given_pct) and np.isnan(one.proposed_pct)


def test_an_idle_that_hunts_tells_period_and_size() -> None:
    rpm = 900.0 + 60.0 * np.sin(2.0 * np.pi * TIME / 2.5)
    found = idle_of(TIME, STEP_S, SECONDS, EVERY, np.full(N, 4.0), rpm, {"spark": np.full(N, 12.0)})
    assert found is not None and [s.what for s in found.swings] == ["engine speed"]
    assert found.swings[0].period_s == pytest.approx(2.5, abs=0.3)
    assert found.swings[0].peak_to_peak == pytest.approx(120.0, rel=0.25)
    assert found.error_pct == pytest.approx(4.0) and not found.is_noise


def test_an_idle_is_told_by_its_mean_speed_at_rest() -> None:
    swings = 1100.0 + 350.0 * np.sin(2.0 * np.pi * TIME / 1.5)
    rpm = np.where(TIME < 50.0, 2500.0, swings)
    throttle = np.where((TIME > 100.0) & (TIME < 110.0), 20.0, 0.5)
    log = Log(TIME, {Role.RPM: rpm, Role.THROTTLE: throttle}, "idle")
    found = at_idle(log, EVERY, idle_rpm=1250.0, closed_pct=2.0)
    # Beyond idle speed for moments, not on average; after a foot it takes a while to settle.
    assert found[(TIME > 55.0) & (TIME < 99.0)].all()
    assert not found[TIME < 48.0].any() and not found[(TIME > 100.1) & (TIME < 111.0)].any()
    assert found[(TIME > 112.0) & (TIME < 290.0)].all()
    assert not at_idle(log, ~EVERY, idle_rpm=1250.0, closed_pct=2.0).any()


def test_an_idle_within_its_noise_is_left() -> None:
    rng = np.random.default_rng(2)
    found = idle_of(
        TIME, STEP_S, SECONDS, EVERY, 0.3 + rng.normal(0.0, 2.0, N), np.full(N, 900.0), {}
    )
    assert found is not None and found.is_noise and found.swings == ()


def test_a_short_idle_is_not_judged() -> None:
    short = TIME < 5.0
    assert idle_of(TIME, STEP_S, SECONDS, short, np.zeros(N), np.full(N, 900.0), {}) is None


def test_the_loop_that_swings_is_named_by_its_channels() -> None:
    rpm = 900.0 + 60.0 * np.sin(2.0 * np.pi * TIME / 2.5)
    steady = np.full(N, 900.0)
    swing = np.sin(2.0 * np.pi * TIME / 2.5)

    def loop(rpm: np.ndarray, **channels: np.ndarray) -> Loop:
        found = idle_of(TIME, STEP_S, SECONDS, EVERY, np.zeros(N), rpm, channels)
        assert found is not None
        return found.loop

    assert loop(rpm, **{PRESSURE: 30.0 + 5.0 * swing}) is Loop.AIR
    assert loop(rpm, **{SPARK: 12.0 + 6.0 * swing}) is Loop.SPARK
    assert loop(steady, **{TRIM: 4.0 * swing}) is Loop.TRIMS
    assert loop(steady, **{TRIM: 0.5 * swing}) is Loop.NONE


def test_idling_in_gear_and_out_of_it_are_told_apart() -> None:
    gear = np.where(TIME < 100.0, 0.0, 1.0)
    error = np.where(gear > 0.0, 3.0, -1.0)
    rpm = np.where(gear > 0.0, 750.0, 850.0)
    found = idle_of(TIME, STEP_S, SECONDS, EVERY, error, rpm, {}, gear)
    assert found is not None
    told = [(g.in_gear, round(g.error_pct, 2), round(g.rpm)) for g in found.gears]
    assert told == [(False, -1.0, 850), (True, 3.0, 750)]
    alone = idle_of(TIME, STEP_S, SECONDS, EVERY, error, rpm, {}, np.zeros(N))
    assert alone is not None and alone.gears == ()


def simulated(faults: str) -> TransientReport:
    vehicle = heron()
    return transients_of(solve([simulate(vehicle, 1, 4.0, faults=faults_of(faults))], vehicle))


@pytest.mark.slow
def test_a_simulated_idle_that_hunts_is_still_an_idle() -> None:
    found = simulated("idle-hunts").idle
    assert found is not None and found.loop is Loop.AIR
    assert any(
        s.what == SPEED and s.peak_to_peak > 150.0 and 1.2 < s.period_s < 2.4 for s in found.swings
    )


@pytest.mark.slow
def test_a_fuel_cut_that_hunts_is_told_with_the_threshold_that_ends_it() -> None:
    report = simulated("cut-hunts")
    assert report.cuts is not None and report.idle is not None
    assert report.cuts.hunts > 20 and report.cuts.hunt_period_s < 1.0
    # Above what it idles at, by the room a cut needs.
    entry = report.cuts.entry_to_write(report.idle.most_rpm)
    assert entry >= report.idle.most_rpm + 300.0 and entry % 50.0 == 0.0
    assert np.isnan(report.cuts.entry_to_write(float("nan")))
