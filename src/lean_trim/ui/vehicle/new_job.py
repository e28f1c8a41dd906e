"""The page for a new job: a log if there is one, the car, its tables; where to keep it is asked last."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lean_trim.core.data.guess import guessed_table
from lean_trim.core.data.table_kinds import Holds, airflow_grid, holds_of
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Airflow, OtherAirflow, Vehicle, default_limits
from lean_trim.core.errors import BadInputError, LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.vehicle.car_form import CarForm
from lean_trim.ui.vehicle.layers_panel import ABOUT, LayersPanel
from lean_trim.ui.vehicle.table_panel import TablePanel
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.page import scrolling_column
from lean_trim.ui.widgets.tab_order import tab_in_reading_order
from lean_trim.ui.widgets.turning import Turning
from lean_trim.workspace.changes import Notice
from lean_trim.workspace.tasks import Lane
from lean_trim.workspace.vehicle.draft import VehicleDraft, draft_of, with_told
from lean_trim.workspace.vehicle.fields import Key
from lean_trim.workspace.vehicle.pasting import looks_like_table
from lean_trim.workspace.vehicle.told import Told, read_told


class Say:
    """What the page says."""

    PROBLEM = Message("new_job.problem", "{text}")
    NOT_ADDED = Message(
        "new_job.not_added",
        "The table pasted under Cam or flap is not part of the car yet: add it, or take it away.",
    )
    GUESS = Message(
        "new_job.guess", "A guess: the shape of any engine. Bring the real table if you can."
    )


SECOND = 2
LAYERS = 3
"""Places of the second airflow table, and of those over cam or flap, among the tables."""
SECOND_TIP = (
    "Only of an ECU that changes over between a MAF curve and a VE table: paste the other one here. "
    "Each is then corrected where it was in force"
)
TOLD_NOTHING = (
    "A log tells most of what is asked below, and is added to the job when it is made. Drop it "
    "here, or begin without one."
)
SHEET_SUFFIX = ".json"
UNNAMED = "job"
LEFT_W = 488
"""Width of what is typed, so that both sides fit a window of 1100."""
USUAL_BOOST_KPA = 100.0
"""Highest row of a guessed table where no log tells of boost."""


class NewJobPage(QWidget):
    """Gathers a vehicle. ``wanted`` asks for a job: the vehicle, and the log it was begun with or None."""

    wanted = Signal(object, object)
    left = Signal()

    def __init__(
        self,
        session: Session,
        appearance: Appearance,
        choose_log: Callable[[], Path | None],
        choose_table: Callable[[], Path | None],
        choose_sheet: Callable[[], Path | None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.choose_log = choose_log
        self.choose_sheet = choose_sheet
        self.draft = VehicleDraft()
        self.car = CarForm(appearance)
        self.airflow = TablePanel("ve", appearance, choose_table)
        self.target = TablePanel("target", appearance, choose_table)
        self.second = TablePanel("maf", appearance, choose_table)
        self.layers = LayersPanel(appearance, choose_table)
        self.car.name.setPlaceholderText("as the job's file")
        self.car.name.setToolTip("Left empty, the car is called as the file the job is kept in")
        self._make_log()
        self._make_end()
        self.tables = Turning(
            (
                ("Airflow table", self.airflow),
                ("Target λ", self.target),
                ("Second airflow table", self.second),
                ("Cam or flap", self.layers),
            )
        )
        self.tables.buttons.button(SECOND).setToolTip(plain_tip(SECOND_TIP))
        self.tables.buttons.button(LAYERS).setToolTip(plain_tip(ABOUT))
        left = scrolling_column([self.log_box, self.car])
        left.setFixedWidth(LEFT_W)
        middle = QHBoxLayout()
        middle.setSpacing(14)
        middle.addWidget(left)
        middle.addWidget(self.tables, 1)
        layout = QVBoxLayout(self)
        # Below there is room for a message, which is not to cover what makes the job.
        layout.setContentsMargins(16, 8, 16, 44)
        layout.addLayout(self._head())
        layout.addLayout(middle, 1)
        layout.addLayout(self._end())
        self._connect()
        self.show_draft(self.draft)

    def _connect(self) -> None:
        self.car.edited.connect(self.show_draft)
        self.airflow.changed.connect(lambda _: self._table_changed())
        self.target.changed.connect(lambda _: self._table_changed())
        self.second.changed.connect(lambda _: self._table_changed())
        self.layers.changed.connect(self._table_changed)
        self.airflow.other_kind.connect(self._other_kind)
        # What was folded away, or asked for anew, takes its place among the rest.
        self.car.more.mark.clicked.connect(self._order_tabs)
        self.tables.buttons.idClicked.connect(lambda _: self._order_tabs())
        self.airflow.guess.clicked.connect(lambda: self._guess(self.airflow))
        self.second.guess.clicked.connect(lambda: self._guess(self.second))
        self.target.flat.clicked.connect(self._flat)
        self.appearance.changed.connect(lambda: self.show_draft(self.draft))

    def _make_log(self) -> None:
        self.log_box = QWidget(self)
        self.log_button = QPushButton("Begin with a log…", self)
        self.log_button.clicked.connect(self._choose_log)
        self.sheet_button = QPushButton("Open a vehicle sheet…", self)
        self.sheet_button.setToolTip("A vehicle.json with its tables fills everything in")
        self.sheet_button.clicked.connect(self._choose_sheet)
        self.short = Label(self)
        self.short.setWordWrap(True)
        self.short.setFont(font(9.5, bold=True))
        self.told = Label(TOLD_NOTHING, self)
        self.told.setWordWrap(True)
        self.told.setFont(font(9))
        row = QHBoxLayout()
        row.addWidget(self.log_button)
        row.addWidget(self.sheet_button)
        row.addStretch(1)
        layout = QVBoxLayout(self.log_box)
        layout.setContentsMargins(0, 0, 6, 6)
        layout.addLayout(row)
        layout.addWidget(self.short)
        layout.addWidget(self.told)

    def _head(self) -> QHBoxLayout:
        title = Label("New job", self)
        title.setFont(font(15, bold=True))
        self.back = QPushButton("Back", self)
        self.back.setToolTip("What is typed here stays until the program ends")
        self.back.clicked.connect(self.left)
        self.afresh = QPushButton("Begin afresh", self)
        self.afresh.clicked.connect(self.begin)
        row = QHBoxLayout()
        row.addWidget(title)
        row.addStretch(1)
        row.addWidget(self.afresh)
        row.addWidget(self.back)
        return row

    def _make_end(self) -> None:
        self.lacks = Label(self)
        self.lacks.setWordWrap(True)
        self.make = QPushButton("Keep the job…", self)
        self.make.setObjectName("primary")
        self.make.setMinimumHeight(32)
        self.make.setToolTip("Asks where the job file goes; everything is saved there from then on")
        self.make.clicked.connect(self._make)

    def _end(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(self.lacks, 1)
        row.addWidget(self.make)
        return row

    def begin(self) -> None:
        """Forget what was typed."""
        self.car.more.unfold(False)
        self.airflow.take_away()
        self.target.take_away()
        self.second.take_away()
        self.layers.take_away()
        self.show_draft(VehicleDraft())

    def show_draft(self, draft: VehicleDraft) -> None:
        """Stand as a draft says."""
        self.draft = draft
        self.airflow.show_kind(draft.airflow)
        self.second.show_kind(_other_of(draft.airflow))
        if not draft.problem(Key.STOICH):
            self.target.scale_by(draft.number(Key.STOICH))
        self.car.show_draft(draft)
        told = draft.told
        self.log_button.setText("Another log…" if told.path is not None else "Begin with a log…")
        self._show_told(told)
        self.lacks.setText(self._lacks(draft))
        theme = self.appearance.theme
        alarm = bool(draft.wrong or (_named(draft).is_ready and told.lacks))
        self.lacks.setStyleSheet(f"color: {theme.danger if alarm else theme.ink};")
        self.make.setEnabled(_named(draft).is_ready)

    def _show_told(self, told: Told) -> None:
        """What the log lacks before what it tells."""
        theme = self.appearance.theme
        name = told.path.name if told.path is not None else ""
        self.short.setText(f"{name}: {'; '.join(told.lacks)}." if told.lacks else "")
        self.short.setVisible(bool(told.lacks))
        self.short.setStyleSheet(
            f"color: {theme.danger}; background: {theme.caution_paper}; padding: 4px 6px;"
        )
        lines = "\n".join(f"·  {line}" for line in told.lines)
        self.told.setText(f"{name} tells:\n{lines}" if name else TOLD_NOTHING)

    def showEvent(self, event: QShowEvent) -> None:
        """Tab goes as the page is read."""
        super().showEvent(event)
        self._order_tabs()

    def _order_tabs(self) -> None:
        parts = (self.afresh, self.back, self.log_box, self.car, self.tables, self.make)
        tab_in_reading_order(self, parts)

    def _lacks(self, draft: VehicleDraft) -> str:
        draft = _named(draft)
        if draft.wrong:
            return draft.wrong[0]
        if draft.missing:
            return f"Still needed: {', '.join(draft.missing)}."
        if draft.told.lacks and draft.told.path is not None:
            return (
                f"The car is complete, but {draft.told.path.name} will not do: "
                f"{'; '.join(draft.told.lacks)}."
            )
        what = (
            f"with {draft.told.path.name}"
            if draft.told.path is not None
            else "; logs can be added then"
        )
        name = self.draft.name.strip() or "The job"
        return f"Everything needed is there. {name} can be kept {what}.".replace(" ;", ";")

    def _table_changed(self) -> None:
        self._order_tabs()
        # A table may come after the model was chosen, and before; it has to be of that model in the
        # end.
        self.show_draft(
            replace(
                self.draft,
                table=self.airflow.table,
                target=self.target.table,
                form=self.airflow.form,
                other=self._second_table(),
                layered=self.layers.layered,
            )
        )

    def _second_table(self) -> OtherAirflow | None:
        """The other table of an ECU that changes over between two; None where none was pasted."""
        table = self.second.table
        if table is None:
            return None
        kind = _other_of(self.draft.airflow)
        known = self.draft.other
        # Limits of a sheet it began with stay.
        limits = (
            known.limits
            if known is not None and known.airflow == kind
            else default_limits(kind, holds_of(table) or Holds.VE)
        )
        return OtherAirflow(airflow=kind, table=table, limits=limits)

    def _other_kind(self, kind: str) -> None:
        """The paste shows which airflow model it is."""
        self.show_draft(replace(self.draft, airflow="maf" if kind == "maf" else "ve", table=None))

    def paste_table(self) -> None:
        """Into the table that is shown, wherever the focus is."""
        shown = self.tables.stack.currentWidget()
        if isinstance(shown, TablePanel | LayersPanel):
            shown.paste_table()

    def _guess(self, panel: TablePanel) -> None:
        draft = self.draft
        rpm = draft.number_or_none(Key.REDLINE) or draft.told.highest_rpm or 7000.0
        kpa = max(USUAL_BOOST_KPA, float(np.ceil(draft.told.highest_kpa / 10.0) * 10.0))
        panel.show_table(guessed_table(rpm, kpa), str(Say.GUESS()))

    def _flat(self) -> None:
        rpm = [500.0, 8000.0]
        kpa = [20.0, 300.0]
        shape = airflow_grid(rpm, kpa, np.full((2, 2), 80.0))
        self.target.show_table(Table(shape.axes, np.ones((2, 2)), "λ", "target lambda"))

    def _choose_log(self) -> None:
        path = self.choose_log()
        if path is not None:
            self.take_log(path)

    def take_file(self, path: Path) -> None:
        """Take a file that was dropped for what it is: a vehicle sheet, a table, or else a log."""
        if path.suffix.lower() == SHEET_SUFFIX:
            self.take_sheet(path)
        elif looks_like_table(path):
            shown = self.tables.stack.currentWidget()
            assert isinstance(shown, TablePanel)
            shown.take_file(path)
        else:
            self.take_log(path)

    def take_log(self, path: Path) -> None:
        """Read what a log tells, in the background."""

        def done(told: Told) -> None:
            self.show_draft(with_told(self.draft, told))

        self.session.tasks.start(
            Lane.READING, "Reading the log", lambda report: read_told(path, report), done
        )

    def _choose_sheet(self) -> None:
        path = self.choose_sheet()
        if path is not None:
            self.take_sheet(path)

    def take_sheet(self, path: Path) -> None:
        """Fill everything in from a vehicle sheet."""
        from lean_trim.formats.vehicle_sheet import read_vehicle

        try:
            vehicle, warnings = read_vehicle(path)
        except LeanTrimError as error:
            self.session.noticed.emit(Notice("error", Say.PROBLEM(text=str(error))))
            return
        for line in warnings:
            self.session.note(Say.PROBLEM(text=line))
        self.fill_from(vehicle)

    def fill_from(self, vehicle: Vehicle) -> None:
        """Fill everything in from a vehicle."""
        draft = replace(draft_of(vehicle), told=self.draft.told)
        self.draft = draft
        self.airflow.show_kind(draft.airflow)
        self.airflow.show_table(vehicle.table)
        if vehicle.target is not None:
            self.target.show_table(vehicle.target)
        self.second.show_kind(_other_of(draft.airflow))
        if vehicle.other is not None:
            self.second.show_table(vehicle.other.table)
        self.layers.show_layered(vehicle.layered)
        self.show_draft(replace(draft, table=vehicle.table, target=vehicle.target))

    def _make(self) -> None:
        if self.layers.panel.table is not None:
            self.tables.turn_to(LAYERS)
            self.session.noticed.emit(Notice("error", Say.NOT_ADDED()))
            return
        try:
            vehicle = replace(_named(self.draft).vehicle(), name=self.draft.name.strip())
            # Of two tables the curve is put right first.
            vehicle = vehicle.seen_by("maf")
        except BadInputError as error:
            self.session.noticed.emit(Notice("error", Say.PROBLEM(text=str(error))))
            return
        self.wanted.emit(vehicle, self.draft.told.path)


def _other_of(airflow: Airflow) -> Airflow:
    """What a second airflow table would be."""
    return "ve" if airflow == "maf" else "maf"


def _named(draft: VehicleDraft) -> VehicleDraft:
    """The draft with a name for now: one that was not typed follows from the job's file."""
    return draft if draft.name.strip() else replace(draft, name=UNNAMED)
