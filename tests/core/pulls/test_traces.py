"""What is drawn of a pull is what was logged, on the pull's own clock."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline.pulls import find_pulls
from lean_trim.core.pulls.traces import BEFORE_S, Lane, PullTrace, at_speeds, difference, trace_of
from tests.core.pulls.test_pull import START, STOP, run_up


def traced(vehicle: Vehicle, **changed: np.ndarray | float) -> PullTrace:
    report = find_pulls([run_up(**changed)], vehicle)
    return trace_of(report.conditions, report.pulls[0], report.baro_kpa)


def test_the_clock_begins_with_the_pull(heron_vehicle: Vehicle) -> None:
    trace = traced(heron_vehicle)
    first, stop = trace.inside
    assert trace.time_s[first] == 0.0 and trace.time_s[0] == pytest.approx(-BEFORE_S)
    assert stop - first == STOP - START
    np.testing.assert_allclose(trace.lanes[Lane.BOOST][first:stop], 178.0 - 97.0)
    assert Lane.SPARK not in trace.lanes and Lane.DUTY not in trace.lanes
    # 3500 rpm in 4.98 s.
    assert np.median(trace.lanes[Lane.PUSH][first + 20 : stop - 20]) == pytest.approx(
        3500.0 / 4.98, rel=0.01
    )


def test_channels_over_engine_speed_and_their_difference(heron_vehicle: Vehicle) -> None:
    rising = np.zeros(900)
    rising[START:STOP] = np.linspace(20.0, 60.0, STOP - START)
    hot = traced(heron_vehicle, iat=rising + 10.0)
    cool = traced(heron_vehicle, iat=rising)
    speeds = np.array([2000.0, 4000.0, 5000.0, 9000.0])
    over = at_speeds(cool, Lane.INTAKE, speeds)
    assert np.isnan(over[[0, 3]]).all()
    np.testing.assert_allclose(over[1:3], [20.0 + 40.0 / 3.5, 20.0 + 80.0 / 3.5], atol=0.8)
    apart = difference(hot, cool, Lane.INTAKE, speeds)
    np.testing.assert_allclose(apart[1:3], 10.0, atol=1e-6)


def test_what_the_run_asks_holds_the_trim_that_was_on(heron_vehicle: Vehicle) -> None:
    trace = traced(heron_vehicle, ltft=4.0)
    inside = slice(trace.inside[0] + 40, trace.inside[1] - 40)
    assert np.median(trace.lanes[Lane.ASKED][inside]) == pytest.approx(4.0, abs=0.3)
    assert np.median(trace.lanes[Lane.TRIM][inside]) == pytest.approx(4.0)
