"""The checklist in the real window: answered, dated, kept, undone, and asked anew after a drive."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication

from lean_trim.core.errors import BadInputError
from lean_trim.features.planning.checklist import Checklist
from lean_trim.features.planning.desk.desk import PlanDesk
from lean_trim.job.loading import load_job
from lean_trim.ui.window.main_window import MainWindow
from tests.deciding import accept_knowingly

pytestmark = pytest.mark.slow
Until = Callable[..., None]


def desk_of(window: MainWindow) -> PlanDesk:
    window.show_desk("plan")
    desk = window.desk("plan")
    assert isinstance(desk, PlanDesk)
    QApplication.processEvents()
    return desk


def test_answers_are_dated_kept_and_undone(driven: MainWindow, job_path: Path) -> None:
    desk = desk_of(driven)
    desk.page_buttons.button(1).click()
    checks = desk.checks
    before = checks.open_lines
    # What the log shows is answered by it.
    assert checks.boxes["warm"].isChecked() and "by the last log" in checks.notes["warm"].text()
    assert not checks.boxes["backup"].isChecked()
    checks.boxes["backup"].click()
    checks.nos["second"].click()
    assert checks.open_lines == before - 1
    assert f"{before - 1} open" in desk.page_buttons.button(1).text()
    assert "by you, " in checks.notes["backup"].text() and checks.nos["second"].isChecked()
    words = load_job(job_path).rounds[0].words
    assert words[("check", "backup")].text == "yes" and words[("check", "second")].text == "no"
    driven.session.navigation.undo()
    assert ("check", "second") not in load_job(job_path).rounds[0].words
    checks.boxes["backup"].click()
    assert not load_job(job_path).rounds[0].words
    # The user may say no to what the log shows.
    checks.nos["warm"].click()
    assert not checks.boxes["warm"].isChecked()


def test_after_the_next_drive_it_is_asked_anew_and_says_what_was_said_before(
    driven: MainWindow, until: Until
) -> None:
    session = driven.session
    desk = desk_of(driven)
    desk.checks.boxes["fire"].click()
    accept_knowingly(session.deciding)
    session.rounds.drive_minutes = 2.0
    session.rounds.drive()
    until(
        lambda: session.job is not None and len(session.job.rounds) == 2 and not session.is_busy, 90
    )
    desk = desk_of(driven)
    desk.refresh()
    line = next(x for x in session.part(Checklist).lines() if x.item.key == "fire")
    assert line.answer is None and line.last is not None and line.is_so is None
    assert "before an earlier drive: yes" in desk.checks.notes["fire"].text()


@pytest.mark.parametrize(
    "row", [("check", "x", "y" * 100_001, "2026-01-01"), ("check", "x", "yes", "yesterday")]
)
def test_words_that_cannot_be_are_refused(
    driven: MainWindow, job_path: Path, row: tuple[str, str, str, str]
) -> None:
    driven.actions_["close_job"].trigger()
    with sqlite3.connect(job_path) as db:
        db.execute("INSERT INTO round_words VALUES (1, ?, ?, ?, ?)", row)
    db.close()
    with pytest.raises(BadInputError, match="a note cannot be"):
        load_job(job_path)
