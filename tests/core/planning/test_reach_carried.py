"""What earlier drives reached, and the road they told, stay known after a drive that shows neither."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.pipeline.carrying import Earlier
from lean_trim.core.pipeline.planning import drives_of, plan_next
from lean_trim.core.pipeline.solve import solve
from lean_trim.core.pipeline.summary import evidence_of
from lean_trim.core.planning.reach import Reached, Road, Span
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.simcar.planned import State, planned_legs

RPM = np.array([1000.0, 3000.0, 5000.0])
ROAD = Road(np.array([120.0, 70.0]), 0.0, 1.0, 1.0, 1.0, 0.05)


def test_a_span_reaches_what_either_drive_did() -> None:
    one = Span(RPM, np.array([30.0, 30.0, 40.0]), np.array([90.0, 95.0, 80.0]))
    other = Span(RPM[:2], np.array([25.0, 35.0]), np.array([80.0, 150.0]))
    both = one.joined(other)
    assert both.low.tolist() == [25.0, 30.0, 35.0] and both.high.tolist() == [90.0, 150.0, 150.0]
    newer = Road(ROAD.ratios * 2.0, 0.0, 1.0, 1.0, 1.0, 0.05)
    assert Reached(one, None).joined(Reached(other, ROAD)).road is ROAD
    assert Reached(one, newer).joined(Reached(other, ROAD)).road is newer


@pytest.mark.slow
def test_after_a_drive_on_a_dynamometer_a_road_can_still_be_planned() -> None:
    car = heron()
    first = solve([simulate(car, seed=1, minutes=8.0)], car)
    states = [
        State(rpm, kpa, 5.0, 0) for rpm in (1500.0, 2500.0, 3500.0) for kpa in (40.0, 60.0, 80.0)
    ]
    log = simulate(car, seed=2, minutes=4.0, legs=planned_legs(states))
    blind = Log(
        log.time_s, {r: v for r, v in log.channels.items() if r is not Role.SPEED}, log.name
    )
    alone = solve([blind], car)
    later = solve([blind], car, earlier=[Earlier(1, evidence_of(first))])
    assert drives_of(alone).road is None
    before = drives_of(first)
    now = drives_of(later)
    assert now.road is not None and before.road is not None
    np.testing.assert_array_equal(now.road.ratios, before.road.ratios)
    assert (now.span.high >= before.span.high - 1e-9).all()
    step = np.zeros(car.table.shape)
    assert plan_next(later, step, 5.0, "road").held
