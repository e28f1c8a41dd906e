"""Notes on the shown round: who drove, weather, fuel, and anything else; kept with it, found by Ctrl+K."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from lean_trim.ui.session import Session
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.workspace.notes import FIELDS, Notes

NOTE_H = 58


class _Plain(QPlainTextEdit):
    """Tells when it is left, as a line does."""

    left = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTabChangesFocus(True)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Done with it."""
        super().focusOutEvent(event)
        self.left.emit()


class NotesPanel(QWidget):
    """Every field is kept when it is left."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.notes = session.part(Notes)
        self.text = _Plain(self)
        self.text.left.connect(self.notes.flush)
        self.text.textChanged.connect(self._typed)
        self.text.setFont(font(9))
        self.text.setFixedHeight(NOTE_H)
        self.text.setPlaceholderText("What was seen, what was changed, what to mind")
        self.lines: dict[str, QLineEdit] = {}
        self._shown = 0
        form = QFormLayout()
        form.setContentsMargins(0, 0, 0, 0)
        form.setSpacing(3)
        for key, title in FIELDS:
            if key == "round":
                self.text.setAccessibleName(title)
                continue
            line = QLineEdit(self)
            line.setFont(font(9))
            line.setAccessibleName(title)
            line.textEdited.connect(lambda text, key=key: self.notes.type_in(key, text))
            line.editingFinished.connect(self.notes.flush)
            self.lines[key] = line
            label = Label(title, self)
            label.setFont(font(9))
            form.addRow(label, line)
        self.in_report = QCheckBox("In the report", self)
        self.in_report.setFont(font(9))
        self.in_report.setToolTip(plain_tip("Notes on the round and on cells stand in its report"))
        self.in_report.clicked.connect(
            lambda *_: self.notes.put_in_report(self.in_report.isChecked())
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.text)
        column.addLayout(form)
        column.addWidget(self.in_report)

    def refresh(self) -> None:
        """Show the round's notes; what is being typed stays."""
        can = self.session.can_save and self.session.round is not None
        for widget in (self.text, self.in_report, *self.lines.values()):
            widget.setEnabled(can)
        with QSignalBlocker(self.in_report):
            self.in_report.setChecked(self.notes.in_report)
        kept = self.notes.of_round("round")
        if self._shown != self._now or not self.text.hasFocus():
            with QSignalBlocker(self.text):
                self.text.setPlainText(kept)
        for key, line in self.lines.items():
            # What is being typed stays, unless another round is looked at.
            if self._shown != self._now or not line.hasFocus():
                line.setText(self.notes.of_round(key))
        self._shown = self._now

    @property
    def _now(self) -> int:
        current = self.session.round
        return 0 if current is None else current.id

    def _typed(self) -> None:
        if self.text.hasFocus():
            self.notes.type_in("round", self.text.toPlainText())
