"""A learned map in the real window: pasted, shown on the tiles, taken with a word, undone, kept."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.learned.reading import CellState
from lean_trim.features.logs.pages.learned_panel import LearnedPanel
from lean_trim.features.logs.pages.logs_page import LogsPage
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from lean_trim.ui.window.main_window import MainWindow

pytestmark = pytest.mark.slow
LEFT = Qt.MouseButton.LeftButton
RPM = "kPa\\rpm\t600\t900\t1200\t1600\t2000\t2500\t3000"


def grid(trim: float, high: float = 0.0) -> str:
    """Learned from 900 to 2500 rpm and 35 to 75 kPa, and at 90 kPa where that is said."""
    rows = [RPM]
    for kpa in (25, 35, 45, 55, 65, 75, 90):
        inside = trim if 30 < kpa < 80 else high if kpa == 90 else 0.0
        rows.append("\t".join([f"{kpa}", "0", *[f"{inside:g}"] * 5, "0"]))
    return "\n".join(rows)


def panel(window: MainWindow) -> LearnedPanel:
    page = window.margin.page("logs")
    assert isinstance(page, LogsPage)
    return page.learned


def paste(window: MainWindow, text: str) -> LearnedPanel:
    QGuiApplication.clipboard().setText(text)
    window.actions_["paste_learned"].trigger()
    QApplication.processEvents()
    return panel(window)


@pytest.fixture
def empty_job(tmp_path: Path) -> Path:
    """A job of a car nobody drove."""
    path = tmp_path / "undriven.leantrim"
    JobStore.create(path, heron()).close()
    return path


@pytest.fixture
def undriven(
    window: MainWindow, empty_job: Path, until: Callable[[Callable[[], bool]], None]
) -> MainWindow:
    """The window on a job without a log."""
    window.opening.open_job(empty_job)
    until(lambda: window.session.job is not None and not window.session.is_busy)
    return window


def test_alone_it_is_shown_taken_undone_and_kept(undriven: MainWindow, empty_job: Path) -> None:
    window = undriven
    session = window.session
    told = paste(window, grid(5.0))
    assert told.isVisible() and "25 cells learned, 24 not visited" in told.told.text()
    assert "to zero" in told.words.text() and "Lock it" in told.advice.text()
    before = session.decision
    assert before is not None
    QTest.mouseClick(told.offer, LEFT)
    desk = table_desk(window)
    assert "The learned map would change" in desk.bar.offer.said.text()
    assert desk.table.preview is not None
    assert session.decision is not None and session.decision.changed == 0
    QTest.mouseClick(desk.bar.offer.buttons[0], LEFT)
    decided = session.decision
    assert decided is not None and decided.changed > 10
    richer = decided.values / before.values - 1.0
    assert richer.max() == pytest.approx(0.05, abs=0.01) and richer.min() == 0.0
    window.session.navigation.undo()
    assert session.decision is not None and np.array_equal(session.decision.values, before.values)
    window.session.navigation.redo()
    kept = load_job(empty_job).rounds[0]
    assert kept.learned is not None and kept.learned.source == "the clipboard"
    assert kept.decided.changed == decided.changed
    assert "Take the learned map" in kept.steps[-1].text


def test_leaner_needs_a_word_and_above_80_kpa_nothing_is_taken_out(undriven: MainWindow) -> None:
    window = undriven
    told = paste(window, grid(-6.0, high=-6.0))
    QTest.mouseClick(told.offer, LEFT)
    desk = table_desk(window)
    assert "above 80 kPa stay" in desk.bar.offer.said.text()
    QTest.mouseClick(desk.bar.offer.buttons[0], LEFT)
    session = window.session
    assert session.deciding.confirming.waiting is not None
    assert session.decision is not None and session.decision.changed == 0
    assert session.deciding.confirm()
    assert session.round is not None
    change = session.decision.values / session.round.table.values - 1.0
    high = session.round.table.axes[0].points > 80.0
    assert (change[high] == 0.0).all() and change.min() < -0.04


def test_the_bias_is_said_undone_and_refused_beyond_its_range(undriven: MainWindow) -> None:
    window = undriven
    told = paste(window, grid(5.0))
    told.bias.setValue(2.0)
    learned = window.session.learned
    assert learned.reading is not None and learned.map is not None
    assert np.nanmax(learned.reading.fuel_pct) == pytest.approx(100.0 * (1.05 / 1.02 - 1.0))
    window.session.navigation.undo()
    assert learned.map is not None and learned.map.bias_pct == 0.0 and told.bias.value() == 0.0
    assert not learned.say_bias(9.0)
    assert "allowed are 0 to 5" in window.messages.text.text()


def test_beside_a_drive_only_what_nobody_drove_changes(driven: MainWindow) -> None:
    session = driven.session
    paste(driven, grid(5.0))
    found = session.learned.correction
    assert found is not None and session.solution is not None
    assert not (found.by_map & session.solution.estimate.supported).any()
    assert np.isfinite(found.differs_pct)


def test_a_click_on_a_cell_chooses_what_it_stands_for_and_says_what_it_is(
    undriven: MainWindow,
) -> None:
    told = paste(undriven, grid(5.0))
    cell = 2 * 7 + 3
    assert told.view.reading is not None
    assert told.view.reading.state.ravel()[cell] == CellState.LEARNED
    at = told.view.tile_rect(cell).center().toPoint()
    assert told.view.hint_at(at) == "45 kPa, 1600 rpm: +5.0 %, learned"
    assert "not visited" in told.view.hint_at(told.view.tile_rect(0).center().toPoint())
    assert told.view.hint_at(QPoint(1, 1)) == ""
    QTest.mouseClick(told.view, LEFT, pos=at)
    session = undriven.session
    assert session.round is not None and session.selection.cells
    table = session.round.table
    for chosen in session.selection.cells:
        row, column = np.unravel_index(chosen, table.shape)
        assert 40.0 <= table.axes[0].points[row] <= 50.0
        assert 1400.0 <= table.axes[1].points[column] <= 1800.0


def test_another_table_or_unit_is_refused_in_words_and_nothing_is_kept(
    undriven: MainWindow,
) -> None:
    session = undriven.session
    for text, word in (
        ("nothing\tat\tall\nreally\tno\tnumbers", "number"),
        (grid(5.0).replace("kPa", "TPS %"), "no grid tells"),
        (
            "kPa\\rpm\t900\t1800\t2700\n40\t1.02\t1\t1\n60\t1\t1\t1.1\n90\t1\t1\t1",
            "written as factor",
        ),
    ):
        paste(undriven, text)
        assert word in undriven.messages.text.text(), undriven.messages.text.text()
        assert session.learned.map is None
    told = panel(undriven)
    told.unit_choice.chosen.emit("factor")
    paste(undriven, "kPa\\rpm\t900\t1800\t2700\n40\t1.02\t1\t1\n60\t1\t1\t1.1\n90\t1\t1\t1")
    assert session.learned.map is not None


def test_put_away_and_back(undriven: MainWindow) -> None:
    told = paste(undriven, grid(5.0))
    QTest.mouseClick(told.away, LEFT)
    assert undriven.session.learned.map is None and told.isHidden() is False
    assert not told.offer.isVisible()
    undriven.session.navigation.undo()
    assert undriven.session.learned.map is not None
