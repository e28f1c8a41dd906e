"""The mouse wheel scrolls pages and turns no setting under the pointer."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PySide6.QtCore import QPoint, QPointF
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QScrollArea,
    QScrollBar,
    QWidget,
)

from lean_trim.ui.window.main_window import MainWindow
from tests.builders import PAGES
from tests.ui.conftest import sieve_page, write_page

Until = Callable[..., None]


def scroll_over(widget: QWidget, notches: int = -3) -> None:
    """Turn the wheel with the pointer over the middle of a widget."""
    window = widget.window()
    middle = QPointF(widget.mapTo(window, widget.rect().center()))
    QTest.wheelEvent(window.windowHandle(), middle, QPoint(0, 120 * notches))
    QApplication.processEvents()


def controls(window: MainWindow) -> list[QWidget]:
    """Everything in the window that a wheel could turn."""
    kinds = (QAbstractSlider, QAbstractSpinBox, QComboBox)
    return [
        w
        for w in window.findChildren(QWidget)
        if isinstance(w, kinds) and not isinstance(w, QScrollBar)
    ]


def value_of(control: QWidget) -> object:
    if isinstance(control, QComboBox):
        return control.currentIndex()
    return control.value()  # type: ignore[attr-defined]


@pytest.mark.slow
def test_scrolling_over_every_control_changes_no_setting(driven: MainWindow, until: Until) -> None:
    for row in sieve_page(driven).rows.values():
        row.unfold(True)
    before = driven.session.tuning.state
    seen = 0
    for name in PAGES:
        driven.margin.show_page(name)
        QApplication.processEvents()
        for control in controls(driven):
            if control.isVisible():
                value = value_of(control)
                scroll_over(control)
                scroll_over(control, 3)
                assert value_of(control) == value, control.accessibleName()
                assert not control.hasFocus()
                seen += 1
    assert seen > 40
    assert driven.session.tuning.state == before
    assert driven.session.history.count() == 0


@pytest.mark.slow
def test_a_page_scrolls_under_a_control_and_a_focused_one_turns(driven: MainWindow) -> None:
    driven.resize(1100, 640)
    driven.margin.show_page("write")
    QApplication.processEvents()
    page = write_page(driven)
    area = page.findChild(QScrollArea)
    assert area is not None
    bar = area.verticalScrollBar()
    bar.setValue(0)
    scroll_over(page.table.cells["gain_idle"])
    assert bar.maximum() > 0
    assert bar.value() > 0
    page.unvisited.setFocus()
    area.ensureWidgetVisible(page.unvisited)
    QApplication.processEvents()
    scroll_over(page.unvisited, -1)
    assert page.unvisited.currentIndex() == 1


def is_safe(widget: QWidget) -> bool:
    return any(kind.__module__.endswith("wheel_safe") for kind in type(widget).__mro__)


def test_every_control_made_is_of_the_safe_kind(window: MainWindow) -> None:
    for name in PAGES:
        window.margin.page(name)
    unsafe = [w for w in controls(window) if not is_safe(w)]
    assert [type(w).__name__ + " " + w.accessibleName() for w in unsafe] == []
