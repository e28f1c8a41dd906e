"""One row of the import sheet: which column is which channel, in which unit, and what speaks for it.

A row stays where it is while its log is asked about. What is chosen in it is shown at once; the rest
follows when the log has been read again.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QSize
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QPushButton, QTableWidget, QTableWidgetItem, QWidget

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.text import span_text
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import Column
from lean_trim.formats.meaning.match import Match
from lean_trim.formats.meaning.missing import Missing
from lean_trim.formats.meaning.names import candidates
from lean_trim.formats.meaning.unit_check import PERCENT_FORMS, mixture_converts, sample_of
from lean_trim.formats.meaning.units import TIME, UNITS, show_unit
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.choice_button import ChoiceButton, Entry
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.workspace.log_answers import LogAnswers
from lean_trim.workspace.log_opening import Pending

UNUSED = "not used"
NOT_LOGGED = "it was not logged"
CHOOSE_COLUMN = "choose its column"
TYPE_UNIT = "Another unit, typed…"
SCALE_HINT = "0 V = 0.68, 5 V = 1.36"
UNIT_HINTS = {Role.LAMBDA: f"AFR 14.2, or {SCALE_HINT}", Role.TARGET: "AFR 14.2, or λ x1000"}
MOST_UNUSED = 120
WORKED_IN = " …"
"""Behind what was chosen until the log has been read with it."""

CHANNEL, COLUMN, UNIT, RANGE, SHAPE, SURE, WHY = range(7)
"""Columns of the sheet."""


def head_of(column: Column) -> str:
    """A column's name with its unit, as the file heads it.

    Returns text.
    """
    return f"{column.name} [{column.unit}]" if column.unit else column.name


def why_of(match: Match) -> str:
    """Doubt or note, and what the engine's physics says of the channel; what speaks against it first.

    Returns text.
    """
    order = ("contradicts", "agrees", "cannot tell")
    proofs = sorted(match.proofs, key=lambda p: order.index(p.verdict))
    told = [f"{p.verdict}: {p.said}" for p in proofs if str(p.said) not in match.doubt]
    return "; ".join(t for t in (match.doubt or match.note, *told[:2]) if t)


class Sparkline(QWidget):
    """The course of a channel in a few pixels."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.points: Floats = np.array([])

    def show_values(self, values: Floats) -> None:
        """Draw a channel.

        Parameters
        ----------
        values : of it, shape (n,); what is not finite is left out.
        """
        part = values[np.isfinite(values)]
        self.points = part[:: max(1, len(part) // 110)]
        self.update()

    def sizeHint(self) -> QSize:
        """A few pixels."""
        return QSize(84, 20)

    def paintEvent(self, event: QPaintEvent) -> None:
        """The course of the channel."""
        if len(self.points) < 2:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        low = float(self.points.min())
        high = float(self.points.max())
        x = np.linspace(3, self.width() - 3, len(self.points))
        y = self.height() - 4 - (self.points - low) / (high - low or 1.0) * (self.height() - 8)
        p.setPen(QPen(self.appearance.theme.color("accent"), 1.2))
        p.drawPolyline(
            QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)])
        )


@dataclass(frozen=True, eq=False)
class Place:
    """Where a row stands, and what it works with."""

    table: QTableWidget
    row: int
    appearance: Appearance
    answers: LogAnswers

    def text(self, column: int, text: str, urgent: bool = False) -> None:
        """Write into a cell."""
        item = self.table.item(self.row, column)
        if item is None:
            item = QTableWidgetItem()
            self.table.setItem(self.row, column, item)
        if item.text() != text:
            item.setText(text)
        item.setToolTip(plain_tip(text))
        item.setForeground(self.appearance.theme.color("danger" if urgent else "ink"))

    def put(self, column: int, widget: QWidget) -> None:
        """Put a widget into a cell."""
        self.table.setCellWidget(self.row, column, widget)


class _Row:
    """What all rows have in common."""

    def __init__(self, place: Place) -> None:
        self.place = place
        for column in range(WHY + 1):
            place.text(column, "")

    def _button(
        self,
        column: int,
        name: str,
        entries: Callable[[], Sequence[Entry]],
        chosen: Callable[[object], None],
        typed: str = "",
        hint: str = "",
    ) -> ChoiceButton:
        button = ChoiceButton(entries, typed, hint)
        button.setAccessibleName(name)

        def take(data: object) -> None:
            # Shown at once; the sheet is told how the log is read with it when it has been read.
            text = next((e.text for e in button.entries() if e.data == data), str(data))
            button.show_choice(text + WORKED_IN)
            chosen(data)

        button.chosen.connect(take)
        self.place.put(column, button)
        return button


