"""What the window asks with file dialogs, and the clipboard."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.formats.tables import table_text
from lean_trim.job.store import SUFFIX
from lean_trim.job.tuning import tuning_text
from lean_trim.ui.vehicle.names import file_name
from lean_trim.ui.widgets.paste_sheet import TABLE_FILTER
from lean_trim.ui.widgets.picture import ask_where, pictured_in
from lean_trim.workspace.tasks import Lane

if TYPE_CHECKING:
    from lean_trim.core.data.vehicle import Vehicle
    from lean_trim.diagnostics.support import Report
    from lean_trim.ui.specs import OutputSpec
    from lean_trim.ui.window.main_window import MainWindow

JOB_FILTER = f"Lean Trim jobs (*{SUFFIX})"
LOG_FILTER = (
    "Logs (*.csv *.txt *.tsv *.log *.gz *.zst *.bz2 *.xz *.zip *.mf4 *.mdf *.dat *.parquet "
    "*.arrow *.feather *.xlsx *.ods *.mat *.jsonl *.blf *.asc *.trc);;All files (*)"
)


WRITING = Lane("writing a file")


class Say:
    """What the choosers say."""

    SHEET_WRITTEN = Message(
        "dialogs.sheet_written", "The vehicle sheet and its tables are in {folder}."
    )
    SHEET_THERE = Message(
        "dialogs.sheet_there",
        "{folder} holds a vehicle.json already; choose another folder, or make one",
    )
    WRITING = Message("dialogs.writing", "Writing the {what}")
    OUTPUT_WRITTEN = Message("dialogs.output_written", "The {what} are in {path}.")
    NO_PICTURE = Message("dialogs.no_picture", "No chart or table is shown here.")
    PICTURE_COPIED = Message("dialogs.picture_copied", "A picture ({what}) is on the clipboard.")
    NUMBERS_COPIED = Message("dialogs.numbers_copied", "The numbers ({what}) are on the clipboard.")
    REPORT_WRITTEN = Message(
        "dialogs.report_written", "The report is in {path}: {contents}. Nothing was sent."
    )


class Dialogs:
    """Asks, then hands the answer to the window or its session."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window

    def _folder(self) -> str:
        """Where the last file was chosen."""
        return self.window.preferences.text("folder")

    def _remember(self, path: str) -> Path:
        chosen = Path(path)
        self.window.preferences.keep("folder", str(chosen.parent))
        return chosen

    def save_report(self) -> None:
        """Show what a report for support would hold; from there it is written."""
        from lean_trim.diagnostics.logbook import state_folder
        from lean_trim.diagnostics.support import prepare_report
        from lean_trim.ui.window.report_sheet import ReportSheet

        session = self.window.session
        preferences = self.window.preferences
        job = session.open.path if preferences.switch("report_drives") else None
        settings = preferences.all() | {"round": tuning_text(session.tuning.state)}
        prepared: list[Report] = []
        if not self.window.opening.attempt(
            lambda: prepared.append(
                prepare_report(state_folder(), settings, self._names_of_the_user(), job)
            )
        ):
            return
        sheet = ReportSheet(prepared[0], self.window)
        sheet.wanted.connect(self._write_report)
        sheet.show()

    def _names_of_the_user(self) -> set[str]:
        """Names that may stand in the program's log by themselves: of jobs, the car and its logs."""
        session = self.window.session
        paths = [*self.window.opening.recent.paths(), session.open.path]
        known = {str(p) for p in paths if p is not None} | {p.stem for p in paths if p is not None}
        if session.job is not None:
            known.add(session.job.vehicle.name)
            known |= {info.name for r in session.job.rounds for info in r.log_infos}
        return known

    def _write_report(self, report: Report) -> None:
        from lean_trim.diagnostics.support import write_report

        wanted = str(Path(self._folder()) / "lean-trim-report.zip")
        path, _ = QFileDialog.getSaveFileName(
            self.window, "Where to put the report", wanted, "Reports (*.zip)"
        )
        if not path:
            return
        target = self._remember(path)
        if self.window.opening.attempt(lambda: write_report(target, report)):
            contents = ", ".join(report.names)
            self.window.session.note(Say.REPORT_WRITTEN(path=target, contents=contents))

    def _choose(self, title: str, filters: str) -> Path | None:
        path, _ = QFileDialog.getOpenFileName(self.window, title, self._folder(), filters)
        return self._remember(path) if path else None

    def choose_sheet(self) -> Path | None:
        """Ask for a vehicle sheet."""
        return self._choose("Vehicle sheet", "Vehicle sheets (*.json)")

    def choose_log(self) -> Path | None:
        """Ask for one log."""
        return self._choose("A log of the car", LOG_FILTER)

    def choose_table(self) -> Path | None:
        """Ask for a table."""
        return self._choose("A table", TABLE_FILTER)

    def keep_job(self, vehicle: Vehicle, log: Path | None) -> None:
        """Ask where to keep a new job, and make it there; a car without a name gets the file's."""
        name = vehicle.name or (log.name.split(".")[0] if log is not None else "")
        wanted = Path(self._folder()) / f"{file_name(name)}{SUFFIX}"
        path, _ = QFileDialog.getSaveFileName(
            self.window, "Where to keep the job", str(wanted), JOB_FILTER
        )
        if path:
            kept = self._remember(path).with_suffix(SUFFIX)
            named = replace(vehicle, name=vehicle.name or kept.stem)
            self.window.opening.make_job(named, kept, log)

    def export_sheet(self) -> None:
        """Ask for a folder and write the vehicle sheet with its tables into it."""
        from lean_trim.formats.vehicle_sheet import write_vehicle

        session = self.window.session
        vehicle = session.open.decided_vehicle
        if vehicle is None:
            return
        folder = QFileDialog.getExistingDirectory(
            self.window, "A folder for vehicle.json and its tables", self._folder()
        )
        if not folder:
            return

        def write() -> None:
            # The tables of another car would be gone, and nobody was asked.
            if (Path(folder) / "vehicle.json").exists():
                raise BadInputError(Say.SHEET_THERE(folder=folder))
            write_vehicle(vehicle, Path(folder))

        if self.window.opening.attempt(write):
            session.note(Say.SHEET_WRITTEN(folder=folder))

    def open_job(self) -> None:
        """Ask for a job file."""
        path, _ = QFileDialog.getOpenFileName(self.window, "Open a job", self._folder(), JOB_FILTER)
        if path:
            self.window.opening.open_job(self._remember(path))

    def save_elsewhere(self) -> None:
        """Ask where the job goes on."""
        kept = self.window.session.open.path
        if kept is None:
            return
        wanted = kept.with_name(f"{kept.stem} copy{SUFFIX}")
        path, _ = QFileDialog.getSaveFileName(
            self.window, "Where the job goes on", str(wanted), JOB_FILTER
        )
        if path:
            self.window.session.saving.save_elsewhere(Path(path).with_suffix(SUFFIX))

    def add_logs(self, look: bool = False) -> None:
        """Ask for logs; ``look`` shows their columns before they are added."""
        paths, _ = QFileDialog.getOpenFileNames(
            self.window, "Add logs to this round", self._folder(), LOG_FILTER
        )
        if paths:
            self._remember(paths[0])
            self.window.session.imports.add([Path(p) for p in paths], look)

    def choose_dbc(self) -> Path | None:
        """Ask for a DBC."""
        return self._choose("What the frames of the trace mean", "DBC (*.dbc);;All files (*)")

    def replace_log(self, round_id: int, log_id: int) -> None:
        """Ask for the file that takes the place of a log."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "The log that takes its place", self._folder(), LOG_FILTER
        )
        if path:
            chosen = self._remember(path)
            self.window.session.imports.add([chosen], replaces=(round_id, log_id))

    def hand_over(self) -> None:
        """Ask where to write the decided table."""
        current = self.window.session.round
        if (
            current is None
            or self.window.session.job is None
            or self.window.session.rounds.is_held()
        ):
            return
        vehicle = self.window.session.job.vehicle
        name = f"{vehicle.name.lower()}-{vehicle.airflow}-round{current.number}.csv"
        wanted = str(Path(self._folder()) / name)
        path, _ = QFileDialog.getSaveFileName(
            self.window, "Write the decided table", wanted, "Tables (*.csv)"
        )
        if path:
            self.window.session.rounds.hand_over(self._remember(path))

    def write_output(self, output: OutputSpec) -> None:
        """Ask where to write a file of the shown round, and write it."""
        session = self.window.session
        wanted = str(Path(self._folder()) / output.file_name)
        kind = Path(output.file_name).suffix
        path, _ = QFileDialog.getSaveFileName(
            self.window, f"Write the {output.title}", wanted, f"Files (*{kind})"
        )
        if not path:
            return
        target = self._remember(path)
        prepared: list[Callable[[Path], object]] = []
        if self.window.opening.attempt(lambda: prepared.append(output.prepare(session.parts))):
            session.tasks.start(
                WRITING,
                str(Say.WRITING(what=output.title)),
                lambda _: prepared[0](target),
                lambda _: session.note(Say.OUTPUT_WRITTEN(what=output.title, path=target)),
                replace=True,
            )

    def picture(self, what: Literal["copy", "numbers", "save"]) -> None:
        """Copy or save the chart or table that is shown.

        Parameters
        ----------
        what : a picture to the clipboard, its numbers, or either to a file.
        """
        offered = pictured_in(self.window)
        if offered is None:
            self.window.session.note(Say.NO_PICTURE())
        elif what == "save":
            path = ask_where(offered, Path(self._folder()))
            if path is not None:
                self._remember(str(path))
                self.window.session.note(Say.OUTPUT_WRITTEN(what=offered.name, path=path))
        elif what == "copy":
            offered.copy()
            self.window.session.note(Say.PICTURE_COPIED(what=offered.name))
        else:
            offered.copy_numbers()
            self.window.session.note(Say.NUMBERS_COPIED(what=offered.name))

    def copy_table(self, axes: bool = True) -> None:
        """Put the decided table on the clipboard, tab separated."""
        current = self.window.session.round
        # Before anything is on the clipboard: what is there is pasted.
        if current is None or self.window.session.rounds.is_held():
            return
        text = table_text(current.result, "\t")
        if not axes:
            text = "\n".join(line.split("\t", 1)[1] for line in text.splitlines()[1:]) + "\n"
        QGuiApplication.clipboard().setText(text)
        self.window.session.rounds.copied()
