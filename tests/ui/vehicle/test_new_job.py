"""A job of one's own through the window: from the start page to a corrected table without writing a file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QWidget

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.features.registry import FEATURES
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.tables import table_text
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.ui.vehicle.new_job import NewJobPage
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.vehicle.fields import Key

Until = Callable[..., None]
pytestmark = pytest.mark.slow


def type_into(widget: QWidget, text: str) -> None:
    widget.setFocus()
    QTest.keyClicks(widget, text)
    QApplication.processEvents()


def click(button: QWidget) -> None:
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    QApplication.processEvents()


def drop(window: MainWindow, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    window.dropEvent(
        QDropEvent(
            QPointF(300, 300),
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
    )


def page_of(window: MainWindow) -> NewJobPage:
    assert window.new_job is not None
    return window.new_job


@pytest.fixture
def keep_at(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> list[str]:
    """Answers the question where to keep the job; what was suggested is noted."""
    asked: list[str] = []

    def answer(parent: QWidget, title: str, wanted: str, filters: str) -> tuple[str, str]:
        asked.append(wanted)
        return str(tmp_path / "own.leantrim"), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", answer)
    return asked


def test_a_log_a_table_and_three_numbers_are_a_job(
    window: MainWindow,
    until: Until,
    heron_vehicle: Vehicle,
    short_log: Log,
    tmp_path: Path,
    keep_at: list[str],
) -> None:
    write_log_csv(short_log, tmp_path / "evening.csv")
    drop(window, tmp_path / "evening.csv")
    page = page_of(window)
    until(lambda: page.draft.told.path is not None)
    assert "target λ is logged" in page.told.text() and "wideband" in page.told.text()
    QGuiApplication.clipboard().setText(table_text(heron_vehicle.table, "\t"))
    click(page.airflow.paste)
    assert not page.make.isEnabled() and "cylinders" in page.lacks.text()
    type_into(page.car.name, "Night Heron")
    type_into(page.car.numbers[Key.CYLINDERS].edit, "4")
    type_into(page.car.numbers[Key.DISPLACEMENT].edit, "1.8")
    assert page.make.isEnabled()
    click(page.make)
    assert keep_at[0].endswith("night-heron.leantrim")
    until(lambda: window.session.solution is not None and not window.session.is_busy)
    job = window.session.job
    assert job is not None and job.vehicle.name == "Night Heron"
    np.testing.assert_array_equal(job.rounds[0].table.values, heron_vehicle.table.values)
    solution = window.session.solution
    assert solution is not None and solution.estimate.supported.sum() > 60


def test_three_mistakes_end_in_a_sentence_each(
    window: MainWindow, until: Until, heron_vehicle: Vehicle, tmp_path: Path
) -> None:
    page = window._begin_job()
    picture = tmp_path / "photo.csv"
    picture.write_bytes(b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 8)
    page.take_log(picture)
    until(lambda: window.messages.isVisible())
    assert "photo.csv" in window.messages.text.text()
    assert page.draft.told.path is None
    psi = table_text(heron_vehicle.table, "\t").replace("kPa\\rpm", "bar\\rpm")
    QGuiApplication.clipboard().setText(psi)
    click(page.airflow.paste)
    assert page.airflow.table is None
    assert "allowed are 0 to 1000 kPa" in page.airflow.asked.text()
    type_into(page.car.numbers[Key.DISPLACEMENT].edit, "1800")
    assert "allowed are 0.05 to 30 L" in page.car.numbers[Key.DISPLACEMENT].note.text()
    assert "Displacement" in page.lacks.text() and not page.make.isEnabled()
    # What was typed is still there after looking elsewhere.
    type_into(page.car.name, "Plover")
    click(page.back)
    assert window.pages.currentIndex() == 0
    window.actions_["new_job"].trigger()
    assert page_of(window) is page and page.car.name.text() == "Plover"


def test_cells_without_axes_are_asked_for_them(window: MainWindow, heron_vehicle: Vehicle) -> None:
    page = window._begin_job()
    table = heron_vehicle.table
    bare = "\n".join(line.split("\t", 1)[1] for line in table_text(table, "\t").splitlines()[1:])
    QGuiApplication.clipboard().setText(bare)
    window.setFocus()
    click(page.airflow.paste)
    panel = page.airflow
    assert panel.axes_holder.isVisible() and "came without axes" in panel.asked.text()
    type_into(panel.columns_text, " ".join(f"{x:g}" for x in table.axes[1].points))
    type_into(panel.rows_text, " ".join(f"{x:g}" for x in table.axes[0].points))
    click(panel.use_axes)
    assert panel.table is not None and panel.table.same_axes(table)
    np.testing.assert_allclose(panel.table.values, table.values)


def test_a_vehicle_sheet_fills_everything_in(
    window: MainWindow, until: Until, heron_vehicle: Vehicle, tmp_path: Path, keep_at: list[str]
) -> None:
    drop(window, write_vehicle(heron_vehicle, tmp_path / "car"))
    page = page_of(window)
    assert page.make.isEnabled()
    click(page.make)
    until(lambda: window.session.job is not None and not window.session.is_busy)
    assert window.session.job is not None
    vehicle = window.session.job.vehicle
    assert vehicle.injectors.flow_g_per_s == heron_vehicle.injectors.flow_g_per_s
    assert vehicle.target is not None


def test_a_guess_is_offered_and_called_one(window: MainWindow) -> None:
    page = window._begin_job()
    click(page.airflow.guess)
    assert page.airflow.table is not None
    assert "guess" in page.airflow.notes.text().lower()


def test_units_are_remembered(window: MainWindow, until: Until) -> None:
    page = window._begin_job()
    box = page.car.numbers[Key.PRESSURE].unit
    box.setCurrentText("psi")
    box.activated.emit(box.currentIndex())
    window._remember()
    from lean_trim.ui.window.app import make_window

    again = make_window(FEATURES, window.data_folder)
    try:
        assert again._begin_job().car.numbers[Key.PRESSURE].unit.currentText() == "psi"
    finally:
        again.close()
        again.deleteLater()


def test_a_dropped_table_is_taken_for_one_and_a_log_is_not(
    window: MainWindow, until: Until, heron_vehicle: Vehicle, short_log: Log, tmp_path: Path
) -> None:
    (tmp_path / "ve.txt").write_text(table_text(heron_vehicle.table, "\t"))
    drop(window, tmp_path / "ve.txt")
    page = page_of(window)
    assert page.airflow.table is not None and page.airflow.table.same_axes(heron_vehicle.table)
    short = Log(
        short_log.time_s[:200], {r: v[:200] for r, v in short_log.channels.items()}, "short"
    )
    write_log_csv(short, tmp_path / "short.csv")
    drop(window, tmp_path / "short.csv")
    until(lambda: page.draft.told.path is not None)


def test_a_pasted_curve_makes_it_a_car_with_an_airflow_sensor(window: MainWindow) -> None:
    page = window._begin_job()
    page.airflow.take_text("Hz\tg/s\n1500\t2.2\n4000\t25\n9000\t140\n", "the clipboard")
    assert page.draft.airflow == "maf" and page.airflow.table is not None
    assert page.car.choices["airflow"].box.currentData() == "maf"
    page.airflow.take_text(
        "kPa\t800\t1600\t3200\n20\t50\t55\t60\n60\t60\t65\t70\n", "the clipboard"
    )
    assert page.draft.airflow == "ve" and page.airflow.table is not None
    assert len(page.airflow.table.axes) == 2


def cut(log: Log, rows: int, *without: Role) -> Log:
    channels = {r: v[:rows] for r, v in log.channels.items() if r not in without}
    return Log(log.time_s[:rows], channels, "cut")


def test_what_the_log_lacks_is_said_first_and_again_at_the_end(
    window: MainWindow, until: Until, heron_vehicle: Vehicle, short_log: Log, tmp_path: Path
) -> None:
    log = cut(short_log, round(10.0 / short_log.step_s), Role.RPM)
    write_log_csv(log, tmp_path / "ten.csv")
    drop(window, tmp_path / "ten.csv")
    page = page_of(window)
    until(lambda: page.draft.told.path is not None)
    assert page.short.isVisible()
    assert page.short.text().startswith("ten.csv: no engine speed: nothing can be corrected")
    assert "10 s are too short" in page.short.text()
    page.fill_from(heron_vehicle)
    assert "will not do" in page.lacks.text() and "10 s are too short" in page.lacks.text()


def test_the_next_car_begins_on_an_empty_page_and_the_work_at_its_table(
    window: MainWindow, until: Until, heron_vehicle: Vehicle, tmp_path: Path, keep_at: list[str]
) -> None:
    page = window._begin_job()
    page.fill_from(heron_vehicle)
    window.desks.show_desk("injectors")
    click(page.make)
    until(lambda: window.session.job is not None and not window.session.is_busy)
    QApplication.processEvents()
    assert window.desks.shown.name == "table"
    window.actions_["new_job"].trigger()
    assert page.car.name.text() == "" and page.airflow.table is None
    assert page.draft.told.path is None and not page.make.isEnabled()
    assert all(entry.edit.text() == "" for entry in page.car.numbers.values())


def test_a_row_that_was_lost_is_asked_about(window: MainWindow, heron_vehicle: Vehicle) -> None:
    page = window._begin_job()
    lines = table_text(heron_vehicle.table, "\t").splitlines()
    page.airflow.take_text("\n".join(lines), "the clipboard")
    assert not page.airflow.question.isVisible()
    page.airflow.take_text("\n".join([*lines[:5], *lines[6:]]), "the clipboard")
    assert page.airflow.table is not None
    assert page.airflow.question.isVisible()
    assert "is a row missing at" in page.airflow.asked.text()


def test_tab_goes_as_the_page_is_read(window: MainWindow) -> None:
    page = window._begin_job()
    page.car.more.unfold(True)
    QApplication.processEvents()
    page._order_tabs()
    window.activateWindow()
    page.afresh.setFocus()
    walked: list[QWidget] = []
    for _ in range(120):
        now = QApplication.focusWidget()
        if now is None or now in walked:
            break
        walked.append(now)
        QTest.keyClick(now, Qt.Key.Key_Tab)
    car = [w for w in walked if page.car.isAncestorOf(w)]
    names = [w.accessibleName() for w in car]
    assert names[:3] == ["Name of the vehicle", "Cylinders", names[2]]
    heights = [w.mapTo(page, w.rect().center()).y() for w in car]
    assert all(b > a - 13 for a, b in pairwise(heights))
    parts = [page.afresh, page.back, page.log_button, car[0], page.airflow.paste]
    places = [walked.index(w) for w in parts]
    assert places == sorted(places)
    assert walked.index(car[-1]) < walked.index(page.airflow.paste)


def test_a_car_that_was_not_named_is_called_as_its_file(
    window: MainWindow, until: Until, heron_vehicle: Vehicle, keep_at: list[str]
) -> None:
    page = window._begin_job()
    page.fill_from(replace(heron_vehicle, name="x"))
    page.car.name.clear()
    page.car.name.textEdited.emit("")
    assert page.make.isEnabled() and page.lacks.text().startswith(
        "Everything needed is there. The job"
    )
    click(page.make)
    assert keep_at[0].endswith("job.leantrim")
    until(lambda: window.session.job is not None and not window.session.is_busy)
    assert window.session.job is not None and window.session.job.vehicle.name == "own"
