"""The first hour of a new user, through the real window, with a picture at each step.

``.venv/bin/python tools/first_hour.py FOLDER [--size 1280x800] [--night] [--own CAR] [--curve
CAR]``

CAR is a folder with a vehicle.json and a drive log. Every step says what must hold and stops the
walk where it does not. For a larger scale set QT_SCALE_FACTOR; without a screen run it under
``xvfb-run``.
"""

from __future__ import annotations

import argparse
import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPoint, QPointF, QSize, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QScrollArea, QWidget

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.features.registry import FEATURES
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.ui.widgets.choice_button import ChoiceButton
from lean_trim.ui.widgets.log_menu import fill_log_menu
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.finder import Finder

NONE = Qt.KeyboardModifier.NoModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
LEFT = Qt.MouseButton.LeftButton


class Walk:
    """A window on an empty folder, and the pictures taken of it."""

    def __init__(self, folder: Path, size: QSize, night: bool) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.folder = folder
        self.files = Path(tempfile.mkdtemp())
        self.app = QApplication.instance() or QApplication([])
        self.window = make_window(FEATURES, self.files / "data")
        self.session = self.window.session
        self.size = size
        self.count = 0
        self.window.actions_["night"].setChecked(night)
        self.window.resize(size)
        self.window.show()
        QTest.qWaitForWindowExposed(self.window)

    def wait(self, condition: Callable[[], bool] | None = None, seconds: float = 120.0) -> None:
        """Let the window live until something holds, or nothing runs any more."""
        end = time.monotonic() + seconds
        idle = lambda: not self.session.is_busy and self.session.tuning.is_resting  # noqa: E731
        while not (condition or idle)():
            if time.monotonic() > end:
                raise TimeoutError("the window did not get there")
            self.app.processEvents()
            time.sleep(0.005)
        for _ in range(5):
            self.app.processEvents()

    def step(self, name: str, holds: bool = True, picture: QWidget | None = None) -> None:
        """Take a picture, then insist on what must hold."""
        self.count += 1
        for _ in range(3):
            self.app.processEvents()
        (picture or self.window).grab().save(str(self.folder / f"{self.count:02d}-{name}.png"))
        print(f"{self.count:2d} {name}: {'as it should be' if holds else 'WRONG'}", flush=True)
        assert holds, name
        assert self.window.size() == self.size, f"{name}: the window grew to {self.window.size()}"

    def scroll(self, widget: QWidget) -> None:
        """Turn the wheel over the middle of a widget."""
        middle = widget.mapTo(self.window, widget.rect().center())
        QTest.wheelEvent(self.window.windowHandle(), QPointF(middle), QPoint(0, -360))
        self.app.processEvents()

    def click_cell(self, cell: int) -> None:
        """Click a tile."""
        table = table_desk(self.window).table
        QTest.mouseClick(table, LEFT, NONE, table.tile_rect(cell).center().toPoint())
        self.app.processEvents()


def demo(walk: Walk) -> None:
    """The demo: drive, look, scroll, click, decide, hand over, drive again."""
    window = walk.window
    session = walk.session
    walk.step("start", not window.start_page.recent)
    seen: list[str] = []
    session.driving.connect(lambda _: seen.append(table_desk(window).header.text))
    window.actions_["demo"].trigger()
    walk.wait(lambda: bool(seen))
    window.fold.open()
    walk.step("driving", "Driving" in seen[0])
    walk.wait(lambda: session.solution is not None and not session.is_busy)
    walk.step("worked-out", session.deciding.waiting_in() > 0)
    before = session.tuning.state
    for name in [page.name for page in window.page_specs]:
        window.margin.show_page(name)
        walk.app.processEvents()
        page = window.margin.page(name)
        for widget in (*page.findChildren(QScrollArea), page):
            for _ in range(4):
                walk.scroll(widget)
    walk.step(
        "scrolled-everywhere", session.tuning.state == before and session.history.count() == 0
    )
    waiting = session.deciding.waiting_in()
    window.margin.show_page("evidence")
    for cell in (*range(64, 72), 100, 70):
        walk.click_cell(cell)
    walk.step("ten-tiles-clicked", table_desk(window).bar.accept.text() == f"Accept all {waiting}")
    tape = window.tape
    tape.setFocus()
    tape.look_at(330.0, 420.0)
    QTest.keyClick(tape, Qt.Key.Key_Right)
    for _ in range(15):
        QTest.keyClick(tape, Qt.Key.Key_Right, SHIFT)
    window.actions_["leave_out"].trigger()
    walk.wait()
    walk.step("left-out-by-hand", session.round is not None and len(session.round.left_out) == 1)
    window.actions_["undo"].trigger()
    walk.wait()
    window.actions_["show_all"].trigger()
    window.margin.show_page("sieve")
    page = window.margin.page("sieve")
    page.rows["tip"].unfold(True)  # type: ignore[attr-defined]
    session.tuning.turn("sieve", "tip.after_s", 2.5)
    walk.wait()
    walk.step("threshold-turned", "Quick change" in window.actions_["undo"].text())
    window.actions_["undo"].trigger()
    walk.wait()
    window.margin.show_page("fit")
    walk.step("fit", "Undone: Quick change" in window.status.done.text())
    window.margin.show_page("write")
    window.actions_["hand_over"].trigger()
    walk.step("asked-before-handing-over", window.rail.steps.question.isVisible())
    QFileDialog.getSaveFileName = lambda *_: (str(walk.files / "heron.csv"), "")  # type: ignore[method-assign,assignment]
    QTest.mouseClick(window.rail.steps.accept_first, LEFT)
    walk.step(
        "word-asked", window.confirm.isVisible() and not walk.files.joinpath("heron.csv").exists()
    )
    QTest.mouseClick(window.confirm.go_on, LEFT)
    walk.step("handed-over", session.round is not None and bool(session.round.handed_over))
    window.messages.hide()
    QTest.mouseClick(window.rail.steps.drive, LEFT)
    walk.wait(lambda: session.index == 1 and session.solution is not None and not session.is_busy)
    window.margin.show_page("evidence")
    walk.step("second-round", "Better" in table_desk(window).header.text)
    window.rail.list.setCurrentRow(0)
    walk.wait(lambda: session.solution is not None and not session.is_busy)
    walk.step("back-at-the-first-round", not table_desk(window).bar.accept.isEnabled())
    window.rail.list.setCurrentRow(1)
    walk.wait(lambda: session.solution is not None and not session.is_busy)


