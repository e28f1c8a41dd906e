"""Whatever was looked at, in whatever order, the window never needs more than 1100 × 640."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QSize, Qt
from PySide6.QtWidgets import QAbstractButton, QApplication, QLabel

from lean_trim.ui.widgets.choice_button import ChoiceButton
from lean_trim.ui.widgets.elided_line import ElidedLine
from lean_trim.ui.widgets.fold import Fold
from lean_trim.ui.widgets.marked_tab import MarkedTab
from lean_trim.ui.window.main_window import MainWindow
from tests.deciding import accept_knowingly
from tests.ui.walking import states_of, turn_to, walked

Until = Callable[..., None]
LEAST = QSize(1100, 640)
ROOT = Path(__file__).resolve().parents[2]
pytestmark = pytest.mark.slow


@pytest.mark.parametrize("night", [False, True])
def test_no_sequence_of_desks_and_pages_outgrows_the_screen(
    driven: MainWindow, night: bool
) -> None:
    """The Injectors desk once left the window at least 1334 px wide for good."""
    driven.actions_["night"].setChecked(night)
    driven.resize(LEAST)
    states = states_of(driven)
    assert len(states) >= 10
    walk = walked(driven, pairs=not night)
    assert len(walk) >= (len(states) if night else len(states) * (len(states) - 1))
    for pair, size in walk.items():
        assert size.width() <= LEAST.width() and size.height() <= LEAST.height(), (pair, size)
        assert driven.size() == LEAST, pair


def test_nor_does_it_at_one_and_a_half_times_the_scale(job_path: Path, tmp_path: Path) -> None:
    env = {**os.environ, "QT_SCALE_FACTOR": "1.5", "QT_QPA_PLATFORM": "offscreen"}
    run = subprocess.run(
        [sys.executable, "-m", "tests.ui.walking", str(job_path), str(tmp_path / "data")],
        cwd=ROOT,
        env=env,
        capture_output=True,
        text=True,
        check=True,
        timeout=120,
    )
    width, height, scale = (float(x) for x in run.stdout.split())
    assert scale == 1.5
    assert width <= LEAST.width() and height <= LEAST.height()


def test_the_start_page_and_a_new_job_fit_as_well(window: MainWindow) -> None:
    window.resize(LEAST)
    for _ in range(3):
        QApplication.processEvents()
    assert window.minimumSizeHint().width() <= LEAST.width()
    page = window._begin_job()
    page.car.more.unfold(True)
    for place in (0, 1):
        page.tables.turn_to(place)
        for _ in range(3):
            QApplication.processEvents()
        size = window.minimumSizeHint()
        assert size.width() <= LEAST.width() and size.height() <= LEAST.height()


def test_names_of_desks_and_pages_stay_where_they_are(driven: MainWindow, until: Until) -> None:
    """A count that came up beside one moved the others, and clicks landed on the neighbour."""

    def places() -> list[tuple[QPoint, QSize]]:
        for _ in range(3):
            QApplication.processEvents()
        tabs = [*driven.desks.buttons.buttons(), *driven.margin.buttons.buttons()]
        return [(b.mapTo(driven, QPoint(0, 0)), b.size()) for b in tabs if b.isVisible()]

    turn_to(driven, ("table", "evidence"))
    driven.resize(1280, 800)
    waiting = places()
    accept_knowingly(driven.session.deciding)
    assert places() == waiting
    driven.session.rounds.begin_round()
    until(lambda: not driven.session.is_busy)
    assert driven.session.solution is None
    assert places() == waiting


def clipped(window: MainWindow) -> list[str]:
    """Words on the screen that are cut without a sign of it."""
    out = []
    for label in window.findChildren(QLabel):
        if label is window.status.hover or label.wordWrap() or not label.isVisible():
            continue
        # A line that is to end in dots says the whole when it is pointed at.
        if isinstance(label, ElidedLine) and label.toolTip():
            continue
        lines = label.text().split("\n") if label.textFormat() != Qt.TextFormat.RichText else []
        needed = max((label.fontMetrics().horizontalAdvance(x) for x in lines), default=0)
        if needed > label.contentsRect().width() + 1:
            out.append(label.text())
    for button in window.findChildren(QAbstractButton):
        if isinstance(button, MarkedTab | ChoiceButton) or not button.isVisible():
            continue
        text = button.text().replace("&", "")
        if button.fontMetrics().horizontalAdvance(text) > button.width() - 2:
            out.append(text)
    return out


def test_no_word_is_cut_on_any_desk_or_page(driven: MainWindow) -> None:
    """ "Share of more than tha" and "Whole at full throttle to" once stood on the Write page."""
    driven.resize(LEAST)
    for state in states_of(driven):
        turn_to(driven, state)
        for fold in driven.margin.findChildren(Fold):
            if fold.isVisible():
                fold.unfold(True)
        QApplication.processEvents()
        assert clipped(driven) == [], state
