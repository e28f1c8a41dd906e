"""What would be done, in words beside its picture on the tiles, before it is done."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lean_trim.ui.session import Session
from lean_trim.ui.widgets.elided_line import ElidedLine

Way = tuple[str, Callable[[], object]]
"""Words of a button, and what it does."""


class OfferStrip(QWidget):
    """Shown while something is tried; whatever changes cells or table ends that."""

    left = Signal()
    shown = Signal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.about: object = None
        self.said = ElidedLine()
        self.buttons: list[QPushButton] = []
        self.not_now = QPushButton("Leave it")
        self.not_now.clicked.connect(self.leave)
        self.row = QHBoxLayout()
        self.row.addWidget(self.not_now)
        self.row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.said)
        layout.addLayout(self.row)
        for signal in (
            session.selection.changed,
            session.decided,
            session.solved,
            session.round_changed,
        ):
            signal.connect(self.leave)
        self.hide()

    def make(self, about: object, said: str, ways: Sequence[Way]) -> None:
        """Offer something.

        Parameters
        ----------
        about : what it is about; the same again is the same offer.
        said : what would be done.
        ways : buttons, the first one is pressed by Enter.
        """
        for button in self.buttons:
            button.deleteLater()
        self.buttons = [self._button(place, way) for place, way in enumerate(ways)]
        self.said.setText(said)
        self.said.setToolTip(said)
        self.about = about
        self.show()
        self.shown.emit(True)
        self.buttons[0].setFocus(Qt.FocusReason.OtherFocusReason)

    def _button(self, place: int, way: Way) -> QPushButton:
        words, run = way
        button = QPushButton(words)
        if place == 0:
            button.setObjectName("primary")
        button.clicked.connect(lambda: self._take(run))
        self.row.insertWidget(place, button)
        return button

    def _take(self, run: Callable[[], object]) -> None:
        """Do it; it is offered no longer, whatever comes of it."""
        run()
        self.leave()

    def leave(self) -> None:
        """Leave all as it was."""
        if self.about is not None:
            self.about = None
            self.hide()
            self.shown.emit(False)
            self.left.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter takes the first way, Escape leaves it."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.buttons:
            self.buttons[0].click()
        elif event.key() == Qt.Key.Key_Escape:
            self.leave()
        else:
            super().keyPressEvent(event)
