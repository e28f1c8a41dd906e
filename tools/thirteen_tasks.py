"""The everyday tasks at the table, done in the real window as a user does them, each with its actions.

    python -m tools.thirteen_tasks FOLDER [--night]

An action is a click, a drag, a key or a shortcut, or a text that is typed and ended with Enter.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPoint, QSize, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget

from campaigns.dressing.examples import learned_text
from lean_trim.features.table.desk.axis_sheet import AxisSheet
from lean_trim.features.table.desk.desk import TableDesk, table_desk
from lean_trim.features.table.figure_names import Figure
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.tables import table_text
from lean_trim.ui.window.finder import NAME, Finder
from lean_trim.ui.window.glossary import Term
from tools.first_hour import Walk

LEFT = Qt.MouseButton.LeftButton
MOST_ACTIONS = 4


class Tasks:
    """Does the tasks and counts; every one begins from the same decided table."""

    def __init__(self, walk: Walk) -> None:
        self.walk = walk
        self.window = walk.window
        self.session = walk.session
        self.actions = 0
        self.counts: dict[str, int] = {}

    @property
    def desk(self) -> TableDesk:
        """The Table desk."""
        return table_desk(self.window)

    def begin(self) -> None:
        """The demo, driven and worked out, its first round accepted."""
        self.window.actions_["demo"].trigger()
        self.walk.wait(lambda: self.session.solution is not None and not self.session.is_busy)
        self.session.deciding.accept()
        self.session.deciding.confirm()
        self.walk.wait()

    # ---- hands -----------------------------------------------------------------------------------

    def _done(self) -> None:
        self.actions += 1
        self.walk.app.processEvents()

    def drag(self, first: int, last: int) -> None:
        """Drag over tiles."""
        table = self.desk.table
        start, end = (table.tile_rect(c).center().toPoint() for c in (first, last))
        QTest.mousePress(table, LEFT, pos=start)
        for step in range(1, 6):
            QTest.mouseMove(table, start + (end - start) * step / 5)
        QTest.mouseRelease(table, LEFT, pos=end)
        self._done()

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        """Click."""
        if at is None:
            QTest.mouseClick(widget, LEFT)
        else:
            QTest.mouseClick(widget, LEFT, pos=at)
        self._done()

    def tile(self, cell: int) -> None:
        """Click a tile."""
        self.click(self.desk.table, self.desk.table.tile_rect(cell).center().toPoint())

    def keys(self, name: str) -> None:
        """A command by its shortcut or its menu."""
        self.window.actions_[name].trigger()
        self._done()

    def type(self, text: str) -> None:
        """Type over the chosen tiles, and Enter."""
        QTest.keyClicks(self.desk.table, text[0])
        QTest.keyClicks(self.desk.bar.entry, text[1:])
        QTest.keyClick(self.desk.bar.entry, Qt.Key.Key_Return)
        self._done()

    def give_word(self) -> None:
        """Confirm what is asked, where anything is."""
        if self.window.confirm.isVisible():
            self.click(self.window.confirm.go_on)

    # ---- tasks -----------------------------------------------------------------------------------

    def run(self, name: str, task: Callable[[], bool]) -> None:
        """Do one task and put the table back as it was."""
        self.actions = 0
        done = task()
        self.walk.wait()
        self.counts[name] = self.actions
        self.walk.step(name.replace(" ", "-"), done and self.actions <= MOST_ACTIONS)
        while self.session.history.count() > 1:
            self.session.navigation.undo()
        self.session.selection.clear()
        self.walk.wait()

    @property
    def values(self) -> np.ndarray:
        """As decided now."""
        assert self.session.decision is not None
        return self.session.decision.values

    def raise_region(self) -> bool:
        """One: raise a region by 3 %."""
        before = self.values
        self.drag(69, 103)
        self.type("+3%")
        change = self.values / before - 1.0
        return int((change > 0.025).sum()) == 9

    def smooth_region(self) -> bool:
        """Two: smooth a region."""
        before = self.values
        self.drag(69, 105)
        self.keys("smooth")
        QTest.keyClick(self.desk.bar.offer.buttons[0], Qt.Key.Key_Return)
        self._done()
        self.give_word()
        return int((self.values != before).sum()) > 5

    def compare(self) -> bool:
        """Three: compare with the original in percent."""
        self.click(self.desk.header.group.button(list(Figure).index(Figure.CHANGE)))
        shown = self.desk.header.base.text()
        self.walk.step("compare")
        self.desk.header.choose(Figure.VALUE)
        return "as driven" in shown

    def as_curve(self) -> bool:
        """Four: the decided table as a curve."""
        self.tile(5 * 16 + 6)
        self.keys("as_curve")
        drawn = self.desk.curve.view.slice is not None
        self.walk.step("curve")
        self.window.actions_["as_curve"].trigger()
        return drawn

    def why(self) -> bool:
        """Five: why this cell wants it, and one stretch left out."""
        assert self.session.solution is not None
        self.window.margin.show_page("evidence")
        self.tile(int(self.session.solution.estimate.seconds.argmax()))
        page = self.window.margin.page("evidence")
        points = page.scatter._points()  # type: ignore[attr-defined]
        point = next(p for p in points if p is not None)
        self.click(page.scatter, point.toPoint())  # type: ignore[attr-defined]
        self.walk.wait(lambda: self.session.without.found is not None)
        told = page.without.text()  # type: ignore[attr-defined]
        self.walk.step("why")
        self.keys("leave_out")
        self.walk.wait()
        assert self.session.round is not None
        return "Without it" in told and len(self.session.round.left_out) == 1

    def learned_map(self) -> bool:
        """Six: a learned-trim grid pasted, shown, taken."""
        QGuiApplication.clipboard().setText(learned_text())
        before = self.values
        self.keys("paste_learned")
        page = self.window.margin.page("logs")
        self.walk.wait()
        self.click(page.learned.offer)  # type: ignore[attr-defined]
        self.walk.step("learned")
        self.click(self.desk.bar.offer.buttons[0])
        self.give_word()
        return bool((self.values != before).any())

    def out_and_back(self) -> bool:
        """Seven: the whole table out, an edited one back."""
        assert self.session.round is not None
        self.desk.table.setFocus()
        self.keys("copy")
        edited = self.session.round.result
        values = edited.values.copy()
        values[5, 6] *= 1.02
        QGuiApplication.clipboard().setText(table_text(edited.with_values(values), "\t"))
        self.keys("paste")
        self.walk.step("back")
        before = self.values
        self.click(self.desk.bar.offer.buttons[0])
        return int((self.values != before).sum()) == 1

    def insert_row(self) -> bool:
        """Eight: a column of engine speed put in."""
        assert self.session.round is not None
        columns = self.session.round.table.shape[1]
        self.keys("insert_column")
        (sheet,) = self.window.findChildren(AxisSheet)
        sheet.value.selectAll()
        QTest.keyClicks(sheet.value, "1000")
        QTest.keyClick(sheet.value, Qt.Key.Key_Return)
        self._done()
        self.walk.wait()
        return self.session.round.table.shape[1] == columns + 1

    def blend(self) -> bool:
        """Nine: full throttle blended into the rows below."""
        assert self.session.round is not None
        before = self.values
        self.drag(4 * 16 + 5, 8 * 16 + 9)
        self.keys("blend")
        self.give_word()
        return bool((self.values[5:8] != before[5:8]).any())

    def half_in_boost(self) -> bool:
        """Ten: half of the proposal in boost only."""
        self.keys("choose_boost")
        self.desk.table.setFocus()
        self.type("50%")
        self.give_word()
        assert self.session.proposal is not None and self.session.round is not None
        change = 100.0 * (self.values / self.session.round.table.values - 1.0)
        step = self.session.proposal.step_pct
        return bool(np.allclose(change[9:], step[9:] / 2, atol=0.2))

    def look_at_log(self) -> bool:
        """Eleven: a log looked at without a job."""
        assert self.session.round is not None
        path = self.walk.files / "somebody's.csv"
        write_log_csv(self.session.round.logs[0], path)
        self.window.look_at_log(path)
        self._done()
        page = self.window.look_page
        assert page is not None
        self.walk.wait(lambda: page.look is not None and not self.session.is_busy)
        self.walk.step("look")
        rows = page.channels.rowCount()
        page.back.click()
        return rows > 8

    def which_cell(self) -> bool:
        """Twelve: which cell the engine was in at this moment."""
        at = QPoint(int(self.window.tape.x_of(300.0)), 20)
        self.click(self.window.tape, at)
        self.walk.step("place")
        return self.session.selection.moment_s is not None

    def help_on_a_word(self) -> bool:
        """Thirteen: help on a word."""
        finder = Finder(self.window.actions_, self.window)
        told: list[str] = []
        finder.explained.connect(told.append)
        self._done()
        finder.line.setText("visit")
        self._done()
        for place in range(finder.list.topLevelItemCount()):
            item = finder.list.topLevelItem(place)
            if isinstance(item.data(NAME, Qt.ItemDataRole.UserRole), Term):
                finder.list.setCurrentItem(item)
                break
        finder.run_chosen()
        self._done()
        return bool(told)


def main(words: list[str]) -> int:
    """Do every task; returns how many failed."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--night", action="store_true")
    given = parser.parse_args(words)
    tasks = Tasks(Walk(given.folder, QSize(1280, 800), given.night))
    tasks.begin()
    for name, task in (
        ("1 raise a region", tasks.raise_region),
        ("2 smooth a region", tasks.smooth_region),
        ("3 compare with the original", tasks.compare),
        ("4 as a curve", tasks.as_curve),
        ("5 why, and one stretch left out", tasks.why),
        ("6 paste a learned map", tasks.learned_map),
        ("7 out and back", tasks.out_and_back),
        ("9 blend full throttle", tasks.blend),
        ("10 half in boost", tasks.half_in_boost),
        ("11 look at a log", tasks.look_at_log),
        ("12 which cell", tasks.which_cell),
        ("13 help on a word", tasks.help_on_a_word),
        ("8 put in a column", tasks.insert_row),
    ):
        tasks.run(name, task)
    for name, count in tasks.counts.items():
        print(f"{count} actions: {name}")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
