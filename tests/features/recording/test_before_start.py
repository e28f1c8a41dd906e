"""What is in doubt is asked before the drive starts, and remembered for the next time."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.features.planning.desk.desk import PlanDesk
from lean_trim.features.recording import live_drive
from lean_trim.features.recording.live_drive import CHANNELS
from lean_trim.features.recording.memory import memory_in
from lean_trim.features.recording.pages.record_page import RecordPage
from lean_trim.formats.recording.reading import read_recording
from lean_trim.ui.window.main_window import MainWindow
from tests.ui.hands import pick, type_into
from tests.ui.test_import import doubtful, field

pytestmark = pytest.mark.slow
LEFT = Qt.MouseButton.LeftButton
Until = Callable[[Callable[[], bool]], None]


@pytest.fixture
def page(driven: MainWindow) -> Iterator[RecordPage]:
    driven.show_desk("plan")
    desk = driven.desk("plan")
    assert isinstance(desk, PlanDesk)
    QTest.mouseClick(desk.page_buttons.button(2), LEFT)
    yield desk.record
    if desk.record.live.is_running:
        desk.record.live.stop(take_in=False)


def listen(page: RecordPage, until: Until, log: Log, folder: Path) -> None:
    path = doubtful(log, folder / "sources.csv")
    page.sources.setPlainText(f"file:{path}?pace=15")
    QTest.mouseClick(page.begin, LEFT)
    until(lambda: page.live.understood is not None)


def test_doubts_are_answered_before_the_start_and_never_again(
    driven: MainWindow, page: RecordPage, until: Until, short_log: Log, tmp_path: Path
) -> None:
    live = page.live
    listen(page, until, short_log, tmp_path)
    assert live.listens and "Not started yet, in doubt" in page.doubts.text()
    assert "would fit bar" in page.doubts.text() and "listening" in page.state.text()
    # Nothing is loud before the start.
    assert not page.view.alarms
    QTest.mouseClick(page.ask, LEFT)
    until(lambda: driven.session.imports.current is not None)
    sheet = driven.import_sheet
    assert driven.desks.stack.currentWidget() is sheet
    pick(field(driven, "Saugrohrdruck", 2), "bar")
    until(lambda: not driven.session.imports.answers.is_reading)
    type_into(field(driven, "Wideband", 2), "0 V = 0.68, 5 V = 1.36")
    answers = driven.session.imports.answers
    until(lambda: not answers.is_reading and "two points" not in sheet.questions.text())
    # What little was heard of cannot tell everything yet; more of the drive can.
    assert sheet.add.isEnabled() and sheet.add.text().startswith("Keep the answers")
    QTest.mouseClick(sheet.add, LEFT)
    until(lambda: not live.listens)
    assert driven.session.imports.current is None and not page.ask.isVisible()
    until(lambda: live.understood is not None and not live.understood.doubts)
    assert live.understood is not None and live.understood.allowed.tables
    path = live.path
    assert path is not None
    # Lambda was proven, and is known by now.
    known = memory_in(driven.session.open.setting(CHANNELS))
    assert "lambda_measured" in {str(m.role) for m in known.values()}
    live.stop(take_in=False)
    assert "drive" in [n["note"] for n in read_recording(path).notes]
    # The next time nothing is asked, and the watch sees before anything was understood anew.
    heard = page.view.live
    QTest.mouseClick(page.begin, LEFT)
    until(lambda: bool(heard.now() and heard.now().values))  # type: ignore[union-attr]
    assert live.understood is None
    now = live.now()
    assert now is not None
    assert next(w for w in now.watches if w.rule == "lost").off is None
    until(lambda: not live.listens)
    assert driven.session.imports.current is None


def test_a_drive_starts_with_doubts_at_the_users_word_and_solves_nothing(
    driven: MainWindow, page: RecordPage, until: Until, short_log: Log, tmp_path: Path
) -> None:
    live = page.live
    listen(page, until, short_log, tmp_path)
    # An answer that is put off leaves everything as it was.
    QTest.mouseClick(page.ask, LEFT)
    until(lambda: driven.session.imports.current is not None)
    QTest.mouseClick(driven.import_sheet.leave, LEFT)
    QApplication.processEvents()
    assert live.listens and driven.session.imports.current is None
    QTest.mouseClick(page.go, LEFT)
    assert not live.listens and not page.go.isVisible()
    until(lambda: "recorded and not solved" in page.doubts.text())
    assert live.solved is None and not page.ask.isVisible()


def test_ending_takes_the_question_along(
    driven: MainWindow, page: RecordPage, until: Until, short_log: Log, tmp_path: Path
) -> None:
    listen(page, until, short_log, tmp_path)
    QTest.mouseClick(page.ask, LEFT)
    until(lambda: driven.session.imports.current is not None)
    page.live.stop(take_in=False)
    assert driven.session.imports.current is None


def test_another_meaning_is_told_once_and_by_its_name(
    driven: MainWindow, page: RecordPage, until: Until, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A channel kept as something else; what is found counts, and nothing is told after that."""
    address = "sim:?car=heron&seed=4&pace=15"
    page.sources.setPlainText(address)
    QTest.mouseClick(page.begin, LEFT)
    until(lambda: not page.live.listens and page.live.understood is not None)
    page.live.stop(take_in=False)
    setting = driven.session.open.setting
    # The same channel, in a unit that is wrong by ten.
    rows = json.loads(setting(CHANNELS))
    wrong = [[*r[:5], 10.0 * r[5], r[6]] if r[4] == str(Role.MAP) else r for r in rows]
    driven.session.open.save_setting(CHANNELS, json.dumps(wrong))
    told: list[str] = []
    monkeypatch.setattr(page.live.open, "note", lambda said: told.append(str(said)))
    monkeypatch.setattr(live_drive, "UNDERSTAND_S", 1.0)
    QTest.mouseClick(page.begin, LEFT)
    until(lambda: any("last heard" in t for t in told))
    before = page.live.understood
    until(lambda: page.live.understood is not before)
    heard = [t for t in told if "last heard" in t]
    assert len(heard) == 1 and ": ." not in heard[0]
    factor = next(r[5] for r in rows if r[4] == str(Role.MAP))
    kept = next(r[5] for r in json.loads(setting(CHANNELS)) if r[4] == str(Role.MAP))
    assert kept == pytest.approx(factor)
