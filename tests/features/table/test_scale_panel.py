"""The scale is moved on the Write page, where the end of the field was met."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest

from lean_trim.core.data.calibration import ScaleAt
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.steps import steps_of
from tests.ui.conftest import write_page

pytestmark = pytest.mark.slow


def test_the_end_of_the_field_opens_the_fold_and_a_button_moves_the_scale(
    driven: MainWindow, until: Callable[..., None]
) -> None:
    session = driven.session
    driven.margin.show_page("write")
    page = write_page(driven)
    assert page.scale_fold.contents.isHidden()
    assert session.open.job is not None and session.round is not None
    narrow = TableLimits(0.1, 5.0, float(session.round.table.values.max()))
    session.open.job = replace(
        session.open.job, vehicle=replace(session.open.job.vehicle, limits=narrow)
    )
    session.solver.solve()
    until(lambda: not session.is_busy)
    assert not page.scale_fold.contents.isHidden()
    panel = page.scale
    assert "pass the field's highest number" in panel.reasons.text() and panel.factor.value() > 1.0
    panel.factor.setValue(1.25)
    button = panel.ways[ScaleAt.DISPLACEMENT].button
    assert button.text() == "Displacement 1.8 → 2.25 L"
    button.click()
    assert session.round.scale_moved == pytest.approx(1.25)
    assert panel.reasons.text().startswith("Enter displacement 1.8 → 2.25 L")
    assert panel.ways[ScaleAt.FLOW].isHidden() and not panel.ways[ScaleAt.DISPLACEMENT].isHidden()
    assert "Scale × 1.25" in " ".join(step.text for step in steps_of(session))
    panel.back.click()
    assert session.round.scale_moved == 1.0 and not panel.ways[ScaleAt.FLOW].isHidden()
