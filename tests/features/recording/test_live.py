"""A drive recorded in the real window: heard, followed, alarmed, taken into the job."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.log import Log
from lean_trim.features.planning.desk.desk import PlanDesk
from lean_trim.features.recording import live_drive
from lean_trim.features.recording.live_drive import DangerMet, LiveDrive
from lean_trim.features.recording.pages.drive_view import DriveView
from lean_trim.features.recording.pages.record_page import RecordPage
from lean_trim.formats.recording.reading import read_recording
from lean_trim.live.source import Clock
from lean_trim.live.watch.rules import Say
from lean_trim.live.watch.watch import Danger
from lean_trim.simcar.stand_in.adapter import StandInAdapter
from lean_trim.simcar.stand_in.ecu import StandInEcu
from lean_trim.ui.window.main_window import MainWindow

pytestmark = pytest.mark.slow
LEFT = Qt.MouseButton.LeftButton
Until = Callable[[Callable[[], bool]], None]
LEAN = Danger("lean", Say.LEAN(value=1.04, target=0.87), 1.0, 1.4)


@pytest.fixture
def page(driven: MainWindow) -> Iterator[RecordPage]:
    """The page on the Plan desk, as it is turned to."""
    driven.show_desk("plan")
    desk = driven.desk("plan")
    assert isinstance(desk, PlanDesk)
    QTest.mouseClick(desk.page_buttons.button(2), LEFT)
    assert desk.record.isVisible()
    yield desk.record
    if desk.record.live.is_running:
        desk.record.live.stop(take_in=False)


def start(page: RecordPage, address: str) -> LiveDrive:
    page.sources.setPlainText(address)
    QTest.mouseClick(page.begin, LEFT)
    return page.live


def seen(view: DriveView) -> None:
    while view.alarms:
        QTest.keyClick(view, Qt.Key.Key_Space)


def test_a_drive_is_recorded_followed_and_taken_in(
    driven: MainWindow, page: RecordPage, until: Until, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(live_drive, "SOLVE_S", 5.0)
    live = start(page, "sim:?car=heron&seed=4&pace=30")
    assert live.is_running and page.begin.text() == "End, and take it in"
    until(lambda: live.solved is not None and live.solved.known > 50)
    assert "channels understood" in page.allowed.text() and "running" in page.state.text()
    assert "Watched: lean at load" in page.watches.text()
    seen(page.view)
    # A bookmark by the one key.
    page.view.open()
    QTest.keyClick(page.view, Qt.Key.Key_Space)
    before = sum(len(r.log_infos) for r in driven.session.job.rounds)
    path = live.path
    assert path is not None
    QTest.mouseClick(page.begin, LEFT)
    until(lambda: sum(len(r.log_infos) for r in driven.session.job.rounds) > before)
    assert not live.is_running and not page.view.isVisible()
    assert any(i.name == path.name for r in driven.session.job.rounds for i in r.log_infos)
    notes = [n["note"] for n in read_recording(path).notes]
    assert "bookmark" in notes and notes[-1] == "end"
    # What was marked while driving is a bookmark of the round.
    marks = [m for r in driven.session.job.rounds for m in r.marks]
    by_hand = [m for m in marks if m.text == "set while driving"]
    assert len(by_hand) == 1 and by_hand[0].time_s > 30.0
    assert all(m.text.startswith("Danger: ") for m in marks if m not in by_hand)
    # Its own recording is no left-over; the addresses are kept with the job.
    assert live.left_over() == () and live.addresses == ("sim:?car=heron&seed=4&pace=30",)


def test_an_alarm_fills_the_screen_until_it_is_seen(
    driven: MainWindow, page: RecordPage, until: Until
) -> None:
    live = start(page, "sim:?car=heron&seed=4&pace=15")
    until(lambda: live.understood is not None and page.view._off is not None)
    seen(page.view)
    page.view.close()
    driven.session.open.hub.publish(DangerMet(LEAN))
    # It opens by itself, and Esc does not wave it away.
    assert page.view.isVisible() and page.view.alarms[0].title == "LEAN: λ 1.04, wanted 0.87"
    assert page.view.tone.sounding
    QTest.keyClick(page.view, Qt.Key.Key_Escape)
    assert page.view.isVisible() and page.view.alarms
    seen(page.view)
    assert not page.view.tone.sounding
    QTest.keyClick(page.view, Qt.Key.Key_Escape)
    assert not page.view.isVisible() and live.is_running


def test_an_adapter_that_goes_silent_is_as_loud_as_a_danger(
    driven: MainWindow, page: RecordPage, until: Until, tmp_path: Path, short_log: Log
) -> None:
    clock = Clock()
    ecu = StandInEcu(short_log, stored=[b"\x01\x71"], pending=[b"\x03\x04"])
    adapter = StandInAdapter(ecu, tmp_path / "obd", lambda: 200.0 + clock.now())
    adapter.plug()
    address = f"obd:{tmp_path / 'obd'}"
    # Before the drive: fault codes into the checklist.
    page.sources.setPlainText(address)
    QTest.mouseClick(page.codes, LEFT)
    lines = page.live.checklist.lines
    until(lambda: next(line for line in lines() if line.item.key == "codes").fact is not None)
    line = next(line for line in lines() if line.item.key == "codes")
    assert line.fact is not None and line.is_so is False and "read from the ECU" in line.by
    assert "P0171 mixture too lean, bank 1" in str(line.fact.said)
    assert "P0304 cylinder 4 misfires, pending" in str(line.fact.said)
    live = start(page, address)
    until(lambda: page.view._off is not None)
    # What was never heard is said once, and stays in sight.
    assert any("Knock" in a.title or "watches" in a.title for a in page.view.alarms)
    seen(page.view)
    adapter.pull()
    until(lambda: any("silent" in t for a in page.view.alarms for t in a.lines))
    assert page.view.alarms[0].is_off and page.view.tone.sounding
    assert "lost" in page.state.text()
    assert not any(r[:1] not in (b"\x01", b"\x03", b"\x07", b"\x09") for r in ecu.heard)
    live.stop(take_in=False)


def test_a_recording_that_was_cut_off_is_offered(
    driven: MainWindow, page: RecordPage, until: Until
) -> None:
    live = start(page, "sim:?car=heron&seed=4&pace=15")
    until(lambda: live.understood is not None)
    path = live.path
    assert path is not None
    job_path = driven.session.open.path
    assert job_path is not None
    cut = path.with_name(f"{job_path.stem}-cut.ltrec")
    shutil.copy(path, cut)
    live.stop(take_in=False)
    path.unlink()
    QApplication.processEvents()
    page.refresh()
    assert page.rest.isVisible() and cut.name in page.rest.text()
    before = sum(len(r.log_infos) for r in driven.session.job.rounds)
    QTest.mouseClick(page.rest, LEFT)
    until(lambda: sum(len(r.log_infos) for r in driven.session.job.rounds) > before)


def test_a_job_that_is_closed_while_a_drive_is_recorded_keeps_the_recording(
    driven: MainWindow, page: RecordPage, until: Until
) -> None:
    live = start(page, "sim:?car=heron&seed=4&pace=15")
    until(lambda: live.understood is not None)
    path, job_path = live.path, driven.session.open.path
    assert path is not None and job_path is not None
    driven.session.opening.close_job()
    assert not live.is_running and not page.view.isVisible()
    recorded = read_recording(path)
    assert recorded.is_closed and recorded.rows
    told: list[str] = []
    page.session.noticed.connect(lambda n: told.append(str(n.said)))
    driven.opening.open_job(job_path)
    until(lambda: driven.session.solution is not None and not driven.session.is_busy)
    assert path in live.left_over() and any(path.name in line for line in told)


@pytest.mark.parametrize("address", ["", "obd:ttyUSB0", "nothing"])
def test_wrong_sources_are_refused_in_the_window(page: RecordPage, address: str) -> None:
    told: list[str] = []
    page.session.noticed.connect(lambda n: told.append(str(n.said)))
    live = start(page, address)
    assert not live.is_running and len(told) == 1
