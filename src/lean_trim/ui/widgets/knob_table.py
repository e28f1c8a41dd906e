"""Settings of one kind as a small table: what they are for down the side, what they limit across."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QAbstractSpinBox, QGridLayout, QWidget

from lean_trim.core.knobs import Knob
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.knob_row import decimals_of_knob, knob_tip
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.wheel_safe import DoubleSpinBox

BOX_W = 50


@dataclass(frozen=True)
class KnobLine:
    """One line of the table: its name, what it is for, and a knob or nothing in each column."""

    name: str
    tip: str
    knobs: tuple[Knob | None, ...]


class KnobCell(DoubleSpinBox):
    """One number; bold where it differs from its default, to which its menu takes it back."""

    def __init__(self, knob: Knob, turned: Callable[[float], object], name: str) -> None:
        super().__init__()
        self.knob = knob
        self.setRange(knob.low, knob.high)
        self.setDecimals(decimals_of_knob(knob))
        self.setSingleStep(max(knob.step, 0.05) if knob.high <= 1.0 else knob.step)
        self.setSuffix(f" {knob.unit}" if knob.unit else "")
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setFixedWidth(BOX_W)
        # Arrow keys step it; buttons of three columns have no room in the margin.
        self.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
        self.setKeyboardTracking(False)
        self.setAccessibleName(name)
        self.setToolTip(plain_tip(f"{knob_tip(knob)} Its menu takes it back to that."))
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        back = QAction(f"Back to the default, {knob.default:g} {knob.unit}".rstrip(), self)
        back.triggered.connect(lambda: self.setValue(knob.default))
        self.addAction(back)
        self.show_value(knob.default)
        self.valueChanged.connect(lambda value: self._turn(value, turned))

    def _turn(self, value: float, turned: Callable[[float], object]) -> None:
        self.show_value(value)
        turned(round(value, 6))

    def show_value(self, value: float) -> None:
        """Stand at a value without telling anyone."""
        with QSignalBlocker(self):
            self.setValue(value)
        self.setFont(font(8.5, bold=abs(value - self.knob.default) > 1e-9))


class KnobTable(QWidget):
    """Lines of numbers under common heads.

    Parameters
    ----------
    heads : of the columns.
    lines : each with as many knobs as there are heads.
    turned : called with the knob's name and its new value.
    """

    def __init__(
        self,
        heads: Sequence[str],
        lines: Sequence[KnobLine],
        turned: Callable[[str, float], object],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.cells: dict[str, KnobCell] = {}
        self._lines: dict[str, list[QWidget]] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 2, 0, 2)
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(0, 1)
        for column, head in enumerate(heads, 1):
            label = Label(head, self)
            label.setFont(font(8.5, bold=True))
            grid.addWidget(label, 0, column, Qt.AlignmentFlag.AlignRight)
        for row, line in enumerate(lines, 1):
            name = Label(line.name, self)
            name.setFont(font(8.5))
            name.setToolTip(plain_tip(line.tip))
            grid.addWidget(name, row, 0)
            self._lines[line.name] = [name]
            for column, knob in enumerate(line.knobs):
                if knob is None:
                    continue
                words = f"{line.name}: {heads[column]}"
                cell = KnobCell(knob, partial(turned, knob.name), words)
                self.cells[knob.name] = cell
                self._lines[line.name].append(cell)
                grid.addWidget(cell, row, column + 1)

    def show_line(self, name: str, on: bool) -> None:
        """Show or hide a line.

        Parameters
        ----------
        name : of the line.
        on : whether it applies.
        """
        for widget in self._lines[name]:
            widget.setVisible(on)
