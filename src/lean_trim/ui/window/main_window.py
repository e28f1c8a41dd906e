"""The main window: rail, table, inspector, tape, and the commands that tie them together."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QProgressBar,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.errors import LeanTrimError
from lean_trim.core.explore.linking import visits_of_cells
from lean_trim.job.store import SUFFIX, JobStore
from lean_trim.ui.session import Session
from lean_trim.ui.table.balance_table import BalanceTable
from lean_trim.ui.table.decision_bar import DecisionBar
from lean_trim.ui.table.table_header import Legend, TableHeader
from lean_trim.ui.tape.tape import Tape
from lean_trim.ui.tape.tape_bar import TapeBar
from lean_trim.ui.theme import LIGHT, NIGHT, Appearance, font
from lean_trim.ui.window.actions import build_actions
from lean_trim.ui.window.dialogs import Dialogs
from lean_trim.ui.window.finder import Finder
from lean_trim.ui.window.import_sheet import ImportSheet
from lean_trim.ui.window.message_bar import AccessBanner, MessageBar
from lean_trim.ui.window.recent import Recent
from lean_trim.ui.window.round_rail import RoundRail
from lean_trim.ui.window.side import Side
from lean_trim.ui.window.start_page import StartPage
from lean_trim.workspace.changes import Notice, Remedy

SIDES = ("side_evidence", "side_sieve", "side_estimate", "side_logs", "side_writing")


class MainWindow(QMainWindow):
    """Shows one job. ``data_folder`` is where the demo job lives."""

    def __init__(self, session: Session, appearance: Appearance, data_folder: Path) -> None:
        super().__init__()
        self.session, self.appearance, self.data_folder = session, appearance, data_folder
        self.setWindowTitle("Lean Trim")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self.ask = Dialogs(self)
        self.actions_ = build_actions(self, self._handlers())
        self.recent = Recent(data_folder)
        self.recent_menu = QMenu("Open a recent job", self)
        self.menuBar().actions()[0].menu().insertMenu(self.actions_["close_job"], self.recent_menu)  # type: ignore[attr-defined]
        self._fill_recent()
        self._build()
        self._connect()
        self._job_changed()

    def _handlers(self) -> dict[str, Callable[..., object]]:
        session, ask = self.session, self.ask
        return {
            "demo": self.open_demo,
            "demo_fresh": lambda: self.open_demo(fresh=True),
            "new_job": ask.new_job,
            "open_job": ask.open_job,
            "save_elsewhere": ask.save_elsewhere,
            "close_job": self.close_job,
            "quit": self.close,
            "add_logs": ask.add_logs,
            "look_logs": lambda: ask.add_logs(look=True),
            "mark": lambda: self.tape_bar.mark(),
            "next_event": lambda: self.tape_bar.go(True),
            "previous_event": lambda: self.tape_bar.go(False),
            "drive": session.rounds.drive,
            "begin_round": session.rounds.begin_round,
            "solve": session.solver.solve,
            "judge": session.solver.judge_anew,
            "cancel": session.cancel,
            "undo": session.action("undo"),
            "redo": session.action("redo"),
            "accept": lambda: session.deciding.accept(session.selection.cells or None),
            "put_back": lambda: session.deciding.put_back(session.selection.cells or None),
            "pin": lambda: session.deciding.pin(session.selection.cells),
            "select_all": self._select_all,
            "hand_over": ask.hand_over,
            "copy": ask.copy_table,
            "copy_cells": lambda: ask.copy_table(axes=False),
            "leave_out": self._leave_out,
            "show_all": lambda: self.tape.show_all(),
            "zoom_chosen": self._zoom_chosen,
            **{name: partial(self._show_side, i) for i, name in enumerate(SIDES)},
            "night": lambda on: self.appearance.use(NIGHT if on else LIGHT),
            "truth": self._show_truth,
            "find": self._find,
        }

    def _build(self) -> None:
        session, appearance = self.session, self.appearance
        self.rail = RoundRail(session, appearance)
        self.header = TableHeader(session, appearance)
        self.table = BalanceTable(session, appearance)
        self.legend = Legend(session, appearance, lambda: self.table.view.scale_pct if self.table.view else 0.0)
        self.bar = DecisionBar(session, appearance, self.actions_)
        self.side = Side(session, appearance)
        self.inspector = self.side.inspector
        self.tape = Tape(session, appearance)
        self.messages = MessageBar(appearance)
        self.banner = AccessBanner(appearance)
        self.tape_bar = TapeBar(session, self.tape)
        self.import_sheet = ImportSheet(session, appearance)
        self.middle = QStackedWidget()
        self.middle.addWidget(_column(self.header, self.table, self.legend, self.bar))
        self.middle.addWidget(self.import_sheet)
        top = QWidget()
        row = QHBoxLayout(top)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        for widget, stretch in ((self.rail, 0), (self.middle, 1), (self.side, 0)):
            row.addWidget(widget, stretch)
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.splitter.addWidget(top)
        self.splitter.addWidget(_column(self.tape_bar, self.tape))
        self.splitter.setSizes([516, 222])
        self.splitter.setChildrenCollapsible(False)
        self.start_page = StartPage(self.actions_)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.start_page)
        self.pages.addWidget(self.splitter)
        self.setCentralWidget(_column(self.banner, self.messages, self.pages))
        self._build_status()

    def _build_status(self) -> None:
        self.hover = QLabel()
        self.hover.setFont(font(9))
        self.progress = QProgressBar()
        self.progress.setFixedWidth(230)
        self.progress.setRange(0, 1000)
        self.cancel_button = QPushButton("Cancel")
        self.cancel_button.clicked.connect(self.session.cancel)
        status = self.statusBar()
        status.setSizeGripEnabled(False)
        status.addWidget(self.hover, 1)
        status.addPermanentWidget(self.progress)
        status.addPermanentWidget(self.cancel_button)
        self.progress.hide()
        self.cancel_button.hide()

    def _connect(self) -> None:
        session = self.session
        session.noticed.connect(self._notice)
        session.access_changed.connect(self.banner.show_access)
        for bar in (self.banner, self.messages):
            bar.remedy.connect(self._help)
        session.job_changed.connect(self._job_changed)
        session.busy.connect(self._busy)
        session.idle.connect(self._idle)
        session.imports_changed.connect(self._import_changed)
        self.header.figure_chosen.connect(self.table.show_figure)
        self.table.typed.connect(self.bar.begin_typing)
        self.table.hovered.connect(self.hover.setText)
        self.tape.hovered.connect(self.hover.setText)
        self.side.look.connect(self.tape.look_at)

    def _job_changed(self) -> None:
        job = self.session.job
        self.pages.setCurrentIndex(0 if job is None else 1)
        self.setWindowTitle(f"{job.vehicle.name} – Lean Trim" if job else "Lean Trim")
        for name in (
            "close_job",
            "save_elsewhere",
            "judge",
            "add_logs",
            "begin_round",
            "solve",
            "look_logs",
            "mark",
            "next_event",
            "previous_event",
            "accept",
            "put_back",
            "pin",
            "hand_over",
            "copy",
            "copy_cells",
            "leave_out",
            "show_all",
            "zoom_chosen",
            "select_all",
        ):
            self.actions_[name].setEnabled(job is not None)
        for name in ("drive", "truth"):
            self.actions_[name].setEnabled(job is not None and bool(job.car))

    def _import_changed(self) -> None:
        waits = self.session.imports.current is not None
        self.middle.setCurrentIndex(1 if waits else 0)
        self.side.setVisible(not waits)

    def _busy(self, title: str, share: float) -> None:
        if share == 0.0 and self.messages.kind == "error":
            self.messages.hide()
        self.progress.setFormat(f"{title}  %p %")
        self.progress.setValue(round(1000 * share))
        self.progress.show()
        self.cancel_button.show()

    def _notice(self, notice: Notice) -> None:
        self.messages.show_message(notice.kind, notice.text, notice.remedies)

    def _help(self, remedy: str) -> None:
        """Do what a message offered."""
        self.messages.hide()
        if remedy == Remedy.SAVE_ELSEWHERE:
            self.ask.save_elsewhere()
        else:
            self.session.workspace.take_over()

    def _idle(self) -> None:
        self.progress.hide()
        self.cancel_button.hide()

    def open_demo(self, fresh: bool = False) -> None:
        """Open the demo job; the first time, drive it at once."""
        from lean_trim.workspace.demo import demo_path

        self.session.close_job()
        self._try(lambda: self.session.open_path(demo_path(self.data_folder, fresh), self._first_drive))

    def _first_drive(self) -> None:
        if self.session.round is not None and not self.session.round.logs:
            self.session.rounds.drive()

    def open_job(self, path: Path) -> None:
        """Open a job file."""
        self._try(lambda: self.session.open_path(path, lambda: self._opened(path)))

    def _opened(self, path: Path) -> None:
        self.recent.add(path)
        self._fill_recent()

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for path in self.recent.paths():
            self.recent_menu.addAction(str(path)).triggered.connect(lambda _=False, p=path: self.open_job(p))
        self.recent_menu.setEnabled(bool(self.recent.paths()))

    def new_job(self, sheet: Path, path: Path) -> None:
        """Make a job file from a vehicle sheet and open it."""
        from lean_trim.formats.vehicle_sheet import read_vehicle

        def make() -> None:
            vehicle, warnings = read_vehicle(sheet)
            JobStore.create(path, vehicle).close()
            self.session.open_path(path, lambda: self._opened(path))
            for line in warnings:
                self.messages.show_message("note", line)

        self._try(make)

    def close_job(self) -> None:
        """Back to the start page."""
        self.session.close_job()

    def _try(self, action: Callable[[], object]) -> None:
        try:
            self.messages.hide()
            action()
        except (LeanTrimError, OSError) as error:
            self.messages.show_message("error", str(error))

    def _select_all(self) -> None:
        if self.session.round is not None:
            self.session.selection.set_cells(frozenset(range(self.session.round.table.size)))

    def _leave_out(self) -> None:
        span = self.session.selection.span
        if span is None:
            self.messages.show_message("note", "Drag along the tape first to choose a stretch.")
        else:
            self.session.deciding.leave_out(*span)

    def _zoom_chosen(self) -> None:
        selection, solution = self.session.selection, self.session.solution
        if selection.span is not None:
            self.tape.look_at(*selection.span)
        elif selection.cells and solution is not None and (visits := visits_of_cells(solution, selection.cells)):
            longest = visits[int(np.argmax([v.seconds for v in visits]))]
            self.tape.look_at(longest.start_s - 3, longest.end_s + 3)

    def _show_truth(self, on: bool) -> None:
        self.header.show_truth = on
        self.header.refresh()

    def _show_side(self, index: int) -> None:
        self.side.show_page(index)

    def _find(self) -> None:
        Finder(list(self.actions_.values()), self).exec()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()]
        jobs = [p for p in paths if p.suffix == SUFFIX]
        if jobs:
            self.open_job(jobs[0])
        elif paths:
            self.session.imports.add(paths)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.session.close_job()
        super().closeEvent(event)


def _column(*widgets: QWidget) -> QWidget:
    holder = QWidget()
    layout = QVBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(2)
    for widget in widgets:
        stretch = 1 if isinstance(widget, BalanceTable | QStackedWidget | Tape) else 0
        layout.addWidget(widget, stretch)
    return holder
