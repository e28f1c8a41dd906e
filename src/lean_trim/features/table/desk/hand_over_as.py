"""Handing over as the ECU's editor wants it: which cells, which numbers, which dress; copied or written."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim import __version__
from lean_trim.core.data.table_kinds import table_words
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.core.text import cells_in_words
from lean_trim.core.types import Mask
from lean_trim.formats.tables.handing import (
    SEPARATORS,
    WHAT_WORDS,
    Dress,
    Handed,
    What,
    handed,
    handed_json,
    handed_text,
    handed_workbook,
)
from lean_trim.formats.whole_files import write_whole, write_whole_bytes
from lean_trim.job.database import now
from lean_trim.job.records import Round
from lean_trim.ui.session import Session
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.choice_button import ChoiceButton, Entry
from lean_trim.ui.widgets.label import Label

FILTER = "Text (*.csv *.txt);;Workbook (*.xlsx);;JSON (*.json)"
SHOWN_LINES = 8
"""Lines of the table that are shown as they will be."""
DECIMALS = {"point": ".", "comma": ","}


class Say:
    """What handing over says."""

    WRITTEN = Message("hand_over_as.written", "Written to {path}.")
    COPIED = Message("hand_over_as.copied", "On the clipboard.")
    PART = Message(
        "hand_over_as.part",
        "{did} It is not the whole table, so that the round does not count as handed over.",
    )
    NOT_WRITTEN = Message("hand_over_as.not_written", "{path} could not be written: {cause}.")


class HandOverAs(QDialog):
    """Shows how the table will stand there while it is chosen; ``told`` at the foot says what was done."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("Hand over as…")
        self.resize(620, 460)
        self.what = self._choice("What is written of each cell", WHAT_WORDS)
        self.decimal = self._choice("Decimal mark", {v: k for k, v in DECIMALS.items()})
        self.separator = self._choice("Between cells", {v: k for k, v in SEPARATORS.items()})
        self.chosen_only = QCheckBox("Only the chosen cells")
        self.axes = QCheckBox("With the axes")
        self.axes.setChecked(True)
        self.provenance = QCheckBox("A line about where it comes from, below the cells")
        for box in (self.chosen_only, self.axes, self.provenance):
            box.toggled.connect(lambda _: self.refresh())
        self.shown = QPlainTextEdit()
        self.shown.setReadOnly(True)
        self.shown.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.shown.setAccessibleName("The table as it will stand there")
        self.told = Label()
        self.told.setWordWrap(True)
        self.told.setFont(font(9))
        form = QFormLayout()
        form.addRow("Of each cell", self.what)
        form.addRow("Decimal mark", self.decimal)
        form.addRow("Between cells", self.separator)
        for box in (self.chosen_only, self.axes, self.provenance):
            form.addRow("", box)
        self.copy_button = QPushButton("Copy")
        self.copy_button.setObjectName("primary")
        self.write_button = QPushButton("Write a file…")
        self.close_button = QPushButton("Close")
        self.copy_button.clicked.connect(self.copy)
        self.write_button.clicked.connect(self._ask)
        self.close_button.clicked.connect(self.close)
        row = QHBoxLayout()
        row.addWidget(self.copy_button)
        row.addWidget(self.write_button)
        row.addStretch(1)
        row.addWidget(self.close_button)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.shown, 1)
        layout.addWidget(self.told)
        layout.addLayout(row)
        self._picked: dict[str, Any] = {"what": What.VALUE, "decimal": ".", "separator": "\t"}
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.chosen_only.setEnabled(bool(session.selection.cells))
        self.refresh()

    def _choice(self, name: str, words: Mapping[Any, str]) -> ChoiceButton:
        button = ChoiceButton(lambda: [Entry(w, key) for key, w in words.items()], parent=self)
        button.setAccessibleName(name)
        button.chosen.connect(lambda key: self._pick(name, key))
        return button

    def _pick(self, name: str, key: object) -> None:
        place = {"What": "what", "Decimal": "decimal", "Between": "separator"}[name.split(" ")[0]]
        self._picked[place] = key
        self.refresh()

    @property
    def dress(self) -> Dress:
        """As it is chosen now.

        Raises BadInputError where that cannot be.
        """
        return Dress(
            what=What(self._picked["what"]),
            axes=self.axes.isChecked(),
            decimal=str(self._picked["decimal"]),
            separator=str(self._picked["separator"]),
            told=self._provenance() if self.provenance.isChecked() else "",
        )

    def _provenance(self) -> str:
        current = self.session.round
        job = self.session.job
        assert current is not None and job is not None
        return (
            f"{job.vehicle.name}, {table_words(current.table)}, round {current.number}, "
            f"{WHAT_WORDS[What(self._picked['what'])]}, {now()[:16].replace('T', ' ')}, "
            f"Lean Trim {__version__}"
        )

    def _numbers(self, current: Round) -> Handed:
        chosen: Mask | None = None
        if self.chosen_only.isChecked():
            mask = np.zeros(current.table.size, bool)
            mask[list(self.session.selection.cells)] = True
            chosen = mask.reshape(current.table.shape)
        return handed(current.result, current.table, self.dress.what, chosen)

    def refresh(self) -> None:
        """Show the first lines as they will stand there."""
        self.what.show_choice(WHAT_WORDS[What(self._picked["what"])])
        for button, words, picked in (
            (self.decimal, DECIMALS, self._picked["decimal"]),
            (self.separator, SEPARATORS, self._picked["separator"]),
        ):
            button.show_choice(next(word for word, mark in words.items() if mark == picked))
        current = self.session.round
        ready = current is not None
        text = ""
        try:
            if current is not None:
                text = handed_text(self._numbers(current), self.dress)
            self.told.setText("")
        except LeanTrimError as error:
            ready = False
            self.told.setText(str(error))
        lines = text.splitlines()
        shown = lines[:SHOWN_LINES]
        if len(lines) > SHOWN_LINES:
            shown += ["…", *lines[-1:]]
        self.shown.setPlainText("\n".join(shown))
        for way in (self.copy_button, self.write_button):
            way.setEnabled(ready)

    def copy(self) -> None:
        """Put it on the clipboard, if it may leave."""
        current = self.session.round
        if current is None or self.session.rounds.is_held():
            return
        QGuiApplication.clipboard().setText(handed_text(self._numbers(current), self.dress))
        self._note("clipboard", str(Say.COPIED()))

    def _ask(self) -> None:
        current = self.session.round
        if current is None or self.session.rounds.is_held():
            return
        name = f"round{current.number}-{self._picked['what']}.csv"
        chosen, _ = QFileDialog.getSaveFileName(self, "Write the table", name, FILTER)
        if chosen:
            self.write(Path(chosen))

    def write(self, path: Path) -> None:
        """Write it as what the file's suffix says: text, workbook or JSON.

        Parameters
        ----------
        path : replaced if it exists.
        """
        current = self.session.round
        assert current is not None
        numbers = self._numbers(current)
        try:
            if path.suffix.lower() == ".xlsx":
                write_whole_bytes(path, handed_workbook(numbers, self.dress))
            elif path.suffix.lower() == ".json":
                write_whole(path, handed_json(numbers, self.dress))
            else:
                write_whole(path, handed_text(numbers, self.dress))
        except OSError as error:
            cause = error.strerror or str(error)
            self.told.setText(str(Say.NOT_WRITTEN(path=path, cause=cause)))
            return
        self._note(path.name, str(Say.WRITTEN(path=path)))

    def _note(self, how: str, did: str) -> None:
        """Note in the job that the table left, where all of it did."""
        whole = not self.chosen_only.isChecked() and self.dress.what is not What.DIFFERENCE
        if not whole:
            self.told.setText(str(Say.PART(did=did)))
            return
        if self.session.rounds.mark_handed_over(how):
            count = self.session.round.changed if self.session.round is not None else 0
            self.told.setText(f"{did} Handed over with {cells_in_words(count)} decided.")
