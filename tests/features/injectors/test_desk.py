"""The Injectors desk: tells apart what the shown round says, and never shows what another said."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.calibration import DEAD_TIME
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Injectors, Vehicle
from lean_trim.core.diagnosis.causes import certain_swap
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.errors import BadInputError
from lean_trim.core.injectors.steady import steady_state
from lean_trim.core.messages import Message
from lean_trim.features.injectors.desk.desk import InjectorsDesk
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.formats.logs import write_log_csv
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.simcar.truth import truth_for
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.round_rail import round_lines
from lean_trim.ui.window.steps import State, steps_of
from lean_trim.workspace import deciding
from tests.deciding import accept_knowingly
from tests.jobs import job_bytes

Until = Callable[..., None]
pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def swap() -> tuple[Vehicle, Log]:
    car = heron()
    mesh = np.meshgrid(*(a.points for a in car.table.axes), indexing="ij")
    good = car.with_table(
        car.table.with_values(np.round(truth_for(car).ve_surface(mesh[1], mesh[0]), 1))
    )
    truth = replace(truth_for(good), flow_scale=0.94, dead_time_shift_ms=0.1)
    return good, simulate(good, 8, 10.0, truth=truth, name="swap")


@pytest.fixture(scope="module")
def swap_job(swap: tuple[Vehicle, Log], tmp_path_factory: pytest.TempPathFactory) -> bytes:
    """Bytes of a job with that log in its first round."""
    vehicle, log = swap
    return job_bytes(tmp_path_factory.mktemp("swap") / "swap.leantrim", vehicle, log)


@pytest.fixture
def swapped(window: MainWindow, until: Until, swap_job: bytes, tmp_path: Path) -> MainWindow:
    path = tmp_path / "swap.leantrim"
    path.write_bytes(swap_job)
    window.opening.open_job(path)
    until(lambda: window.session.solution is not None and not window.session.is_busy)
    window.desks.show_desk("injectors")
    QApplication.processEvents()
    return window


def desk_of(window: MainWindow) -> InjectorsDesk:
    made = window.desks.desk("injectors")
    assert isinstance(made, InjectorsDesk)
    return made


def rail_text(window: MainWindow) -> str:
    session = window.session
    assert session.job is not None
    return " ".join(round_lines(session.job, 0))


def told(window: MainWindow, until: Until) -> InjectorsDesk:
    desk = desk_of(window)
    QTest.mouseClick(desk.tell, Qt.MouseButton.LeftButton)
    until(lambda: desk.study.report is not None)
    return desk


def test_a_swap_is_told_and_its_tables_can_be_copied(swapped: MainWindow, until: Until) -> None:
    desk = told(swapped, until)
    report = desk.study.report
    assert report is not None
    assert report.split.flow_scale == pytest.approx(0.94, abs=0.06)
    assert report.split.dead_ms == pytest.approx(0.1, abs=0.03)
    assert "ms ±" in desk.figures[1].text()
    QTest.mouseClick(desk.dead.accept, Qt.MouseButton.LeftButton)
    was, asked, to_write = desk.dead.grid.texts(0)
    assert asked == to_write != was
    assert not desk.dead.accept.isEnabled() and "injector data decided" in rail_text(swapped)
    desk.dead.copy.trigger()
    rows = QGuiApplication.clipboard().text().splitlines()
    assert rows[0] == "V\tms" and len(rows) == 6
    assert float(rows[1].split("\t")[1]) == pytest.approx(1.95 + report.split.dead_ms, abs=1e-3)
    current = swapped.session.round
    assert current is not None and current.handed_over.endswith("clipboard")


def test_a_cell_is_typed_and_a_slip_shows_again_what_stands(swapped: MainWindow) -> None:
    card = desk_of(swapped).dead
    QTest.mouseClick(
        card.grid, Qt.MouseButton.LeftButton, pos=card.grid.tile_rect(2).center().toPoint()
    )
    QTest.keyClicks(card.grid, "=")
    QTest.keyClicks(card.entry, "1.11")
    QTest.keyClick(card.entry, Qt.Key.Key_Return)
    assert card.tables.decided(DEAD_TIME).values[2] == pytest.approx(1.11)  # type: ignore[union-attr]
    QTest.keyClicks(card.entry, "much")
    QTest.keyClick(card.entry, Qt.Key.Key_Return)
    assert card.grid.texts(2)[2] == "1.11" and card.entry.text() == "much"
    assert "now 1.02 ms" in card.line.text() and "to write 1.11" in card.line.text()
    QTest.mouseClick(card.back, Qt.MouseButton.LeftButton)
    assert card.grid.texts(2)[2] == "1.02" and not card.back.isEnabled()


def test_the_ecus_own_table_is_pasted_with_its_axes(swapped: MainWindow, until: Until) -> None:
    card = desk_of(swapped).flow
    QGuiApplication.clipboard().setText("psi\tlb/h\n40\t58\n43.5\t60.3\n60\t70.8\n")
    card.sheet.ask_clipboard()
    assert card.grid.isHidden() and card.sheet.units["pressure"].currentText() == "psi"
    assert "power 0.49" in card.sheet.says.text()
    QTest.mouseClick(card.sheet.take, Qt.MouseButton.LeftButton)
    until(lambda: swapped.session.solution is not None and not swapped.session.is_busy)
    assert card.grid.view.table.size == 3 and card.grid.texts(1)[0] == "60.3"
    QGuiApplication.clipboard().setText("nothing of the kind")
    card.sheet.ask_clipboard()
    assert not card.sheet.take.isEnabled() and card.sheet.says.text()
    card.sheet.ask_points()
    card.sheet.points.setText("250, 300 400 kPa")
    QTest.mouseClick(card.sheet.take, Qt.MouseButton.LeftButton)
    until(lambda: swapped.session.solution is not None and not swapped.session.is_busy)
    assert [card.grid.point_text(i) for i in range(3)] == ["250 kPa", "300 kPa", "400 kPa"]


def test_the_word_about_the_table_is_kept_and_counts(swapped: MainWindow, until: Until) -> None:
    desk = told(swapped, until)
    first = desk.study.report
    desk.trust.setValue(6.0)
    desk.trust.editingFinished.emit()
    until(lambda: desk.study.report is not None and desk.study.report is not first)
    assert desk.study.trust_pct == 6.0
    assert "not told apart" in desk.figures[0].text() and "Weigh the fuel" in desk.verdict.text()
    assert swapped.session.open.store is not None
    assert swapped.session.open.store.setting("airflow_trusted_pct") == "6"


@pytest.mark.solves
def test_what_was_told_goes_with_its_solution(swapped: MainWindow, until: Until) -> None:
    desk = told(swapped, until)
    swapped.actions_["solve"].trigger()
    until(lambda: not swapped.session.is_busy and desk.study.report is None)
    assert desk.figures[0].text() == "" and not desk.flow.accept.isEnabled()


def test_unknown_injectors_are_said_and_not_guessed(
    window: MainWindow, until: Until, swap: tuple[Vehicle, Log], tmp_path: Path
) -> None:
    vehicle, log = swap
    unknown = replace(vehicle, injectors=Injectors(float("nan"), 300.0, np.array([]), np.array([])))
    write_log_csv(log, tmp_path / "swap.csv")
    window.opening.make_job(unknown, tmp_path / "u.leantrim", tmp_path / "swap.csv")
    until(lambda: window.session.solution is not None and not window.session.is_busy)
    window.desks.show_desk("injectors")
    desk = desk_of(window)
    QTest.mouseClick(desk.tell, Qt.MouseButton.LeftButton)
    assert "flow_g_per_s is not known" in desk.verdict.text()


def test_a_round_after_a_swap_has_steps_of_its_own(swapped: MainWindow, until: Until) -> None:
    desk = desk_of(swapped)
    QTest.mouseClick(desk.first, Qt.MouseButton.LeftButton)
    assert swapped.actions_["swap"].isChecked() and "other injectors" in rail_text(swapped)
    words = [s.text for s in steps_of(swapped.session)]
    assert words[0] == "Old injectors: not driven here" and "Tell flow and dead time apart" in words
    told(swapped, until)
    states = {s.text: s.state for s in steps_of(swapped.session)}
    assert states["Accept the tables"] is State.NOW
    assert any(text.startswith("Told: ") for text in states)
    QTest.mouseClick(desk.flow.accept, Qt.MouseButton.LeftButton)
    assert "Injector data decided" in [s.text for s in steps_of(swapped.session)]
    swapped.actions_["begin_round"].trigger()
    assert not desk.first.isChecked() and swapped.actions_["swap"].isEnabled()
    swapped.session.show_round(0)
    assert desk.first.isChecked() and not desk.first.isEnabled()


def test_every_view_is_drawn_and_differs(swapped: MainWindow, until: Until) -> None:
    desk = told(swapped, until)
    seen = set()
    for button in desk.view_buttons.buttons():
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        seen.add(desk.chart.grab().toImage().cacheKey())
        assert desk.chart.view == button.text()
        assert len(colours(desk.chart.grab().toImage())) > 20
    assert len(seen) == 4


def colours(image: QImage) -> set[int]:
    return {
        image.pixel(x, y) for x in range(0, image.width(), 3) for y in range(0, image.height(), 3)
    }


def test_what_was_measured_apart_is_kept_with_the_round_and_counts(
    swapped: MainWindow, until: Until
) -> None:
    desk = told(swapped, until)
    first = desk.study.report
    desk.measured.boxes["flow_g_per_s"].setValue(7.144)
    desk.measured.boxes["flow_g_per_s"].editingFinished.emit()
    until(lambda: desk.study.report is not None and desk.study.report is not first)
    assert desk.study.report is not None and desk.study.report.split.flow_measured
    assert desk.study.measured.flow_g_per_s == 7.144
    # Pulses that cannot be are said, and the figure before is not lost.
    for key, value in (("one_ms", 5.0), ("two_ms", 2.0)):
        desk.measured.boxes[key].setValue(value)
        desk.measured.boxes[key].editingFinished.emit()
    until(lambda: bool(desk.study.failure))
    assert "not at the same state" in desk.verdict.text()


def test_headroom_follows_what_is_asked(swapped: MainWindow) -> None:
    panel = desk_of(swapped).headroom
    assert "At its hardest" in panel.now.text() and "cm³/min" in panel.needed.text()
    before = panel.needed.text()
    panel.fuel.setCurrentText("E85")
    panel.fuel.activated.emit(panel.fuel.currentIndex())
    assert panel.needed.text() != before
    panel.power.setValue(200.0)
    assert "rule of thumb" in panel.needed.text()
    panel.limit.setValue(20.0)
    assert swapped.appearance.theme.danger in panel.now.styleSheet()


def test_a_table_is_opened_from_a_file_in_the_units_its_header_names(
    swapped: MainWindow, until: Until, tmp_path: Path
) -> None:
    desk = desk_of(swapped)
    path = tmp_path / "dead.csv"
    path.write_text("V;µs\n8;1950\n12;1050\n16;650\n")
    desk.dead.sheet.take_file(path)
    assert not desk.dead.sheet.isHidden() and "650 to 1950 µs" in desk.dead.sheet.says.text()
    desk.dead.sheet.take.click()
    until(lambda: not swapped.session.is_busy)
    table = swapped.session.injectors.base(DEAD_TIME)
    assert table is not None
    np.testing.assert_allclose(table.values, [1.95, 1.05, 0.65])
    desk.dead.sheet.take_file(tmp_path / "none.csv")
    assert "none.csv" in desk.dead.sheet.says.text() and not desk.dead.sheet.take.isEnabled()


def test_an_ecu_that_adds_to_short_pulses_gets_a_card_for_it(
    swapped: MainWindow, until: Until
) -> None:
    desk = desk_of(swapped)
    assert desk.small.isHidden()
    QGuiApplication.clipboard().setText("ms\tadded\n0.4\t0.06\n1.2\t0\n")
    action = next(a for a in desk.dead.more.menu().actions() if "small-pulse" in a.text())
    action.trigger()
    assert not desk.small.isHidden()
    desk.small.sheet.take.click()
    until(lambda: not swapped.session.is_busy)
    vehicle = swapped.session.vehicle
    assert vehicle is not None and vehicle.injectors.small_add_ms[0] == pytest.approx(0.06)
    assert not desk.small.isHidden() and desk.small.grid.texts(0)[0] == "0.06"


def test_two_stretches_of_the_tape_tell_the_dead_time(swapped: MainWindow, until: Until) -> None:
    session = swapped.session
    study = session.study
    panel = desk_of(swapped).measured
    panel.stretch_buttons[1].click()
    assert "drag over it on the tape" in swapped.messages.text.text()
    assert session.solution is not None
    log = session.solution.prepared.frame.log
    # Steady seconds of this drive; an ECU that injects once all along is refused for the dead time
    # it leaves.
    steady = next(
        (t, t + 12.0)
        for t in np.arange(30.0, log.time_s[-1] - 12.0, 2.0)
        if _is_steady(log, float(t), float(t) + 12.0)
    )
    session.selection.set_span(*steady, frozenset())
    panel.stretch_buttons[1].click()
    assert "1 a cycle" in panel.read.text() and study.measured.one_ms == 0.0
    one = study.stretches[1]
    # The same state with two injections: half the open time and the whole dead time, of 0.95 ms.
    study.stretches[2] = replace(one, pulse_ms=0.5 * (one.pulse_ms - 0.95) + 0.95)
    panel.stretch_buttons[1].click()
    assert 2.0 * study.measured.two_ms - study.measured.one_ms == pytest.approx(0.95, abs=0.003)
    assert panel.boxes["one_ms"].value() == study.measured.one_ms
    assert study.measured.at_volts == pytest.approx(one.volts, abs=0.01)


def _is_steady(log: Log, start_s: float, end_s: float) -> bool:
    try:
        steady_state(log, start_s, end_s)
    except BadInputError:
        return False
    return True


def test_the_table_is_not_accepted_while_the_injectors_are_certainly_others(
    swapped: MainWindow, until: Until, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = swapped.session
    until(lambda: session.solution is not None and session.solution.seen.done)
    assert session.solution is not None
    sure = Finding("injector_flow", "warning", 0.0, 60.0, SEEN(), probability=0.995)
    assert certain_swap([sure]) is sure
    assert certain_swap([replace(sure, probability=0.97)]) is None
    assert certain_swap([replace(sure, alike=("dead_time",))]) is None
    bar = table_desk(swapped).bar
    monkeypatch.setattr(deciding, "certain_swap", lambda findings: None)
    session.decided.emit()
    bar.refresh()
    assert bar.accept.isEnabled()
    monkeypatch.setattr(deciding, "certain_swap", lambda findings: sure)
    session.decided.emit()
    bar.refresh()
    assert not bar.accept.isEnabled() and "Injectors desk" in bar.accept.toolTip()
    accept_knowingly(session.deciding)
    assert session.decision is not None and not session.decision.changed


SEEN = Message("test.seen", "Other injectors.")
