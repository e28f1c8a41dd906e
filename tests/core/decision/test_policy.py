"""Shares by regime, the end of a curve, and the smoothness of what would be written."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.tables import Table, maf_curve, ve_table
from lean_trim.core.data.vehicle import default_limits
from lean_trim.core.decision.cautions import kinks, knock_caution, shape_caution
from lean_trim.core.decision.driving_shares import DrivingShares, driving_seconds
from lean_trim.core.decision.proposal import POLICY_KNOBS, PolicySettings, Status, propose
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.pipeline.solve import Solution

GRID = ve_table([1000.0, 2000, 3000], [40.0, 80, 120], np.full((3, 3), 80.0))
CURVE = maf_curve(np.arange(1.0, 8.0), [2.0, 5, 9, 14, 20, 27, 35])


def estimate_of(
    table: Table, correction: np.ndarray | float, supported: np.ndarray | bool = True
) -> Estimate:
    shape = table.shape
    return Estimate(
        table,
        np.broadcast_to(np.asarray(correction, float), shape).copy(),
        np.full(shape, 0.5),
        np.full(shape, 9.0),
        np.full(shape, 3),
        near_s=np.full(shape, 9.0),
        supported=np.broadcast_to(np.asarray(supported), shape).copy(),
        method="surface",
    )


def test_each_regime_has_its_own_share() -> None:
    idle = np.zeros((3, 3))
    full = np.zeros((3, 3))
    idle[0, 0] = 1.0
    full[1, 2] = 1.0
    idle[0, 1] = 0.5
    policy = PolicySettings(gain_idle=0.2, gain_full=0.5, gain_boost=0.25)
    step = propose(
        estimate_of(GRID, 10.0),
        policy,
        default_limits("ve"),
        None,
        DrivingShares(idle, full, np.inf),
    ).step_pct
    assert step[0, 0] == pytest.approx(2.0, abs=0.1)
    assert step[0, 1] == pytest.approx(6.0, abs=0.1)
    assert step[1, 2] == pytest.approx(5.0, abs=0.1)
    np.testing.assert_allclose(step[2], 2.5, atol=0.1)
    assert step[1, 0] == pytest.approx(10.0, abs=0.1)


def test_shares_are_read_from_the_drive(heron_solution: Solution) -> None:
    shares = driving_seconds(heron_solution.sifted, heron_solution.observations).shares(
        heron_solution.estimate.table.shape
    )
    assert ((shares.idle >= 0) & (shares.idle + shares.full <= 1.0 + 1e-9)).all()
    assert shares.idle[:4, :3].max() > 0.3
    assert shares.full[8:].max() > 0.5
    assert shares.full[:4].max() < 0.1


def test_the_end_of_a_curve_goes_on_along_its_last_segment_only_when_asked() -> None:
    supported = np.arange(7) < 4
    estimate = estimate_of(CURVE, 10.0, supported)
    plain = propose(estimate, PolicySettings(unvisited="keep"), default_limits("maf"))
    np.testing.assert_array_equal(plain.table.values[4:], CURVE.values[4:])
    asked = propose(estimate, PolicySettings(extrapolate_end=True), default_limits("maf"))
    assert asked.table.values[4] == pytest.approx(20 * 1.1, abs=0.01)
    assert asked.status[4] == Status.EXTRAPOLATED
    assert asked.table.values[6] == pytest.approx(35 * 1.1, abs=0.01)
    assert (asked.status[4:] == Status.EXTRAPOLATED).all()


def test_a_pegged_end_is_never_touched() -> None:
    estimate = estimate_of(CURVE, 10.0, np.arange(7) < 4)
    pegged = DrivingShares(np.zeros(7), np.zeros(7), float(CURVE.axes[0].points[3]))
    asked = propose(
        estimate, PolicySettings(extrapolate_end=True), default_limits("maf"), None, pegged
    )
    # Point 3 was driven, up to the reading at which the sensor met its end.
    np.testing.assert_array_equal(asked.table.values[3:], CURVE.values[3:])
    assert (asked.status[3:] == Status.BEYOND).all() and asked.step_pct[2] > 5.0


def test_a_leaning_is_never_carried_past_the_end() -> None:
    asked = propose(
        estimate_of(CURVE, -10.0, np.arange(7) < 4),
        PolicySettings(extrapolate_end=True),
        default_limits("maf"),
    )
    assert (asked.table.values[4:] >= CURVE.values[4:]).all()


def test_a_lone_cell_off_its_neighbours_is_pointed_out() -> None:
    values = GRID.values.copy()
    assert kinks(GRID, values).sum() == 0
    assert shape_caution(GRID, values) == []
    values[1, 1] *= 1.08
    assert kinks(GRID, values).sum() == 1
    assert "1 cell" in shape_caution(GRID, values)[0].text
    assert kinks(GRID, GRID.values * 1.2).sum() == 0


@pytest.mark.parametrize("knob", POLICY_KNOBS, ids=lambda k: k.name)
def test_every_number_of_the_policy_has_a_range(knob) -> None:  # type: ignore[no-untyped-def]
    assert getattr(PolicySettings(), knob.name) == knob.default
    with pytest.raises(BadInputError, match=knob.name):
        PolicySettings(**{knob.name: knob.high + 1.0})


def test_switching_off_the_knock_rule_is_answered_with_a_caution() -> None:
    step = np.full((3, 3), -2.0)
    knocked = np.zeros((3, 3), bool)
    knocked[1, 1] = knocked[2, 2] = True
    assert "2 cells in which knock was seen" in knock_caution(step, knocked, None)[0].text
    assert "1 cell in" in knock_caution(step, knocked, {4})[0].text
    assert knock_caution(step, knocked, {0}) == []
    assert knock_caution(-step, knocked, None) == []
