"""Pulls as rows of a list: what each showed, which are drawn; text is made when it is looked at."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QColor

from lean_trim.core.pulls.pull import seconds_between, seconds_to
from lean_trim.core.pulls.pull_verdict import LEAN_PCT, MOST_DUTY_PCT, SAG_PCT
from lean_trim.core.pulls.torque import relative_torque_pct
from lean_trim.core.pulls.traces import PullTrace
from lean_trim.core.text import clock, signed
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import plain_tip

DASH = "–"
KINDS = {"full": "full", "partial": "part"}
DRAWN_ROUNDS = 3
"""Newest rounds whose full runs are drawn before the user says which; more lie over each other unread."""
Index = QModelIndex | QPersistentModelIndex


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
Role = Qt.ItemDataRole


class PullRows(QAbstractTableModel):
    """Rows of the list. ``said`` is which of them the user wants drawn, or not, by their keys."""

    drawn_changed = Signal()

    def __init__(self, appearance: Appearance) -> None:
        super().__init__()
        self.appearance = appearance
        self.rows: list[Row] = []
        self.said: dict[tuple[int, float], bool] = {}
        self._newest: list[int] = []
        self._between = (0.0, 0.0)
        self._firsts: dict[int, PullTrace] = {}
        self._texts: dict[int, tuple[str, ...]] = {}

    def take(self, rows: Sequence[Row], low: float, high: float) -> None:
        """Hold other rows; unless the user said so, full runs of the newest rounds are drawn.

        Parameters
        ----------
        rows : in their order.
        low, high : engine speeds between which they are timed, 1/min.
        """
        self.beginResetModel()
        self.rows = list(rows)
        self._newest = sorted({row.number for row in rows})[-DRAWN_ROUNDS:]
        self._between = (low, high)
        self._texts = {}
        self._firsts = {}
        for row in rows:
            self._firsts.setdefault(row.trace.pull.gear, row.trace)
        self.endResetModel()

    def is_ticked(self, place: int) -> bool:
        """True if a row is drawn."""
        row = self.rows[place]
        usual = row.trace.pull.kind == "full" and row.number in self._newest
        return self.said.get(key_of(row), usual)

    def tick(self, place: int, on: bool) -> None:
        """Draw a row, or not."""
        self.said[key_of(self.rows[place])] = on
        at = self.index(place, 0)
        self.dataChanged.emit(at, at)
        self.drawn_changed.emit()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        """Number of pulls."""
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        """Number of columns."""
        return 0 if parent.isValid() else len(COLUMNS)

    def flags(self, index: Index) -> Qt.ItemFlag:
        """The first column can be ticked."""
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags | Qt.ItemFlag.ItemIsUserCheckable if index.column() == 0 else flags

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> Any:
        """Head of a column and what it means."""
        if orientation is not Qt.Orientation.Horizontal:
            return None
        if role == Role.DisplayRole:
            return COLUMNS[section].head
        return plain_tip(COLUMNS[section].tip) if role == Role.ToolTipRole else None

    def data(self, index: Index, role: int = 0) -> Any:
        """Text and look of a cell."""
        place = index.row()
        column = index.column()
        if role == Role.DisplayRole:
            return self.texts(place)[column]
        if role == Role.TextAlignmentRole:
            return RIGHT
        if role == Role.CheckStateRole and column == 0:
            return Qt.CheckState.Checked if self.is_ticked(place) else Qt.CheckState.Unchecked
        if role == Role.ToolTipRole:
            return plain_tip(COLUMNS[column].tip)
        if role in (Role.FontRole, Role.ForegroundRole):
            return self._look(place, column, role)
        return None

    def _look(self, place: int, column: int, role: int) -> Any:
        theme = self.appearance.theme
        if column in _bad(self.rows[place]):
            return font(9, bold=True) if role == Role.FontRole else QColor(theme.danger)
        if role == Role.ForegroundRole and self.rows[place].left_out:
            return QColor(theme.faint)
        return None

    def setData(self, index: Index, value: Any, role: int = 0) -> bool:
        """A tick."""
        if role != Role.CheckStateRole or index.column() != 0:
            return False
        self.tick(index.row(), Qt.CheckState(value) is Qt.CheckState.Checked)
        return True

    def texts(self, place: int) -> tuple[str, ...]:
        """What the columns of a row say."""
        if place not in self._texts:
            self._texts[place] = self._made(self.rows[place])
        return self._texts[place]

    def _made(self, row: Row) -> tuple[str, ...]:
        pull = row.trace.pull
        inside = slice(*row.trace.inside)
        time = row.trace.time_s[inside]
        rpm = row.trace.rpm[inside]
        low, high = self._between
        between = (
            seconds_to(time, rpm, high) if pull.launch else seconds_between(time, rpm, low, high)
        )
        torque = relative_torque_pct(row.trace, self._firsts[pull.gear])
        return (
            f"{row.number}" + (" (out)" if row.left_out else ""),
            clock(pull.start_s),
            KINDS[pull.kind] + (", launch" if pull.launch else ""),
            f"{pull.gear}" if pull.gear else DASH,
            f"{pull.rpm_from:.0f} – {pull.rpm_to:.0f}",
            _number(between, 2),
            _number(torque, 0),
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


def _bad(row: Row) -> tuple[int, ...]:
    """Columns whose value is a warning."""
    pull = row.trace.pull
    bad = {
        8: pull.lambda_lean_pct > LEAN_PCT,
        11: pull.duty_pct > MOST_DUTY_PCT,
        12: pull.dp_drop_pct > SAG_PCT,
        14: pull.knock_deg > 0.0,
    }
    return tuple(column for column, is_bad in bad.items() if is_bad)


def key_of(row: Row) -> tuple[int, float]:
    """What a row is told by."""
    return (row.round_id, row.trace.pull.start_s)


def _number(value: float, digits: int) -> str:
    return f"{value:.{digits}f}" if math.isfinite(value) else DASH
