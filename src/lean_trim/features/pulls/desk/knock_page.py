"""The ledger of knock: every event on the left, the largest retard on any axes on the right."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QColor, QGuiApplication
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.errors import BadInputError, LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.core.pulls.knock import UNITS, By, KnockEvent, largest_retard
from lean_trim.core.text import clock, evenly_written
from lean_trim.core.types import Floats
from lean_trim.features.pulls.control import KnockAxes, PullsControl, RoundPulls, knock_axes_of
from lean_trim.features.pulls.knock_csv import knock_grid, knock_list
from lean_trim.formats.tables.arrange import arrange
from lean_trim.formats.tables.block import block_of_text
from lean_trim.job.records import Job
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.wheel_safe import ComboBox

HEADS = ("round", "at", "run", "retard, °", "rpm", "MAP, kPa", "spark, °", "intake, °C", "λ")
TIPS = (
    "Round",
    "When it began, on the tape",
    "Which full-throttle run it was in",
    "Most spark taken out",
    "Engine speed then",
    "Manifold pressure then",
    "Spark advance then",
    "Intake air then",
    "Measured lambda then",
)
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
ROW_H = 21
LEAST_COLUMN_W = 38
DASH = "–"
NO_LOG = "No log yet: with knock retard in it, every event is listed here."
LOOKING = "The logs are being looked through for knock."
NOT_LOGGED = (
    "Knock retard is in none of the logs: whether it knocked is not known. Log it, or listen."
)
NONE_SEEN = "Knock retard was logged, and no spark was taken out."
ABOUT = (
    "Largest retard in degrees nearest to each point, over all rounds, across engine speed in "
    "rpm; 0 was driven without any, blank was not driven. Copy it beside your spark table: Lean "
    "Trim does not write those."
)


class Say:
    """Sentences of this page."""

    REFUSED = Message("knock_page.refused", "The axes stay as they were: {reason}")
    NO_AXES = Message(
        "knock_page.no_axes",
        "the clipboard holds no table with axes; copy the spark table with its first row and "
        "column",
    )


class KnockPage(QWidget):
    """Speaks of every round of the job."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.pulls = session.part(PullsControl)
        self.events = cell_table("Knock events of all rounds")
        self.events.setColumnCount(len(HEADS))
        for place, (head, tip) in enumerate(zip(HEADS, TIPS, strict=True)):
            item = QTableWidgetItem(head)
            item.setToolTip(plain_tip(tip))
            self.events.setHorizontalHeaderItem(place, item)
        self.events.verticalHeader().setVisible(False)
        self.events.itemSelectionChanged.connect(self._show_on_tape)
        self.grid = cell_table("Largest knock retard on a grid")
        self.grid.setFont(font(8.5))
        self.grid.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.grid.horizontalHeader().setMinimumSectionSize(LEAST_COLUMN_W)
        self.by = ComboBox(self)
        for one in By:
            self.by.addItem(f"{one}, {UNITS[one]}", one)
        self.by.setAccessibleName("What the rows are read by")
        self.by.activated.connect(lambda _: self._turn())
        self.paste = QPushButton("Paste axes", self)
        self.paste.setToolTip("From a copied table: its first row and first column")
        self.paste.clicked.connect(self.paste_axes)
        self.back = QPushButton("Airflow table's", self)
        self.back.setToolTip("Back to the axes of the airflow table")
        self.back.clicked.connect(lambda: self.pulls.set_knock_axes(None))
        self.copy_grid = QPushButton("Copy grid", self)
        self.copy_grid.clicked.connect(self._copy_grid)
        self.copy_list = QPushButton("Copy list", self)
        self.copy_list.clicked.connect(self._copy_list)
        self.about = running_text(8.5, ABOUT)
        self.rows: list[tuple[int, int, KnockEvent]] = []
        self._lay_out()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.events, 1)
        bar = QHBoxLayout()
        bar.addWidget(Label("rows by", self))
        for widget in (self.by, self.paste, self.back, self.copy_grid, self.copy_list):
            bar.addWidget(widget)
        bar.addStretch(1)
        right = QVBoxLayout()
        right.addLayout(bar)
        right.addWidget(self.grid, 1)
        right.addWidget(self.about)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addLayout(left, 4)
        layout.addLayout(right, 6)

    def refresh(self) -> None:
        """Stand as the job does."""
        job = self.session.job
        found = (
            []
            if job is None
            else [self.pulls.found[r.id] for r in job.rounds if r.id in self.pulls.found]
        )
        self.rows = [(one.round_id, one.number, event) for one in found for event in one.knock]
        with QSignalBlocker(self.events):
            self.events.setRowCount(len(self.rows))
            for place, (_, number, event) in enumerate(self.rows):
                for column, text in enumerate(_words(number, event)):
                    self.events.setItem(place, column, _item(text))
        self.about.setText(ABOUT if self.rows else _none_words(job, found))
        axes = self.pulls.knock_axes
        with QSignalBlocker(self.by):
            self.by.setCurrentIndex(self.by.findData(axes.by))
        self._fill(axes)

    def _retard(self, axes: KnockAxes) -> Floats:
        samples = [one.samples for one in self.pulls.found.values() if one.samples is not None]
        return largest_retard(samples, axes.by, axes.rows, axes.columns)

    def _fill(self, axes: KnockAxes) -> None:
        grid = self._retard(axes)
        theme = self.appearance.theme
        self.grid.setRowCount(len(axes.rows))
        self.grid.setColumnCount(len(axes.columns))
        self.grid.setHorizontalHeaderLabels(list(evenly_written(axes.columns.points.tolist())))
        self.grid.setVerticalHeaderLabels(list(evenly_written(axes.rows.points.tolist())))
        for i, j in np.ndindex(grid.shape):
            value = float(grid[i, j])
            item = _item("" if math.isnan(value) else f"{value:.1f}" if value > 0.0 else "0")
            if value > 0.0:
                item.setFont(font(9, bold=True))
                item.setForeground(QColor(theme.danger))
            else:
                item.setForeground(QColor(theme.faint))
            self.grid.setItem(i, j, item)

    def _turn(self) -> None:
        """The same points by another channel mean nothing: rows become even steps of what was seen."""
        by = By(self.by.currentData())
        axes = self.pulls.knock_axes
        if by is axes.by:
            return
        seen = [
            one.samples.by[by]
            for one in self.pulls.found.values()
            if one.samples and by in one.samples.by
        ]
        known = np.concatenate(seen) if seen else np.zeros(0)
        if not len(known) or not np.ptp(known) > 0.0:
            self.refresh()
            return
        rows = np.linspace(float(known.min()), float(known.max()), len(axes.rows))
        self.pulls.set_knock_axes(knock_axes_of(by, np.round(rows, 2), axes.columns.points))

    def paste_axes(self) -> None:
        """Take the axes of a copied table; what its cells hold does not matter."""
        try:
            found = arrange(block_of_text(QGuiApplication.clipboard().text(), "the clipboard"))
            if found.rows is None or found.columns is None:
                raise BadInputError(Say.NO_AXES())
            axes = knock_axes_of(By(self.by.currentData()), found.rows, found.columns)
        except LeanTrimError as error:
            self.session.open.error(Say.REFUSED(reason=str(error)))
            return
        self.pulls.set_knock_axes(axes)

    def _show_on_tape(self) -> None:
        place = self.events.currentRow()
        if 0 <= place < len(self.rows):
            round_id, _, event = self.rows[place]
            if self.session.open.shows(round_id):
                self.session.selection.set_span(event.start_s, event.end_s, frozenset())

    def _copy_grid(self) -> None:
        axes = self.pulls.knock_axes
        text = knock_grid(
            self._retard(axes), axes.rows, axes.columns, UNITS[axes.by], delimiter="\t"
        )
        QGuiApplication.clipboard().setText(text)

    def _copy_list(self) -> None:
        QGuiApplication.clipboard().setText(knock_list([event for _, _, event in self.rows]))


