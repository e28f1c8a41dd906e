"""A car of one's own, from the start page to a corrected table, with a picture at each step.

``.venv/bin/python tools/own_car.py FOLDER [--size 1280x800] [--night]``; without a screen under
``xvfb-run``. The log and the table are those of ``examples``; three mistakes are made on the way.
Every click, typed field, drop and answered chooser is an action and counted; the mistakes are
counted apart.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QMimeData, QPointF, QSize, Qt, QUrl
from PySide6.QtGui import QDropEvent, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLineEdit, QWidget

from lean_trim.features.table.desk.desk import table_desk
from lean_trim.formats.tables import read_table
from lean_trim.ui.vehicle.new_job import NewJobPage
from lean_trim.workspace.vehicle.fields import Key
from tools.first_hour import LEFT, Walk

EXAMPLES = Path(__file__).parent.parent / "examples"
MOST_ACTIONS = 24


class Hand:
    """Does what a user does, and counts it."""

    def __init__(self, walk: Walk) -> None:
        self.walk = walk
        self.actions = 0
        self.mistakes = 0
        self.wrong = False

    def _count(self) -> None:
        if self.wrong:
            self.mistakes += 1
        else:
            self.actions += 1
        self.walk.app.processEvents()

    def click(self, button: QWidget) -> None:
        """Click a button."""
        QTest.mouseClick(button, LEFT)
        self._count()

    def give_word(self) -> None:
        """Confirm what was asked about, where something was."""
        strip = self.walk.window.confirm
        if strip.isVisible():
            self.click(strip.go_on)

    def type(self, edit: QLineEdit, text: str) -> None:
        """Click into a field and type over what stands there."""
        QTest.mouseClick(edit, LEFT)
        edit.selectAll()
        QTest.keyClicks(edit, text)
        self._count()

    def drop(self, path: Path) -> None:
        """Drop a file onto the window."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        place = QPointF(400, 300)
        action = Qt.DropAction.CopyAction
        plain = Qt.KeyboardModifier.NoModifier
        self.walk.window.dropEvent(QDropEvent(place, action, data, LEFT, plain))
        self._count()

    def answering(self, path: Path, click: Callable[[], None]) -> None:
        """Click something that asks for a file name, and answer it."""
        usual = QFileDialog.getSaveFileName
        QFileDialog.getSaveFileName = lambda *_, **__: (str(path), "")  # type: ignore[method-assign,assignment]
        try:
            click()
        finally:
            QFileDialog.getSaveFileName = usual  # type: ignore[method-assign]
        self._count()


def page_of(walk: Walk) -> NewJobPage:
    """The page for a new job."""
    assert walk.window.new_job is not None
    return walk.window.new_job


def mistakes(walk: Walk, hand: Hand) -> None:
    """A wrong file, a wrong unit, and turning away in the middle of it."""
    window = walk.window
    hand.wrong = True
    hand.drop(EXAMPLES / "tern-trace.dbc")
    walk.wait(window.messages.isVisible)
    walk.step("mistake-a-dbc-for-a-log", "tern-trace.dbc" in window.messages.text.text())
    page = page_of(walk)
    hand.type(page.car.numbers[Key.DISPLACEMENT].edit, "1800")
    walk.step(
        "mistake-cm3-for-litres", "allowed are" in page.car.numbers[Key.DISPLACEMENT].note.text()
    )
    hand.click(page.back)
    walk.step("mistake-turned-away", window.pages.currentIndex() == 0)
    window.actions_["new_job"].trigger()
    hand.mistakes += 1
    hand.wrong = False
    walk.step("nothing-lost", page.car.numbers[Key.DISPLACEMENT].edit.text() == "1800")


def own_car(walk: Walk) -> Hand:
    """Begin with a log, paste the table, type what is asked, correct, hand over."""
    window = walk.window
    session = walk.session
    hand = Hand(walk)
    QGuiApplication.clipboard().setText((EXAMPLES / "heron-table.txt").read_text(encoding="utf-8"))
    walk.step("start", window.pages.currentIndex() == 0)
    mistakes(walk, hand)
    began = time.monotonic()
    hand.drop(EXAMPLES / "heron-evening.csv")
    page = page_of(walk)
    walk.wait(lambda: page.draft.told.path is not None)
    walk.step("what-the-log-tells", "manifold pressure" in page.told.text())
    hand.click(page.airflow.paste)
    walk.step("table-pasted", page.airflow.table is not None)
    hand.type(page.car.name, "Night Heron")
    hand.type(page.car.numbers[Key.CYLINDERS].edit, "4")
    hand.type(page.car.numbers[Key.DISPLACEMENT].edit, "1.8")
    box = page.car.choices["fuel"].box
    box.setCurrentIndex(box.findData("E10"))
    box.activated.emit(box.currentIndex())
    hand.actions += 2
    walk.step("ready", page.make.isEnabled())
    job = walk.files / "night-heron.leantrim"
    hand.answering(job, lambda: hand.click(page.make))
    walk.wait(lambda: session.solution is not None and not session.is_busy)
    walk.step("worked-out", session.deciding.waiting_in() > 40)
    hand.click(table_desk(window).bar.accept)
    hand.give_word()
    walk.step("accepted", session.deciding.waiting_in() == 0)
    table = walk.files / "corrected.csv"
    hand.answering(table, window.actions_["hand_over"].trigger)
    hand.actions += 1
    walk.wait(table.exists)
    before = read_table(EXAMPLES / "heron-table.txt", "ve")
    after = read_table(table, "ve")
    changed = int((before.values != after.values).sum())
    walk.step("handed-over", after.same_axes(before) and changed > 40)
    print(
        f"{hand.actions} actions, {hand.mistakes} in mistakes, {changed} cells, "
        f"{time.monotonic() - began:.0f} s"
    )
    assert hand.actions <= MOST_ACTIONS
    return hand


def main() -> None:
    """Walk as the arguments say."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--size", default="1280x800")
    parser.add_argument("--night", action="store_true")
    args = parser.parse_args()
    width, height = (int(n) for n in args.size.split("x"))
    walk = Walk(args.folder, QSize(width, height), args.night)
    own_car(walk)
    walk.window.close()


if __name__ == "__main__":
    main()
