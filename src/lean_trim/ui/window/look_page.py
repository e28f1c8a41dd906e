"""A log looked at without a job: its columns, its course, where the time went, how the mixture was held."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QScrollArea,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.text import clock, signed
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.window.look_parts import LogStrip, TimeGrid
from lean_trim.workspace.tasks import Lane
from lean_trim.workspace.vehicle.looking import LogLook, read_look

COLUMNS = ("Channel", "Column", "Unit", "From", "To", "Blank", "As understood")
REGIMES = ("Regime", "Time", "Trims", "rms", "λ off", "rms")
RUNS = ("From", "For", "Speed", "Leanest λ")
SOME_PCT = 0.05
ROW_H = 21


class LookPage(QWidget):
    """Shows one log; nothing of it is kept unless a job is made of it."""

    wanted = Signal(object)
    """The path of a log a job is to be made of."""
    left = Signal()

    def __init__(self, session: Session, appearance: Appearance) -> None:
        super().__init__()
        self.session = session
        self.look: LogLook | None = None
        self.title = Label()
        self.title.setFont(font(15, bold=True))
        self.told = Label()
        self.told.setWordWrap(True)
        self.told.setFont(font(9))
        self.doubts = Label()
        self.doubts.setWordWrap(True)
        self.doubts.setFont(font(9))
        self.make = QPushButton("Make a job of it…")
        self.make.setObjectName("primary")
        self.make.clicked.connect(self._make)
        self.back = QPushButton("Back")
        self.back.clicked.connect(self.left)
        self.strip = LogStrip(appearance)
        self.grid = TimeGrid(appearance)
        self.channels = _table(COLUMNS, "What the columns are")
        self.regimes = _table(REGIMES, "Trims and lambda by regime")
        self.runs = _table(RUNS, "Runs at full throttle")
        self.runs_head = Label()
        self.runs_head.setFont(font(10, bold=True))
        self._lay_out()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self.title, 1)
        head.addWidget(self.make)
        head.addWidget(self.back)
        side = QVBoxLayout()
        for text, widget in (
            ("Where the time went", self.grid),
            ("Trims and λ against its target, by regime", self.regimes),
        ):
            label = Label(text)
            label.setFont(font(10, bold=True))
            side.addWidget(label)
            side.addWidget(widget, int(widget is self.grid))
        side.addWidget(self.runs_head)
        side.addWidget(self.runs)
        columns = QVBoxLayout()
        label = Label("Columns as understood")
        label.setFont(font(10, bold=True))
        columns.addWidget(label)
        columns.addWidget(self.channels, 1)
        middle = QHBoxLayout()
        middle.addLayout(columns, 3)
        middle.addLayout(side, 2)
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(14, 10, 14, 8)
        column.addWidget(self.told)
        column.addWidget(self.doubts)
        column.addWidget(self.strip)
        column.addLayout(middle, 1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidget(inside)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 4)
        layout.addLayout(head)
        layout.addWidget(scroll, 1)

    def read(self, path: Path) -> None:
        """Read a log in the background, and show it.

        Parameters
        ----------
        path : of a log.
        """
        self.session.tasks.start(
            Lane.READING, "Reading the log", lambda report: read_look(path, report), self.show_look
        )

    def show_look(self, look: LogLook) -> None:
        """Show a log."""
        self.look = look
        self.title.setText(look.path.name)
        self.told.setText("; ".join(look.told.lines) + ".")
        doubted = [c for c in look.channels if c.is_doubted]
        lacks = " ".join(look.told.lacks)
        asked = (
            f"In doubt, and asked about before it counts: {', '.join(c.name for c in doubted)}."
            if doubted
            else ""
        )
        self.doubts.setText(f"{lacks} {asked}".strip())
        self.doubts.setVisible(bool(self.doubts.text()))
        self.strip.show_log(look.log)
        self.grid.show_spent(look.spent)
        self._fill_channels(look)
        _fill(
            self.regimes,
            [
                (
                    r.name,
                    f"{r.seconds:.0f} s",
                    _pct(r.trim_mean, sign=True),
                    _pct(r.trim_rms),
                    _pct(r.lambda_mean, sign=True),
                    _pct(r.lambda_rms),
                )
                for r in look.regimes
            ],
        )
        against = "its target" if look.has_target else "λ = 1, for no target was logged"
        self.regimes.setToolTip(f"λ against {against}; above 0 is lean")
        count = len(look.runs)
        self.runs_head.setText(
            f"{count} run{'s' if count != 1 else ''} at full throttle"
            if count
            else "No run at full throttle"
        )
        self.runs.setVisible(count > 0)
        _fill(
            self.runs,
            [
                (
                    f"{clock(r.start_s)} min",
                    f"{r.seconds:.1f} s",
                    f"{r.rpm_from:.0f} to {r.rpm_to:.0f} rpm",
                    "" if math.isnan(r.leanest) else f"{r.leanest:.2f}",
                )
                for r in look.runs
            ],
        )

    def _fill_channels(self, look: LogLook) -> None:
        rows = [
            (
                c.name,
                c.column,
                c.unit,
                "" if math.isnan(c.low) else f"{c.low:.4g}",
                "" if math.isnan(c.high) else f"{c.high:.4g}",
                f"{c.holes_pct:.1f} %" if c.holes_pct >= SOME_PCT else "",
                c.note,
            )
            for c in look.channels
        ]
        unused = [("not used", name, "", "", "", "", "") for name in look.unused]
        _fill(self.channels, [*rows, *unused])
        self.channels.horizontalHeader().setStretchLastSection(True)

    def _make(self) -> None:
        if self.look is not None:
            self.wanted.emit(self.look.path)


def _pct(value: float, sign: bool = False) -> str:
    if math.isnan(value):
        return ""
    return f"{signed(value)} %" if sign else f"{value:.1f} %"


def _table(heads: Sequence[str], name: str) -> QTableWidget:
    table = QTableWidget(0, len(heads))
    table.setHorizontalHeaderLabels(list(heads))
    table.verticalHeader().hide()
    table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
    table.setShowGrid(False)
    table.setFont(font(9))
    table.setAccessibleName(name)
    table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    table.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
    return table


def _fill(table: QTableWidget, rows: Sequence[Sequence[str]]) -> None:
    table.setRowCount(len(rows))
    for i, row in enumerate(rows):
        for j, text in enumerate(row):
            item = QTableWidgetItem(text)
            item.setToolTip(plain_tip(text))
            table.setItem(i, j, item)
    for i in range(len(rows)):
        table.setRowHeight(i, ROW_H)
