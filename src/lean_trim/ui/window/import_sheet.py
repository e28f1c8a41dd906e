"""The import sheet: which column is which channel, in which unit, with range, shape, doubts and proofs.

What is missing and what is doubted comes first, with the best candidates in place.
"""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
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

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.text import span_text
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import Column
from lean_trim.formats.meaning.channel_map import Match
from lean_trim.formats.meaning.missing import Missing, missing_roles
from lean_trim.formats.meaning.names import candidates
from lean_trim.formats.meaning.pressure import BAROMETERS_KPA, STANDARD_BARO_KPA, wants_barometer
from lean_trim.formats.meaning.unit_check import PERCENT_FORMS, mixture_converts, sample_of
from lean_trim.formats.meaning.units import TIME, UNITS, show_unit
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.wheel_safe import ComboBox, DoubleSpinBox
from lean_trim.workspace.log_opening import Pending

HEADS = (
    "Channel",
    "Column in the file",
    "Unit",
    "Range",
    "Shape",
    "Sure?",
    "Why, and what the engine says",
)
WIDE_PX = (146, 180, 104, 138, 84, 58)
NARROW_PX = (138, 146, 84, 136, 50, 50)
NARROW_BELOW_PX = 1000
"""Widths of all columns but the last, which takes the rest, and of the sheet below which they are
narrow."""
UNUSED = "not used"
NOT_LOGGED = "it was not logged"
MOST_UNUSED = 120
SCALE_HINT = "0 V = 0.68, 5 V = 1.36"


def _head(column: Column) -> str:
    return f"{column.name} [{column.unit}]" if column.unit else column.name


def _why(match: Match) -> str:
    """Doubt or note, and what the engine's physics says of the channel; what speaks against it first."""
    proofs = sorted(
        match.proofs, key=lambda p: ("contradicts", "agrees", "cannot tell").index(p.verdict)
    )
    told = [f"{p.verdict}: {p.said}" for p in proofs if str(p.said) not in match.doubt]
    return "; ".join(t for t in (match.doubt or match.note, *told[:2]) if t)


