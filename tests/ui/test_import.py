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
from PySide6.QtWidgets import QApplication

from campaigns.dressing.binary import binary_of
from campaigns.dressing.dress import Dress
from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.formats.logs import row_lines, write_log_csv
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.heron import heron
from lean_trim.ui.widgets.choice_button import ChoiceButton
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.recent import Recent
from lean_trim.workspace.tasks import Lane
from tests.builders import with_channel
from tests.ui.hands import pick, type_into

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


def field(window: MainWindow, column: str, at: int) -> ChoiceButton:
    widget = window.import_sheet.table.cellWidget(row_of(window, column), at)
    assert isinstance(widget, ChoiceButton)
    return widget


def settle(window: MainWindow, until: Until) -> None:
    until(lambda: not window.session.is_busy)
    QApplication.processEvents()


def test_doubts_are_asked_answered_remembered_and_not_asked_again(
    own_job: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    window = own_job
    path = doubtful(short_log, tmp_path / "a.csv")
    window.session.imports.add([path])
    until(lambda: window.session.imports.current is not None and not window.session.is_busy)
    sheet = window.import_sheet
    assert window.desks.stack.currentWidget() is sheet
    assert "would fit bar" in sheet.questions.text()
    assert "two points of its scale" in sheet.questions.text()
    assert [sheet.table.item(r, 5).text() for r in (0, 1)] == ["asks", "asks"]
    assert not sheet.add.isEnabled()
    pick(field(window, "Saugrohrdruck", 2), "bar")
    settle(window, until)
    type_into(field(window, "Wideband", 2), "0 V = 0.68, 5 V = 1.36")
    settle(window, until)
    # The pressure was told before the voltage, and nothing of it changed.
    assert "Everything is understood" in sheet.questions.text()
    pick(sheet.banks, "bank 2")
    settle(window, until)
    QTest.mouseClick(sheet.add, Qt.MouseButton.LeftButton)
    until(lambda: window.session.solution is not None and not window.session.is_busy)
    log = window.session.round.logs[0]  # type: ignore[union-attr]
    np.testing.assert_allclose(log[Role.MAP], short_log[Role.MAP], atol=1e-6)
    np.testing.assert_allclose(log[Role.LAMBDA], short_log[Role.LAMBDA], atol=1e-6)
    np.testing.assert_allclose(log[Role.STFT], short_log[Role.STFT] + 1.0, atol=1e-6)
    window.session.imports.add([doubtful(short_log, tmp_path / "b.csv", phase=1.0)])
    until(lambda: len(window.session.round.logs) == 2 and not window.session.is_busy)  # type: ignore[union-attr]
    assert window.session.imports.current is None


def test_a_column_nobody_recognised_can_be_given_a_role(
    own_job: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    data = {
        "Time": short_log.time_s,
        "RPM": short_log[Role.RPM],
        "MAP": short_log[Role.MAP],
        "Kanal 4": short_log[Role.LAMBDA],
    }
    pl.DataFrame(data).write_csv(tmp_path / "x.csv")
    own_job.session.imports.add([tmp_path / "x.csv"])
    until(lambda: own_job.session.imports.current is not None and not own_job.session.is_busy)
    assert "lacks lambda" in own_job.import_sheet.questions.text()
    pick(field(own_job, "Kanal 4", 0), "Lambda")
    settle(own_job, until)
    assert own_job.import_sheet.add.isEnabled()
    QTest.mouseClick(own_job.import_sheet.leave, Qt.MouseButton.LeftButton)
    assert own_job.desks.stack.currentWidget() is table_desk(own_job)
    assert not own_job.session.round.logs  # type: ignore[union-attr]


def test_a_log_that_is_fully_understood_asks_nothing_unless_one_wants_to_look(
    own_job: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    write_log_csv(short_log, tmp_path / "clear.csv")
    own_job.session.imports.add([tmp_path / "clear.csv"], look=True)
    until(lambda: own_job.session.imports.current is not None and not own_job.session.is_busy)
    assert "Everything is understood" in own_job.import_sheet.questions.text()
    own_job.session.imports.accept()
    until(lambda: own_job.session.solution is not None and not own_job.session.is_busy)
    assert len(own_job.session.round.logs) == 1  # type: ignore[union-attr]


def test_a_scale_that_makes_no_sense_is_refused(
    own_job: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    own_job.session.imports.add([doubtful(short_log, tmp_path / "a.csv")])
    until(lambda: own_job.session.imports.current is not None and not own_job.session.is_busy)
    own_job.session.imports.answers.choose("Wideband 0-5V", Role.LAMBDA, "1 V = 0.7, 1 V = 1.3")
    assert "different voltages" in own_job.messages.text.text()
    own_job.session.imports.answers.choose("Wideband 0-5V", Role.LAMBDA, "furlong")
    settle(own_job, until)
    assert "cannot be read in 'furlong'" in own_job.messages.text.text()


def test_files_can_be_dropped_on_the_window(
    own_job: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    write_log_csv(short_log, tmp_path / "dropped.csv")
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
    window.session.tasks.start(Lane.READING, "Reading", lambda report: None, lambda answer: None)
    assert not window.messages.isVisible()
    until(lambda: not window.session.is_busy)


def part(log: Log, first: int, last: int) -> Log:
    return Log(
        log.time_s[first:last], {r: v[first:last] for r, v in log.channels.items()}, log.name
    )


def write_candump(log: Log, path: Path) -> tuple[Path, Path]:
    path.write_bytes(binary_of(log, Dress(kind="candump"), path))
    return path, path.with_suffix(".dbc")


def in_sheets(log: Log, path: Path) -> Path:
    """A workbook in which two sheets look like logs."""
    import openpyxl

    book = openpyxl.Workbook()
    for name, cut in (("morning", part(log, 0, 3000)), ("evening", part(log, 3000, 5000))):
        sheet = book.create_sheet(name)
        sheet.append(["Time [s]", *(LABELS[r][0] for r in log.channels)])
        for row in np.column_stack([cut.time_s, *cut.channels.values()]).round(3).tolist():
            sheet.append(row)
    book.remove(book.worksheets[0])
    book.save(path)
    return path


def test_the_sheet_of_a_workbook_is_asked_in_place(
    own_job: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    window = own_job
    imports = own_job.session.imports
    imports.add([in_sheets(short_log, tmp_path / "both.xlsx")])
    until(lambda: bool(imports.questions) and not window.session.is_busy)
    ask = window.ask_sheet
    assert window.desks.stack.currentWidget() is ask
    assert [ask.sheets.itemText(i) for i in range(ask.sheets.count())] == ["morning", "evening"]
    ask.sheets.setCurrentText("evening")
    QTest.mouseClick(ask.read, Qt.MouseButton.LeftButton)
    until(lambda: bool(window.session.round and window.session.round.logs))
    [log] = window.session.round.logs
    assert log.time_s[-1] - log.time_s[0] == pytest.approx(2000 * short_log.step_s, rel=0.01)


def test_a_rate_is_asked_kept_for_the_shape_and_refused_when_impossible(
    own_job: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    window = own_job
    imports = own_job.session.imports
    head = ",".join(f"{LABELS[r][0]} [{LABELS[r][1]}]" for r in short_log.channels)
    for name, first in (("a.csv", 0), ("b.csv", 6000)):
        rows = [
            line.split(",", 1)[1]
            for line in row_lines(part(short_log, first, first + 6000)).splitlines()
        ]
        (tmp_path / name).write_text("\n".join([head, *rows]) + "\n")
    imports.add([tmp_path / "a.csv"])
    until(lambda: bool(imports.questions) and not window.session.is_busy)
    imports.answer(1e9)
    assert imports.questions and "allowed are" in window.messages.text.text()
    window.ask_sheet.rate.setValue(1.0 / short_log.step_s)
    QTest.mouseClick(window.ask_sheet.read, Qt.MouseButton.LeftButton)
    until(
        lambda: (
            bool(window.session.round and window.session.round.logs) and not window.session.is_busy
        )
    )
    imports.add([tmp_path / "b.csv"])
    until(lambda: bool(window.session.round and len(window.session.round.logs) == 2))
    assert not imports.questions


def test_a_trace_waits_for_its_dbc_which_the_job_keeps(
    own_job: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    window = own_job
    imports = own_job.session.imports
    first, dbc = write_candump(part(short_log, 0, 1500), tmp_path / "a.log")
    second, _ = write_candump(part(short_log, 1500, 3000), tmp_path / "b.log")
    imports.add([first])
    until(lambda: bool(imports.questions) and not window.session.is_busy)
    assert imports.questions[0].need == "dbc"
    wrong = tmp_path / "wrong.dbc"
    wrong.write_text("this is no DBC")
    assert not imports.keep_dbc(wrong)
    assert "wrong.dbc" in window.messages.text.text()
    imports.answer(dbc)
    until(
        lambda: (
            imports.current is not None or bool(window.session.round and window.session.round.logs)
        )
    )
    assert not imports.questions
    imports.clear()
    imports.add([second])
    until(lambda: not window.session.is_busy)
    assert not imports.questions
    assert window.session.open.store is not None
    assert "dbc" in window.session.open.store.settings()


def test_the_barometer_of_gauge_pressure_is_typed_on_the_sheet(
    own_job: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    window = own_job
    imports = own_job.session.imports
    channels = {r: v for r, v in short_log.channels.items() if r is not Role.BARO}
    channels[Role.MAP] = channels[Role.MAP] - 95.0
    path = tmp_path / "gauge.csv"
    write_log_csv(Log(short_log.time_s, channels, "gauge"), path)
    imports.add([path])
    until(lambda: imports.current is not None and not window.session.is_busy)
    sheet = window.import_sheet
    assert sheet.say_baro.isVisible()
    sheet.baro.setValue(95.0)
    QTest.mouseClick(sheet.say_baro, Qt.MouseButton.LeftButton)
    until(lambda: imports.current is not None and imports.current.choices.baro_kpa == 95.0)
    assert imports.current is not None
    np.testing.assert_allclose(imports.current.opened.log[Role.MAP], short_log[Role.MAP], atol=0.01)


def test_a_column_that_may_be_a_missing_channel_is_asked_about_in_its_row(
    own_job: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    window = own_job
    path = tmp_path / "strange.csv"
    # Of a temperature that hardly moves with load nobody knows whether it is the engine's air.
    outside = 25.0 + 0.5 * np.sin(short_log.time_s / 40.0)
    write_log_csv(with_channel(short_log, Role.IAT, outside), path)
    path.write_text(path.read_text().replace("Intake air", "Qxz temp", 1))
    window.session.imports.add([path])
    until(lambda: window.session.imports.current is not None and not window.session.is_busy)
    sheet = window.import_sheet
    assert "Intake air was not found, but 'Qxz temp' may be it" in sheet.questions.text()
    assert [sheet.table.item(0, i).text() for i in (0, 5)] == ["Intake air", "asks"]
    columns = sheet.table.cellWidget(0, 1)
    assert isinstance(columns, ChoiceButton)
    assert columns.entries()[0].text.startswith("Qxz temp")
    pick(columns, "it was not logged")
    settle(window, until)
    assert sheet.questions.text().startswith("Everything is understood")
    pending = window.session.imports.current
    assert pending is not None and Role.IAT not in pending.opened.log
