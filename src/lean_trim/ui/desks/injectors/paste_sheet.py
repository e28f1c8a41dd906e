"""Asks in place for an injector table from the clipboard, or for the points it is to stand on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
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

from lean_trim.core.data.calibration import DEAD_TIME, INJECTOR_FLOW, SMALL_PULSES
from lean_trim.core.data.fuels import FUELS, PETROL, fuel_of
from lean_trim.core.data.injector_tables import SQUARE_ROOT, law_of
from lean_trim.core.data.tables import Table
from lean_trim.core.errors import BadInputError, LeanTrimError, TableError
from lean_trim.formats.tables.block import Block, block_of_file, block_of_text, number_in, sheets_of
from lean_trim.formats.tables.injector_tables import InjectorForm, form_said, injector_table_of, units_of
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.wheel_safe import ComboBox
from lean_trim.workspace.injector_tables import WORDS

CLIPBOARD = "the clipboard"
TABLE_FILTER = "Tables (*.csv *.txt *.tsv *.gz *.xlsx *.ods);;All files (*)"
WHAT = {
    INJECTOR_FLOW: "Two columns or rows: fuel pressure across the injector, and flow.",
    DEAD_TIME: "Two columns or rows: volts and dead time; or a grid of volts and fuel pressure.",
    SMALL_PULSES: "Two columns or rows: open time that is wanted (without dead time), and what is added.",
}

POINTS = {INJECTOR_FLOW: "250, 300, 350", DEAD_TIME: "8, 10, 12, 14, 16", SMALL_PULSES: ""}
UNITS = {INJECTOR_FLOW: "kPa", DEAD_TIME: "V", SMALL_PULSES: "ms"}


class PasteSheet(QFrame):
    """Hidden until something is asked for. ``turned`` tells that it comes or goes."""

    turned = Signal()

    def __init__(
        self, name: str, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.name = name
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
        self.points.setPlaceholderText(f"{POINTS[name]} {UNITS[name]}")
        self.points.setAccessibleName(f"Points the table stands on, {UNITS[name]}")
        self.points.textChanged.connect(lambda _: self._read_points())
        self.units: dict[str, ComboBox] = {}
        self.labels: dict[str, QLabel] = {}
        for key, choices in units_of(name).items():
            box = ComboBox(self)
            box.addItems(list(choices))
            box.setAccessibleName(f"Unit of the {key}")
            box.activated.connect(lambda _: self._read())
            self.units[key] = box
            self.labels[key] = QLabel({"pressure": "pressure in", "cells": "cells in"}[key], self)
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
    def form(self) -> InjectorForm:
        """The units that are said."""
        return InjectorForm(
            pressure=self.units["pressure"].currentText() if "pressure" in self.units else "kPa",
            cells=self.units["cells"].currentText(),
            density_kg_per_l=self._density(),
        )

    def _density(self) -> float:
        vehicle = self.session.vehicle
        fuel = FUELS.get(fuel_of(vehicle.stoich_afr)) if vehicle is not None else None
        return (fuel or PETROL).density_kg_per_l

    def ask_clipboard(self) -> None:
        """Show what the clipboard holds as a table, with the units its header names."""
        self.path = None
        self.sheets.clear()
        self._read_cells(lambda: block_of_text(QGuiApplication.clipboard().text(), CLIPBOARD))

    def ask_file(self) -> None:
        """Ask for a file, and show what it holds."""
        chosen, _ = QFileDialog.getOpenFileName(self, f"A table of {WORDS[self.name]}", "", TABLE_FILTER)
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
        form = form_said(
            self.block.rows[0], self.name, replace(self.form, cells=self.units["cells"].itemText(0))
        )
        if "pressure" in self.units:
            self.units["pressure"].setCurrentText(form.pressure)
        self.units["cells"].setCurrentText(form.cells)
        self._show_found()

    def _show_found(self, error: LeanTrimError | None = None) -> None:
        """Show the question, with what was found or why nothing was."""
        self._show_fields(points=False)
        self.what.setText(WHAT[self.name])
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
            self.found = injector_table_of(self.block, self.name, self.form)
        except (BadInputError, TableError) as error:
            self.found = None
            self._say(str(error), wrong=True)
            return
        self._say(described(self.found), wrong=False)

    def _points(self) -> list[float]:
        words = self.points.text().replace(UNITS[self.name], " ").replace(",", " ").replace(";", " ").split()
        return sorted(number_in(word) for word in words)

    def _read_points(self) -> None:
        points = self._points()
        if len(points) < 2 or not np.isfinite(points).all() or points[0] <= 0.0:
            self._say(f"Two points or more, in {UNITS[self.name]}.", wrong=True)
            return
        table = self.session.workspace.injectors.base(self.name)
        flow = table is not None and self.name == INJECTOR_FLOW
        self._say(law_words(table) if flow and table is not None else "", wrong=table is None)

    def _take(self) -> None:
        tables = self.session.workspace.injectors
        if not self.points.isHidden():
            done = tables.fill(self.name, self._points())
        else:
            done = self.found is not None and tables.take_table(self.name, self.found)
        if done:
            self._close()


def described(table: Table) -> str:
    """A table in a line: points, ranges, and the law of a flow."""
    parts = [f"{table.size} cells"]
    for axis in table.axes:
        parts.append(f"{axis.shown[0]:g} to {axis.shown[-1]:g} {axis.shown_unit}")
    low, high = float(np.min(table.shown)), float(np.max(table.shown))
    parts.append(f"{low:.4g} to {high:.4g} {table.shown_unit}")
    text = ", ".join(parts) + "."
    return f"{text} {law_words(table)}" if table.unit == "g/s" else text


def law_words(table: Table) -> str:
    """How a flow follows pressure, beside the square root."""
    exponent = law_of(table.axes[0].points, table.values).exponent
    return f"Flow follows pressure to the power {exponent:.2f}; the square-root law says {SQUARE_ROOT:g}."
