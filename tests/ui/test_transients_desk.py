"""The Transients desk in the real window: classes laid out, a change shown on the tape, rounds told apart."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from lean_trim.core.transients.errors import GRID
from lean_trim.ui.desks.transients.class_panels import ClassPanels, _range_of, _Scale
from lean_trim.ui.desks.transients.desk import EMPTY, TransientsDesk
from lean_trim.ui.window.main_window import MainWindow

Until = Callable[..., None]
pytestmark = pytest.mark.slow


@pytest.fixture
def desk(driven: MainWindow, until: Until) -> TransientsDesk:
    driven.desks.show_desk("transients")
    made = driven.desks.desk("transients")
    assert isinstance(made, TransientsDesk)
    until(lambda: bool(made.panels.panels) and not driven.session.is_busy)
    return made


def on_a_trace(panels: ClassPanels, place: int, number: int) -> QPoint:
    """A point of the widget on the trace of one change, half a second after its edge."""
    panel = panels.panels[place]
    scale = _Scale(panels.area(place), _range_of(panel))
    error = float(np.interp(0.5, GRID, panel.one.events[number].error_pct))
    return QPoint(round(scale.x(0.5)), round(scale.y(error)))


def test_a_change_is_shown_on_the_tape_and_explains_itself(driven: MainWindow, desk: TransientsDesk) -> None:
    point = on_a_trace(desk.panels, 1, 0)
    event = desk.panels.event_at(point)
    assert event is not None and "A click shows it on the tape" in desk.panels.hint_at(point)
    QTest.mouseClick(desk.panels, Qt.MouseButton.LeftButton, pos=point)
    span = driven.session.selection.span
    assert span is not None and span[0] < event.edge_s < span[1]
    beside = QPoint(round(desk.panels.area(1).right()) - 60, round(desk.panels.area(1).top()) + 10)
    assert "Thin: single changes; thick: their mean" in desk.panels.hint_at(beside)


def test_proposals_film_warm_up_and_idle_are_told(desk: TransientsDesk) -> None:
    report = desk.transients.report
    assert report is not None
    assert desk.proposals.rowCount() == len(report.changes) > 5
    first = report.changes[0]
    assert desk.proposals.item(0, 3).text() == f"{first.proposed.percent:+.1f}".replace("-", "−") or (
        desk.proposals.item(0, 3).text() == f"{first.proposed.percent:+.1f}"
    )
    assert "Wall film:" in desk.film.text() and "quick changes" in desk.film.text()
    assert "°C" in desk.warm_up.text() and desk.idle.text().startswith("Idle,")
    assert "destroys engines" in desk.caution.text()


def test_panels_are_painted_in_both_themes_and_fit_the_least_window(
    driven: MainWindow, desk: TransientsDesk
) -> None:
    for night in (False, True):
        driven.actions_["night"].setChecked(night)
        driven.resize(1100, 640)
        image = desk.panels.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
        width, height = image.width(), image.height()
        pixels = np.frombuffer(image.constBits(), np.uint32).reshape(height, -1)[:, :width] & 0xFFFFFF
        accent = int(desk.panels.appearance.theme.accent.lstrip("#"), 16)
        assert (pixels == accent).sum() > 20
    assert desk.width() <= 1100
    driven.actions_["night"].setChecked(False)


def test_another_job_has_nothing_of_the_old_one(driven: MainWindow, desk: TransientsDesk) -> None:
    assert desk.transients.found
    driven.actions_["close_job"].trigger()
    assert desk.transients.found == {}
    assert desk.panels.panels == () and desk.panels.nothing == EMPTY
