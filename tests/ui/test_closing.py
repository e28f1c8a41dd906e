"""Nothing of a closed job stays in the window; jobs opened lately are one press away."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from lean_trim.features.table.desk.desk import table_desk
from lean_trim.job.store import JobStore
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.report_sheet import ReportSheet
from tests.builders import maf_vehicle
from tests.deciding import type_knowingly
from tests.ui.conftest import click

Until = Callable[..., None]


@pytest.mark.slow
def test_messages_frame_and_status_of_the_closed_job_are_gone(driven: MainWindow) -> None:
    click(driven, 70)
    type_knowingly(driven.session.deciding, "nonsense", frozenset({70}))
    type_knowingly(driven.session.deciding, "+3%", frozenset({70}))
    driven.actions_["undo"].trigger()
    QApplication.processEvents()
    # As the tiles say it under the pointer, which other tests' windows may take away.
    table_desk(driven).hovered.emit("40 kPa, 1200 rpm")
    assert (
        driven.messages.isVisible()
        and driven.status.hover.text()
        and driven.status.done.isVisible()
    )
    driven.session.close_job()
    QApplication.processEvents()
    assert not driven.messages.isVisible()
    assert driven.status.hover.text() == "" and not driven.status.done.isVisible()
    assert table_desk(driven).table.current == 0 and table_desk(driven).table.view is None
    assert driven.tape.data is None and driven.tape.spot_s is None
    assert driven.session.selection.cells == frozenset()


@pytest.mark.slow
def test_another_job_opens_from_a_higher_round(
    driven: MainWindow, tmp_path: Path, until: Until
) -> None:
    """The header once asked the new job for the old one's third round and ended in an IndexError."""
    session = driven.session
    for _ in range(2):
        session.rounds.begin_round()
    type_knowingly(session.deciding, "+3%", frozenset({200}))
    click(driven, 200)
    path = tmp_path / "small.leantrim"
    JobStore.create(path, maf_vehicle()).close()
    escaped: list[str] = []
    driven.escaped.connect(escaped.append)
    driven.opening.open_job(path)
    until(lambda: session.job is not None and session.job.vehicle.name == "maf")
    QApplication.processEvents()
    assert escaped == []
    assert session.index == 0 and table_desk(driven).table.current == 0
    assert "MAF curve" in table_desk(driven).header.title.text()
    for name in ("evidence", "findings", "sieve", "fit", "logs", "write"):
        driven.margin.show_page(name)
        QApplication.processEvents()
    assert escaped == []


@pytest.mark.slow
def test_the_start_page_lists_jobs_opened_lately(
    driven: MainWindow, until: Until, job_path: Path
) -> None:
    driven.session.close_job()
    QApplication.processEvents()
    recent = driven.start_page.recent
    assert driven.start_page.recent_head.isVisible()
    assert [b.toolTip() for b in recent] == [str(job_path.resolve())]
    QTest.mouseClick(recent[0], Qt.MouseButton.LeftButton)
    until(lambda: driven.session.job is not None)


def test_a_first_start_has_no_empty_list(window: MainWindow) -> None:
    assert window.start_page.recent == [] and not window.start_page.recent_head.isVisible()


def test_a_report_is_shown_before_it_is_written(
    driven: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    target = tmp_path / "report.zip"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    driven.preferences.keep("folder", "/home/somebody/cars")
    driven.actions_["report"].trigger()
    sheet = driven.findChild(ReportSheet)
    assert sheet is not None and sheet.isVisible() and not target.exists()
    sheet.names.setCurrentRow(1)
    assert "somebody" not in sheet.text.toPlainText()
    assert "<folder " in sheet.text.toPlainText()
    shown = dict(sheet.report.texts)
    QTest.mouseClick(sheet.write, Qt.MouseButton.LeftButton)
    with zipfile.ZipFile(target) as written:
        assert {name: written.read(name).decode() for name in written.namelist()} == shown
    assert "Nothing was sent" in driven.messages.text.text()
