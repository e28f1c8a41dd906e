"""The list of pulls: which are drawn, which is chosen, what each showed."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QItemSelectionModel, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from lean_trim.core.pulls.pull import seconds_between, seconds_to
from lean_trim.core.pulls.pull_verdict import LEAN_PCT, MOST_DUTY_PCT, SAG_PCT
from lean_trim.core.pulls.torque import relative_torque_pct
from lean_trim.core.pulls.traces import PullTrace
from lean_trim.core.text import clock, signed
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import plain_tip

ROW_H = 22
LEAST_ROWS = 3
DASH = "–"
KINDS = {"full": "full", "partial": "part"}


@dataclass(frozen=True, eq=False)
class Row:
    """One pull of one round; ``left_out`` where most of it does not count."""

    round_id: int
    number: int
    trace: PullTrace
    left_out: bool


@dataclass(frozen=True)
class Column:
    """A column: its head, what it means, and whether a value is a warning."""

    head: str
    tip: str


COLUMNS = (
    Column("round", "Round, and whether the run is drawn"),
    Column("at", "When it begins, on the tape"),
    Column("kind", "Full: throttle above 95 % for two seconds. Part: far open"),
    Column("gear", "Gear"),
    Column("rpm", "Engine speed from, to"),
    Column(
        "A to B, s",
        "Seconds between the two engine speeds set above; of a launch, from its start to B",
    ),
    Column(
        "torque, %",
        "Mean torque against the first run in that gear, from how quickly engine speed rises; "
        "hill, wind and load are in it",
    ),
    Column("λ mean, %", "Measured over target, mean after the first half second; lean is +"),
    Column("leanest, %", "Most lean of target, over 0.2 s"),
    Column("trim, %", "Long-term trim still applied; it is part of what the run asks of the table"),
    Column("boost, kPa", "Highest manifold pressure less the barometer"),
    Column("duty, %", "Highest injector duty"),
    Column("Δp drop, %", "How far fuel pressure fell against the seconds before"),
    Column("intake, °C", "Intake air at both ends"),
    Column("knock, °", "Most spark taken out"),
)
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class PullList(QTableWidget):
    """Ticked rows are drawn; the row that is current is the chosen one, another selected one is beside it."""

    chosen = Signal()
    drawn_changed = Signal()

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.rows: list[Row] = []
        self.setFont(font(9))
        self.setAccessibleName("Pulls of all rounds")
        self.setColumnCount(len(COLUMNS))
        for place, column in enumerate(COLUMNS):
            head = QTableWidgetItem(column.head)
            head.setToolTip(plain_tip(column.tip))
            self.setHorizontalHeaderItem(place, head)
        self.verticalHeader().setVisible(False)
        self.verticalHeader().setDefaultSectionSize(ROW_H)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        header = self.horizontalHeader()
        header.setDefaultAlignment(RIGHT)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(True)
        header.setHighlightSections(False)
        self.setMinimumHeight((LEAST_ROWS + 1) * ROW_H + 12)
        self.itemSelectionChanged.connect(self.chosen)
        self.itemChanged.connect(lambda _: self.drawn_changed.emit())

    def show_rows(self, rows: Sequence[Row], low: float, high: float) -> None:
        """Show other pulls; those that were ticked and chosen stay so, new ones are ticked."""
        known = {_key(row) for row in self.rows}
        off = {_key(row) for i, row in enumerate(self.rows) if not self._is_ticked(i)}
        current = _key(self.rows[self.current]) if self.current >= 0 else None
        second = _key(self.rows[self.beside]) if self.beside >= 0 else None
        with QSignalBlocker(self):
            self.rows = list(rows)
            self.setRowCount(len(rows))
            for place, row in enumerate(rows):
                # A run that was not there before is drawn if it is a full one.
                ticked = (
                    _key(row) not in off if _key(row) in known else row.trace.pull.kind == "full"
                )
                self._fill(place, row, low, high, ticked)
            keys = [_key(row) for row in rows]
            if rows:
                self.choose(keys.index(current) if current in keys else len(rows) - 1)
            if second in keys:
                self.select_beside(keys.index(second))

    def _fill(self, place: int, row: Row, low: float, high: float, ticked: bool) -> None:
        pull = row.trace.pull
        inside = slice(*row.trace.inside)
        time = row.trace.time_s[inside]
        rpm = row.trace.rpm[inside]
        between = (
            seconds_to(time, rpm, high) if pull.launch else seconds_between(time, rpm, low, high)
        )
        texts = (
            f"{row.number}" + (" (out)" if row.left_out else ""),
            clock(pull.start_s),
            KINDS[pull.kind] + (", launch" if pull.launch else ""),
            f"{pull.gear}" if pull.gear else DASH,
            f"{pull.rpm_from:.0f} – {pull.rpm_to:.0f}",
            _number(between, 2),
            _number(self._torque_pct(row), 0),
            signed(pull.lambda_mean_pct),
            signed(pull.lambda_lean_pct),
            signed(pull.ltft_pct),
            _number(pull.boost_kpa, 0),
            _number(pull.duty_pct, 0),
            _number(pull.dp_drop_pct, 0),
            DASH
            if math.isnan(pull.intake_from_c)
            else f"{pull.intake_from_c:.0f} – {pull.intake_to_c:.0f}",
            _number(pull.knock_deg, 1),
        )
        bad = {
            8: pull.lambda_lean_pct > LEAN_PCT,
            11: pull.duty_pct > MOST_DUTY_PCT,
            12: pull.dp_drop_pct > SAG_PCT,
            14: pull.knock_deg > 0.0,
        }
        theme = self.appearance.theme
        for column, text in enumerate(texts):
            item = QTableWidgetItem(text)
            item.setTextAlignment(RIGHT)
            flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
            item.setFlags(flags | Qt.ItemFlag.ItemIsUserCheckable if column == 0 else flags)
            if column == 0:
                item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
            item.setToolTip(plain_tip(COLUMNS[column].tip))
            if bad.get(column):
                item.setFont(font(9, bold=True))
                item.setForeground(QColor(theme.danger))
            elif row.left_out:
                item.setForeground(QColor(theme.faint))
            self.setItem(place, column, item)

    def _torque_pct(self, row: Row) -> float:
        """Against the first run in that gear, of whatever round."""
        first = next((r for r in self.rows if r.trace.pull.gear == row.trace.pull.gear), row)
        return relative_torque_pct(row.trace, first.trace)

    def choose(self, place: int) -> None:
        """Choose one row and no other, whatever keys are held down."""
        how = (
            QItemSelectionModel.SelectionFlag.ClearAndSelect
            | QItemSelectionModel.SelectionFlag.Rows
        )
        self.selectionModel().setCurrentIndex(self.model().index(place, 0), how)

    def select_beside(self, place: int) -> None:
        """Select one more row, to be held against the chosen one."""
        how = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
        self.selectionModel().select(self.model().index(place, 0), how)

    def _is_ticked(self, place: int) -> bool:
        item = self.item(place, 0)
        return item is not None and item.checkState() is Qt.CheckState.Checked

    @property
    def current(self) -> int:
        """Row that is chosen, -1 if none."""
        place = self.currentRow()
        return place if 0 <= place < len(self.rows) else -1

    @property
    def beside(self) -> int:
        """Another row that is selected, -1 if none."""
        others = sorted({i.row() for i in self.selectedIndexes()} - {self.currentRow()})
        return others[0] if others else -1

    @property
    def drawn(self) -> list[int]:
        """Rows that are drawn: the ticked ones, the chosen one and the one beside it."""
        strong = {self.current, self.beside}
        return [i for i in range(len(self.rows)) if self._is_ticked(i) or i in strong]


def _key(row: Row) -> tuple[int, float]:
    return (row.round_id, row.trace.pull.start_s)


def _number(value: float, digits: int) -> str:
    return f"{value:.{digits}f}" if math.isfinite(value) else DASH
