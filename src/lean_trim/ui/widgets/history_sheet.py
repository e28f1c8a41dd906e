"""The history of a table: every step with its time, and a way back to each."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.decision.confirmation import DANGER_WORDS
from lean_trim.job.trail import Stood
from lean_trim.ui.session import Session
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import Label

WIDTH = 440
HEIGHT = 300
PLACE = Qt.ItemDataRole.UserRole
START = -1


class HistorySheet(QFrame):
    """Lies over the tiles while it is looked at; ``gone`` when it is closed."""

    gone = Signal()

    def __init__(
        self,
        session: Session,
        parent: QWidget,
        what: str,
        trail: Callable[[], list[Stood]],
        go_back: Callable[[int], object],
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.place = parent
        self.trail = trail
        self.go_back = go_back
        self.setFrameShape(QFrame.Shape.StyledPanel)
        self.setAutoFillBackground(True)
        title = Label(f"How {what} came about")
        title.setFont(font(10.5, bold=True))
        self.list = QListWidget()
        self.list.setAccessibleName("Steps, the newest first")
        self.list.itemActivated.connect(lambda _: self._go_back())
        self.back = QPushButton("Go back to this step")
        self.back.setToolTip("What was decided after the chosen step; that can be undone as well")
        self.close_button = QPushButton("Close")
        self.back.clicked.connect(self._go_back)
        self.close_button.clicked.connect(self.leave)
        row = QHBoxLayout()
        row.addWidget(self.back)
        row.addStretch(1)
        row.addWidget(self.close_button)
        layout = QVBoxLayout(self)
        layout.addWidget(title)
        layout.addWidget(self.list, 1)
        layout.addLayout(row)
        session.decided.connect(self._refresh)
        session.round_changed.connect(self.leave)
        self.list.currentRowChanged.connect(lambda _: self._show_back())
        self.hide()

    def open_at(self, right: int, bottom: int) -> None:
        """Show it with its lower right corner there, inside its parent."""
        # Beside a narrow table it reaches over what stands left of it.
        right = max(right, min(WIDTH, self.place.width()))
        self.resize(min(WIDTH, right), min(HEIGHT, bottom))
        self.move(right - self.width(), bottom - self.height())
        self.show()
        self.raise_()
        self._refresh()
        self.list.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def leave(self) -> None:
        """Close it."""
        if self.isVisible():
            self.hide()
            self.gone.emit()

    def _refresh(self) -> None:
        if not self.isVisible():
            return
        trail = self.trail()
        self.list.clear()
        for place in range(len(trail) - 1, -1, -1):
            self._add(step_words(trail[place]), place)
        self._add("As it was driven on" if not trail else "Before the first step", START)
        self.list.setCurrentRow(0)

    def _add(self, words: str, place: int) -> None:
        item = QListWidgetItem(words)
        item.setData(PLACE, place)
        self.list.addItem(item)

    def _show_back(self) -> None:
        # The newest step is where the table stands.
        self.back.setEnabled(self.list.currentRow() > 0 and self.session.can_save)

    def _go_back(self) -> None:
        item = self.list.currentItem()
        if item is not None and self.back.isEnabled():
            self.go_back(int(item.data(PLACE)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape closes it."""
        if event.key() == Qt.Key.Key_Escape:
            self.leave()
        else:
            super().keyPressEvent(event)


def step_words(stood: Stood) -> str:
    """A step in one line, and what was confirmed with it in another.

    Parameters
    ----------
    stood : a step that stands.

    Returns
    -------
    One or two lines.
    """
    made = datetime.fromisoformat(stood.step.made).strftime("%d %b %H:%M")
    text = f"{made}   {stood.step.text}"
    if stood.step.warned:
        given = ", ".join(f"{len(w.cells)} {DANGER_WORDS[w.danger]}" for w in stood.step.warned)
        text += f"\n     your word was given: {given}"
    return text
