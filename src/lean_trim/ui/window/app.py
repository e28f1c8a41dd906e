"""Start the application."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from importlib import resources
from pathlib import Path

from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from lean_trim.ui.session import Session
from lean_trim.ui.theme import LIGHT, Appearance, apply_theme, register_fonts
from lean_trim.ui.window.main_window import MainWindow


def make_window(data_folder: Path | None = None) -> MainWindow:
    """A window on an existing QApplication, with fonts and theme in place."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    register_fonts()
    app.setStyle("Fusion")
    apply_theme(app, LIGHT)
    if data_folder is None:
        from platformdirs import user_data_path

        data_folder = user_data_path("lean-trim", appauthor=False)
    return MainWindow(Session(), Appearance(), data_folder)


def run_application(words: Sequence[str]) -> int:
    """Open the window: empty, with the demo job (``--demo``) or with a job file."""
    if len(words) > 1:
        print("lean-trim: one job file at a time, or --demo", file=sys.stderr)
        return 2
    if words and words[0] != "--demo" and not Path(words[0]).is_file():
        print(f"lean-trim: {words[0]}: no such job file", file=sys.stderr)
        return 2
    app = QApplication(["lean-trim"])
    app.setApplicationName("lean-trim")
    app.setApplicationDisplayName("Lean Trim")
    app.setDesktopFileName("lean-trim")
    app.setWindowIcon(QIcon(str(resources.files("lean_trim.assets") / "lean-trim.svg")))
    window = make_window()
    window.show()
    if words and words[0] == "--demo":
        window.open_demo()
    elif words:
        window.open_job(Path(words[0]))
    return app.exec()