class ColumnRow(_Row):
    """A column of the file: what it plays, in which unit."""

    def __init__(self, place: Place, column: Column) -> None:
        super().__init__(place)
        self.column = column
        self.match: Match | None = None
        self.role = self._button(CHANNEL, f"Role of {column.name}", self._roles, self._say_role)
        self.unit = self._button(
            UNIT, f"Unit of {column.name}", self._units, self._say_unit, TYPE_UNIT, SCALE_HINT
        )
        self.shape = Sparkline(place.appearance)
        place.put(SHAPE, self.shape)
        self.yes: QPushButton | None = None

    def show(self, pending: Pending) -> None:
        """Show what the column plays now."""
        mapped = pending.opened.mapped
        matches = mapped.matches
        match = next(
            (m for m in matches if self.column.index in {c.index for c in m.columns}), None
        )
        self.match = match
        if match is None:
            index = self.column.index
            values = mapped.raw.samples.get(index, mapped.raw.values.get(index))
            self._tell(UNUSED, "", "", self._span(values, self.column.unit), "", False)
            self._offer_yes(False)
            return
        unit = show_unit(match.unit) or LABELS[match.role][1]
        span = self._span(pending.opened.log[match.role], LABELS[match.role][1])
        self.unit.hint = UNIT_HINTS.get(match.role, "")
        asks = bool(match.doubt)
        self._tell(LABELS[match.role][0], unit, match.sureness, span, why_of(match), asks)
        self._offer_yes(asks and self._can_say_yes(match, pending))

    def _tell(self, role: str, unit: str, sure: str, span: str, why: str, asks: bool) -> None:
        self.role.show_choice(role, str(self.match.role) if self.match is not None else None)
        self.unit.show_choice(unit, unit)
        self.unit.setEnabled(bool(unit))
        place = self.place
        place.text(COLUMN, head_of(self.column), asks)
        place.text(RANGE, span, asks)
        place.text(SURE, sure, asks)
        place.text(WHY, why, asks)

    def _span(self, values: Floats | None, unit: str) -> str:
        part = sample_of(values) if values is not None else np.array([])
        self.shape.show_values(part)
        if not len(part):
            return "no numbers"
        # As the values were judged: without the ends, where spikes are.
        low, high = np.percentile(part, [1, 99])
        return f"{span_text(float(low), float(high))} {unit}"

    def _can_say_yes(self, match: Match, pending: Pending) -> bool:
        """Whether a word would settle it: not where there is nothing to read, nor where it was said."""
        values = pending.opened.log[match.role]
        words = pending.choices.columns
        said = [words.get(c.name) for c in match.columns]
        known = all(w is not None and (w.role, w.unit) == (match.role, match.unit) for w in said)
        return bool(np.isfinite(values).any()) and not known

    def _offer_yes(self, offered: bool) -> None:
        """A button in the column of sureness: it is as this row says."""
        if offered and self.yes is None:
            self.yes = QPushButton("Yes")
            self.yes.setObjectName("yes")
            self.yes.clicked.connect(self._say_yes)
            self.place.put(SURE, self.yes)
        if self.yes is None:
            return
        self.yes.setVisible(offered)
        if self.match is not None:
            unit = show_unit(self.match.unit)
            label = LABELS[self.match.role][0]
            says = f"It is as this row says: {self.column.name} is {label.lower()}"
            self.yes.setToolTip(plain_tip(f"{says}, in {unit}" if unit else says))
            self.yes.setAccessibleName(f"Yes: {label} as read from {self.column.name}")

    def _say_yes(self) -> None:
        if self.match is not None:
            self.place.answers.confirm(self.match)

    def _roles(self) -> list[Entry]:
        # What its name speaks of comes first.
        named = [c.role for c in candidates(self.column)][:3]
        rest = [r for r in Role if r not in named]
        first = [Entry(LABELS[r][0], str(r)) for r in named]
        others = [Entry(LABELS[r][0], str(r), apart=r is rest[0]) for r in rest]
        return [Entry(UNUSED, UNUSED), *first, *others]

    def _say_role(self, data: object) -> None:
        role = None if data == UNUSED else Role(str(data))
        # A unit said for another role means nothing for this one.
        self.place.answers.choose(self.column.name, role)

    def _units(self) -> list[Entry]:
        match = self.match
        if match is None:
            return []
        if match.role in (Role.LAMBDA, Role.TARGET):
            names = [*mixture_converts(1.0)]
        elif match.role in (Role.STFT, Role.LTFT, Role.THROTTLE):
            names = ["%", *PERCENT_FORMS]
        else:
            names = [show_unit(u) for u in UNITS.get(match.role, {}) if u]
        names = list(dict.fromkeys(names or [match.unit or LABELS[match.role][1]]))
        # Readings that are in question come first.
        asked = [show_unit(u) for u in match.choices]
        first = [Entry(u, u) for u in dict.fromkeys(asked)]
        rest = [u for u in names if u not in asked]
        return first + [Entry(u, u, apart=bool(asked) and u == rest[0]) for u in rest]

    def _say_unit(self, data: object) -> None:
        if self.match is not None:
            self.place.answers.choose(self.column.name, self.match.role, str(data))