def everyday(walk: Walk) -> None:
    """What an hour at the table is made of: typed and undone, pasted, a visit left out, a notice, a word."""
    window = walk.window
    session = walk.session
    desk = table_desk(window)
    window.activateWindow()
    window.margin.show_page("evidence")
    assert session.solution is not None and session.round is not None
    busy = int(session.solution.estimate.seconds.argmax())
    walk.click_cell(busy)
    page = window.margin.page("evidence")
    walk.step("it-adds-up", "Measured here" in page.body.text())  # type: ignore[attr-defined]
    before = session.decision
    desk.bar.entry.setFocus()
    QTest.keyClicks(desk.bar.entry, "+3%")
    QTest.keyClick(desk.bar.entry, Qt.Key.Key_Return)
    QTest.keyClick(desk.bar.entry, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    same = before is not None and session.decision is not None
    walk.step("typed-and-undone", same and (before.values == session.decision.values).all())  # type: ignore[union-attr]
    visit = page.visits.item(0)  # type: ignore[attr-defined]
    page.visits.itemClicked.emit(visit)  # type: ignore[attr-defined]
    window.actions_["leave_out"].trigger()
    walk.wait()
    walk.step("visit-left-out", len(session.round.left_out) == 1)
    window.actions_["undo"].trigger()
    walk.wait()
    window.actions_["copy"].trigger()
    window.messages.hide()
    where = desk.table.mapTo(window, QPoint(0, 0))
    QGuiApplication.clipboard().setText("nothing like a table")
    window.actions_["paste"].trigger()
    walk.step("refused-and-nothing-moved", desk.table.mapTo(window, QPoint(0, 0)) == where)
    window.messages.hide()
    finder = Finder(window.actions_, window)
    finder.show()
    finder.line.setText("smooth")
    walk.step("a-word-nobody-taught-it", finder.list.topLevelItemCount() == 1, finder)
    finder.close()


def asked_log(walk: Walk) -> None:
    """A log with doubts: touched without answering, answered, and what follows is asked."""
    window = walk.window
    session = walk.session
    assert session.round is not None
    log = session.round.logs[0]
    path = walk.files / "asked.csv"
    write_log_csv(log, path)
    lines = path.read_text(encoding="utf-8").split("\n")
    lines[0] = lines[0].replace("kPa", "V", 1)
    path.write_text("\n".join(lines), encoding="utf-8")
    session.imports.add([path], look=True)
    walk.wait(lambda: window.import_sheet.isVisible() and not session.is_busy)
    sheet = window.import_sheet
    walk.step("asked", session.imports.current is not None)
    assert session.imports.current is not None
    before = session.imports.current
    row = sheet.table.cellWidget(0, 0) or sheet.table.cellWidget(0, 1)
    assert isinstance(row, ChoiceButton)
    QTest.mouseClick(row, LEFT)
    assert row.open_menu is not None
    walk.step("list-open", row.open_menu.isVisible(), row.open_menu)
    QTest.keyClick(row.open_menu, Qt.Key.Key_Escape)
    walk.wait()
    walk.step("touched-is-not-answered", session.imports.current is before)
    session.imports.discard()


def own_car(walk: Walk, car: Path) -> None:
    """An own car: three logs at once, one of another car; columns and tables are asked about."""
    window = walk.window
    session = walk.session
    log_file = next(p for p in car.iterdir() if p.name.startswith("drive"))
    window.opening.new_job(car / "vehicle.json", walk.files / "own.leantrim")
    walk.wait(lambda: session.job is not None and not session.job.car)
    walk.step("own-car-without-a-log", session.index == 0 and not window.messages.isVisible())
    again = walk.files / f"again-{log_file.name}"
    shutil.copy(log_file, again)
    strange = walk.files / "strange.csv"
    write_log_csv(other_car(), strange)
    session.imports.add([log_file, again, strange])
    # The same file under another name counts once; the one of another car is asked about.
    walk.wait(lambda: bool(session.imports.waiting) and not session.is_busy)
    walk.step("stranger-asked-about", window.import_sheet.isVisible())
    session.imports.accept()
    walk.wait(
        lambda: session.round is not None and len(session.round.logs) == 2 and not session.is_busy
    )
    window.margin.show_page("logs")
    walk.step("three-logs-at-once", table_desk(window).reason.isVisible())
    assert session.round is not None
    stranger = session.round.log_infos[1]
    row = window.margin.page("logs").logs.rows[1]  # type: ignore[attr-defined]
    fill_log_menu(row.menu, session, stranger.id, lambda *_: None)
    row.menu.popup(row.button.mapToGlobal(QPoint(0, row.button.height())))
    walk.step("what-can-be-done-with-a-log", row.menu.isVisible(), row.menu)
    row.menu.hide()
    session.logs.remove(session.round.id, stranger.id)
    walk.wait(lambda: session.solution is not None and not session.is_busy)
    walk.step("stranger-removed", not table_desk(window).reason.isVisible())
    window.messages.hide()
    other_copy = walk.files / "looked-at.csv"
    write_log_csv(session.round.logs[0], other_copy)
    session.imports.add([other_copy], look=True)
    walk.wait(lambda: window.import_sheet.isVisible() and not session.is_busy)
    walk.step("columns-of-a-log", session.imports.current is not None)
    session.imports.discard()
    session.deciding.accept()
    session.deciding.confirm()
    drop = (Role.PULSE_WIDTH, Role.DUTY)
    own = session.round.logs[0]
    bare = Log(own.time_s, {r: v for r, v in own.channels.items() if r not in drop}, "bare")
    write_log_csv(bare, walk.files / "bare.csv")
    session.imports.add([walk.files / "bare.csv"])
    walk.wait(lambda: window.place_sheet.isVisible() and not session.is_busy)
    walk.step("which-table", bool(session.imports.unplaced))
    session.imports.discard()


def other_car() -> Log:
    """A log of a car with other injectors and another displacement."""
    from dataclasses import replace

    car = heron()
    return simulate(replace(car, displacement_l=2.6), seed=5, minutes=6.0, name="strange")


def curve_car(walk: Walk, car: Path) -> None:
    """A car with a mass-airflow curve."""
    window = walk.window
    session = walk.session
    log_file = next(p for p in car.iterdir() if p.name.startswith("drive"))
    window.opening.new_job(car / "vehicle.json", walk.files / "curve.leantrim")
    walk.wait(lambda: session.job is not None and session.job.vehicle.airflow == "maf")
    session.imports.add([log_file])
    walk.wait(lambda: session.solution is not None and not session.is_busy)
    window.margin.show_page("evidence")
    walk.click_cell(6)
    walk.step("curve", "MAF curve" in table_desk(window).header.title.text())


def the_end(walk: Walk) -> None:
    """The finder, and what is left in the window once the job is closed."""
    window = walk.window
    session = walk.session
    finder = Finder(window.actions_, window)
    finder.show()
    walk.step("finder", finder.list.topLevelItemCount() > 30, finder)
    finder.close()
    session.close_job()
    walk.step("closed", bool(window.start_page.recent) and not window.messages.isVisible())
    window.close()


def main() -> None:
    """Walk through the hour."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path, help="where the pictures go")
    parser.add_argument("--size", default="1280x800")
    parser.add_argument("--night", action="store_true")
    parser.add_argument("--own", type=Path, help="a car of one's own instead of Heron's sheet")
    parser.add_argument("--curve", type=Path, help="a car with a mass-airflow curve")
    words = parser.parse_args()
    width, height = (int(x) for x in words.size.split("x"))
    walk = Walk(words.folder, QSize(width, height), words.night)
    demo(walk)
    everyday(walk)
    asked_log(walk)
    own = words.own
    if own is None:
        own = walk.files / "own"
        write_vehicle(heron(), own)
        write_log_csv(simulate(heron(), seed=4, minutes=8.0, name="own"), own / "drive.csv")
    own_car(walk, own)
    if words.curve is not None:
        curve_car(walk, words.curve)
    the_end(walk)


if __name__ == "__main__":
    main()
