"""A row, a column or a whole curve, with everything that stands behind its points."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.decision.decision import Origin, undecided
from lean_trim.core.decision.proposal import PolicySettings, propose
from lean_trim.core.explore.slices import cells_along, slice_of
from tests.core.decision.test_proposal import LIMITS, TABLE, estimate

ASKED = np.array([[5.0, 0.0, -5.0], [2.0, 1.0, -1.0], [0.0, 3.0, 6.0]])


def test_a_row_and_a_column_through_a_cell() -> None:
    assert cells_along(TABLE, 4, along=1).tolist() == [3, 4, 5]
    assert cells_along(TABLE, 4, along=0).tolist() == [1, 4, 7]


def test_every_line_is_that_of_its_cells() -> None:
    found = estimate(ASKED)
    proposal = propose(found, PolicySettings(), LIMITS)
    decision = replace(undecided(TABLE), values=TABLE.values + 1.0)
    decision.origin[1, 1] = Origin.BY_HAND
    s = slice_of(TABLE, 4, 1, decision, proposal, found, averages=found, truth=TABLE.values * 1.1)
    driven = TABLE.values[1]
    np.testing.assert_allclose(s.decided, driven + 1.0)
    np.testing.assert_allclose(s.proposed, proposal.table.values[1])
    np.testing.assert_allclose(s.asked, driven * (1 + ASKED[1] / 100))
    error = found.own_error_pct[1]
    np.testing.assert_allclose(s.high - s.low, driven * 2 * error / 100)
    np.testing.assert_allclose(s.averaged, s.asked)
    np.testing.assert_allclose(s.truth, driven * 1.1)
    assert s.decided_here.tolist() == [False, True, False]
    assert s.place == f"{TABLE.axes[0].shown[1]:g} {TABLE.axes[0].shown_unit}"
    np.testing.assert_allclose(s.in_percent().asked, ASKED[1], atol=1e-9)
    assert s.in_percent().unit == "%"


def test_without_a_drive_only_what_is_there_is_said() -> None:
    s = slice_of(TABLE, 0, 0, undecided(TABLE))
    for line in (s.proposed, s.asked, s.low, s.averaged, s.truth):
        assert np.isnan(line).all()
    assert (s.seconds == 0.0).all()


def test_trims_of_zero_have_a_percentage_and_their_own_numbers() -> None:
    axis = Axis("maf", "Hz", np.array([1000.0, 2000.0, 3000.0]))
    curve = Table((axis,), np.array([100.0, 103.0, 98.0]), "%", "trims", OwnUnit("%", 1.0, -100.0))
    decision = replace(undecided(curve), values=curve.values * 1.02)
    s = slice_of(curve, 0, 0, decision)
    np.testing.assert_allclose(s.in_own(curve).driven, [0.0, 3.0, -2.0])
    np.testing.assert_allclose(s.in_percent().decided, [2.0, 2.0, 2.0])
    assert s.in_own(curve).unit == "%" and s.place == ""


def test_ticks_are_round_and_inside() -> None:
    from lean_trim.ui.widgets.curve_scale import ticks

    assert ticks(-3.2, 11.9) == [0.0, 5.0, 10.0]
    assert ticks(2.3, 260.0, log=True) == [5.0, 10.0, 20.0, 50.0, 100.0, 200.0]
    assert len(ticks(80.1, 80.9)) >= 4


@pytest.mark.parametrize("log", [False, True])
def test_a_scale_and_its_inverse(log: bool) -> None:
    from PySide6.QtCore import QRectF

    from lean_trim.ui.widgets.curve_scale import CurveScale

    scale = CurveScale(
        QRectF(60, 30, 500, 300),
        np.array([1000.0, 2000.0, 8000.0]),
        np.array([3.0, 240.0]),
        log_across=log,
        log_up=log,
    )
    assert scale.x(1000.0) == pytest.approx(60.0) and scale.x(8000.0) == pytest.approx(560.0)
    # Of three doublings the first is a third of the way.
    assert scale.x(2000.0) == pytest.approx(60.0 + 500.0 * (1 / 3 if log else 1 / 7))
    for value in (3.0, 17.5, 240.0):
        assert scale.value(scale.y(value)) == pytest.approx(value)
