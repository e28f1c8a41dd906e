"""Quick changes planted in a log: found where they are, named for what they are, none where nothing moves."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.transients.classes import classes_of
from lean_trim.core.transients.errors import GRID, lambda_error_pct, measure
from lean_trim.core.transients.events import Kind, Transient, find_transients, of_kind
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.happened import Happened
from tests.builders import small_vehicle, steady_states, with_channel, without


def base() -> Log:
    log = with_channel(steady_states(), Role.THROTTLE, 20.0)
    return with_channel(with_channel(log, Role.SPEED, 60.0), Role.GEAR, 3.0)


def ramp(log: Log, at_s: float, low: float, high: float, seconds: float = 0.2) -> np.ndarray:
    return low + (high - low) * np.clip((log.time_s - at_s) / seconds, 0.0, 1.0)


def found_in(log: Log) -> tuple[Transient, ...]:
    return find_transients(Motion(make_frame(log, small_vehicle())))


def test_nothing_moves_nothing_is_found() -> None:
    assert found_in(base()) == ()


@pytest.mark.parametrize(
    ("low", "high", "kind"),
    [(20.0, 50.0, Kind.TIP_IN), (50.0, 20.0, Kind.TIP_OUT), (95.0, 10.0, Kind.LIFT)],
)
def test_a_foot_that_moves_is_found_at_its_edge(low: float, high: float, kind: Kind) -> None:
    log = base()
    (event,) = found_in(with_channel(log, Role.THROTTLE, ramp(log, 80.0, low, high)))
    assert event.kind is kind
    assert event.edge_s == pytest.approx(80.0, abs=0.15)
    assert event.size == pytest.approx(abs(high - low), abs=0.2 * abs(high - low))


def test_a_change_tells_how_quickly_the_foot_moved() -> None:
    log = base()
    (event,) = found_in(with_channel(log, Role.THROTTLE, ramp(log, 80.0, 20.0, 50.0, seconds=0.3)))
    assert event.throttle_rate_pct_per_s == pytest.approx(100.0, rel=0.15)
    (event,) = found_in(with_channel(log, Role.THROTTLE, ramp(log, 80.0, 50.0, 20.0, seconds=0.3)))
    assert event.throttle_rate_pct_per_s == pytest.approx(-100.0, rel=0.15)
    assert abs(event.map_rate_kpa_per_s) < 10.0


def test_a_slow_foot_and_a_twitch_are_no_changes() -> None:
    log = base()
    assert (
        found_in(with_channel(log, Role.THROTTLE, ramp(log, 80.0, 20.0, 50.0, seconds=4.0))) == ()
    )
    assert found_in(with_channel(log, Role.THROTTLE, ramp(log, 80.0, 20.0, 23.0))) == ()


def test_what_stands_beside_it_names_it() -> None:
    log = base()
    log = with_channel(log, Role.THROTTLE, ramp(log, 80.0, 20.0, 50.0))
    shifted = with_channel(log, Role.GEAR, np.where(log.time_s < 80.4, 3.0, 4.0))
    assert [e.kind for e in found_in(shifted)] == [Kind.SHIFT]
    assert [e.kind for e in found_in(with_channel(log, Role.SPEED, 0.0))] == [Kind.STAB]
    # Without a throttle the manifold tells.
    plain = without(base(), Role.THROTTLE)
    pressure = ramp(plain, 80.0, 40.0, 70.0)
    assert [e.kind for e in found_in(with_channel(plain, Role.MAP, pressure))] == [Kind.TIP_IN]


def test_fuel_that_comes_back_is_found_with_the_length_of_the_cut() -> None:
    log = base()
    cut = (log.time_s > 60.0) & (log.time_s <= 63.0)
    (event,) = found_in(
        with_channel(log, Role.PULSE_WIDTH, np.where(cut, 0.0, log[Role.PULSE_WIDTH]))
    )
    assert event.kind is Kind.AFTER_CUT
    assert event.edge_s == pytest.approx(63.0, abs=0.1) and event.size == pytest.approx(
        3.0, abs=0.1
    )


def test_an_opening_that_ends_a_cut_is_the_return_of_fuel() -> None:
    log = base()
    cut = (log.time_s > 60.0) & (log.time_s <= 63.0)
    log = with_channel(log, Role.PULSE_WIDTH, np.where(cut, 0.0, log[Role.PULSE_WIDTH]))
    opened = ramp(log, 62.9, 0.0, 40.0)
    assert [e.kind for e in found_in(with_channel(log, Role.THROTTLE, opened))] == [Kind.AFTER_CUT]


def planted(size_pct: float) -> Log:
    """Tip-ins of one class, each with a lean error that fades over 0.4 s."""
    log = base()
    throttle = np.full(len(log), 20.0)
    error = np.zeros(len(log))
    for edge in np.arange(40.0, 200.0, 20.0):
        since = log.time_s - edge
        throttle += (
            np.clip(since / 0.1, 0.0, 1.0) * 30.0 - np.clip((since - 8.0) / 6.0, 0.0, 1.0) * 30.0
        )
        error += np.where(
            since >= 0.0, size_pct / 100.0 * np.exp(-np.maximum(since, 0.0) / 0.4), 0.0
        )
    log = with_channel(log, Role.THROTTLE, throttle)
    return with_channel(log, Role.LAMBDA, log[Role.LAMBDA] * (1.0 + error))


def test_a_class_tells_peak_area_and_settling() -> None:
    log = planted(10.0)
    frame = make_frame(log, small_vehicle())
    events = find_transients(Motion(frame))
    assert len(of_kind(events, Kind.TIP_IN)) == len(events) == 8
    # A lambda that needs no aligning, and a table that is wrong all over, which is no transient.
    error = lambda_error_pct(frame, log[Role.LAMBDA], np.ones(len(log)), 0.05)
    wrong = lambda_error_pct(frame, 1.08 * log[Role.LAMBDA], np.full(len(log), 1.08), 0.05)
    np.testing.assert_allclose(error, wrong, atol=1e-9)
    classes = classes_of(measure(log.time_s, error, events))
    # States differ in engine speed, so there are several classes of the same sort.
    assert {(c.key.kind, c.key.size) for c in classes} == {(Kind.TIP_IN, "medium")}
    assert sum(len(c.events) for c in classes) == 8
    after = GRID > 0.05
    for one in classes:
        assert one.mean_of("lean_pct")[0] == pytest.approx(10.0, abs=1.2)
        assert one.mean_of("rich_pct")[0] < 1.0
        # Area of the exponential above the floor of 1 %: 10·0.4 - 0.4·1 - 1·0.4·ln 10 (by hand).
        assert one.mean_of("lean_area")[0] == pytest.approx(
            4.0 - 0.4 - 0.4 * np.log(10.0), rel=0.15
        )
        assert one.mean_of("settles_s")[0] == pytest.approx(0.4 * np.log(10.0 / 3.0), abs=0.15)
        np.testing.assert_allclose(one.mean_pct[after], 10.0 * np.exp(-GRID[after] / 0.4), atol=1.2)


@pytest.mark.slow
def test_what_really_happened_on_a_drive_is_found_at_its_edge_and_nothing_else(
    heron_vehicle: Vehicle,
) -> None:
    """Against the list the simulated driver and ECU keep, which no log goes into."""
    happened: list[Happened] = []
    log = simulate(heron_vehicle, 4, 8.0, happened=happened)
    frame = make_frame(log, heron_vehicle)
    found = find_transients(Motion(frame))
    backs = [h for h in happened if h.what == "fuel back" and h.size >= 0.3]
    feet = [h for h in happened if h.what != "fuel back" and h.size >= 8.0]
    assert len(backs) > 12 and len(feet) > 40
    edges = {kind: np.array([e.edge_s for e in found if e.kind is kind]) for kind in Kind}
    of_cut = edges[Kind.AFTER_CUT]
    assert all(np.abs(of_cut - h.time_s).min() < 0.1 for h in backs)
    every = np.array([e.edge_s for e in found])
    missed = [h for h in feet if np.abs(every - h.time_s).min() > 0.15]
    # An opening that comes with the return of fuel is that return.
    assert all(np.abs(of_cut - h.time_s).min() < 0.5 for h in missed) and len(missed) <= 3
    real = np.array([h.time_s for h in happened])
    assert all(np.abs(real - e.edge_s).min() < 0.3 for e in found)
    named = {Kind.STAB: (True, False), Kind.TIP_IN: (False, False), Kind.LIFT: (False, False)}
    for event in found:
        if event.kind in named:
            nearest = feet[int(np.argmin([abs(h.time_s - event.edge_s) for h in feet]))]
            if abs(nearest.time_s - event.edge_s) < 0.15:
                assert (nearest.standing, nearest.shifting) == named[event.kind]
