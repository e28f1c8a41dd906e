"""Where a change that can destroy an engine is confirmed: in full, deliberately, never by Enter alone."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.whole_text import WholeText
from lean_trim.workspace.changes import ConfirmationAsked
from lean_trim.workspace.confirming import Waiting


class ConfirmStrip(QWidget):
    """Shown while a change waits for a word; hidden otherwise.

    The button that leaves all as it was has the focus; the one that goes on has to be clicked, or turned to
    by Tab and pressed by Space.
    """

    settled = Signal()
    """Nothing waits any more."""

    def __init__(self, session: Session, appearance: Appearance) -> None:
        super().__init__()
        self.session = session
        self.appearance = appearance
        self.title = WholeText(10.5, bold=True)
        self.said = WholeText(9.5)
        self.leave = QPushButton("Leave all as it was")
        self.others = QPushButton()
        self.go_on = QPushButton()
        self.go_on.setObjectName("grave")
        self.leave.clicked.connect(lambda: session.deciding.confirming.drop())
        self.others.clicked.connect(lambda: session.deciding.confirm(others_only=True))
        self.go_on.clicked.connect(lambda: session.deciding.confirm())
        self.others.setToolTip("Change the cells that are in no danger; these keep their value")
        self.go_on.setToolTip("Kept in the job with date and time")
        row = QHBoxLayout()
        for button in (self.leave, self.others, self.go_on):
            row.addWidget(button)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 2, 6, 4)
        layout.setSpacing(4)
        layout.addWidget(self.title)
        layout.addWidget(self.said)
        layout.addLayout(row)
        session.told(ConfirmationAsked).connect(self.refresh)
        appearance.changed.connect(self.refresh)
        self.setAccessibleName("A change that needs your word")
        self.hide()

    def refresh(self) -> None:
        """Ask what waits, or nothing."""
        waiting = self.session.deciding.confirming.waiting
        self.setVisible(waiting is not None)
        if waiting is None:
            self.settled.emit()
            return
        self._ask(waiting)
        self.leave.setFocus(Qt.FocusReason.OtherFocusReason)

    def _ask(self, waiting: Waiting) -> None:
        theme = self.appearance.theme
        edge = f"background: {theme.caution_paper}; border-left: 4px solid {theme.danger}; padding: 3px 8px;"
        self.title.setStyleSheet(f"color: {theme.danger}; {edge}")
        self.said.setStyleSheet(f"color: {theme.ink}; {edge}")
        self.title.setText(f"{waiting.text}: this needs your word")
        self.said.setText("\n".join(str(w.said) for w in waiting.warned))
        grave = len(frozenset().union(*(w.cells for w in waiting.warned)))
        cells = "this cell" if grave == 1 else f"these {grave} cells"
        self.go_on.setText(f"Change {cells} too" if waiting.others else f"Change {cells}")
        self.others.setVisible(waiting.others is not None)
        self.others.setText("Change the others only")
        description = f"{self.title.text()}. {self.said.text()}"
        self.leave.setAccessibleDescription(description)
        self.go_on.setAccessibleDescription(description)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape leaves all as it was; Enter does nothing."""
        if event.key() == Qt.Key.Key_Escape:
            self.session.deciding.confirming.drop()
        elif event.key() not in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            super().keyPressEvent(event)
