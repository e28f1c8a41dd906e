"""Thresholds of causes and faults from both sides, as ``test_thresholds.py`` has those of the rules.

Between the two sides of each lies less than half of its value, so that a number that is half as
large again is noticed. The values are common practice, no source, unless said where they are
declared.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.diagnosis import causes, delivery
from lean_trim.core.diagnosis.faults import (
    banks_disagree,
    free_air,
    hidden_enrichment,
    lean_full_throttle,
    target_swings,
    tip_in_thin,
)
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.of_fit import gauge_off
from lean_trim.core.drive.gauge import Gauge
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Mask
from tests.builders import make_log, with_channel
from tests.core.test_thresholds import DEAD_MS, STEADY, TIME, N, conditions_of

SAID = Message("test_cause_thresholds.said", "Something.")


def finding(name: str) -> Finding:
    return Finding(name, "note", 0.0, 0.0, SAID())


# A delivery that ends.

SAMPLES = 1000
KNEE = 0.9


def loads(beyond_s: float) -> tuple[Floats, Floats, Floats, np.ndarray]:
    """ln of flow over its peak, shapes of the table's error, seconds, and runs; so much beyond a knee."""
    step_s = 0.02
    beyond = round(beyond_s / step_s)
    rng = np.random.default_rng(5)
    below = rng.uniform(0.42, KNEE - 0.001, SAMPLES - beyond)
    x = np.log(np.concatenate([below, rng.uniform(KNEE + 0.001, 1.0, beyond)]))
    shapes = np.column_stack([np.ones(SAMPLES), np.tile([-0.3, -0.1, 0.1, 0.3], SAMPLES // 4)])
    return x, shapes, np.full(SAMPLES, step_s), np.arange(SAMPLES) % 2


def lean_beyond(x: Floats, slope: Floats | float) -> Floats:
    noise = 0.002 * np.random.default_rng(6).standard_normal(len(x))
    return np.asarray(slope * np.maximum(0.0, x - np.log(KNEE)) + noise)


@pytest.mark.parametrize(("seconds", "found"), [(0.7, True), (0.5, False)])
def test_a_delivery_ends_where_driving_beyond_it_lasts(seconds: float, found: bool) -> None:
    x, shapes, durations, run = loads(seconds)
    told = delivery._knee(x, lean_beyond(x, 0.87), shapes, durations, run)
    # With less driving than that beyond it, a lower knee is the nearest that may be told.
    at_it = told is not None and abs(told[0] - np.log(KNEE)) < 0.015
    assert at_it == found


@pytest.mark.parametrize(("slope", "found"), [(0.65, True), (0.4, False)])
def test_a_delivery_ends_where_lean_rises_by_half_of_what_is_commanded(
    slope: float, found: bool
) -> None:
    x, shapes, durations, run = loads(4.0)
    told = delivery._knee(x, lean_beyond(x, slope), shapes, durations, run)
    assert (told is not None) == found


@pytest.mark.parametrize(("apart", "found"), [(0.27, True), (0.4, False)])
def test_a_delivery_ends_only_where_the_runs_agree(apart: float, found: bool) -> None:
    """Two runs whose slopes are a share above and below 1: five standard errors, and three and a half."""
    x, shapes, durations, run = loads(4.0)
    slope = 1.0 + apart * np.where(run % 2, 1.0, -1.0)
    told = delivery._knee(x, lean_beyond(x, slope), shapes, durations, run)
    assert (told is not None) == found


# Causes that stand for what follows from them.


@pytest.mark.parametrize(("asked", "explains"), [(0.06, True), (0.04, False)])
def test_a_pattern_explains_lean_full_throttle_from_half_of_it(
    asked: float, explains: bool
) -> None:
    conditions = conditions_of(with_channel(STEADY, Role.LAMBDA, np.exp(0.1)))
    symptom = replace(finding(lean_full_throttle.FAULT.id), severity="danger")
    shown = {symptom.id: np.ones(N, bool)}
    pattern = finding("unseen_sag")
    told = causes.explained_by(pattern, asked, [symptom], shown, conditions)
    assert (told is not None) == explains


@pytest.mark.parametrize(("after_s", "follows"), [(7.0, True), (9.5, False)])
def test_a_swinging_target_is_followed_for_eight_seconds(after_s: float, follows: bool) -> None:
    swing = finding(target_swings.FAULT.id)
    swings = (TIME > 20.0) & (TIME < 21.0)
    shows = np.abs(TIME - 21.0 - after_s) < 0.3
    told = causes.brought_about(
        finding("dead_time"), shows, [swing], {swing.id: swings}, conditions_of(STEADY)
    )
    assert (told is not None) == follows


# Single faults.


@pytest.mark.parametrize(("error", "told"), [(-0.018, True), (-0.012, False), (0.018, True)])
def test_a_gauge_is_told_from_one_and_a_half_percent(error: float, told: bool) -> None:
    assert (gauge_off(Gauge(error, 0.003, 1.0 + error, 60.0)) is not None) == told


@pytest.mark.parametrize(("seconds", "told"), [(7.0, True), (4.0, False)])
def test_banks_differ_as_a_mean_over_ten_seconds(seconds: float, told: bool) -> None:
    """Eight percent for so long, above four as a mean of ten seconds from five on."""
    gap = np.where((TIME > 50.0) & (50.0 + seconds > TIME), 8.0, 0.0)
    seen = banks_disagree.FAULT.look(conditions_of(with_channel(STEADY, Role.BANK_GAP, gap)))
    assert (seen is not None) == told


def coasting(cuts: int) -> Log:
    """So many fuel cuts of six seconds in which the sensor settles at 1.25."""
    cut = (TIME % 20.0 > 14.0) & (20.0 * cuts > TIME)
    rng = np.random.default_rng(7)
    lam = np.where(cut, 1.25, 1.0) + 0.004 * rng.standard_normal(N)
    log = with_channel(STEADY, Role.LAMBDA, lam)
    log = with_channel(log, Role.PULSE_WIDTH, np.where(cut, 0.0, STEADY[Role.PULSE_WIDTH]))
    return with_channel(log, Role.THROTTLE, np.where(cut, 0.0, STEADY[Role.THROTTLE]))


@pytest.mark.parametrize(("cuts", "told"), [(2, True), (1, False)])
def test_free_air_needs_two_long_cuts(cuts: int, told: bool) -> None:
    assert (free_air.FAULT.look(conditions_of(coasting(cuts))) is not None) == told


@pytest.mark.parametrize(("more", "told"), [(1.04, True), (1.02, False)])
def test_hidden_fuel_is_told_from_three_percent(more: float, told: bool) -> None:
    full = (TIME > 70.0) & (TIME < 80.0)
    log = make_log(TIME, np.where(full, 4000.0, 2500.0), np.where(full, 98.0, 50.0))
    width = (log[Role.PULSE_WIDTH] - DEAD_MS) * np.where(full, more, 1.0) + DEAD_MS
    log = with_channel(log, Role.PULSE_WIDTH, width)
    log = with_channel(log, Role.THROTTLE, np.where(full, 95.0, 25.0))
    assert (hidden_enrichment.FAULT.look(conditions_of(log)) is not None) == told


@pytest.mark.parametrize(("share", "told"), [(0.93, True), (0.87, False)])
def test_tip_in_is_looked_at_from_nine_tenths_of_the_barometer(share: float, told: bool) -> None:
    """Half a second 12 % lean at a wide open throttle, which the film explains wholly."""
    peak: Mask = (TIME > 50.0) & (TIME < 50.5)
    log = make_log(TIME, np.full(N, 2500.0), np.full(N, share * 98.0))
    log = with_channel(log, Role.BARO, 98.0)
    conditions = conditions_of(with_channel(log, Role.LAMBDA, np.where(peak, 1.12, 1.0)))
    explained = replace(conditions, thin=np.where(peak, 0.12, 0.0))
    assert (tip_in_thin.FAULT.look(explained) is not None) == told
