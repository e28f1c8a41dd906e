"""Asks in place for a table from the clipboard or a file, or for the points it is to stand on."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.tables import Table
from lean_trim.core.errors import BadInputError, LeanTrimError, TableError
from lean_trim.formats.tables.block import Block, block_of_file, block_of_text, number_in, sheets_of
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.card_kind import CardKind, Units
from lean_trim.ui.widgets.label import Label
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.wheel_safe import ComboBox

CLIPBOARD = "the clipboard"
TABLE_FILTER = "Tables (*.csv *.txt *.tsv *.gz *.xlsx *.ods);;All files (*)"


class PasteSheet(QFrame):
    """Hidden until something is asked for. ``turned`` tells that it comes or goes."""

    turned = Signal()

    def __init__(
        self,
        kind: CardKind,
        session: Session,
        appearance: Appearance,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.kind = kind
        self.session = session
        self.appearance = appearance
        self.block: Block | None = None
        self.path: Path | None = None
        self.sheets = ComboBox(self)
        self.sheets.setAccessibleName("Sheet of the workbook")
        self.sheets.activated.connect(lambda _: self._read_file())
        self.found: Table | None = None
        self.what = running_text(9.0)
        self.says = running_text(9.0)
        self.points = QLineEdit(self)
        self.points.setPlaceholderText(f"{kind.points} {kind.points_unit}")
        self.points.setAccessibleName(f"Points the table stands on, {kind.points_unit}")
        self.points.textChanged.connect(lambda _: self._read_points())
        self.units: dict[str, ComboBox] = {}
        self.labels: dict[str, QLabel] = {}
        for key, choices in kind.units.items():
            box = ComboBox(self)
            box.addItems(list(choices))
            box.setAccessibleName(f"Unit of the {key}")
            box.activated.connect(lambda _: self._read())
            self.units[key] = box
            self.labels[key] = Label(f"{key} in", self)
        self.take = QPushButton("Take it", self)
        self.take.setObjectName("primary")
        self.take.clicked.connect(self._take)
        self.cancel = QPushButton("Not now", self)
        self.cancel.clicked.connect(self._close)
        self._lay_out()
        self.hide()

    def _lay_out(self) -> None:
        grid = QGridLayout()
        for column, (key, box) in enumerate(self.units.items()):
            grid.addWidget(self.labels[key], 0, 2 * column)
            grid.addWidget(box, 0, 2 * column + 1)
        buttons = QHBoxLayout()
        buttons.addWidget(self.take)
        buttons.addWidget(self.cancel)
        buttons.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 4)
        layout.setSpacing(4)
        layout.addWidget(self.what)
        layout.addWidget(self.points)
        layout.addWidget(self.sheets)
        layout.addLayout(grid)
        layout.addWidget(self.says)
        layout.addLayout(buttons)

    @property
    def form(self) -> Units:
        """The units that are said."""
        return {key: box.currentText() for key, box in self.units.items()}

    def ask_clipboard(self) -> None:
        """Show what the clipboard holds as a table, with the units its header names."""
        self.path = None
        self.sheets.clear()
        self._read_cells(lambda: block_of_text(QGuiApplication.clipboard().text(), CLIPBOARD))

    def ask_file(self) -> None:
        """Ask for a file, and show what it holds."""
        chosen, _ = QFileDialog.getOpenFileName(
            self, f"A table: {self.kind.words}", "", TABLE_FILTER
        )
        if chosen:
            self.take_file(Path(chosen))

    def take_file(self, path: Path) -> None:
        """Show what a file holds; of a workbook with several sheets the first, and the others are offered."""
        self.path = path
        self.sheets.clear()
        try:
            self.sheets.addItems(list(sheets_of(path)))
        except LeanTrimError as error:
            self._show_found(error)
            return
        self._read_file()

    def _read_file(self) -> None:
        path = self.path
        if path is not None:
            self._read_cells(lambda: block_of_file(path, self.sheets.currentText()))

    def _read_cells(self, read: Callable[[], Block]) -> None:
        try:
            self.block = read()
        except LeanTrimError as error:
            self._show_found(error)
            return
        first = {**self.form, "cells": self.units["cells"].itemText(0)}
        for key, unit in self.kind.said(self.block, first).items():
            self.units[key].setCurrentText(unit)
        self._show_found()

    def _show_found(self, error: LeanTrimError | None = None) -> None:
        """Show the question, with what was found or why nothing was."""
        self._show_fields(points=False)
        self.what.setText(self.kind.what)
        if error is None:
            self._read()
        else:
            self.block = self.found = None
            self._say(str(error), wrong=True)
        self.show()
        self.turned.emit()

    def ask_points(self) -> None:
        """Ask for the pressures, or the voltages, the table is to stand on."""
        self._show_fields(points=True)
        self.what.setText(
            "The points of the ECU's own table. They are filled by what the present one follows."
        )
        self._read_points()
        self.show()
        self.turned.emit()
        self.points.setFocus()

    def _show_fields(self, points: bool) -> None:
        self.points.setVisible(points)
        self.sheets.setVisible(not points and self.sheets.count() > 1)
        for key in self.units:
            for widget in (self.units[key], self.labels[key]):
                widget.setVisible(not points)

    def refresh(self) -> None:
        """Gone where nothing can be decided."""
        if not (self.session.is_last and self.session.can_save):
            self._close()

    def _close(self) -> None:
        self.hide()
        self.turned.emit()

    def _say(self, text: str, wrong: bool) -> None:
        theme = self.appearance.theme
        self.says.setText(text)
        self.says.setStyleSheet(f"color: {theme.danger if wrong else theme.ink};")
        self.take.setEnabled(not wrong)

    def _read(self) -> None:
        if self.block is None:
            return
        try:
            self.found = self.kind.read(self.block, self.form)
        except (BadInputError, TableError) as error:
            self.found = None
            self._say(str(error), wrong=True)
            return
        words = f"{described(self.found)} {self.kind.law(self.found)}"
        self._say(words.rstrip(), wrong=False)

    def _points(self) -> list[float]:
        words = (
            self.points.text()
            .replace(self.kind.points_unit, " ")
            .replace(",", " ")
            .replace(";", " ")
            .split()
        )
        return sorted(number_in(word) for word in words)

    def _read_points(self) -> None:
        points = self._points()
        if len(points) < 2 or not np.isfinite(points).all() or points[0] <= 0.0:
            self._say(f"Two points or more, in {self.kind.points_unit}.", wrong=True)
            return
        table = self.kind.tables.base(self.kind.name)
        self._say("" if table is None else self.kind.law(table), wrong=table is None)

    def _take(self) -> None:
        kind = self.kind
        if not self.points.isHidden():
            done = kind.fill is not None and kind.fill(self._points())
        else:
            done = self.found is not None and kind.tables.take_table(kind.name, self.found)
        if done:
            self._close()


def described(table: Table) -> str:
    """A table in a line: points and ranges."""
    parts = [f"{table.size} cells"]
    for axis in table.axes:
        parts.append(f"{axis.shown[0]:g} to {axis.shown[-1]:g} {axis.shown_unit}")
    low = float(np.min(table.shown))
    high = float(np.max(table.shown))
    parts.append(f"{low:.4g} to {high:.4g} {table.shown_unit}")
    return ", ".join(parts) + "."
