"""The checklist as lines to tick, each with what the last log shows of it."""

from __future__ import annotations

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from lean_trim.core.planning.readiness import ITEMS
from lean_trim.features.planning.checklist import NO, YES, Checklist, Line
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import escaped, plain_tip
from lean_trim.ui.widgets.page import running_markup


class ChecklistView(QWidget):
    """Ticks are the user's, or the last log's; a line that is not so says what speaks against it."""

    def __init__(
        self, checklist: Checklist, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.checklist = checklist
        self.appearance = appearance
        self.boxes: dict[str, QCheckBox] = {}
        self.notes = {item.key: running_markup(8.5) for item in ITEMS}
        self.nos: dict[str, QToolButton] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 8, 6)
        column.setSpacing(1)
        for item in ITEMS:
            box = QCheckBox(item.words, self)
            box.setFont(font(9))
            box.setToolTip(plain_tip(item.why[:1].upper() + item.why[1:]))
            box.clicked.connect(lambda *_, key=item.key: self._ticked(key))
            not_so = QToolButton(self)
            not_so.setObjectName("flat")
            not_so.setText("No")
            not_so.setCheckable(True)
            not_so.setFont(font(8.5))
            not_so.setToolTip(plain_tip("It is not so, and it is driven nevertheless"))
            not_so.setAccessibleName(f"{item.words}: no")
            not_so.clicked.connect(lambda *_, key=item.key: self._denied(key))
            self.boxes[item.key] = box
            self.nos[item.key] = not_so
            line = QHBoxLayout()
            line.setSpacing(4)
            line.addWidget(box, 1)
            line.addWidget(not_so, 0, Qt.AlignmentFlag.AlignTop)
            column.addLayout(line)
            self.notes[item.key].setContentsMargins(22, 0, 0, 3)
            column.addWidget(self.notes[item.key])
        column.addStretch(1)
        appearance.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Stand as the answers do."""
        for line in self.checklist.lines():
            box = self.boxes[line.item.key]
            not_so = self.nos[line.item.key]
            with QSignalBlocker(box), QSignalBlocker(not_so):
                box.setChecked(line.is_so is True)
                not_so.setChecked(line.is_so is False)
            note = self.notes[line.item.key]
            text = self._words(line)
            note.setText(text)
            note.setVisible(bool(text))

    def _words(self, line: Line) -> str:
        theme = self.appearance.theme
        parts = []
        if line.fact is not None:
            against = line.fact.is_so is False
            color = theme.danger if against else theme.faint
            parts.append(f"<span style='color:{color}'>{escaped(str(line.fact.said))}</span>")
        if line.by:
            parts.append(f"<span style='color:{theme.faint}'>{escaped(line.by)}</span>")
        return "; ".join(parts)

    @property
    def open_lines(self) -> int:
        """Lines nobody answered, or that are not so."""
        return sum(line.is_so is not True for line in self.checklist.lines())

    def _ticked(self, key: str) -> None:
        self.checklist.answer(key, YES if self.boxes[key].isChecked() else "")
        self.refresh()

    def _denied(self, key: str) -> None:
        self.checklist.answer(key, NO if self.nos[key].isChecked() else "")
        self.refresh()
