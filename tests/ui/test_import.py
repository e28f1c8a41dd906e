"""Logs that need the user's word, through the real window."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import polars as pl
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.heron import heron
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.recent import Recent
from lean_trim.workspace.tasks import Lane

Until = Callable[..., None]
pytestmark = pytest.mark.slow


@pytest.fixture
def own_job(window: MainWindow, until: Until, tmp_path: Path) -> MainWindow:
    window.opening.new_job(write_vehicle(heron(), tmp_path / "car"), tmp_path / "mine.leantrim")
    until(lambda: window.session.job is not None and not window.session.is_busy)
    return window


def doubtful(log: Log, path: Path, phase: float = 0.0) -> Path:
    """German names, bar under a kPa heading, lambda as a voltage, two banks."""
    data = {
        "Zeit": log.time_s,
        "Drehzahl [1/min]": log[Role.RPM],
        "Saugrohrdruck [kPa]": log[Role.MAP] / 100,
        "Gang": log[Role.GEAR],
        "Drosselklappe [%]": log[Role.THROTTLE],
        "Wideband 0-5V [V]": (log[Role.LAMBDA] - 0.68) / 0.136,
        "Lambda Soll": log[Role.TARGET],
        "STFT B1": log[Role.STFT] - 1.0,
        "STFT B2": log[Role.STFT] + 1.0,
        "LTFT": log[Role.LTFT],
        "Kühlwassertemp": log[Role.COOLANT],
        "Kanal 17": np.sin(log.time_s + phase),
    }
    pl.DataFrame(data).write_csv(path)
    return path


def row_of(window: MainWindow, column: str) -> int:
    table = window.import_sheet.table
    return next(r for r in range(table.rowCount()) if table.item(r, 1).text().startswith(column))


def combo(window: MainWindow, column: str, at: int) -> QComboBox:
    widget = window.import_sheet.table.cellWidget(row_of(window, column), at)
    assert isinstance(widget, QComboBox)
    return widget


def settle(window: MainWindow, until: Until) -> None:
    until(lambda: not window.session.is_busy)
    QApplication.processEvents()


def test_doubts_are_asked_answered_remembered_and_not_asked_again(
    own_job: MainWindow, until: Until, heron_log: Log, tmp_path: Path
) -> None:
    window, path = own_job, doubtful(heron_log, tmp_path / "a.csv")
    window.session.imports.add([path])
    until(lambda: window.session.imports.current is not None and not window.session.is_busy)
    sheet = window.import_sheet
    assert window.desks.stack.currentWidget() is sheet
    assert "would fit bar" in sheet.questions.text()
    assert "two points of its scale" in sheet.questions.text()
    assert [sheet.table.item(r, 5).text() for r in (0, 1)] == ["asks", "asks"]
    assert not sheet.add.isEnabled()
    units = combo(window, "Saugrohrdruck", 2)
    units.setCurrentText("bar")
    units.activated.emit(units.currentIndex())
    settle(window, until)
    units = combo(window, "Wideband", 2)
    units.setCurrentText("0 V = 0.68, 5 V = 1.36")
    units.activated.emit(0)
    settle(window, until)
    assert "Everything is understood" in sheet.questions.text()
    sheet.banks.setCurrentIndex(2)
    sheet.banks.activated.emit(2)
    settle(window, until)
    QTest.mouseClick(sheet.add, Qt.MouseButton.LeftButton)
    until(lambda: window.session.solution is not None and not window.session.is_busy)
    log = window.session.round.logs[0]  # type: ignore[union-attr]
    np.testing.assert_allclose(log[Role.MAP], heron_log[Role.MAP], atol=1e-6)
    np.testing.assert_allclose(log[Role.LAMBDA], heron_log[Role.LAMBDA], atol=1e-6)
    np.testing.assert_allclose(log[Role.STFT], heron_log[Role.STFT] + 1.0, atol=1e-6)
    window.session.imports.add([doubtful(heron_log, tmp_path / "b.csv", phase=1.0)])
    until(lambda: len(window.session.round.logs) == 2 and not window.session.is_busy)  # type: ignore[union-attr]
    assert window.session.imports.current is None


def test_a_column_nobody_recognised_can_be_given_a_role(
    own_job: MainWindow, until: Until, heron_log: Log, tmp_path: Path
) -> None:
    data = {
        "Time": heron_log.time_s,
        "RPM": heron_log[Role.RPM],
        "MAP": heron_log[Role.MAP],
        "Kanal 4": heron_log[Role.LAMBDA],
    }
    pl.DataFrame(data).write_csv(tmp_path / "x.csv")
    own_job.session.imports.add([tmp_path / "x.csv"])
    until(lambda: own_job.session.imports.current is not None and not own_job.session.is_busy)
    assert "lacks lambda" in own_job.import_sheet.questions.text()
    roles = combo(own_job, "Kanal 4", 0)
    roles.setCurrentIndex(list(Role).index(Role.LAMBDA) + 1)
    roles.activated.emit(roles.currentIndex())
    settle(own_job, until)
    assert own_job.import_sheet.add.isEnabled()
    QTest.mouseClick(own_job.import_sheet.leave, Qt.MouseButton.LeftButton)
    assert own_job.desks.stack.currentWidget() is own_job.table_desk
    assert own_job.session.round.logs == ()  # type: ignore[union-attr]


def test_a_log_that_is_fully_understood_asks_nothing_unless_one_wants_to_look(
    own_job: MainWindow, until: Until, heron_log: Log, tmp_path: Path
) -> None:
    write_log_csv(heron_log, tmp_path / "clear.csv")
    own_job.session.imports.add([tmp_path / "clear.csv"], look=True)
    until(lambda: own_job.session.imports.current is not None and not own_job.session.is_busy)
    assert "Everything is understood" in own_job.import_sheet.questions.text()
    own_job.session.imports.accept()
    until(lambda: own_job.session.solution is not None and not own_job.session.is_busy)
    assert len(own_job.session.round.logs) == 1  # type: ignore[union-attr]


def test_a_scale_that_makes_no_sense_is_refused(
    own_job: MainWindow, until: Until, heron_log: Log, tmp_path: Path
) -> None:
    own_job.session.imports.add([doubtful(heron_log, tmp_path / "a.csv")])
    until(lambda: own_job.session.imports.current is not None and not own_job.session.is_busy)
    own_job.session.imports.choose("Wideband 0-5V", Role.LAMBDA, "1 V = 0.7, 1 V = 1.3")
    assert "different voltages" in own_job.messages.text.text()
    own_job.session.imports.choose("Wideband 0-5V", Role.LAMBDA, "furlong")
    settle(own_job, until)
    assert "cannot be read in 'furlong'" in own_job.messages.text.text()


def test_files_can_be_dropped_on_the_window(
    own_job: MainWindow, until: Until, heron_log: Log, tmp_path: Path
) -> None:
    write_log_csv(heron_log, tmp_path / "dropped.csv")
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(tmp_path / "dropped.csv"))])
    drop = QDropEvent(
        QPointF(300, 300),
        Qt.DropAction.CopyAction,
        mime,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    own_job.dropEvent(drop)
    until(lambda: own_job.session.solution is not None and not own_job.session.is_busy)
    assert own_job.session.round.log_infos[0].name == "dropped.csv"  # type: ignore[union-attr]
    assert len(own_job.session.round.log_infos[0].sha256) == 64  # type: ignore[union-attr]


def test_jobs_opened_lately_are_offered(own_job: MainWindow, until: Until, tmp_path: Path) -> None:
    assert [a.text() for a in own_job.recent_menu.actions()] == [str(tmp_path / "mine.leantrim")]
    own_job.session.close_job()
    own_job.recent_menu.actions()[0].trigger()
    until(lambda: own_job.session.job is not None)
    recent = Recent(tmp_path / "r")
    assert recent.paths() == []
    (tmp_path / "r").mkdir()
    recent.file.write_text("nonsense")
    assert recent.paths() == []
    recent.add(tmp_path / "gone.leantrim")
    assert recent.paths() == []


def test_an_error_goes_away_when_the_next_attempt_begins(
    window: MainWindow, tmp_path: Path, until: Until
) -> None:
    window.opening.new_job(write_vehicle(heron(), tmp_path / "car"), tmp_path / "mine.leantrim")
    until(lambda: window.session.job is not None and not window.session.is_busy)
    (tmp_path / "words.csv").write_text("hello\nworld\n")
    window.session.imports.add([tmp_path / "words.csv"])
    until(lambda: window.messages.isVisible() and not window.session.is_busy)
    assert window.messages.text.text().startswith("Not done:")
    window.session.workspace.tasks.start(Lane.READING, "Reading", lambda report: None, lambda answer: None)
    assert not window.messages.isVisible()
    until(lambda: not window.session.is_busy)
