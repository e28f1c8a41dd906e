"""The main window: rail, desks, margin and tape, and what ties them together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.explore.adding_up import visits_of_cells
from lean_trim.core.messages import Message
from lean_trim.diagnostics import logbook
from lean_trim.features.feature import Feature, desks_of, pages_of
from lean_trim.job.records import SWAP
from lean_trim.job.store import SUFFIX
from lean_trim.ui.session import Session
from lean_trim.ui.specs import Command, Desk, DeskSpec, Needs
from lean_trim.ui.tape.tape import Tape
from lean_trim.ui.tape.tape_bar import TapeBar
from lean_trim.ui.theme import LIGHT, NIGHT, Appearance
from lean_trim.ui.widgets.focus_ring import FocusRing
from lean_trim.ui.widgets.log_menu import fill_logs_menu
from lean_trim.ui.widgets.shown_stack import ShownStack
from lean_trim.ui.window.actions import (
    build_actions,
    desk_commands,
    in_order,
    output_commands,
    page_commands,
    put_below,
)
from lean_trim.ui.window.confirm_strip import ConfirmStrip
from lean_trim.ui.window.dialogs import Dialogs
from lean_trim.ui.window.finding import find_in
from lean_trim.ui.window.margin import Margin
from lean_trim.ui.window.message_bar import AccessBanner, MessageBar
from lean_trim.ui.window.opening import Opening
from lean_trim.ui.window.over_desk import OverDesk
from lean_trim.ui.window.pasting import paste_into
from lean_trim.ui.window.preferences import Preferences, first_size
from lean_trim.ui.window.round_rail import RoundRail
from lean_trim.ui.window.start_page import StartPage
from lean_trim.ui.window.status import Status
from lean_trim.ui.window.tape_fold import TapeFold
from lean_trim.ui.window.units_menu import UnitsMenu
from lean_trim.workspace.changes import Notice, Remedy

if TYPE_CHECKING:
    from lean_trim.ui.vehicle.new_job import NewJobPage
    from lean_trim.ui.window.look_page import LookPage

DESK_SHARE = 554
TAPE_SHARE = 186
TAPE_MENU = (
    *("leave_out", "mark", "zoom_chosen", "show_all", "next_event", "previous_event"),
    *("play", "fold_tape", "copy_picture", "copy_numbers", "save_picture"),
)
RAIL_MENU = ("go_back", "judge", "swap", "begin_round", "hand_over", "drive", "narrow_rail")
"""Commands that a right click on the tape and on the rail offers."""
REMEMBERED = ("night", "shut_margin", "narrow_rail")
"""Switches that stand as they were left."""
"""Heights the desk and the tape begin with, px."""
ROOM_AROUND_S = 3.0
"""Seconds shown on either side of a stretch that is zoomed to."""
DBC_SUFFIX = ".dbc"


class Say:
    """What the window says."""

    UNEXPECTED = Message(
        "window.unexpected",
        "Something unexpected went wrong ({what}). What was saved is safe. “Save a report for "
        "support…” in the Job menu holds the details.",
    )
    CHOOSE_STRETCH = Message(
        "window.choose_stretch",
        "Drag along the tape first to choose a stretch, or click a visit on the Evidence page.",
    )
    NO_TABLE_HERE = Message(
        "window.no_table_here",
        "Click the table it is for first; nothing that is shown here takes a table by itself.",
    )


class MainWindow(QMainWindow):
    """Shows one job. ``data_folder`` is where the demo job and the window's memory live.

    ``features`` bring desks, pages, commands and files to write; the window knows none of them.
    """

    escaped = Signal(str)

    def __init__(
        self,
        session: Session,
        appearance: Appearance,
        data_folder: Path,
        features: Sequence[Feature],
    ) -> None:
        super().__init__()
        self.features = tuple(features)
        self.desk_specs = desks_of(features)
        self.page_specs = pages_of(features)
        self.session = session
        self.appearance = appearance
        self.data_folder = data_folder
        self.preferences = Preferences(data_folder)
        self.setWindowTitle("Lean Trim")
        self.setAcceptDrops(True)
        self.ask = Dialogs(self)
        self.recent_menu = QMenu("Open a recent job", self)
        self.opening = Opening(session, data_folder, self.recent_menu)
        self.commands = self._commands()
        self.actions_, menus = build_actions(self, self.commands, self._handlers())
        put_below(menus["Job"], self.actions_["open_job"], self.recent_menu)
        self.logs_menu = QMenu("Logs of this round", self)
        self.logs_menu.aboutToShow.connect(
            lambda: fill_logs_menu(self.logs_menu, session, self.ask.replace_log)
        )
        menus["Round"].insertMenu(self.actions_["drive"], self.logs_menu)
        self.units_menu = UnitsMenu(appearance.units, self.preferences, self)
        menus["View"].insertMenu(self.actions_["help"], self.units_menu)
        self._build()
        self._connect()
        self._restore()
        self._job_changed()

    def _commands(self) -> tuple[Command, ...]:
        """The window's own and those of the features, in the order of the menus."""
        own = (*desk_commands(self.desk_specs), *page_commands(self.page_specs))
        added = [added.command for feature in self.features for added in feature.actions]
        outputs = [o for feature in self.features for o in feature.outputs]
        return (*own, *in_order(added, output_commands(outputs)))

    def _handlers(self) -> dict[str, Callable[..., object]]:
        return {
            **self._job_handlers(),
            **self._round_handlers(),
            **self._view_handlers(),
            **self._feature_handlers(),
        }

    def _feature_handlers(self) -> dict[str, Callable[..., object]]:
        handlers: dict[str, Callable[..., object]] = {}
        for feature in self.features:
            for added in feature.actions:
                if added.command.check:
                    handlers[added.command.name] = partial(added.run, self)
                else:
                    handlers[added.command.name] = partial(added.run, self, False)
            for output in feature.outputs:
                handlers[f"write_{output.name}"] = partial(self.ask.write_output, output)
        return handlers

    def _job_handlers(self) -> dict[str, Callable[..., object]]:
        ask = self.ask
        opening = self.opening
        return {
            "demo": lambda: opening.open_demo(car="heron"),
            "demo_swap": lambda: opening.open_demo(car="plover"),
            "demo_fault": lambda: opening.open_demo(car="curlew"),
            "demo_fresh": lambda: opening.open_demo(fresh=True),
            "new_job": self._begin_job,
            "look_at_log": self._ask_log,
            "export_sheet": ask.export_sheet,
            "open_job": ask.open_job,
            "save_elsewhere": ask.save_elsewhere,
            "report": ask.save_report,
            "report_drives": lambda on: self.preferences.keep("report_drives", on),
            "close_job": self._close_job,
            "quit": self.close,
        }

    def _round_handlers(self) -> dict[str, Callable[..., object]]:
        session = self.session
        ask = self.ask
        return {
            "add_logs": ask.add_logs,
            "look_logs": lambda: ask.add_logs(look=True),
            "drive": lambda: self.rail.steps.ask("drive"),
            "begin_round": lambda: self.rail.steps.ask("begin_round"),
            "go_back": session.rounds.go_back,
            "swap": self._mark_swap,
            "solve": session.solver.solve,
            "judge": session.solver.judge_anew,
            "cancel": session.cancel,
            "undo": session.navigation.undo,
            "redo": session.navigation.redo,
            "accept": lambda: session.deciding.accept(session.selection.cells or None),
            "accept_all": session.deciding.accept,
            "put_back": lambda: session.deciding.put_back(session.selection.cells or None),
            "pin": lambda: session.deciding.pin(session.selection.cells),
            "select_all": self._select_all,
            "hand_over": lambda: self.rail.steps.ask("hand_over"),
            "copy": ask.copy_table,
            "copy_cells": lambda: ask.copy_table(axes=False),
            "paste": self._paste,
        }

    def _mark_swap(self, on: bool) -> None:
        current = self.session.round
        # A tick that follows the round that is shown is nobody's word.
        if current is not None and on != (current.kind == SWAP):
            self.session.swaps.mark(on)
            self._show_kind()

    def _show_kind(self) -> None:
        """The menu's tick stands as the round does, whatever a click made of it."""
        current = self.session.round
        self.actions_["swap"].setChecked(current is not None and current.kind == SWAP)
        self.actions_["swap"].setEnabled(self.session.is_last and self.session.can_save)

    def _view_handlers(self) -> dict[str, Callable[..., object]]:
        return {
            "mark": lambda: self.tape_bar.mark(),
            "play": lambda: self.tape_bar.player.toggle(),
            "fold_tape": lambda: self.fold.toggle(),
            "next_event": lambda: self._go_to_event(True),
            "previous_event": lambda: self._go_to_event(False),
            "leave_out": self._leave_out,
            "show_all": lambda: self.tape.show_all(),
            "zoom_chosen": self._zoom_chosen,
            **{f"page_{p.name}": partial(self._show_page, p.name) for p in self.page_specs},
            **{f"desk_{d.name}": partial(self.show_desk, d.name) for d in self.desk_specs},
            "copy_picture": lambda: self.ask.picture("copy"),
            "copy_numbers": lambda: self.ask.picture("numbers"),
            "save_picture": lambda: self.ask.picture("save"),
            "shut_margin": lambda on: self.margin.shut(on),
            "narrow_rail": lambda on: self.rail.narrow(on),
            "night": lambda on: self.appearance.use(NIGHT if on else LIGHT),
            "help": lambda: self.over.toggle_help(),
            "find": partial(find_in, self),
        }

    def _build(self) -> None:
        session = self.session
        appearance = self.appearance
        from lean_trim.ui.window.desk_area import DeskArea

        self.rail = RoundRail(session, appearance, self.actions_)
        self.desks = DeskArea(self.desk_specs, session, appearance, self.actions_)
        self.confirm = ConfirmStrip(session, appearance)
        self.margin = Margin(self.page_specs, session, appearance)
        self.tape = Tape(session, appearance)
        self.tape_bar = TapeBar(session, self.tape)
        self.over = OverDesk(
            self.desks, self.margin, session, appearance, self.ask.choose_dbc, self._keys, self
        )
        self.import_sheet = self.over.import_sheet
        self.place_sheet = self.over.place_sheet
        self.ask_sheet = self.over.ask_sheet
        self.help = self.over.help
        self.messages = MessageBar(appearance)
        self.banner = AccessBanner(appearance)
        self.start_page = StartPage(self.actions_)
        self.ring = FocusRing(self, appearance)
        self.status = Status(self.statusBar(), session)
        top = QWidget()
        row = QHBoxLayout(top)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        middle = column(self.desks, self.confirm, roomy=self.desks)
        for widget in (self.rail, middle, self.margin):
            row.addWidget(widget, int(widget is middle))
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.splitter.addWidget(top)
        self.splitter.addWidget(column(self.tape_bar, self.tape))
        self.splitter.setSizes([DESK_SHARE, TAPE_SHARE])
        self.splitter.setChildrenCollapsible(False)
        self.fold = TapeFold(
            self.splitter,
            self.tape_bar,
            self.tape,
            self.preferences,
            folded_first={desk.name for desk in self.desk_specs if desk.folds_tape},
            parent=self,
        )
        self.pages = ShownStack()
        self.pages.addWidget(self.start_page)
        self.pages.addWidget(self.splitter)
        self.new_job: NewJobPage | None = None
        self.look_page: LookPage | None = None
        whole = column(self.banner, self.pages)
        self.messages.float_over(whole)
        self.setCentralWidget(whole)

    def desk(self, name: str) -> Desk:
        """A desk, made if it is not there yet."""
        return self.desks.desk(name)

    def show_desk(self, name: str) -> None:
        """Turn to a desk, and to what it works on."""
        self.desks.show_desk(name)
        self.desks.desk(name).widget.setFocus(Qt.FocusReason.ShortcutFocusReason)

    def show_page(self, name: str) -> QWidget:
        """Turn to a page of the desk that is shown; returns it."""
        self.margin.show_page(name)
        return self.margin.page(name)

    def _connect(self) -> None:
        session = self.session
        session.noticed.connect(self._notice)
        session.access_changed.connect(self.banner.show_access)
        session.access_changed.connect(lambda _: self._job_changed())
        session.job_changed.connect(self._job_changed)
        for signal in (session.job_changed, session.round_changed):
            signal.connect(self._show_kind)
        session.job_closed.connect(self._job_closed)
        self.start_page.open_recent.connect(self.opening.open_job)
        self.opening.recent_changed.connect(
            lambda: self.start_page.show_recent(self.opening.recent.jobs())
        )
        self.opening.made.connect(self._job_made)
        self.start_page.show_recent(self.opening.recent.jobs())
        session.history_changed.connect(self._history_changed)
        session.busy.connect(self._busy)
        for bar in (self.banner, self.messages):
            bar.remedy.connect(self._help)
        self.desks.hovered.connect(self.status.hover.setText)
        self.tape.hovered.connect(self.status.hover.setText)
        self.rail.steps.go.connect(self._go_on)
        self.margin.look.connect(self.fold.opening(self.tape.look_at))
        self.margin.replace_wanted.connect(self.ask.replace_log)
        for widget, names in ((self.tape, TAPE_MENU), (self.rail, RAIL_MENU)):
            widget.addActions([self.actions_[name] for name in names])
            widget.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        self.confirm.settled.connect(lambda: self.desk(self.desks.shown.name).widget.setFocus())
        self.margin.opened.connect(lambda on: self.actions_["shut_margin"].setChecked(not on))
        self.rail.narrowed.connect(self.actions_["narrow_rail"].setChecked)
        self.margin.turned.connect(lambda name: self.preferences.keep("page", name))
        self.desks.turned.connect(self._desk_turned)
        self.escaped.connect(lambda what: self._notice(Notice("error", Say.UNEXPECTED(what=what))))
        logbook.on_escape(self.escaped.emit)

    def _restore(self) -> None:
        """Stand as the window was left."""
        self.resize(first_size(self.screen()))
        if not self.preferences.bytes("geometry").isEmpty():
            self.restoreGeometry(self.preferences.bytes("geometry"))
        if not self.preferences.bytes("splitter").isEmpty():
            self.splitter.restoreState(self.preferences.bytes("splitter"))
        first = self._first_desk()
        desk = self.preferences.text("desk", first)
        page = self.preferences.text("page")
        self.desks.show_desk(desk if desk in [d.name for d in self.desk_specs] else first)
        self.margin.show_page(page)
        for name in REMEMBERED:
            self.actions_[name].setChecked(self.preferences.switch(name))
        self.actions_["report_drives"].setChecked(self.preferences.switch("report_drives"))

    def _remember(self) -> None:
        self.preferences.keep_bytes("geometry", self.saveGeometry())
        self.fold.keep()
        self.preferences.keep_bytes("splitter", self.splitter.saveState())
        for name in REMEMBERED:
            self.preferences.keep(name, self.actions_[name].isChecked())
        for key, unit in (
            self.new_job.car.preferred_units().items() if self.new_job is not None else ()
        ):
            self.preferences.keep(f"unit of {key}", unit)
        self.preferences.sync()

    def _desk_turned(self, spec: DeskSpec) -> None:
        self.margin.show_pages_of([page.name for page in spec.pages])
        # Last, for the margin is not shown beside a question.
        self.over.leave_help()
        self.fold.turn_to(spec.name)
        self.preferences.keep("desk", spec.name)

    def _job_changed(self) -> None:
        job = self.session.job
        if job is not None:
            self.appearance.units.burn(job.vehicle.stoich_afr)
        opened = job is not None and self.pages.currentIndex() != 1
        self.pages.setCurrentIndex(0 if job is None else 1)
        if opened:
            # Where the work is; the list of rounds would have it otherwise.
            self.desks.desk(self.desks.shown.name).widget.setFocus(Qt.FocusReason.OtherFocusReason)
        look_only = self.tr(" (only to look at)") if self.session.open.read_only else ""
        self.setWindowTitle(f"{job.vehicle.name}{look_only} – Lean Trim" if job else "Lean Trim")
        is_there = {
            Needs.NOTHING: True,
            Needs.JOB: job is not None,
            Needs.CAR: job is not None and bool(job.car),
        }
        for command in self.commands:
            if command.needs is not Needs.NOTHING:
                self.actions_[command.name].setEnabled(is_there[command.needs])
        self._history_changed()

    def _begin_job(self) -> NewJobPage:
        """Show the page for a new job; what was typed there before still stands."""
        if self.new_job is None:
            from lean_trim.ui.vehicle.new_job import NewJobPage

            ask = self.ask
            self.new_job = NewJobPage(
                self.session, self.appearance, ask.choose_log, ask.choose_table, ask.choose_sheet
            )
            self.new_job.wanted.connect(ask.keep_job)
            self.new_job.left.connect(
                lambda: self.pages.setCurrentIndex(int(self.session.job is not None))
            )
            self.new_job.car.prefer_units(lambda key: self.preferences.text(f"unit of {key}"))
            self.pages.addWidget(self.new_job)
        self.pages.setCurrentWidget(self.new_job)
        self.new_job.car.name.setFocus()
        return self.new_job

    def _ask_log(self) -> None:
        path = self.ask.choose_log()
        if path is not None:
            self.look_at_log(path)

    def look_at_log(self, path: Path) -> None:
        """Show a log without a job.

        Parameters
        ----------
        path : of its file.
        """
        if self.look_page is None:
            from lean_trim.ui.window.look_page import LookPage

            self.look_page = LookPage(self.session, self.appearance)
            self.look_page.wanted.connect(self._begin_with)
            self.look_page.left.connect(
                lambda: self.pages.setCurrentIndex(int(self.session.job is not None))
            )
            self.pages.addWidget(self.look_page)
        self.pages.setCurrentWidget(self.look_page)
        self.look_page.read(path)

    def _job_made(self) -> None:
        """The next car begins on an empty page; this one's work begins at its table."""
        if self.new_job is not None:
            self.new_job.begin()
        self.show_desk(self._first_desk())

    def _first_desk(self) -> str:
        return next((d.name for d in self.desk_specs if d.is_first), self.desk_specs[0].name)

    def _close_job(self) -> None:
        focused = QApplication.focusWidget()
        if focused is not None:
            focused.clearFocus()
        self.session.opening.leave(self.session.close_job)

    def _job_closed(self) -> None:
        """What was said belonged to that job."""
        self.messages.hide()
        self.status.clear()
        self.tape.forget()

    def _history_changed(self) -> None:
        history = self.session.history
        for name, verb, what in (
            ("undo", self.tr("Undo"), history.undo_text),
            ("redo", self.tr("Redo"), history.redo_text),
        ):
            self.actions_[name].setText(f"{verb}: {what}" if what else verb)
            self.actions_[name].setEnabled(bool(what))

    def _busy(self, title: str, share: float) -> None:
        # An error belongs to the attempt before; a new one begins.
        if share == 0.0 and self.messages.kind == "error":
            self.messages.hide()

    def _notice(self, notice: Notice) -> None:
        if notice.kind == "done":
            self.status.pass_by(notice.text)
        else:
            self.messages.show_message(notice.kind, notice.text, notice.remedies)

    def _help(self, remedy: str) -> None:
        """Do what a message offered."""
        self.messages.hide()
        if remedy == Remedy.SAVE_ELSEWHERE:
            self.ask.save_elsewhere()
        elif remedy == Remedy.LET_GO:
            self.session.opening.let_go()
        elif remedy in self.actions_:
            self.actions_[remedy].trigger()
        else:
            self.session.opening.take_over()

    def _go_on(self, what: str) -> None:
        """End the round as it is meant."""
        rounds = self.session.rounds
        {"hand_over": self.ask.hand_over, "drive": rounds.drive, "begin_round": rounds.begin_round}[
            what
        ]()

    def _select_all(self) -> None:
        if self.session.round is not None:
            self.session.selection.set_cells(frozenset(range(self.session.round.table.size)))

    def _paste(self) -> None:
        page = self.pages.currentWidget()
        shown = self.desks.stack.currentWidget() if page is self.splitter else page
        if shown is None or not paste_into(shown):
            self.session.note(Say.NO_TABLE_HERE())

    def _leave_out(self) -> None:
        span = self.session.selection.span
        if span is None:
            self.session.note(Say.CHOOSE_STRETCH())
        else:
            self.session.deciding.leave_out(*span)

    def _go_to_event(self, forward: bool) -> None:
        self.fold.open()
        self.tape_bar.go(forward)

    def _zoom_chosen(self) -> None:
        self.fold.open()
        selection = self.session.selection
        solution = self.session.solution
        if selection.span is not None:
            self.tape.look_at(*selection.span)
        elif (
            selection.cells
            and solution is not None
            and (visits := visits_of_cells(solution, selection.cells))
        ):
            longest = visits[int(np.argmax([v.seconds for v in visits]))]
            self.tape.look_at(longest.start_s - ROOM_AROUND_S, longest.end_s + ROOM_AROUND_S)

    def _show_page(self, name: str) -> None:
        self.margin.show_page(name)

    def _keys(self) -> tuple[tuple[str, str], ...]:
        """Every command that has a key, in the order of the menus."""
        actions = [a for a in self.actions_.values() if not a.shortcut().isEmpty()]
        return tuple(
            (a.shortcut().toString(), a.text().replace("&", "").split(": ")[0]) for a in actions
        )

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Take files."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A job is opened, a DBC is kept with the job, anything else is taken for a log.

        Without a job, a vehicle sheet or a log begins one.
        """
        paths = [Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()]
        jobs = [p for p in paths if p.suffix == SUFFIX]
        if jobs:
            self.opening.open_job(jobs[0])
            return
        if paths and (self.session.job is None or self.pages.currentWidget() is self.new_job):
            self._begin_with(paths[0])
            return
        for path in (p for p in paths if p.suffix.lower() == DBC_SUFFIX):
            self.session.imports.keep_dbc(path)
        logs = [p for p in paths if p.suffix.lower() != DBC_SUFFIX]
        if logs:
            self.session.imports.add(logs)

    def _begin_with(self, path: Path) -> None:
        self._begin_job().take_file(path)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Everything is saved; remember how the window stood."""
        # What is still being typed is finished by losing the focus.
        focused = QApplication.focusWidget()
        if focused is not None:
            focused.clearFocus()
        if self.session.saving.unsaved:
            event.ignore()
            self.session.opening.leave(self.close)
            return
        self._remember()
        logbook.forget_escape(self.escaped.emit)
        self.session.close_job()
        super().closeEvent(event)


def column(*widgets: QWidget, roomy: QWidget | None = None) -> QWidget:
    """The widgets one below the other; ``roomy``, the last if None, takes what room is left."""
    holder = QWidget()
    layout = QVBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(2)
    for widget in widgets:
        layout.addWidget(widget, int(widget is (roomy or widgets[-1])))
    return holder
