"""What the window asks with file dialogs, and the clipboard."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog

from lean_trim.formats.tables import table_text
from lean_trim.job.store import SUFFIX

if TYPE_CHECKING:
    from lean_trim.ui.window.main_window import MainWindow

JOB_FILTER = f"Lean Trim jobs (*{SUFFIX})"
LOG_FILTER = "Logs (*.csv *.txt *.tsv *.log *.gz *.zst *.mf4 *.mdf *.parquet *.arrow *.feather);;All files (*)"


class Dialogs:
    """Asks, then hands the answer to the window or its session."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window

    def new_job(self) -> None:
        """Ask for a vehicle sheet and a place, and make a job."""
        sheet, _ = QFileDialog.getOpenFileName(self.window, "Vehicle sheet", "", "Vehicle sheets (*.json)")
        if sheet:
            path, _ = QFileDialog.getSaveFileName(
                self.window, "Where to keep the job", str(Path(sheet).with_suffix(SUFFIX)), JOB_FILTER
            )
            if path:
                self.window.new_job(Path(sheet), Path(path).with_suffix(SUFFIX))

    def open_job(self) -> None:
        """Ask for a job file."""
        path, _ = QFileDialog.getOpenFileName(self.window, "Open a job", "", JOB_FILTER)
        if path:
            self.window.open_job(Path(path))

    def save_elsewhere(self) -> None:
        """Ask where the job goes on."""
        workspace = self.window.session.workspace
        if workspace.path is None:
            return
        wanted = workspace.path.with_name(f"{workspace.path.stem} copy{SUFFIX}")
        path, _ = QFileDialog.getSaveFileName(self.window, "Where the job goes on", str(wanted), JOB_FILTER)
        if path:
            self.window.session.saving.save_elsewhere(Path(path).with_suffix(SUFFIX))

    def add_logs(self, look: bool = False) -> None:
        """Ask for logs; ``look`` shows their columns before they are added."""
        paths, _ = QFileDialog.getOpenFileNames(self.window, "Add logs to this round", "", LOG_FILTER)
        if paths:
            self.window.session.imports.add([Path(p) for p in paths], look)

    def hand_over(self) -> None:
        """Ask where to write the decided table."""
        current = self.window.session.round
        if current is None or self.window.session.job is None:
            return
        name = f"{self.window.session.job.vehicle.name.lower()}-{self.window.session.job.vehicle.airflow}-round{current.number}.csv"
        path, _ = QFileDialog.getSaveFileName(self.window, "Write the decided table", name, "Tables (*.csv)")
        if path:
            self.window.session.rounds.hand_over(Path(path))

    def copy_table(self, axes: bool = True) -> None:
        """Put the decided table on the clipboard, tab separated."""
        current = self.window.session.round
        if current is None:
            return
        text = table_text(current.result, "\t")
        if not axes:
            text = "\n".join(line.split("\t", 1)[1] for line in text.splitlines()[1:]) + "\n"
        QGuiApplication.clipboard().setText(text)
        self.window.session.rounds.copied()
