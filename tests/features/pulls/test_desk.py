"""The Pulls desk in the real window: runs are listed, laid over each other, compared, left out."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QGuiApplication, QImage, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.channels import Role
from lean_trim.core.pulls.traces import Lane
from lean_trim.features.pulls.desk.desk import PullsDesk
from lean_trim.features.pulls.desk.overlay_data import overlay_of, trigger_s
from lean_trim.formats.logs import write_log_csv
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import Faults
from lean_trim.simcar.heron import heron
from lean_trim.ui.window.main_window import MainWindow
from tests.builders import with_channel, without

Until = Callable[..., None]
pytestmark = pytest.mark.slow


@pytest.fixture
def desk(driven: MainWindow, until: Until) -> PullsDesk:
    driven.desks.show_desk("pulls")
    made = driven.desks.desk("pulls")
    assert isinstance(made, PullsDesk)
    until(lambda: bool(made.list.rows))
    return made


def ink(desk: PullsDesk, color: str) -> int:
    """Pixels of a colour in the chart."""
    image = desk.chart.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    width = image.width()
    height = image.height()
    pixels = np.frombuffer(image.constBits(), np.uint32).reshape(height, -1)[:, :width] & 0xFFFFFF
    return int((pixels == int(color.lstrip("#"), 16)).sum())


def test_runs_are_listed_and_the_chosen_one_is_shown_on_the_tape(
    driven: MainWindow, desk: PullsDesk
) -> None:
    row = desk.list.rows[0]
    desk.list.choose(0)
    assert driven.session.selection.span == (row.trace.pull.start_s, row.trace.pull.end_s)
    assert desk.verdict.text() and desk.list.pulls.texts(0)[4].count("–") == 1
    # From A to B, and a dash where a run did not reach.
    desk.controls.high.setValue(12_000.0)
    desk.controls.high.editingFinished.emit()
    assert desk.list.pulls.texts(0)[5] == "–"


def test_runs_are_drawn_compared_zoomed_and_triggered(desk: PullsDesk) -> None:
    """One window for all of it: nothing of this changes the job."""
    _ticks(desk)
    _difference(desk)
    _lanes_and_triggers(desk)
    desk.controls.buttons["rpm"].click()
    _zoom(desk)


def _ticks(desk: PullsDesk) -> None:
    """A tick draws a run, and the chosen one is drawn anyway."""
    count = len(desk.list.rows)
    assert count >= 2
    for place in range(count):
        desk.list.pulls.tick(place, False)
    desk.list.choose(1)
    assert desk.list.drawn == [1]
    assert desk.chart.overlay is not None and len(desk.chart.overlay.lanes[0].lines) == 1
    assert ink(desk, desk.appearance.theme.accent) > 200
    rows = desk.list.pulls
    tick = Qt.CheckState.Checked.value
    assert rows.setData(rows.index(0, 0), tick, Qt.ItemDataRole.CheckStateRole)
    assert desk.list.drawn == [0, 1] and len(desk.chart.overlay.lanes[0].lines) == 2


def _difference(desk: PullsDesk) -> None:
    """Two runs are held against each other."""
    desk.list.choose(0)
    assert not desk.controls.apart.isEnabled()
    desk.list.select_beside(1)
    assert desk.list.beside == 1 and desk.controls.apart.isEnabled()
    desk.controls.apart.click()
    assert desk.chart.overlay is not None and desk.chart.overlay.is_difference
    desk.refresh()
    assert desk.list.beside == 1, "what was selected stays so"
    desk.controls.apart.click()


def _zoom(desk: PullsDesk) -> None:
    """The wheel zooms, dragging moves, a double click shows all."""
    chart = desk.chart
    whole = chart.view
    at = QPointF(chart.width() / 2, 60.0)
    event = QWheelEvent(
        at, at, QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(chart, event)
    zoomed = chart.view
    assert zoomed[1] - zoomed[0] < 0.9 * (whole[1] - whole[0])
    start = QPoint(chart.width() // 2, 60)
    QTest.mousePress(chart, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(chart, start - QPoint(40, 0))
    QTest.mouseRelease(chart, Qt.MouseButton.LeftButton, pos=start - QPoint(40, 0))
    assert chart.view[0] > zoomed[0]
    QTest.mouseDClick(chart, Qt.MouseButton.LeftButton, pos=start)
    assert chart.view == pytest.approx(whole)


def _lanes_and_triggers(desk: PullsDesk) -> None:
    """Lanes, and what sets the clock to zero."""
    assert desk.chart.overlay is not None
    before = [lane.lane for lane in desk.chart.overlay.lanes]
    desk.controls.lane_actions[Lane.INTAKE].setChecked(True)
    assert (
        Lane.INTAKE in [lane.lane for lane in desk.chart.overlay.lanes]
        and Lane.INTAKE not in before
    )
    desk.controls.buttons["time"].click()
    desk.controls.trigger.setCurrentIndex(desk.controls.trigger.findData("rpm"))
    desk.controls.trigger.activated.emit(1)
    assert desk.controls.trigger_kind == "rpm" and not desk.controls.level.isHidden()
    # With the same engine speed at zero, every run passes it there.
    traces = [row.trace for row in desk.list.rows]
    overlay = overlay_of(traces, [Lane.BOOST], "time", "rpm", 4000.0)
    assert overlay is not None
    for trace in traces:
        zero = trigger_s(trace, "rpm", 4000.0)
        if np.isfinite(zero):
            assert np.interp(zero, trace.time_s, trace.rpm) == pytest.approx(4000.0, abs=15.0)


def test_a_run_is_left_out_and_says_so(driven: MainWindow, desk: PullsDesk, until: Until) -> None:
    desk.list.choose(0)
    desk.out.click()
    until(lambda: not driven.session.is_busy)
    assert desk.out.text() == "Count this run again" and "(out)" in desk.list.pulls.texts(0)[0]
    desk.figure.setValue(140.0)
    desk.figure.editingFinished.emit()
    row = desk.list.rows[0]
    assert desk.pulls.figure_kw(row.round_id, row.trace.pull) == 140.0


def test_without_a_run_the_desk_says_what_it_needs(window: MainWindow) -> None:
    window.desks.show_desk("pulls")
    made = window.desks.desk("pulls")
    assert isinstance(made, PullsDesk)
    assert "found by themselves" in made.chart.nothing and not made.out.isEnabled()


@pytest.fixture
def knocking(window: MainWindow, until: Until, tmp_path: Path) -> PullsDesk:
    vehicle = heron()
    drive = simulate(vehicle, 5, 7.0, faults=Faults(knock_from_kpa=150.0), name="knock")
    write_log_csv(drive, tmp_path / "knock.csv")
    window.opening.make_job(vehicle, tmp_path / "knock.leantrim", tmp_path / "knock.csv")
    until(lambda: window.session.solution is not None and not window.session.is_busy)
    window.desks.show_desk("pulls")
    made = window.desks.desk("pulls")
    assert isinstance(made, PullsDesk)
    until(lambda: bool(made.list.rows))
    made.view_buttons.button(1).click()
    return made


def test_the_ledger_lists_knock_and_lays_it_out_on_any_axes(knocking: PullsDesk) -> None:
    page = knocking.knock
    assert knocking.view_buttons.button(1).text() == f"Knock  ·  {len(page.rows)}" and page.rows
    assert page.grid.rowCount() == 14 and page.grid.columnCount() == 16
    texts = [page.grid.item(12, j).text() for j in range(16)]
    assert "3.0" in texts and page.grid.item(0, 4).text() in ("", "0")
    page.events.selectRow(0)
    event = page.rows[0][2]
    assert knocking.session.selection.span == (event.start_s, event.end_s)
    QGuiApplication.clipboard().setText(
        "kPa\\rpm\t2000\t4000\t6000\n60\t30\t32\t34\n160\t12\t14\t18\n"
    )
    page.paste.click()
    assert (page.grid.rowCount(), page.grid.columnCount()) == (2, 3)
    assert page.grid.item(1, 1).text() == "3.0"
    page.copy_grid.click()
    assert QGuiApplication.clipboard().text().splitlines()[0] == "kPa\\rpm\t2000\t4000\t6000"
    QGuiApplication.clipboard().setText("nothing here")
    page.paste.click()
    assert page.grid.columnCount() == 3
    page.copy_list.click()
    assert len(QGuiApplication.clipboard().text().splitlines()) == len(page.rows) + 1
    page.back.click()
    assert page.grid.rowCount() == 14


def test_targets_are_typed_beside_what_people_run(driven: MainWindow, desk: PullsDesk) -> None:
    desk.view_buttons.button(2).click()
    page = desk.targets
    table = page.targets.base
    assert table is not None and "people run" in page.advice.text()
    before = page.caution.text()
    cell = (table.shape[0] - 1) * table.shape[1] + 3
    at = page.grid.tile_rect(cell).center().toPoint()
    QTest.mouseClick(page.grid, Qt.MouseButton.LeftButton, pos=at)
    assert page.cells == {cell}
    QTest.keyClicks(page.entry, "=0.93")
    QTest.keyClick(page.entry, Qt.Key.Key_Return)
    assert driven.session.deciding.confirm(), "leaner under load needs a word"
    assert page.grid.texts(cell)[2].startswith("0.93") and page.grid.view.warned[cell]
    assert "destroys engines" in page.caution.text()
    at = page.grid.tile_rect(cell).center().toPoint()
    assert "leaner than people run" in page.grid.hint_at(at)
    assert page.cells, "the choice stays while one types"
    page.back.click()
    assert "to write" not in page.grid.describe(cell) and page.caution.text() == before


def test_without_knock_the_page_says_whether_it_was_logged(
    window: MainWindow, until: Until, tmp_path: Path
) -> None:
    vehicle = heron()
    drive = simulate(vehicle, 5, 6.0, name="quiet")
    still = with_channel(drive, Role.KNOCK, np.zeros(len(drive)))
    for name, log, words in (
        ("logged", still, "was logged, and no spark"),
        ("not", without(drive, Role.KNOCK), "in none of the logs"),
    ):
        write_log_csv(log, tmp_path / f"{name}.csv")
        window.opening.make_job(vehicle, tmp_path / f"{name}.leantrim", tmp_path / f"{name}.csv")
        until(lambda: window.session.solution is not None and not window.session.is_busy)
        window.show_desk("pulls")
        desk = window.desk("pulls")
        assert isinstance(desk, PullsDesk)
        desk.knock.refresh()
        until(lambda d=desk, w=words: w in d.knock.about.text())
        window.session.close_job()
