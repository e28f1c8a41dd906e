"""Every command of the window: name, key, menu and what it does, in one list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMainWindow


@dataclass(frozen=True)
class Command:
    """One command. ``menu`` "" keeps it out of the menus; ``check`` makes it a switch."""

    name: str
    menu: str
    text: str
    tip: str
    keys: str = ""
    check: bool = False


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
    ),
    Command("open_job", "Job", "Open a job…", "Open a job file", "Ctrl+O"),
    Command(
        "save_elsewhere",
        "Job",
        "Save the job elsewhere…",
        "Write the whole job, with what could not be saved, to another file and go on there",
    ),
    Command(
        "export_sheet",
        "Job",
        "Export the vehicle sheet…",
        "Write the car and the decided tables as vehicle.json and CSV into a folder",
    ),
    Command(
        "report",
        "Job",
        "Save a report for support…",
        "The program's log, versions and settings as one file to send",
    ),
    Command(
        "report_drives",
        "Job",
        "Put drive data into reports",
        "Reports then hold the whole job with its logs; off by default",
        check=True,
    ),
    Command("close_job", "Job", "Close the job", "Everything is saved already", "Ctrl+W"),
    Command("quit", "Job", "Quit", "Everything is saved already", "Ctrl+Q"),
    Command("add_logs", "Round", "Add logs…", "Add log files to the newest round", "Ctrl+L"),
    Command(
        "look_logs",
        "Round",
        "Add logs and look at their columns…",
        "Check which column is which before a log is added",
    ),
    Command(
        "drive",
        "Round",
        "Drive the simulated car",
        "Drive the decided table and log it (demo jobs)",
        "F5",
    ),
    Command(
        "begin_round",
        "Round",
        "Begin the next round",
        "Take the decided table as the one to drive next",
    ),
    Command(
        "go_back",
        "Round",
        "Go back to this round",
        "Begin a round on what the shown, earlier round decided; later rounds stay as they are",
    ),
    Command(
        "swap",
        "Round",
        "Follows an injector change",
        "This round is the first on other injectors: its steps lead from the new data to the proof",
        check=True,
    ),
    Command("solve", "Round", "Work it out again", "Solve the current round again", "F9"),
    Command(
        "judge",
        "Round",
        "Judge this round anew",
        "Replace its figures by what its settings say now",
    ),
    Command(
        "cancel",
        "Round",
        "Cancel what is running",
        "Stop the drive or the solve; nothing is changed",
        "Ctrl+.",
    ),
    Command("undo", "Table", "Undo", "Take the last change back", "Ctrl+Z"),
    Command("redo", "Table", "Redo", "Do it again", "Ctrl+Shift+Z"),
    Command(
        "accept",
        "Table",
        "Accept the chosen cells",
        "Accept the proposal for the chosen cells, or for all where none is chosen",
        "Ctrl+Return",
    ),
    Command(
        "accept_all",
        "Table",
        "Accept all cells",
        "Accept the proposal for every cell, whatever is chosen",
        "Ctrl+Shift+Return",
    ),
    Command(
        "put_back",
        "Table",
        "Put back",
        "Return the chosen cells, or all, to the value they were driven on",
        "Ctrl+Backspace",
    ),
    Command(
        "pin",
        "Table",
        "Pin or release",
        "Pinned cells keep the value they were driven on",
        "Ctrl+P",
    ),
    Command("select_all", "Table", "Choose every cell", "Choose every cell", "Ctrl+A"),
    Command(
        "hand_over", "Table", "Hand over as CSV…", "Write the decided table to a file", "Ctrl+S"
    ),
    Command(
        "copy",
        "Table",
        "Copy table",
        "Copy the decided table with its axes, tab separated",
        "Ctrl+C",
    ),
    Command(
        "copy_cells",
        "Table",
        "Copy cells only",
        "Copy the decided cells without axes",
        "Ctrl+Shift+C",
    ),
    Command(
        "leave_out",
        "Tape",
        "Leave the stretch out, or keep it again",
        "Leave the chosen stretch of the log out by hand",
        "Ctrl+D",
    ),
    Command(
        "mark", "Tape", "Set or remove a bookmark", "At the tape's spot or chosen stretch", "Ctrl+B"
    ),
    Command(
        "next_event", "Tape", "Go to the next event", "Of the kind chosen above the tape", "F6"
    ),
    Command(
        "previous_event",
        "Tape",
        "Go to the previous event",
        "Of the kind chosen above the tape",
        "Shift+F6",
    ),
    Command("show_all", "Tape", "Show the whole log", "Zoom out", "Ctrl+0"),
    Command(
        "zoom_chosen",
        "Tape",
        "Zoom to the choice",
        "Show the chosen stretch or the seconds behind the chosen cells",
        "Ctrl+E",
    ),
    Command("page_evidence", "View", "Evidence", "What stands behind the chosen cells", "Ctrl+1"),
    Command(
        "page_findings", "View", "Findings", "What the log shows that is not airflow", "Ctrl+2"
    ),
    Command(
        "page_sieve",
        "View",
        "Sieve",
        "Which samples are left out, and why; turn the thresholds",
        "Ctrl+3",
    ),
    Command("page_fit", "View", "Fit", "The sensor delay and the way of estimating", "Ctrl+4"),
    Command(
        "page_logs", "View", "Logs", "Which logs count, airflow source, what was inferred", "Ctrl+5"
    ),
    Command("page_write", "View", "Write", "How much is written at once", "Ctrl+6"),
    Command("night", "View", "Night theme", "Dark sheet, light ink", "Ctrl+T", check=True),
    Command(
        "truth",
        "View",
        "Show truth",
        "Compare with the simulated car's true airflow (demo jobs)",
        check=True,
    ),
    Command("find", "View", "Find a command…", "Type part of a command's name", "Ctrl+K"),
)
NEEDS_JOB = (
    "save_elsewhere",
    "export_sheet",
    "close_job",
    "add_logs",
    "look_logs",
    "begin_round",
    "go_back",
    "solve",
    "judge",
    "swap",
    "mark",
    "next_event",
    "previous_event",
    "accept",
    "accept_all",
    "put_back",
    "pin",
    "hand_over",
    "copy",
    "copy_cells",
    "leave_out",
    "show_all",
    "zoom_chosen",
    "select_all",
)
"""Commands that mean nothing without a job."""
NEEDS_CAR = ("drive", "truth")
"""Commands that need the simulated car of a demo job."""
MENUS = ("Job", "Round", "Table", "Tape", "View")


def build_actions(
    window: QMainWindow, handlers: dict[str, Callable[..., object]]
) -> dict[str, QAction]:
    """Make every action and fill the menu bar.

    Raises
    ------
    KeyError
        If a command has no handler.
    """
    actions: dict[str, QAction] = {}
    menus = {name: window.menuBar().addMenu(f"&{window.tr(name)}") for name in MENUS}
    for command in COMMANDS:
        action = QAction(window.tr(command.text), window)
        tip = window.tr(command.tip)
        action.setToolTip(f"{tip} ({command.keys})" if command.keys else tip)
        action.setStatusTip(tip)
        if command.keys:
            action.setShortcut(QKeySequence(command.keys))
        action.setCheckable(command.check)
        (action.toggled if command.check else action.triggered).connect(
            _plain(handlers[command.name], command.check)
        )
        menus[command.menu].addAction(action)
        actions[command.name] = action
    return actions


def _plain(handler: Callable[..., object], with_state: bool) -> Callable[[bool], None]:
    def call(state: bool = False) -> None:
        if with_state:
            handler(state)
        else:
            handler()

    return call
