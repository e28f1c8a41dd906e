"""The window's own commands, and those that follow from desks, pages and files."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMainWindow, QMenu

from lean_trim.ui.specs import Command, DeskSpec, Needs, OutputSpec, PageSpec
from lean_trim.ui.widgets.label import plain_tip

ALSO = "also"
"""Property of an action: other words it is found by."""


COMMANDS: tuple[Command, ...] = (
    Command("demo", "Job", "Open the demo job", "Heron, a simulated car, as you left it"),
    Command(
        "demo_swap",
        "Job",
        "Open the injector demo",
        "Plover, a simulated car that got larger injectors, as you left it",
    ),
    Command(
        "demo_fault",
        "Job",
        "Open the demo with something wrong",
        "Curlew, a simulated boosted car with a fault that is not its table, as you left it",
    ),
    Command(
        "demo_fresh",
        "Job",
        "Start the demo afresh",
        "Put the rounds of the demo that is open aside in a file of their own and begin again",
    ),
    Command(
        "new_job",
        "Job",
        "New job…",
        "A car, its table and perhaps a log: a job of your own",
        "Ctrl+N",
        also="create car vehicle project",
    ),
    Command(
        "look_at_log",
        "Job",
        "Look at a log…",
        "Its columns, its course, where the time went; nothing is kept unless a job is made of it",
        "Ctrl+Shift+L",
        also="view log datalog file open",
    ),
    Command(
        "open_job", "Job", "Open a job…", "Open a job file", "Ctrl+O", also="load project file"
    ),
    Command(
        "save_elsewhere",
        "Job",
        "Save the job elsewhere…",
        "Write the whole job, with what could not be saved, to another file and go on there",
        also="save as copy",
        needs=Needs.JOB,
    ),
    Command(
        "export_sheet",
        "Job",
        "Export the vehicle sheet…",
        "Write the car and the decided tables as vehicle.json and CSV into a folder",
        needs=Needs.JOB,
    ),
    Command(
        "report",
        "Job",
        "Save a report for support…",
        "The program's log, versions and settings as one file to send",
        also="bug problem",
    ),
    Command(
        "report_drives",
        "Job",
        "Put drive data into reports",
        "Reports then hold the whole job with its logs; off by default",
        check=True,
    ),
    Command(
        "close_job",
        "Job",
        "Close the job",
        "Everything is saved already",
        "Ctrl+W",
        needs=Needs.JOB,
    ),
    Command("quit", "Job", "Quit", "Everything is saved already", "Ctrl+Q"),
    Command(
        "add_logs",
        "Round",
        "Add logs…",
        "Add log files to the newest round",
        "Ctrl+L",
        also="datalog recording import open",
        needs=Needs.JOB,
    ),
    Command(
        "look_logs",
        "Round",
        "Add logs and look at their columns…",
        "Check which column is which before a log is added",
        needs=Needs.JOB,
    ),
    Command(
        "drive",
        "Round",
        "Drive the simulated car",
        "Drive the decided table and log it (demo jobs)",
        "F5",
        also="simulate",
        needs=Needs.CAR,
    ),
    Command(
        "begin_round",
        "Round",
        "Begin the next round",
        "Take the decided table as the one to drive next",
        also="new revision",
        needs=Needs.JOB,
    ),
    Command(
        "go_back",
        "Round",
        "Go back to this round",
        "Begin a round on what the shown, earlier round decided; later rounds stay as they are",
        needs=Needs.JOB,
    ),
    Command(
        "swap",
        "Round",
        "Follows an injector change",
        "This round is the first on other injectors: its steps lead from the new data to the proof",
        check=True,
        needs=Needs.JOB,
    ),
    Command(
        "solve",
        "Round",
        "Work it out again",
        "Solve the current round again",
        "F9",
        also="calculate run correction",
        needs=Needs.JOB,
    ),
    Command(
        "judge",
        "Round",
        "Judge this round anew",
        "Replace its figures by what its settings say now",
        needs=Needs.JOB,
    ),
    Command(
        "cancel",
        "Round",
        "Cancel what is running",
        "Stop the drive or the solve; nothing is changed",
        "Ctrl+.",
        also="stop abort",
    ),
    Command("undo", "Table", "Undo", "Take the last change back", "Ctrl+Z", also="back revert"),
    Command("redo", "Table", "Redo", "Do it again", "Ctrl+Shift+Z"),
    Command(
        "accept",
        "Table",
        "Accept the chosen cells",
        "Accept the proposal for the chosen cells, or for all where none is chosen",
        "Ctrl+Return",
        also="apply take",
        needs=Needs.JOB,
    ),
    Command(
        "accept_all",
        "Table",
        "Accept all cells",
        "Accept the proposal for every cell, whatever is chosen",
        "Ctrl+Shift+Return",
        also="apply everything",
        needs=Needs.JOB,
    ),
    Command(
        "put_back",
        "Table",
        "Put back",
        "Return the chosen cells, or all, to the value they were driven on",
        "Ctrl+Backspace",
        also="reset original revert",
        needs=Needs.JOB,
    ),
    Command(
        "pin",
        "Table",
        "Pin or release",
        "Pinned cells keep the value they were driven on",
        "Ctrl+P",
        also="lock freeze",
        needs=Needs.JOB,
    ),
    Command(
        "select_all", "Table", "Choose every cell", "Choose every cell", "Ctrl+A", needs=Needs.JOB
    ),
    Command(
        "hand_over",
        "Table",
        "Hand over as CSV…",
        "Write the decided table to a file",
        "Ctrl+S",
        also="export save table write csv",
        needs=Needs.JOB,
    ),
    Command(
        "copy",
        "Table",
        "Copy table",
        "Copy the decided table with its axes, tab separated",
        "Ctrl+C",
        also="clipboard paste spreadsheet",
        needs=Needs.JOB,
    ),
    Command(
        "copy_cells",
        "Table",
        "Copy cells only",
        "Copy the decided cells without axes",
        "Ctrl+Shift+C",
        needs=Needs.JOB,
    ),
    Command(
        "paste",
        "Table",
        "Paste a table",
        "Put the table on the clipboard over the one that is shown, or that has the focus",
        "Ctrl+V",
        also="clipboard insert import spreadsheet",
    ),
    Command(
        "leave_out",
        "Tape",
        "Leave the stretch out, or keep it again",
        "Leave the chosen stretch of the log out by hand",
        "Ctrl+D",
        also="exclude ignore",
        needs=Needs.JOB,
    ),
    Command(
        "mark",
        "Tape",
        "Set or remove a bookmark",
        "At the tape's spot or chosen stretch",
        "Ctrl+B",
        also="note flag",
        needs=Needs.JOB,
    ),
    Command(
        "fold_tape",
        "Tape",
        "Fold the tape, or open it",
        "A ribbon with the regimes and one lane, so that the desk has the room; each desk remembers",
        "F7",
        also="ribbon hide collapse expand",
        needs=Needs.JOB,
    ),
    Command(
        "play",
        "Tape",
        "Play the log, or stop",
        "The engine's place runs over the table, with its trail; the pace is set above the tape",
        "Shift+F7",
        also="replay run animate cursor",
        needs=Needs.JOB,
    ),
    Command(
        "next_event",
        "Tape",
        "Go to the next event",
        "Of the kind chosen above the tape",
        "F6",
        needs=Needs.JOB,
    ),
    Command(
        "previous_event",
        "Tape",
        "Go to the previous event",
        "Of the kind chosen above the tape",
        "Shift+F6",
        needs=Needs.JOB,
    ),
    Command(
        "show_all",
        "Tape",
        "Show the whole log",
        "Zoom out",
        "Ctrl+0",
        also="zoom out whole",
        needs=Needs.JOB,
    ),
    Command(
        "zoom_chosen",
        "Tape",
        "Zoom to the choice",
        "Show the chosen stretch or the seconds behind the chosen cells",
        "Ctrl+E",
        also="selection magnify",
        needs=Needs.JOB,
    ),
    Command(
        "copy_picture",
        "View",
        "Copy what is shown as a picture",
        "The chart or table with the focus, else the largest that is shown",
        "Ctrl+Alt+C",
        also="image screenshot png clipboard",
        needs=Needs.JOB,
    ),
    Command(
        "copy_numbers",
        "View",
        "Copy the numbers of what is shown",
        "Of that chart or table, tab separated",
        "Ctrl+Alt+Shift+C",
        also="data values csv spreadsheet",
        needs=Needs.JOB,
    ),
    Command(
        "save_picture",
        "View",
        "Save what is shown…",
        "As PNG or SVG picture, or its numbers as CSV",
        "Ctrl+Alt+S",
        also="image export png svg chart graph",
        needs=Needs.JOB,
    ),
    Command(
        "shut_margin",
        "View",
        "Shut the pages",
        "The desk gets the room of the pages beside it",
        "F4",
        check=True,
        also="hide panel sidebar close",
    ),
    Command(
        "narrow_rail",
        "View",
        "Narrow the rail",
        "Only the marks of the rounds stay; the desk gets the room",
        "Shift+F4",
        check=True,
        also="hide panel sidebar collapse",
    ),
    Command(
        "night",
        "View",
        "Night theme",
        "Dark sheet, light ink",
        "Ctrl+T",
        check=True,
        also="dark mode",
    ),
    Command(
        "help",
        "View",
        "What this desk is for",
        "What the desk that is shown needs, what it shows, and what to do there",
        "F1",
        also="help manual guide about explain",
    ),
    Command(
        "find",
        "View",
        "Find a command…",
        "Type part of a command's name",
        "Ctrl+K",
        also="search palette",
    ),
)


@dataclass(frozen=True)
class Nearest:
    """What does the nearest thing to a word no command has.

    Attributes
    ----------
    words : that people look for.
    command : that is run.
    says : how it is done here.
    """

    words: tuple[str, ...]
    command: str
    says: str


NEAREST: tuple[Nearest, ...] = (
    Nearest(
        ("compare", "difference", "delta", "percent"),
        "desk_table",
        "“Change %” above the table holds it against any table of the job, in percent",
    ),
    Nearest(
        ("print", "paper", "report"),
        "hand_over",
        "Nothing is printed from here: hand the table over as CSV, and print that",
    ),
    Nearest(
        ("why", "reason", "because"),
        "page_evidence",
        "Choose cells: the Evidence page adds up what they ask, visit by visit",
    ),
    Nearest(
        ("trim", "trims", "stft", "ltft", "fuel trim"),
        "desk_table",
        "Trims are a lane of the tape; “Asked %” above the table is what they and lambda ask",
    ),
    Nearest(
        ("note", "comment", "text"),
        "mark",
        "Type a note above the tape, then Enter: it is kept as a bookmark",
    ),
    Nearest(
        ("save", "store"),
        "save_elsewhere",
        "Everything is saved as you go; this writes the job to another file as well",
    ),
)
MENUS = ("Job", "Round", "Table", "Tape", "View")
"""In the order of the bar; a feature may name one more."""
MOST_KEYS = 9
"""Places in a row that have a digit as their key."""


def page_commands(pages: Sequence[PageSpec]) -> tuple[Command, ...]:
    """A command for every page of the margin, by its place."""
    return tuple(
        Command(
            name=f"page_{page.name}",
            menu="View",
            text=page.title,
            tip=page.tip,
            keys=f"Ctrl+{place}" if place <= MOST_KEYS else "",
            also="page",
        )
        for place, page in enumerate(pages, start=1)
    )


def desk_commands(desks: Sequence[DeskSpec]) -> tuple[Command, ...]:
    """A command for every desk, by its place."""
    return tuple(
        Command(
            name=f"desk_{desk.name}",
            menu="View",
            text=f"Turn to {desk.title}",
            tip=desk.tip,
            keys=f"Alt+{place}" if place <= MOST_KEYS else "",
            also="desk tab",
        )
        for place, desk in enumerate(desks, start=1)
    )


def _for_whom(output: OutputSpec) -> str:
    return ", for your own scripts" if output.file_name.endswith(".json") else ""


def output_commands(outputs: Sequence[OutputSpec]) -> tuple[Command, ...]:
    """A command for every file that can be written of the shown round."""
    return tuple(
        Command(
            name=f"write_{output.name}",
            menu="Job",
            text=f"Write the {output.title}…",
            tip=f"As {output.file_name}{_for_whom(output)}",
            also="export save json",
            needs=Needs.JOB,
        )
        for output in outputs
    )


OUTPUTS_BEFORE = "report"
"""Files that can be written stand above this one."""
BEGIN_A_GROUP = ("new_job", "save_elsewhere", "export_sheet", "report", "close_job")
"""Commands above which the Job menu has a line."""


def in_order(added: Sequence[Command], outputs: Sequence[Command]) -> tuple[Command, ...]:
    """The window's own commands with those of features in their places.

    Parameters
    ----------
    added : by features; each stands below the one it names.
    outputs : files that can be written.

    Returns
    -------
    All of them.
    """
    own = list(COMMANDS)
    at = [c.name for c in own].index(OUTPUTS_BEFORE)
    own[at:at] = outputs
    first = [c for c in added if not c.after]
    for command in (c for c in added if c.after):
        place = [c.name for c in own].index(command.after)
        own.insert(place + 1, command)
    return (*first, *own)


def build_actions(
    window: QMainWindow, commands: Sequence[Command], handlers: Mapping[str, Callable[..., object]]
) -> tuple[dict[str, QAction], dict[str, QMenu]]:
    """Make every action and fill the menu bar; actions by command, menus by title.

    Raises
    ------
    KeyError
        If a command has no handler.
    """
    actions: dict[str, QAction] = {}
    titles = dict.fromkeys((*MENUS, *(command.menu for command in commands)))
    menus = {name: window.menuBar().addMenu(f"&{window.tr(name)}") for name in titles}
    for command in commands:
        action = QAction(window.tr(command.text), window)
        tip = window.tr(command.tip)
        action.setToolTip(plain_tip(f"{tip} ({command.keys})" if command.keys else tip))
        action.setStatusTip(tip)
        if command.keys:
            action.setShortcut(QKeySequence(command.keys))
        action.setCheckable(command.check)
        action.setProperty(ALSO, command.also)
        (action.toggled if command.check else action.triggered).connect(
            _plain(handlers[command.name], command.check)
        )
        if command.name in BEGIN_A_GROUP:
            menus[command.menu].addSeparator()
        menus[command.menu].addAction(action)
        actions[command.name] = action
    return actions, menus


def put_below(menu: QMenu, action: QAction, submenu: QMenu) -> None:
    """Put a menu into another one, below one of its commands."""
    actions = menu.actions()
    menu.insertMenu(actions[actions.index(action) + 1], submenu)


def _plain(handler: Callable[..., object], with_state: bool) -> Callable[[bool], None]:
    def call(state: bool = False) -> None:
        if with_state:
            handler(state)
        else:
            handler()

    return call
