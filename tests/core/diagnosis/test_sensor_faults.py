"""Faults of the lambda sensor and of the target: told where they were planted; what looks alike is not."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.causes import brought_about
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.findings import look_for_faults
from lean_trim.core.diagnosis.odds import ODDS
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.pulls import find_pulls
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import faults_of
from tests.builders import small_vehicle, steady_states, with_channel
from tests.core.diagnosis.test_faults import found_in, planted

END = 1.36


def noisy(log: Log, lam: np.ndarray) -> Log:
    scatter = np.random.default_rng(4).normal(0.0, 0.003, len(lam))
    return with_channel(log, Role.LAMBDA, np.clip(lam + scatter, 0.65, END))


@pytest.mark.parametrize(("seconds", "told"), [(60.0, True), (5.0, False)])
def test_a_sensor_that_is_not_hot_yet_is_told(seconds: float, told: bool) -> None:
    base = steady_states()
    cold = base.time_s < seconds
    log = noisy(base, np.where(cold, 9.0, base[Role.LAMBDA]))
    found = found_in(log)
    assert ("sensor_not_ready" in found) == told
    if told:
        assert found["sensor_not_ready"].first_time_s == 0.0
        assert found["sensor_not_ready"].seconds == pytest.approx(seconds, abs=1.0)


def test_a_sensor_at_its_end_later_on_is_no_cold_one() -> None:
    base = steady_states()
    late = (base.time_s > 50.0) & (base.time_s < 110.0)
    assert "sensor_not_ready" not in found_in(noisy(base, np.where(late, 9.0, base[Role.LAMBDA])))


@pytest.mark.parametrize(
    ("spells", "reading", "told"), [(8, 9.0, True), (2, 9.0, False), (8, 1.3, False)], ids=str
)
def test_jumps_to_free_air_are_told_from_single_ones_and_from_misfire(
    spells: int, reading: float, told: bool
) -> None:
    base = steady_states()
    lam = base[Role.LAMBDA].copy()
    for i in range(spells):
        lam[(base.time_s > 60.5 + 40.0 * i) & (base.time_s < 61.5 + 40.0 * i)] = reading
    # Something else shows where the meter ends.
    lam[base.time_s < 4.0] = 9.0
    found = found_in(noisy(base, lam))
    assert ("sensor_drops_out" in found) == told
    if told:
        assert f"{spells} times" in found["sensor_drops_out"].message


def coasting(reading: float, scatter: float) -> Log:
    """Four cuts of six seconds, at whose end the sensor shows ``reading``."""
    base = steady_states(noise=0.003)
    cut = (base.time_s % 80.0) > 74.0
    rng = np.random.default_rng(6)
    lam = np.where(cut, reading + scatter * rng.standard_normal(len(cut)), base[Role.LAMBDA])
    log = with_channel(base, Role.LAMBDA, np.clip(lam, 0.65, END))
    log = with_channel(log, Role.PULSE_WIDTH, np.where(cut, 0.0, base[Role.PULSE_WIDTH]))
    return with_channel(log, Role.THROTTLE, np.where(cut, 0.0, base[Role.THROTTLE]))


@pytest.mark.parametrize(
    ("reading", "scatter", "told"),
    [(1.25, 0.004, True), (9.0, 0.004, False), (1.36, 0.004, False), (1.25, 0.2, False)],
)
def test_free_air_that_does_not_reach_the_sensors_end(
    reading: float, scatter: float, told: bool
) -> None:
    found = found_in(coasting(reading, scatter))
    assert ("free_air" in found) == told
    if told:
        assert "settled at 1.25" in found["free_air"].message


def swinging(half: float, period_s: float) -> Log:
    base = steady_states(noise=0.003)
    square = np.where((base.time_s % period_s) < period_s / 2.0, 1.0, -1.0)
    return with_channel(base, Role.TARGET, 1.0 + half * square)


@pytest.mark.parametrize(
    ("half", "period_s", "told"), [(0.04, 2.0, True), (0.004, 2.0, False), (0.04, 30.0, False)]
)
def test_a_target_that_swings_wide_and_quickly_is_told(
    half: float, period_s: float, told: bool
) -> None:
    found = found_in(swinging(half, period_s))
    assert ("target_swings" in found) == told
    if told:
        said = re.search(
            r"by (\d+) % from peak to peak every 2.0 s", found["target_swings"].message
        )
        assert said is not None and float(said.group(1)) == pytest.approx(8.0, abs=1.0)


def test_jumps_that_a_swinging_target_makes_are_no_misfire() -> None:
    log = swinging(0.06, 2.0)
    late = np.interp(log.time_s - 0.4, log.time_s, log[Role.TARGET])
    found = found_in(noisy(log, log[Role.LAMBDA] * late))
    assert "target_swings" in found and "misfire" not in found


def test_a_swing_stands_for_the_dead_time_it_looks_like() -> None:
    report = find_pulls([swinging(0.06, 2.0)], small_vehicle())
    found = [f for f in report.findings if f.id == "target_swings"]
    shown = look_for_faults(report.conditions)[1]
    seen = Message("t.dead_time", "Grows as pulses shorten.")()
    pattern = Finding("dead_time", "warning", 10.0, 200.0, seen)
    swings = shown["target_swings"]
    cause = brought_about(pattern, swings, found, shown, report.conditions)
    assert cause is not None and cause[0] is found[0]
    assert cause[1].severity == "warning" and "resembles a dead time" in cause[1].message
    # Where there was no swing it stands by itself, and so does what no swing looks like.
    calm = {"target_swings": np.zeros_like(swings)}
    assert brought_about(pattern, swings, found, calm, report.conditions) is None
    flow = replace(pattern, id="injector_flow")
    assert brought_about(flow, swings, found, shown, report.conditions) is None


def test_a_target_that_follows_the_pressure_does_not_swing_by_itself() -> None:
    base = steady_states(noise=0.003)
    wobble = 3.0 * np.sin(2.0 * np.pi * base.time_s / 2.0)
    log = with_channel(base, Role.MAP, base[Role.MAP] + wobble)
    followed = with_channel(log, Role.TARGET, 1.05 - 0.006 * (log[Role.MAP] - 65.0))
    assert "target_swings" not in found_in(followed)
    assert "target_swings" in found_in(with_channel(followed, Role.MAP, base[Role.MAP]))


def test_the_enrichments_threshold_is_held_against_the_throttle() -> None:
    log = planted(Role.THROTTLE, 84.0, planted(Role.TARGET, 1.0))
    car = replace(small_vehicle(), target=None)
    never = found_in(log, car)["enrichment_not_reached"].message
    assert "throttle reached 84 %, and no target below 0.95 was seen" in never
    throttle = log[Role.THROTTLE].copy()
    target = log[Role.TARGET].copy()
    throttle[5000:5600] = 92.0
    target[5000:5600] = 0.86
    reached = with_channel(with_channel(log, Role.THROTTLE, throttle), Role.TARGET, target)
    said = found_in(reached, car)["enrichment_not_reached"].message
    assert "throttle reached 84 % there; enrichment was seen only from 92 % on" in said
    # A calibration that means no richer target there has nothing to reach.
    assert small_vehicle().target is not None and "enrichment_not_reached" not in found_in(log)


@pytest.mark.slow
def test_faults_of_one_simulated_car_are_named_side_by_side(heron_vehicle: Vehicle) -> None:
    planted_together = {
        "sensor-cold": "sensor_not_ready",
        "misfire": "misfire",
        # Wider, and no jump could be told from what the target does to lambda.
        "target-swing:0.3": "target_swings",
        "no-enrichment": "enrichment_not_reached",
        "free-air": "free_air",
    }
    log = simulate(heron_vehicle, 4, 7.0, faults=faults_of(",".join(planted_together)))
    found = {f.id for f in find_pulls([log], heron_vehicle).findings}
    assert set(planted_together.values()) <= found


def test_what_a_channel_says_outright_is_certain() -> None:
    found = found_in(planted(Role.DUTY, 99.0), small_vehicle())
    assert "injectors_full_open" not in ODDS
    assert found["injectors_full_open"].probability == 1.0
    assert found["injectors_full_open"].sureness == "sure"


@pytest.mark.parametrize(("gap", "told"), [(9.0, True), (-9.0, True), (2.0, False)])
def test_banks_that_ask_for_different_fuel_are_told(gap: float, told: bool) -> None:
    base = steady_states()
    scatter = np.random.default_rng(5).normal(0.0, 4.0, len(base))
    found = found_in(with_channel(base, Role.BANK_GAP, gap + scatter))
    assert ("banks_disagree" in found) == told
    if told:
        assert f"Bank {1 if gap > 0 else 2} needs 9 % more" in found["banks_disagree"].message
