"""What is decided and what is not is said on the buttons, and asked about where it matters."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QFileDialog

from lean_trim.core.data.log import Log
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.job.blobs import store_log
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.round_rail import round_lines
from lean_trim.ui.window.steps import State, steps_of
from lean_trim.workspace.additions import AddLogs
from tests.builders import changes_in
from tests.deciding import accept_knowingly, type_knowingly
from tests.ui.conftest import click

Until = Callable[..., None]
pytestmark = pytest.mark.slow


def press(button: QAbstractButton) -> None:
    assert button.isVisible() and button.isEnabled(), button.text()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    QApplication.processEvents()


@pytest.fixture
def chooser(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Path:
    """Where the file chooser puts the table."""
    path = tmp_path / "out.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    return path


def test_a_click_to_look_leaves_accept_all_where_it_was(driven: MainWindow) -> None:
    bar = table_desk(driven).bar
    waiting = driven.session.deciding.waiting_in()
    for cell in range(60, 70):
        click(driven, cell)
        assert bar.accept.text() == f"Accept all {waiting}"
    press(bar.accept)
    press(driven.confirm.go_on)
    assert driven.session.deciding.waiting_in() == 0
    assert driven.session.decision is not None and driven.session.decision.changed == waiting
    assert bar.state.text() == f"{waiting} decided, 0 not"


def test_accepting_the_chosen_says_how_many_and_how_many_are_left(driven: MainWindow) -> None:
    bar = table_desk(driven).bar
    steps = driven.rail.steps
    waiting = driven.session.deciding.waiting_in()
    assert bar.state.text() == f"0 decided, {waiting} not"
    assert steps.hand_over.text() == "Hand over, nothing decided…"
    click(driven, 70)
    assert bar.accept_chosen.text() == "Accept 1 chosen"
    press(bar.accept_chosen)
    assert bar.state.text() == f"1 decided, {waiting - 1} not"
    assert steps.hand_over.text() == "Hand over 1 decided…"
    assert steps_of(driven.session)[2].text == f"1 cell decided, {waiting - 1} wait"


@pytest.mark.parametrize("decide", [0, 1])
def test_handing_over_hardly_anything_is_asked_about_in_place(
    driven: MainWindow, chooser: Path, decide: int
) -> None:
    session = driven.session
    steps = driven.rail.steps
    if decide:
        click(driven, 70)
        driven.actions_["accept"].trigger()
    driven.actions_["hand_over"].trigger()
    assert not chooser.exists() and session.round is not None and not session.round.handed_over
    assert (
        f"{'Only 1' if decide else 'None'} of {changes_in(session.solver)}" in steps.question.text()
    )
    assert steps.question.isVisible() and not steps.hand_over.isVisible()
    press(steps.not_now)
    assert not steps.question.isVisible() and not chooser.exists()
    press(steps.hand_over)
    press(steps.accept_first)
    # The way goes on once the word is given, not before.
    assert not chooser.exists() and driven.confirm.isVisible()
    press(driven.confirm.go_on)
    assert chooser.exists() and session.round.handed_over
    assert session.deciding.waiting_in() == 0


def test_a_table_can_be_handed_over_unchanged_if_that_is_meant(
    driven: MainWindow, chooser: Path
) -> None:
    press(driven.rail.steps.hand_over)
    press(driven.rail.steps.go_anyway)
    assert chooser.exists() and driven.session.decision is not None
    assert driven.session.decision.changed == 0


def test_driving_again_with_nothing_decided_is_asked_about(
    driven: MainWindow, until: Until
) -> None:
    steps = driven.rail.steps
    press(steps.drive)
    assert (
        f"None of {changes_in(driven.session.solver)}" in steps.question.text()
        and not driven.session.is_busy
    )
    assert steps.go_anyway.text() == "Drive the table as it is"
    driven.session.rounds.drive_minutes = 0.5
    press(steps.accept_first)
    press(driven.confirm.go_on)
    assert driven.session.is_busy
    driven.session.cancel()
    until(lambda: not driven.session.is_busy)
    assert driven.session.decision is not None and driven.session.decision.changed == changes_in(
        driven.session.solver
    )


def test_the_question_goes_when_the_round_is_left(driven: MainWindow) -> None:
    press(driven.rail.steps.hand_over)
    assert driven.rail.steps.question.isVisible()
    accept_knowingly(driven.session.deciding)
    QApplication.processEvents()
    assert not driven.rail.steps.question.isVisible()


def test_the_rail_says_what_the_round_waits_for(driven: MainWindow, chooser: Path) -> None:
    session = driven.session
    assert [s.state for s in steps_of(session)] == [
        State.DONE,
        State.DONE,
        State.NOW,
        State.OPEN,
        State.OPEN,
    ]
    accept_knowingly(session.deciding)
    press(driven.rail.steps.hand_over)
    assert session.job is not None
    assert "handed over, waiting for a log" in round_lines(session.job, 0)
    assert steps_of(session)[4].text == "Waiting for the next log"
    type_knowingly(session.deciding, "+3%", frozenset({5}))
    changed = steps_of(session)[3]
    assert changed.text == "Changed since handed over" and changed.state is State.NOW


def test_the_same_table_driven_again_is_neither_better_nor_good_enough(
    driven: MainWindow, until: Until, short_log: Log
) -> None:
    session = driven.session
    session.rounds.begin_round()
    assert session.round is not None
    AddLogs(session.open, session.navigation, session.round.id, (store_log(short_log),)).apply()
    until(lambda: session.solution is not None and not session.is_busy)
    assert session.job is not None
    lines = round_lines(session.job, 1)
    said = table_desk(driven).header.text + "\n".join(lines)
    assert "The same table was driven again" in said and lines[2].startswith("same table")
    for word in ("Better", "Good enough", "No real change", "Noise floor"):
        assert word.lower() not in said.lower()


def test_copying_a_table_nobody_decided_on_hands_nothing_over(driven: MainWindow) -> None:
    driven.actions_["copy"].trigger()
    assert driven.session.round is not None and not driven.session.round.handed_over
    assert "nothing is decided" in driven.messages.text.text()
    accept_knowingly(driven.session.deciding)
    driven.actions_["copy"].trigger()
    assert driven.session.round.handed_over.endswith("clipboard")
