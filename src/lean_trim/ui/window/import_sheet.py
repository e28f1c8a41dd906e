"""The import sheet: which column is which channel, in which unit, with range, shape, doubts and proofs.

What is missing and what is doubted comes first, with the best candidates in place. Rows keep their place
while the log is asked about; it is read again beside them.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QScrollArea,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.channels import Role
from lean_trim.formats.decode.columns import Column
from lean_trim.formats.meaning.missing import Missing, missing_roles
from lean_trim.formats.meaning.pressure import BAROMETERS_KPA, STANDARD_BARO_KPA, wants_barometer
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.choice_button import ChoiceButton, Entry
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.wheel_safe import DoubleSpinBox
from lean_trim.ui.window.import_rows import (
    CHANNEL,
    COLUMN,
    MOST_UNUSED,
    ColumnRow,
    MissingRow,
    Place,
    TimeRow,
)
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
WIDE_PX = (146, 180, 104, 138, 84, 62)
NARROW_PX = (138, 146, 84, 136, 50, 56)
NARROW_BELOW_PX = 1000
"""Widths of all columns but the last, which takes the rest, and of the sheet below which they are
narrow."""
QUESTIONS_PX = (58, 132)
"""Heights the questions may take: the rows below do not move when one is answered."""
BANKS = {"mean": "mean of two banks", "1": "bank 1", "2": "bank 2"}


class ImportSheet(QWidget):
    """Shows the log that waits; every answer reads it again."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.answers = session.imports.answers
        self.columns: dict[int, ColumnRow] = {}
        self.missing: dict[Role, MissingRow] = {}
        self.time: TimeRow | None = None
        self._shown: tuple[object, ...] = ()
        self.title = Label(self)
        self.title.setFont(font(12, bold=True))
        self.questions = Label(self)
        self.questions.setFont(font(9.5))
        self.questions.setWordWrap(True)
        self.questions.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self.asked = QScrollArea(self)
        self.asked.setWidget(self.questions)
        self.asked.setWidgetResizable(True)
        self.asked.setFrameShape(QFrame.Shape.NoFrame)
        self.asked.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table = self._make_table()
        self._make_foot()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 6, 6)
        layout.addWidget(self.title)
        layout.addWidget(self.asked)
        layout.addWidget(self.table, 1)
        layout.addLayout(self._foot())
        session.imports_changed.connect(self.refresh)
        session.work_changed.connect(self._allow)
        appearance.changed.connect(self.refresh)

    def _make_table(self) -> QTableWidget:
        table = QTableWidget(0, len(HEADS), self)
        table.setHorizontalHeaderLabels(HEADS)
        table.verticalHeader().hide()
        table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setShowGrid(False)
        # Tab has to lead through the fields and out again.
        table.setTabKeyNavigation(False)
        table.setAccessibleName("Columns of the log")
        return table

    def _make_foot(self) -> None:
        self.banks = ChoiceButton(lambda: [Entry(text, key) for key, text in BANKS.items()])
        self.banks.setAccessibleName("Two banks")
        self.banks.chosen.connect(self.answers.use_banks)
        self.baro_label = Label("Barometer of the drive", self)
        self.baro = DoubleSpinBox(self)
        self.baro.setRange(*BAROMETERS_KPA)
        self.baro.setDecimals(1)
        self.baro.setSuffix(" kPa")
        self.baro.setAccessibleName("Barometer of the drive")
        self.baro.setToolTip("What a weather station near the drive read, not reduced to sea level")
        self.say_baro = QPushButton("Use it", self)
        self.say_baro.clicked.connect(lambda: self.answers.use_barometer(self.baro.value()))
        self.add = QPushButton("Add to the round", self)
        self.leave = QPushButton("Leave this log out", self)
        self.add.setObjectName("primary")
        self.add.clicked.connect(self.session.imports.accept)
        self.leave.clicked.connect(self.session.imports.discard)

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(self.add)
        row.addWidget(self.leave)
        row.addStretch(1)
        for widget in (self.baro_label, self.baro, self.say_baro, self.banks):
            row.addWidget(widget)
        return row

    def refresh(self) -> None:
        """Show the log that waits first, in rows that stay where they are."""
        pending = self.session.imports.current
        shown = () if pending is None else (pending.path, pending.sheet, id(pending.where))
        fresh = shown != self._shown
        self._shown = shown
        if fresh:
            self._clear()
        if pending is None:
            return
        self._allow()
        if self.answers.is_reading and not fresh:
            # What was chosen stays in its field until the log has been read with it.
            return
        mapped = pending.opened.mapped
        grows = pending.grows
        self.title.setText(
            "Before the start: which channel is which?"
            if grows
            else f"{pending.path.name}: which column is which?"
        )
        self.leave.setText("Answer later" if grows else "Leave this log out")
        self._ask(pending, fresh)
        self.banks.setVisible(any(len(m.columns) == 2 for m in mapped.matches))
        self.banks.show_choice(BANKS[pending.choices.banks], pending.choices.banks)
        self._show_barometer(pending)
        self._lay_out(pending)
        self._show_rows(pending)
        if fresh:
            self.table.scrollToTop()
            self._fit()
            self._begin_at_the_first()

    def _begin_at_the_first(self) -> None:
        """The keyboard begins at what is asked first; elsewhere a key might leave the log out."""
        fields = (self.table.cellWidget(0, column) for column in (CHANNEL, COLUMN))
        first = next((field for field in fields if field is not None), None)
        if first is not None:
            first.setFocus(Qt.FocusReason.OtherFocusReason)

    def _clear(self) -> None:
        self.table.setRowCount(0)
        self.columns = {}
        self.missing = {}
        self.time = None

    def _lay_out(self, pending: Pending) -> None:
        """Make the rows that are not there yet, what needs an eye first."""
        mapped = pending.opened.mapped
        if mapped.time_doubt and mapped.time is not None and self.time is None:
            self.time = TimeRow(self._place())
        asked = {o.role for o in mapped.overlooked}
        lacks = sorted(self._lacks(pending), key=lambda lack: lack.role not in asked)
        # Doubts first, then what is least sure.
        ordered = sorted(mapped.matches, key=lambda m: m.confidence)
        for lack in lacks:
            if lack.needed or lack.role in asked:
                self._missing_row(lack.role)
        for match in [m for m in ordered if m.doubt]:
            self._column_rows(match.columns)
        for lack in lacks:
            self._missing_row(lack.role)
        for match in ordered:
            self._column_rows(match.columns)
        self._column_rows(mapped.unused[:MOST_UNUSED])

    def _lacks(self, pending: Pending) -> tuple[Missing, ...]:
        return missing_roles(pending.opened.log, pending.where.vehicle)

    def _place(self) -> Place:
        row = self.table.rowCount()
        self.table.insertRow(row)
        return Place(self.table, row, self.appearance, self.answers)

    def _missing_row(self, role: Role) -> None:
        if role not in self.missing:
            self.missing[role] = MissingRow(self._place(), role)

    def _column_rows(self, columns: tuple[Column, ...]) -> None:
        for column in columns:
            if column.index not in self.columns:
                self.columns[column.index] = ColumnRow(self._place(), column)

    def _show_rows(self, pending: Pending) -> None:
        lacks = {lack.role: lack for lack in self._lacks(pending)}
        if self.time is not None:
            self.time.show(pending)
        for role, row in self.missing.items():
            row.show(pending, lacks.get(role))
        for column_row in self.columns.values():
            column_row.show(pending)

    def _ask(self, pending: Pending, fresh: bool) -> None:
        doubts = pending.opened.mapped.doubts
        problem = [pending.problem] if pending.problem else []
        # What keeps the log out comes first.
        lines = [f"• {line}" for line in (*problem, *doubts)]
        theme = self.appearance.theme
        act = "keep the answers" if pending.grows else "add the log"
        self.questions.setText(
            "\n".join(lines) or f"Everything is understood. Change what is wrong, or {act}."
        )
        paper, edge = (theme.caution_paper, theme.danger) if lines else (theme.paper, theme.edge)
        self.questions.setStyleSheet(
            f"background: {paper}; border-left: 3px solid {edge}; padding: 4px 8px;"
        )
        if fresh:
            self._fit_questions()
        # The button says that the doubts are taken as they are.
        add = "Keep the answers" if pending.grows else "Add to the round"
        self.add.setText(f"{add} as shown" if doubts else add)

    def _fit_questions(self) -> None:
        """As high as the questions need when the log is first shown; more are scrolled to."""
        least, most = QUESTIONS_PX
        width = max(self.asked.width() - 12, 200)
        self.asked.setFixedHeight(min(max(self.questions.heightForWidth(width), least), most))

    def _allow(self) -> None:
        """The log can be added once it is shown as it would be added."""
        pending = self.session.imports.current
        reading = self.answers.is_reading
        self.add.setEnabled(pending is not None and not pending.blocked and not reading)
        self.add.setToolTip(plain_tip("Your last answer is being worked in" if reading else ""))

    def _show_barometer(self, pending: Pending) -> None:
        """The box for the barometer, where gauge pressure waits for it or was lifted by it."""
        said = pending.choices.baro_kpa
        wanted = bool(said) or any(wants_barometer(m.doubt) for m in pending.opened.mapped.matches)
        for widget in (self.baro_label, self.baro, self.say_baro):
            widget.setVisible(wanted)
        # What is typed while the log is read again stays.
        if not self.baro.hasFocus():
            self.baro.setValue(said or STANDARD_BARO_KPA)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Narrower columns in a narrow window, so that the last is read."""
        super().resizeEvent(event)
        self._fit()
        self._fit_questions()

    def _fit(self) -> None:
        header = self.table.horizontalHeader()
        for i, width in enumerate(NARROW_PX if self.width() < NARROW_BELOW_PX else WIDE_PX):
            self.table.setColumnWidth(i, width)
        header.setSectionResizeMode(len(HEADS) - 1, QHeaderView.ResizeMode.Stretch)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
