"""Find any command by typing part of its name."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction, QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QHeaderView,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.tooltips import folded
from lean_trim.ui.window.actions import ALSO, NEAREST
from lean_trim.ui.window.glossary import Term, looked_up
from lean_trim.workspace.notes import Note

MOST_TERMS = 5
MOST_NOTES = 20
NAME, KEYS = range(2)
"""Columns: what it is called, and its shortcut."""


class Finder(QDialog):
    """A line to type in, the commands that fit and the words that are known; Enter takes the chosen one."""

    explained = Signal(str)
    """What a word means."""

    went = Signal(object)
    """A note that is to be gone to."""

    def __init__(
        self,
        actions: Mapping[str, QAction],
        parent: QWidget | None = None,
        notes: Callable[[str], Sequence[Note]] = lambda _: (),
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find a command")
        self.resize(660, 360)
        self.by_name = dict(actions)
        self.notes = notes
        self.actions_ = [a for a in actions.values() if a.text()]
        self.line = QLineEdit(self)
        self.list = QTreeWidget(self)
        self.list.setColumnCount(2)
        self.list.setHeaderHidden(True)
        self.list.setRootIsDecorated(False)
        self.list.setAccessibleName("Commands that fit")
        self.list.header().setStretchLastSection(False)
        self.list.header().setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        self.list.header().setSectionResizeMode(KEYS, QHeaderView.ResizeMode.ResizeToContents)
        self.line.setPlaceholderText("Type part of a command")
        self.line.setAccessibleName("Command to find")
        layout = QVBoxLayout(self)
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self.line.textChanged.connect(self.search)
        self.line.returnPressed.connect(self.run_chosen)
        self.list.itemActivated.connect(self.run_chosen)
        self.search("")

    def search(self, text: str) -> None:
        """List the commands whose name, or other words for it, contain every word."""
        self.list.clear()
        words = text.lower().split()
        # What begins as it is typed comes first, whatever menu it stands in.
        begins = text.lower().strip()
        first = sorted(
            self.actions_, key=lambda a: not a.text().replace("&", "").lower().startswith(begins)
        )
        for action in first:
            name = action.text().replace("&", "")
            found_by = f"{name} {action.property(ALSO) or ''}".lower()
            if all(w in found_by for w in words):
                item = QTreeWidgetItem([name, action.shortcut().toString()])
                item.setTextAlignment(KEYS, Qt.AlignmentFlag.AlignRight)
                item.setToolTip(NAME, plain_tip(action.toolTip()))
                item.setData(NAME, Qt.ItemDataRole.UserRole, action)
                if not action.isEnabled():
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
                self.list.addTopLevelItem(item)
        self._add_nearest(words)
        self._add_terms(text)
        self._add_notes(text)
        self._choose(0)

    def _add_nearest(self, words: list[str]) -> None:
        """What does the nearest thing to a word no command has; below what has it."""
        for nearest in NEAREST:
            action = self.by_name.get(nearest.command)
            known = any(
                w.startswith(word) for w in nearest.words for word in words if len(word) > 2
            )
            if action is None or not known:
                continue
            item = QTreeWidgetItem([nearest.says, action.shortcut().toString()])
            item.setTextAlignment(KEYS, Qt.AlignmentFlag.AlignRight)
            item.setToolTip(NAME, folded(f"{nearest.says}: {action.text().replace('&', '')}"))
            item.setData(NAME, Qt.ItemDataRole.UserRole, action)
            if not action.isEnabled():
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEnabled)
            self.list.addTopLevelItem(item)

    def _add_terms(self, text: str) -> None:
        """What a word means, below what can be done."""
        for term in looked_up(text)[:MOST_TERMS]:
            item = QTreeWidgetItem([f"What “{term.ours}” is", ""])
            item.setToolTip(NAME, folded(term.said))
            item.setData(NAME, Qt.ItemDataRole.UserRole, term)
            self.list.addTopLevelItem(item)

    def _add_notes(self, text: str) -> None:
        """What was noted in the job, last."""
        for note in self.notes(text)[:MOST_NOTES]:
            item = QTreeWidgetItem([note.said, "note"])
            item.setToolTip(NAME, folded(note.text))
            item.setData(NAME, Qt.ItemDataRole.UserRole, note)
            self.list.addTopLevelItem(item)

    def _choose(self, row: int) -> None:
        item = self.list.topLevelItem(min(max(row, 0), self.list.topLevelItemCount() - 1))
        if item is not None:
            self.list.setCurrentItem(item)

    def run_chosen(self, *_: object) -> None:
        """Run the chosen command and close."""
        item = self.list.currentItem()
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            self.accept()
            meant = item.data(NAME, Qt.ItemDataRole.UserRole)
            if isinstance(meant, Term):
                self.explained.emit(meant.said)
            elif isinstance(meant, Note):
                self.went.emit(meant)
            else:
                meant.trigger()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and down move through the list while the line has the focus."""
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            item = self.list.currentItem()
            if item is not None:
                self._choose(self.list.indexOfTopLevelItem(item) + step)
        else:
            super().keyPressEvent(event)
