"""Events, derived channels and slow channels."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trim.core.data.channels import Role
from lean_trim.core.data.joining import JOINT_GAP_S, join_logs
from lean_trim.core.data.log import Log
from lean_trim.core.data.update_marks import held_rows, update_mask
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.explore.derived import DERIVED, all_series, series_of
from lean_trim.core.explore.events import (
    AFTER_TIP_S,
    EventKind,
    find_events,
    next_event,
    previous_event,
    tip_in_cells,
)
from lean_trim.core.physics import duty_pct
from lean_trim.core.pipeline.solve import Solution
from tests.builders import small_vehicle, steady_states, with_channel, without


def test_events_of_the_simulated_drive_are_all_found(heron_solution: Solution) -> None:
    events = find_events(heron_solution)
    counts = {kind: sum(e.kind is kind for e in events) for kind in EventKind}
    assert counts[EventKind.PULL] == 4
    assert counts[EventKind.FUEL_CUT] >= 6
    assert counts[EventKind.TIP_IN] >= 10
    tips = [e for e in events if e.kind is EventKind.TIP_IN]
    assert {e.text.partition(",")[0] for e in tips} == {"tip-in", "stab at standstill"}
    assert all(e.text.endswith(" %") and "throttle by" in e.text for e in tips)
    gears = heron_solution.frame.log[Role.GEAR]
    assert 0 < counts[EventKind.SHIFT] <= np.count_nonzero(np.diff(gears))
    assert counts[EventKind.FAULT] == len(heron_solution.findings)
    assert [e.start_s for e in events] == sorted(e.start_s for e in events)
    pull = next(e for e in events if e.kind is EventKind.PULL)
    middle = np.searchsorted(heron_solution.frame.log.time_s, (pull.start_s + pull.end_s) / 2)
    assert heron_solution.regime[middle] == Regime.FULL_THROTTLE


def test_cells_beside_tip_ins_are_where_the_engine_was_then(heron_solution: Solution) -> None:
    cells = tip_in_cells(heron_solution)
    table = heron_solution.estimate.table
    log = heron_solution.frame.log
    tips = [e for e in find_events(heron_solution) if e.text.startswith("tip-in,")]
    passed = np.zeros(table.shape, bool)
    for tip in tips:
        part = (log.time_s >= tip.start_s) & (log.time_s <= tip.start_s + AFTER_TIP_S)
        rows, columns = (
            np.abs(axis.points[:, None] - log[role][part]).argmin(axis=0)
            for axis, role in zip(table.axes, (Role.MAP, Role.RPM), strict=True)
        )
        passed[rows, columns] = True
        # Pressure rises in a tip-in: both where it began and where it led to.
        assert np.ptp(rows) > 0
    # The nearest cell of every moment, and what is read between with it.
    assert cells[passed].all()
    assert passed.sum() < cells.sum() <= 4 * passed.sum()
    assert not cells.all()


def test_next_and_previous_walk_through_every_event_of_a_kind(heron_solution: Solution) -> None:
    events = find_events(heron_solution)
    wanted = frozenset({EventKind.PULL})
    at = -1.0
    seen = []
    while (event := next_event(events, at, wanted)) is not None:
        at = event.start_s
        seen.append(event)
    assert seen == [e for e in events if e.kind is EventKind.PULL]
    assert previous_event(events, at, wanted) == seen[-2]
    assert previous_event(events, -1.0) is None


def test_derived_channels_follow_from_logged_ones(
    heron_vehicle: Vehicle, heron_log: Log, heron_solution: Solution
) -> None:
    def values(key: str) -> np.ndarray:
        series = series_of(key, heron_log, heron_vehicle, heron_solution)
        assert series is not None
        return series.values

    np.testing.assert_allclose(values("boost_kpa"), heron_log[Role.MAP] - 98.5)
    np.testing.assert_allclose(
        values("duty_of_pulse_pct"), duty_pct(heron_log[Role.PULSE_WIDTH], heron_log[Role.RPM])
    )
    table = heron_vehicle.table.lookup(heron_log[Role.MAP], heron_log[Role.RPM])
    np.testing.assert_allclose(values("table_value"), table)
    np.testing.assert_allclose(values("asked_value"), table * heron_solution.k_along)
    assert series_of("target_looked_up", heron_log, heron_vehicle) is None
    looked_up = series_of("target_looked_up", without(heron_log, Role.TARGET), heron_vehicle)
    assert looked_up is not None
    assert looked_up.values.min() < 0.9
    assert set(all_series(heron_log, heron_vehicle, heron_solution)) >= set(DERIVED) - {
        "target_looked_up"
    }


def test_what_cannot_be_derived_is_not_offered() -> None:
    bare = without(steady_states(), Role.MAP, Role.PULSE_WIDTH, Role.STFT, Role.LTFT, Role.FUEL_DP)
    assert not set(all_series(bare, small_vehicle())) & set(DERIVED)


@given(st.integers(2, 12), st.integers(0, 11), st.integers(0, 2**31))
def test_the_beat_of_a_held_channel_is_found(period: int, phase: int, seed: int) -> None:
    slow = np.random.default_rng(seed).standard_normal(120)
    values = np.repeat(slow, period)[phase % period :]
    assert held_rows(values) == period
    mask = update_mask(values)
    assert np.isin(np.flatnonzero(np.diff(values)) + 1, np.flatnonzero(mask)).all()
    assert mask.sum() <= 122


def test_quantised_and_constant_channels_are_not_taken_for_held_ones() -> None:
    rng = np.random.default_rng(2)
    assert held_rows(np.round(np.cumsum(rng.standard_normal(3000)) / 3)) == 1
    assert held_rows(np.ones(500)) == 1
    assert held_rows(rng.standard_normal(500)) == 1


def test_a_sensor_logged_slowly_gives_the_same_answer() -> None:
    """Lambda at 5 Hz in a 25 Hz log: between its updates nothing is invented, and k comes out the same."""
    from lean_trim.core.pipeline.solve import solve

    full = steady_states(1.06)
    slow = np.repeat(
        full[Role.LAMBDA][::5] + np.random.default_rng(0).normal(0, 1e-4, len(full) // 5), 5
    )
    answer = solve([with_channel(full, Role.LAMBDA, slow)], small_vehicle())
    assert answer.residual.rms == pytest.approx(6.0, abs=0.1)


def test_joined_logs_know_their_joints() -> None:
    log = steady_states()
    joined = join_logs([log, log])
    assert joined.joints_s == (pytest.approx(log.duration_s + JOINT_GAP_S),)
