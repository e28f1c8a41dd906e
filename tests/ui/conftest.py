"""A real window on a throw-away folder."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from lean_trim.features.logs.pages.logs_page import LogsPage
from lean_trim.features.registry import FEATURES
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.features.table.pages.evidence_page import EvidencePage
from lean_trim.features.table.pages.findings_page import FindingsPage
from lean_trim.features.table.pages.fit_page import FitPage
from lean_trim.features.table.pages.sieve_page import SievePage
from lean_trim.features.table.pages.write_page import WritePage
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.main_window import MainWindow


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path, first_solve: None) -> Iterator[MainWindow]:
    made = make_window(FEATURES, tmp_path / "data")
    made.resize(1280, 800)
    made.show()
    QApplication.processEvents()
    yield made
    # A test may end on a disk that refused; the window would ask what becomes of that.
    made.session.saving.unsaved.clear()
    made.close()
    made.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    QApplication.processEvents()


@pytest.fixture
def until(qtbot: QtBot) -> Callable[[Callable[[], bool]], None]:
    """Wait for something while the window lives."""

    def wait(condition: Callable[[], bool], seconds: float = 60.0) -> None:
        qtbot.waitUntil(condition, timeout=int(1000 * seconds))

    return wait


@pytest.fixture
def driven(
    window: MainWindow, job_path: Path, until: Callable[[Callable[[], bool]], None]
) -> MainWindow:
    """The window on a demo job whose first round has been driven and solved."""
    window.opening.open_job(job_path)
    until(lambda: window.session.solution is not None and not window.session.is_busy)
    # Most of what is tried is tried beside an open tape.
    window.fold.open()
    QApplication.processEvents()
    return window


def center(window: MainWindow, cell: int) -> QPoint:
    return table_desk(window).table.tile_rect(cell).center().toPoint()


def click(
    window: MainWindow, cell: int, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
) -> None:
    QTest.mouseClick(
        table_desk(window).table, Qt.MouseButton.LeftButton, modifier, center(window, cell)
    )


def drag(widget: object, start: QPoint, end: QPoint) -> None:
    """Press, move in steps, release."""
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)  # type: ignore[call-overload]
    for i in range(1, 6):
        QTest.mouseMove(widget, start + (end - start) * i / 5)  # type: ignore[call-overload]
        QApplication.processEvents()
        time.sleep(0.001)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, end)  # type: ignore[call-overload]
    QApplication.processEvents()


def evidence_page(window: MainWindow) -> EvidencePage:
    page = window.margin.page("evidence")
    assert isinstance(page, EvidencePage)
    return page


def findings_page(window: MainWindow) -> FindingsPage:
    page = window.margin.page("findings")
    assert isinstance(page, FindingsPage)
    return page


def sieve_page(window: MainWindow) -> SievePage:
    page = window.margin.page("sieve")
    assert isinstance(page, SievePage)
    return page


def fit_page(window: MainWindow) -> FitPage:
    page = window.margin.page("fit")
    assert isinstance(page, FitPage)
    return page


def logs_page(window: MainWindow) -> LogsPage:
    page = window.margin.page("logs")
    assert isinstance(page, LogsPage)
    return page


def write_page(window: MainWindow) -> WritePage:
    page = window.margin.page("write")
    assert isinstance(page, WritePage)
    return page
