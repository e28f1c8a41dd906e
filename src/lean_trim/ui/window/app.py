"""Start the application."""

from __future__ import annotations

import logging
import sys
import threading
from collections.abc import Sequence
from importlib import resources
from pathlib import Path

from PySide6.QtCore import QMessageLogContext, QtMsgType, qInstallMessageHandler
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from lean_trim.diagnostics import logbook
from lean_trim.diagnostics.leftovers import clean
from lean_trim.features.feature import Feature, parts_of
from lean_trim.job.store import SUFFIX
from lean_trim.ui.session import Session
from lean_trim.ui.theme import LIGHT, Appearance, apply_theme, register_fonts
from lean_trim.ui.window.main_window import MainWindow

LOGGER = logging.getLogger(__name__)
SWITCH_S = 0.001
"""How long a thread beside the window may hold the interpreter while the window waits for it. With the
usual 5 ms every look at a file costs that while something is worked out: turning to a round takes a
third longer."""


def make_window(features: Sequence[Feature], data_folder: Path | None = None) -> MainWindow:
    """A window on an existing QApplication, with fonts and theme in place."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    sys.setswitchinterval(SWITCH_S)
    register_fonts()
    # Rules stand only where this has been done; doing it again would polish every widget anew.
    if not app.styleSheet():
        app.setStyle("Fusion")
    apply_theme(app, LIGHT)
    if data_folder is None:
        from platformdirs import user_data_path

        data_folder = user_data_path("lean-trim", appauthor=False)
    session = Session(features=parts_of(features))
    units = tuple(choice for feature in features for choice in feature.units)
    return MainWindow(session, Appearance(units=units), data_folder, features)


def _qt_message(kind: QtMsgType, context: QMessageLogContext, text: str) -> None:
    """Qt's own messages go to the log."""
    levels = {
        QtMsgType.QtDebugMsg: logging.DEBUG,
        QtMsgType.QtInfoMsg: logging.INFO,
        QtMsgType.QtWarningMsg: logging.WARNING,
    }
    LOGGER.log(levels.get(kind, logging.ERROR), "Qt: %s", text)


def run_application(
    words: Sequence[str], features: Sequence[Feature], log_level: str = "info"
) -> int:
    """Open the window: empty, with a demo job (``--demo``), a job file or a log; returns the exit code."""
    logbook.start_logbook(logbook.state_folder(), log_level)
    qInstallMessageHandler(_qt_message)
    app = QApplication(["lean-trim"])
    app.setApplicationName("lean-trim")
    app.setApplicationDisplayName("Lean Trim")
    app.setDesktopFileName("lean-trim")
    app.setWindowIcon(QIcon(str(resources.files("lean_trim.assets") / "lean-trim.svg")))
    window = make_window(features)
    window.show()
    folders = [window.data_folder, *(p.parent for p in window.opening.recent.paths())]
    # In a thread: a folder may lie on a mount that does not answer.
    threading.Thread(target=clean, args=(folders,), daemon=True).start()
    if words and words[0] == "--demo":
        window.opening.open_demo(car=words[1] if len(words) > 1 else "")
    elif words:
        path = Path(words[0])
        # What is no job is looked at: a log on the command line is seldom meant for the newest job.
        if path.suffix == SUFFIX:
            window.opening.open_job(path)
        else:
            window.look_at_log(path)
    return app.exec()