class MissingRow(_Row):
    """A channel nobody found, with the columns that are left to choose from."""

    def __init__(self, place: Place, role: Role) -> None:
        super().__init__(place)
        self.role = role
        self._left: list[Column] = []
        self._asked: list[Column] = []
        name = f"Column of {LABELS[role][0]}"
        self.columns = self._button(COLUMN, name, self._columns, self._found)

    def show(self, pending: Pending, lack: Missing | None = None) -> None:
        """Show whether it is still missing.

        Parameters
        ----------
        pending : how the log is read now.
        lack : what its absence costs; None where it is no longer missed.
        """
        mapped = pending.opened.mapped
        self._asked = [c for o in mapped.overlooked if o.role is self.role for c in o.columns]
        named = [c for c in mapped.unused if any(x.role is self.role for x in candidates(c))]
        likely = [*self._asked, *(c for c in named if c not in self._asked)]
        self._left = [*likely, *(c for c in mapped.unused if c not in likely)][:MOST_UNUSED]
        match = next((m for m in mapped.matches if m.role is self.role), None)
        urgent = lack is not None and (bool(self._asked) or lack.needed)
        sure = ("asks" if self._asked else "missing") if lack is not None else ""
        place = self.place
        place.text(CHANNEL, LABELS[self.role][0], urgent)
        place.text(SURE, sure if match is None else "found", urgent)
        if match is not None:
            self.columns.show_choice(head_of(match.columns[0]), match.columns[0].name)
            place.text(WHY, "its own row holds the rest")
            return
        self.columns.show_choice(CHOOSE_COLUMN if lack is not None else NOT_LOGGED)
        place.text(WHY, str(lack.cost) if lack is not None else "", urgent)

    def _columns(self) -> list[Entry]:
        columns = [Entry(head_of(c), c.name) for c in self._left]
        return [*columns, *([Entry(NOT_LOGGED, NOT_LOGGED, apart=True)] if self._asked else [])]

    def _found(self, data: object) -> None:
        if data == NOT_LOGGED:
            self.place.answers.say_not_logged(self.role)
        else:
            self.place.answers.choose(str(data), self.role)


class TimeRow(_Row):
    """The time of the rows, where it was in doubt."""

    def __init__(self, place: Place) -> None:
        super().__init__(place)
        self._pending: Pending | None = None
        self.columns = self._button(
            COLUMN, "Column of the time", self._names, lambda d: place.answers.choose_time(str(d))
        )
        self.unit = self._button(UNIT, "Unit of the time", self._units, self._say_unit)

    def show(self, pending: Pending) -> None:
        """Show the clock as it is read now."""
        self._pending = pending
        mapped = pending.opened.mapped
        asks = bool(mapped.time_doubt)
        place = self.place
        place.text(CHANNEL, "Time", asks)
        place.text(SURE, "asks" if asks else "sure", asks)
        place.text(WHY, mapped.time_doubt, asks)
        if mapped.time is not None:
            self.columns.show_choice(head_of(mapped.time), mapped.time.name)
        self.unit.show_choice(show_unit(mapped.time_unit), mapped.time_unit)

    def _names(self) -> list[Entry]:
        if self._pending is None:
            return []
        columns = self._pending.opened.mapped.raw.columns[:MOST_UNUSED]
        return [Entry(head_of(c), c.name) for c in columns]

    def _units(self) -> list[Entry]:
        return [Entry(show_unit(u), u) for u in TIME]

    def _say_unit(self, data: object) -> None:
        time = self._pending.opened.mapped.time if self._pending is not None else None
        if time is not None:
            self.place.answers.choose_time(time.name, str(data))