class Sparkline(QWidget):
    """The course of a channel in a few pixels."""

    def __init__(
        self, values: Floats, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.appearance = appearance
        part = values[np.isfinite(values)]
        self.points = part[:: max(1, len(part) // 110)]

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


class ImportSheet(QWidget):
    """Shows the log that waits; every change reads it again."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.title = Label(self)
        self.questions = Label(self)
        self.title.setFont(font(12, bold=True))
        self.questions.setFont(font(9.5))
        self.questions.setWordWrap(True)
        self.table = QTableWidget(0, len(HEADS), self)
        self.table.setHorizontalHeaderLabels(HEADS)
        self.table.verticalHeader().hide()
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        # Tab has to lead through the boxes and out again.
        self.table.setTabKeyNavigation(False)
        self.table.setAccessibleName("Columns of the log")
        self.banks = ComboBox(self)
        self.banks.addItems(["mean of two banks", "bank 1", "bank 2"])
        self.banks.setAccessibleName("Two banks")
        self.banks.activated.connect(self._banks)
        self.baro_label = Label("Barometer of the drive", self)
        self.baro = DoubleSpinBox(self)
        self.baro.setRange(*BAROMETERS_KPA)
        self.baro.setDecimals(1)
        self.baro.setSuffix(" kPa")
        self.baro.setAccessibleName("Barometer of the drive")
        self.baro.setToolTip("What a weather station near the drive read, not reduced to sea level")
        self.say_baro = QPushButton("Use it", self)
        self.say_baro.clicked.connect(lambda: session.imports.use_barometer(self.baro.value()))
        self.add = QPushButton("Add to the round", self)
        self.leave = QPushButton("Leave this log out", self)
        self.add.setObjectName("primary")
        self.add.clicked.connect(session.imports.accept)
        self.leave.clicked.connect(session.imports.discard)
        row = QHBoxLayout()
        row.addWidget(self.add)
        row.addWidget(self.leave)
        row.addStretch(1)
        for widget in (self.baro_label, self.baro, self.say_baro):
            row.addWidget(widget)
        row.addWidget(self.banks)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 6, 6)
        layout.addWidget(self.title)
        layout.addWidget(self.questions)
        layout.addWidget(self.table, 1)
        layout.addLayout(row)
        session.imports_changed.connect(self.refresh)
        appearance.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show the log that waits first."""
        pending = self.session.imports.current
        self.table.setRowCount(0)
        if pending is None:
            return
        mapped = pending.opened.mapped
        self.title.setText(f"{pending.path.name}: which column is which?")
        self._ask(pending)
        two = any(len(m.columns) == 2 for m in mapped.matches)
        self.banks.setVisible(two)
        self.banks.setCurrentIndex(("mean", "1", "2").index(pending.choices.banks))
        self._show_barometer(pending)
        if mapped.time_doubt and mapped.time is not None:
            self._time_row(pending)
        asked = {o.role for o in mapped.overlooked}
        missing = sorted(
            missing_roles(pending.opened.log, pending.where.vehicle),
            key=lambda lack: lack.role not in asked,
        )
        for lack in missing:
            if lack.needed or lack.role in asked:
                self._missing_row(pending, lack)
        # Doubts first, then what is least sure: the top rows are what needs an eye.
        ordered = sorted(mapped.matches, key=lambda m: m.confidence)
        for match in [m for m in ordered if m.doubt]:
            self._match_row(pending, match)
        for lack in missing:
            if not lack.needed and lack.role not in asked:
                self._missing_row(pending, lack)
        for match in [m for m in ordered if not m.doubt]:
            self._match_row(pending, match)
        for column in mapped.unused[:MOST_UNUSED]:
            self._row(
                column,
                None,
                mapped.raw.samples.get(column.index, mapped.raw.values.get(column.index)),
                "",
                "",
            )
        self._fit()

    def _ask(self, pending: Pending) -> None:
        doubts = pending.opened.mapped.doubts
        lines = [f"• {line}" for line in (*doubts, *([pending.problem] if pending.problem else []))]
        text = "\n".join(lines[:4]) + (f"\n… and {len(lines) - 4} more" if len(lines) > 4 else "")
        theme = self.appearance.theme
        self.questions.setText(
            text or "Everything is understood. Change what is wrong, or add the log."
        )
        paper, edge = (theme.caution_paper, theme.danger) if lines else (theme.paper, theme.edge)
        self.questions.setStyleSheet(
            f"background: {paper}; border-left: 3px solid {edge}; padding: 4px 8px;"
        )
        self.add.setEnabled(not pending.problem)
        # The button says that the doubts are taken as they are.
        self.add.setText("Add to the round as shown" if doubts else "Add to the round")

    def _show_barometer(self, pending: Pending) -> None:
        """The box for the barometer, where gauge pressure waits for it or was lifted by it."""
        said = pending.choices.baro_kpa
        wanted = bool(said) or any(wants_barometer(m.doubt) for m in pending.opened.mapped.matches)
        for widget in (self.baro_label, self.baro, self.say_baro):
            widget.setVisible(wanted)
        self.baro.setValue(said or STANDARD_BARO_KPA)

    def _match_row(self, pending: Pending, match: Match) -> None:
        log = pending.opened.log
        for column in match.columns:
            self._row(column, match, log[match.role], match.sureness, _why(match))

    def _missing_row(self, pending: Pending, lack: Missing) -> None:
        """A channel nobody found, with the columns that are left to choose from."""
        mapped = pending.opened.mapped
        asked = [c for o in mapped.overlooked if o.role is lack.role for c in o.columns]
        sure = "asks" if asked else "missing"
        row = self._label_row(
            LABELS[lack.role][0], sure, str(lack.cost), bool(asked) or lack.needed
        )
        columns = ComboBox()
        columns.addItem("choose its column", None)
        # What the name could mean comes first, then everything else that was logged.
        named = [c for c in mapped.unused if any(x.role is lack.role for x in candidates(c))]
        likely = [*asked, *(c for c in named if c not in asked)]
        for column in [*likely, *(c for c in mapped.unused if c not in likely)][:MOST_UNUSED]:
            columns.addItem(_head(column), column.name)
        if asked:
            columns.addItem(NOT_LOGGED, NOT_LOGGED)
        columns.setAccessibleName(f"Column of {LABELS[lack.role][0]}")
        columns.activated.connect(lambda _: self._found(columns.currentData(), lack.role))
        self.table.setCellWidget(row, 1, columns)

    def _found(self, name: str | None, role: Role) -> None:
        if name == NOT_LOGGED:
            self.session.imports.say_not_logged(role)
        elif name is not None:
            self.session.imports.choose(name, role)

    def _time_row(self, pending: Pending) -> None:
        """The time of the rows, where it is in doubt."""
        mapped = pending.opened.mapped
        row = self._label_row("Time", "asks", mapped.time_doubt, True)
        columns = ComboBox()
        units = ComboBox()
        for column in mapped.raw.columns[:MOST_UNUSED]:
            columns.addItem(_head(column), column.name)
        assert mapped.time is not None
        columns.setCurrentIndex(max(columns.findData(mapped.time.name), 0))
        for unit in TIME:
            units.addItem(show_unit(unit), unit)
        units.setCurrentIndex(max(units.findData(mapped.time_unit), 0))
        columns.setAccessibleName("Column of the time")
        units.setAccessibleName("Unit of the time")
        columns.activated.connect(lambda _: self.session.imports.choose_time(columns.currentData()))
        units.activated.connect(
            lambda _: self.session.imports.choose_time(columns.currentData(), units.currentData())
        )
        self.table.setCellWidget(row, 1, columns)
        self.table.setCellWidget(row, 2, units)

    def _label_row(self, label: str, sure: str, why: str, urgent: bool) -> int:
        row = self.table.rowCount()
        self.table.insertRow(row)
        for i, text in ((0, label), (1, ""), (3, ""), (5, sure), (6, why)):
            item = QTableWidgetItem(text)
            item.setToolTip(plain_tip(text))
            if urgent:
                item.setForeground(self.appearance.theme.color("danger"))
            self.table.setItem(row, i, item)
        return row

    def _row(
        self, column: Column, match: Match | None, values: Floats | None, sure: str, why: str
    ) -> None:
        row = self.table.rowCount()
        self.table.insertRow(row)
        roles = ComboBox()
        roles.addItem(UNUSED, None)
        for role in Role:
            roles.addItem(LABELS[role][0], str(role))
        roles.setCurrentIndex(0 if match is None else list(Role).index(match.role) + 1)
        roles.setAccessibleName(f"Role of {column.name}")
        units = ComboBox()
        units.setEditable(match is not None)
        units.setEnabled(match is not None)
        units.setAccessibleName(f"Unit of {column.name}")
        if match is not None:
            units.addItems(self._units(match))
            units.setCurrentText(show_unit(match.unit) or LABELS[match.role][1])
        roles.activated.connect(lambda _: self._chosen(column, roles, units, True))
        units.activated.connect(lambda _: self._chosen(column, roles, units, False))
        self.table.setCellWidget(row, 0, roles)
        self.table.setCellWidget(row, 2, units)
        part = sample_of(values) if values is not None else np.array([])
        unit = LABELS[match.role][1] if match is not None else column.unit
        span = (
            # As the values were judged: without the ends, where spikes are.
            f"{span_text(float(np.percentile(part, 1)), float(np.percentile(part, 99)))} {unit}"
            if len(part)
            else "no numbers"
        )
        for i, text in ((1, _head(column)), (3, span), (5, sure), (6, why)):
            item = QTableWidgetItem(text)
            item.setToolTip(plain_tip(text))
            if sure == "asks":
                item.setForeground(self.appearance.theme.color("danger"))
            self.table.setItem(row, i, item)
        self.table.setCellWidget(row, 4, Sparkline(part, self.appearance))

    def _units(self, match: Match) -> list[str]:
        if match.role in (Role.LAMBDA, Role.TARGET):
            return [*mixture_converts(1.0), SCALE_HINT]
        if match.role in (Role.STFT, Role.LTFT, Role.THROTTLE):
            return ["%", *PERCENT_FORMS]
        return [show_unit(u) for u in UNITS.get(match.role, {}) if u] or [
            match.unit or LABELS[match.role][1]
        ]

    def _chosen(self, column: Column, roles: ComboBox, units: ComboBox, role_changed: bool) -> None:
        key = roles.currentData()
        # A unit chosen for another role means nothing for this one.
        unit = "" if role_changed else units.currentText()
        self.session.imports.choose(column.name, Role(key) if key else None, unit)

    def _banks(self, index: int) -> None:
        self.session.imports.use_banks(("mean", "1", "2")[index])  # type: ignore[arg-type]

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Narrower columns in a narrow window, so that the last is read."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        header = self.table.horizontalHeader()
        for i, width in enumerate(NARROW_PX if self.width() < NARROW_BELOW_PX else WIDE_PX):
            self.table.setColumnWidth(i, width)
        header.setSectionResizeMode(len(HEADS) - 1, QHeaderView.ResizeMode.Stretch)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