def cell_table(name: str) -> QTableWidget:
    """A table of figures that are not typed into."""
    table = QTableWidget()
    table.setFont(font(9))
    table.setAccessibleName(name)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.verticalHeader().setDefaultSectionSize(ROW_H)
    header = table.horizontalHeader()
    header.setDefaultAlignment(RIGHT)
    header.setHighlightSections(False)
    for one in (header, table.verticalHeader()):
        one.setFont(font(8))
    header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    return table


def _item(text: str) -> QTableWidgetItem:
    item = QTableWidgetItem(text)
    item.setTextAlignment(RIGHT)
    return item


def _none_words(job: Job | None, found: Sequence[RoundPulls]) -> str:
    """Why no knock is listed."""
    if job is None or not any(r.logs for r in job.rounds):
        return NO_LOG
    if not found:
        return LOOKING
    logged = any(one.samples is not None and len(one.samples.rpm) for one in found)
    return NONE_SEEN if logged else NOT_LOGGED


def _words(number: int, event: KnockEvent) -> tuple[str, ...]:
    return (
        f"{number}",
        clock(event.start_s),
        f"{event.pull + 1}" if event.pull >= 0 else DASH,
        f"{event.deg:.1f}",
        f"{event.rpm:.0f}",
        _number(event.map_kpa, 0),
        _number(event.spark_deg, 1),
        _number(event.intake_c, 0),
        _number(event.lam, 2),
    )


def _number(value: float, digits: int) -> str:
    return f"{value:.{digits}f}" if math.isfinite(value) else DASH
