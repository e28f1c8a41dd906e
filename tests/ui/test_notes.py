"""Notes in the real window: kept when a field is left, never with another round or cell, found, reported."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.features.report.content import report_of
from lean_trim.features.report.report_html import report_html
from lean_trim.features.table.pages.evidence_page import EvidencePage
from lean_trim.job.loading import load_job
from lean_trim.ui.window.finder import Finder
from lean_trim.ui.window.finding import go_to_note
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.notes import Note, Notes, cell_of
from tests.ui.conftest import logs_page

pytestmark = pytest.mark.slow
Until = Callable[..., None]


def words_of(path: Path, index: int = 0) -> dict[str, str]:
    words = load_job(path).rounds[index].words
    return {key: word.text for (kind, key), word in words.items() if kind == "note"}


def evidence(window: MainWindow) -> EvidencePage:
    page = window.margin.page("evidence")
    assert isinstance(page, EvidencePage)
    return page


def test_what_is_noted_of_a_round_is_kept_undone_and_found(
    driven: MainWindow, job_path: Path
) -> None:
    driven.margin.show_page("logs")
    panel = logs_page(driven).notes
    line = panel.lines["weather"]
    line.setFocus()
    QTest.keyClicks(line, "18 °C, dry")
    QTest.keyClick(line, Qt.Key.Key_Return)
    assert words_of(job_path) == {"weather": "18 °C, dry"}
    panel.text.setFocus()
    QTest.keyClicks(panel.text, "hissing near the manifold")
    line.setFocus()
    QApplication.processEvents()
    assert words_of(job_path)["round"] == "hissing near the manifold"
    driven.session.navigation.undo()
    assert "round" not in words_of(job_path) and panel.text.toPlainText() == ""
    driven.session.navigation.redo()
    assert panel.text.toPlainText() == "hissing near the manifold"
    finder = Finder(driven.actions_, driven, driven.session.part(Notes).found)
    went: list[Note] = []
    finder.went.connect(went.append)
    finder.line.setText("hissing")
    finder.run_chosen()
    assert went and went[0].said == "Round 1, note on this round: hissing near the manifold"


def test_a_note_that_is_being_typed_is_kept_with_its_own_round_and_cell(
    driven: MainWindow, job_path: Path
) -> None:
    session = driven.session
    session.rounds.begin_round()
    driven.margin.show_page("logs")
    panel = logs_page(driven).notes
    panel.lines["who"].setFocus()
    QTest.keyClicks(panel.lines["who"], "the second driver")
    # The round is left without leaving the line.
    session.navigation.show_round(0)
    assert words_of(job_path, 1) == {"who": "the second driver"} and words_of(job_path, 0) == {}
    assert panel.lines["who"].text() == ""
    driven.margin.show_page("evidence")
    session.selection.set_cells(frozenset({5, 6}))
    note = evidence(driven).note
    note.setFocus()
    QTest.keyClicks(note, "knocks when hot")
    session.selection.set_cells(frozenset({40}))
    assert note.text() == ""
    assert words_of(job_path, 0) == {"cell:ve:5": "knocks when hot", "cell:ve:6": "knocks when hot"}
    session.selection.set_cells(frozenset({6}))
    assert note.text() == "knocks when hot"
    session.navigation.undo()
    assert words_of(job_path, 0) == {}


def test_closing_the_job_keeps_what_is_being_typed(driven: MainWindow, job_path: Path) -> None:
    driven.margin.show_page("logs")
    line = logs_page(driven).notes.lines["fuel"]
    line.setFocus()
    QTest.keyClicks(line, "E10")
    driven.actions_["close_job"].trigger()
    assert words_of(job_path) == {"fuel": "E10"}


def test_a_note_leads_to_its_cell_and_stands_in_the_report_if_ticked(
    driven: MainWindow, job_path: Path
) -> None:
    session = driven.session
    notes = session.part(Notes)
    notes.type_in_cells({7}, "a step in the map <b>")
    notes.flush()
    session.rounds.begin_round()
    driven.show_desk("plan")
    (found,) = notes.found("STEP map")
    go_to_note(driven, found)
    assert session.index == 0 and session.selection.cells == frozenset({7})
    assert notes.found("") == () and notes.found("nowhere") == ()
    job = session.job
    assert job is not None
    assert "a step" not in report_html(report_of(job, job.rounds[0], None, None, None))
    assert notes.put_in_report(True)
    text = report_html(report_of(session.job, session.job.rounds[0], None, None, None))  # type: ignore[arg-type, union-attr]
    assert "a step in the map &lt;b&gt;" in text


@pytest.mark.parametrize("key", ["cell:ve", "cell:ve:-1", "cell:ve:x", "round", "cell:a:b:1"])
def test_keys_that_name_no_cell_are_none(key: str) -> None:
    assert cell_of(key) is None
