"""One line for a number or a choice: label, what is typed, unit, and what stands for it otherwise."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QWidget

from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.wheel_safe import ComboBox

EDIT_W = 84
UNIT_W = 92
LABEL_W = 134


class NumberEntry(QWidget):
    """A number with its unit. ``edited`` says text and unit as they are typed.

    Parameters
    ----------
    indent : how far it stands in already, px, so that what is typed lines up with other entries.
    """

    edited = Signal(str, str)

    def __init__(
        self,
        label: str,
        tip: str,
        units: Sequence[str],
        appearance: Appearance,
        indent: int = 0,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.label = Label(label, self)
        self.label.setFixedWidth(LABEL_W - indent)
        self.edit = QLineEdit(self)
        self.edit.setFixedWidth(EDIT_W)
        self.edit.setAccessibleName(label)
        self.unit = ComboBox(self)
        self.unit.addItems(units)
        self.unit.setFixedWidth(UNIT_W)
        self.unit.setAccessibleName(f"Unit of {label}")
        self.only = Label(units[0], self)
        self.only.setFixedWidth(UNIT_W)
        self.note = Label(self)
        self.note.setWordWrap(True)
        self.note.setFont(font(8.5))
        self.label.setBuddy(self.edit)
        for widget in (self.label, self.edit):
            widget.setToolTip(plain_tip(tip))
        # One unit is no choice, and a box that cannot be opened only looks like one.
        self.unit.setVisible(len(units) > 1)
        self.only.setVisible(len(units) == 1)
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 1, 0, 1)
        layout.setHorizontalSpacing(6)
        layout.addWidget(self.label, 0, 0)
        layout.addWidget(self.edit, 0, 1)
        layout.addWidget(self.unit if len(units) > 1 else self.only, 0, 2)
        layout.addWidget(self.note, 0, 3)
        layout.setColumnStretch(3, 1)
        self.edit.textEdited.connect(lambda _: self._say())
        self.unit.activated.connect(lambda _: self._say())

    def _say(self) -> None:
        self.edited.emit(self.edit.text(), self.unit.currentText())

    def show_entry(self, text: str, unit: str, note: str, problem: str) -> None:
        """Stand as the draft says; the text is left alone while it is typed."""
        if self.edit.text().strip() != text:
            self.edit.setText(text)
        if unit and self.unit.currentText() != unit:
            self.unit.setCurrentText(unit)
        theme = self.appearance.theme
        self.note.setText(problem or note)
        self.note.setStyleSheet(f"color: {theme.danger if problem else theme.faint};")


class ChoiceEntry(QWidget):
    """One of a few words. ``chosen`` says its key."""

    chosen = Signal(str)

    def __init__(
        self,
        label: str,
        tip: str,
        choices: Sequence[tuple[str, str]],
        appearance: Appearance,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.label = Label(label, self)
        self.label.setFixedWidth(LABEL_W)
        self.label.setToolTip(plain_tip(tip))
        self.box = ComboBox(self)
        self.box.setFixedWidth(EDIT_W + UNIT_W + 6)
        self.box.setAccessibleName(label)
        self.box.setToolTip(plain_tip(tip))
        for key, words in choices:
            self.box.addItem(words, key)
        self.note = Label(self)
        self.note.setWordWrap(True)
        self.note.setFont(font(8.5))
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 1, 0, 1)
        layout.setHorizontalSpacing(6)
        layout.addWidget(self.label, 0, 0)
        layout.addWidget(self.box, 0, 1)
        layout.addWidget(self.note, 0, 2)
        layout.setColumnStretch(2, 1)
        self.box.activated.connect(lambda _: self.chosen.emit(self.box.currentData()))

    def show_choice(self, key: str, note: str = "") -> None:
        """Stand as the draft says."""
        self.box.setCurrentIndex(max(self.box.findData(key), 0))
        self.note.setText(note)
        self.note.setStyleSheet(f"color: {self.appearance.theme.faint};")
