"""From one round to the next.

Driving the simulated car, adding logs, beginning a round, handing the table over.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.core.data.calibration import Calibration, with_calibration
from lean_trim.core.decision.prediction import predict_residual
from lean_trim.core.messages import Message
from lean_trim.job.blobs import store_log
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.records import LogInfo, Prediction, Round, StoredLog
from lean_trim.job.store import JobStore
from lean_trim.workspace.changes import DriveGrew, Notice, Part
from lean_trim.workspace.destination import Destination, Place, round_following
from lean_trim.workspace.driven_car import drive_apart
from lean_trim.workspace.side_tables import decided_tables
from lean_trim.workspace.tasks import Lane, Report

if TYPE_CHECKING:
    from lean_trim.workspace.workspace import Workspace

DRIVE_TITLE = "Driving the simulated car"


class Say:
    """What going from round to round says."""

    ONLY_DEMO = Message(
        "rounds.only_demo",
        "Only a demo job has a simulated car. Log a real drive and add the log to this round.",
    )
    GO_BACK = Message(
        "rounds.go_back",
        "This is an earlier round. “Go back to this round” begins a new one on what was decided here.",
    )
    ALREADY_NEWEST = Message(
        "rounds.already_newest", "This is the newest round already; begin the next round from it instead."
    )
    NO_LOG = Message("rounds.no_log", "This round has no log yet; add one before starting the next round.")
    NOT_WRITTEN = Message("rounds.not_written", "{path}: cannot be written ({cause}); choose another place.")
    WRITTEN = Message(
        "rounds.written",
        "Table written to {path}. Keep a copy of what is in the ECU before you write this to it.",
    )
    WRITTEN_WITH = Message("rounds.written_with", "Written to {path}. {entry}")
    WRITTEN_BESIDE = Message(
        "rounds.written_beside",
        "Table written to {path}, and beside it: {beside}. Keep a copy of what is in the ECU "
        "before you write these to it.",
    )
    COPIED_WITH = Message("rounds.copied_with", "Copied for your ECU's editor. {entry}")
    COPIED = Message(
        "rounds.copied", "Table copied. Keep a copy of what is in the ECU before you write this to it."
    )
    NOT_AS_HANDED = Message(
        "rounds.not_as_handed",
        "The new round is on what is decided now, which is not what was handed over. Hand it over and write "
        "it to the ECU before the next drive.",
    )
    COPIED_UNCHANGED = Message(
        "rounds.copied_unchanged",
        "Table copied as it was driven: nothing is decided in this round, so nothing counts as handed over.",
    )


def injector_paths(current: Round, path: Path) -> dict[str, Path]:
    """Where the decided injector tables of a round go.

    Parameters
    ----------
    current : a round.
    path : of its airflow table.

    Returns
    -------
    By name; those that are decided.
    """
    return {
        name: path.with_name(f"{path.stem}-{name.replace('_', '-')}{path.suffix}")
        for name in decided_tables(current)
    }


@dataclass
class AddLogs:
    """Logs for a round; ``infos`` is there once the file has them."""

    workspace: Workspace
    round_id: int
    logs: tuple[StoredLog, ...]
    infos: tuple[LogInfo, ...] | None = field(default=None)

    @property
    def text(self) -> str:
        """What it is."""
        return ", ".join(s.log.name for s in self.logs)

    def save(self, store: JobStore) -> None:
        """Write the logs to a file; from any thread.

        Parameters
        ----------
        store : the file the round is in.
        """
        self.infos = store.add_logs(self.round_id, self.logs)

    def apply(self) -> None:
        """Save what is not saved yet, then take the logs into memory."""
        if self.infos is None:
            self.workspace.saving.save(self.save)
        job = self.workspace.job
        changed = job.round_of(self.round_id) if job is not None else None
        if changed is not None and self.infos is not None:
            logs = (*changed.logs, *(s.log for s in self.logs))
            changed = replace(changed.without_outcome(), logs=logs, log_infos=self.infos)
            self.workspace.take_logs(changed, self.text)


@dataclass
class BeginRound:
    """A new round on a new revision, with its logs if there are any.

    ``begun`` is there once the file has it.
    """

    workspace: Workspace
    parent: Round
    calibration: Calibration
    logs: tuple[StoredLog, ...] = ()
    prediction: Prediction | None = None
    begun: Round | None = field(default=None)

    @property
    def text(self) -> str:
        """What it is."""
        return ", ".join(s.log.name for s in self.logs) or "the next round"

    def save(self, store: JobStore) -> None:
        """Write the round to a file, and what the one before foretold of it; from any thread.

        Parameters
        ----------
        store : the file the parent is in.
        """
        self.begun = store.begin_round(self.parent, self.calibration, self.logs, self.prediction)

    def apply(self) -> None:
        """Save what is not saved yet, then take the round into memory."""
        if self.begun is None:
            self.workspace.saving.save(self.save)
        if self.begun is not None:
            self.workspace.take_round(self.begun, self.parent.id, self.prediction, self.text)


Addition = AddLogs | BeginRound


def saved(addition: Addition, store: JobStore, report: Report) -> tuple[Addition, SaveFailedError | None]:
    """Write an addition in a task's thread.

    What the file refused comes back with the reason, so that it is not lost.

    Parameters
    ----------
    addition : with its logs.
    store : the file it goes into.
    report : of the task; cancelling is too late from here on.

    Returns
    -------
    The addition, and why the file refused it, None if it did not.
    """
    report.saving()
    try:
        addition.save(store)
    except SaveFailedError as error:
        return addition, error
    return addition, None


class Rounds:
    """Begins and ends rounds of the open job."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.drive_minutes = 12.0

    def drive(self) -> None:
        """Drive the simulated car.

        On the newest round's table if it has no log yet, else on the decided one in a new round.

        Where the log goes is settled here, whatever is looked at when it comes.
        """
        workspace = self.workspace
        job = workspace.job
        store = workspace.store
        if job is None or store is None or not job.car:
            workspace.note(Say.ONLY_DEMO())
            return
        if not workspace.is_last:
            workspace.show_round(len(job.rounds) - 1)
        newest = job.rounds[-1]
        addition = self._addition_for(newest)
        calibration = (
            addition.calibration if isinstance(addition, BeginRound) else newest.revision.calibration
        )
        vehicle = with_calibration(job.vehicle, calibration)
        seed = newest.number + int(isinstance(addition, BeginRound))
        minutes = self.drive_minutes

        def work(report: Report) -> tuple[Addition, SaveFailedError | None]:
            addition.logs = (store_log(drive_apart(vehicle, seed, minutes, report, car=job.car)),)
            return saved(addition, store, report)

        workspace.tasks.start(
            Lane.READING,
            DRIVE_TITLE,
            work,
            done=lambda answer: self.take(*answer),
            on_detail=lambda log: workspace.hub.publish(DriveGrew(newest.id, log)),
        )

    def _addition_for(self, newest: Round) -> Addition:
        """Where the next log belongs.

        In the newest round if it has none, else in a new one on what was decided.
        """
        # The first drive of a round is driven on the table it has; later ones on what was decided.
        if not newest.logs:
            return AddLogs(self.workspace, newest.id, ())
        return BeginRound(
            self.workspace, newest, newest.resulting_calibration, prediction=self.foretold(newest)
        )

    def foretold(self, ended: Round) -> Prediction | None:
        """What the next drive should show, if the round is looked at with a solution.

        Parameters
        ----------
        ended : a round whose decided table is driven next.

        Returns
        -------
        The residual with its error, None if nothing can be foretold.
        """
        solution = self.workspace.solver.solution
        # One of fewer logs, while the whole is still being solved, would foretell another drive.
        # With other injector data the table will be asked something else than this drive says.
        if ended.injectors_decided:
            return None
        if solution is None or not self.workspace.shows(ended.id) or not self.workspace.solver.is_up_to_date:
            return ended.prediction
        foretold = predict_residual(solution.estimate, ended.result_as_driven.values)
        return None if foretold is None else Prediction(*foretold)

    def addition_for(self, where: Destination, place: Place, logs: tuple[StoredLog, ...]) -> Addition | None:
        """What puts logs where they belong: into the round they were opened for, or into the next one.

        Parameters
        ----------
        where : the round they were opened for, and the calibration of the one after it.
        place : which of the two.
        logs : with their bytes.

        Returns
        -------
        Not saved yet; None if the round is gone.
        """
        job = self.workspace.job
        asked = job.round_of(where.round_id) if job is not None else None
        if job is None or asked is None:
            return None
        if place is not Place.NEXT or where.following is None:
            return AddLogs(self.workspace, asked.id, logs)
        begun = round_following(job, asked, where.following)
        if begun is not None:
            return AddLogs(self.workspace, begun.id, logs)
        return BeginRound(self.workspace, asked, where.following, logs, where.prediction)

    def take(self, addition: Addition, error: SaveFailedError | None) -> None:
        """Take what a task wrote into memory, or keep what the file refused.

        Parameters
        ----------
        addition : saved, unless there is an error.
        error : why the file refused it.
        """
        # The drive took minutes; only the file refused it.
        if error is not None:
            self.workspace.saving.refused(error, addition)
            return
        self.workspace.saving.tell_access()
        addition.apply()

    def begin_round(self) -> None:
        """Start the next round on the decided calibration, to be filled with a log."""
        if self.workspace.is_last:
            self._begin_from_shown()
        elif self.workspace.job is not None:
            self.workspace.note(Say.GO_BACK())

    def go_back(self) -> None:
        """Start a round on what an earlier round decided, leaving the later ones as they are."""
        if self.workspace.is_last:
            self.workspace.note(Say.ALREADY_NEWEST())
        else:
            self._begin_from_shown()

    def _begin_from_shown(self) -> None:
        workspace = self.workspace
        current = workspace.round
        if workspace.store is None or current is None:
            return
        if not current.logs:
            workspace.note(Say.NO_LOG())
            return
        addition = BeginRound(
            workspace, current, current.resulting_calibration, prediction=self.foretold(current)
        )
        if workspace.saving.attempt(addition.apply, addition) and current.has_changed_since_handed_over:
            workspace.note(Say.NOT_AS_HANDED())

    def hand_over(self, path: Path) -> bool:
        """Write the decided table of the shown round as CSV, decided injector tables beside it.

        False (and a notice) if it could not be written or noted.

        Parameters
        ----------
        path : of the CSV file; replaced if it exists.

        Returns
        -------
        Whether table and note were written.
        """
        from lean_trim.formats.tables import write_table

        current = self.workspace.round
        if current is None:
            return False
        beside = injector_paths(current, path)
        try:
            write_table(current.result, path)
            for name, table in decided_tables(current).items():
                write_table(table, beside[name])
        except OSError as error:
            self.workspace.hub.publish(Notice("error", Say.NOT_WRITTEN(path=path, cause=error.strerror)))
            return False
        if not self.mark_handed_over(f"CSV {path.name}"):
            return False
        names = [p.name for p in beside.values()]
        entry = self.workspace.scale.entry()
        if entry is not None:
            self.workspace.note(Say.WRITTEN_WITH(path=path, entry=str(entry)))
        elif names:
            self.workspace.note(Say.WRITTEN_BESIDE(path=path, beside=" and ".join(names)))
        else:
            self.workspace.note(Say.WRITTEN(path=path))
        return True

    def copied(self) -> bool:
        """Note that the decided table went to the clipboard; a copy of what was driven hands nothing over."""
        current = self.workspace.round
        if current is not None and not current.changed:
            self.workspace.note(Say.COPIED_UNCHANGED())
            return True
        if not self.mark_handed_over("clipboard"):
            return False
        entry = self.workspace.scale.entry()
        self.workspace.note(Say.COPIED() if entry is None else Say.COPIED_WITH(entry=str(entry)))
        return True

    def mark_handed_over(self, how: str) -> bool:
        """Note in the job how the calibration left it, and what the next drive should show.

        False if it was not saved.

        Parameters
        ----------
        how : a few words for the rail.

        Returns
        -------
        Whether it was noted.
        """
        workspace = self.workspace
        current = self.workspace.round
        if current is None:
            return False
        prediction = self.foretold(current)
        # The cells as they went out: what is decided later is not what the next drive was driven on.
        handed = {name: current.decided_for(name).values for name in {current.subject, *current.decisions}}

        def act() -> None:
            note = workspace.saving.save(
                lambda store: store.mark_handed_over(current.id, how, handed, prediction)
            )
            after = replace(current, handed_over=note, prediction=prediction, handed=handed)
            workspace.replace_round(after, Part.HANDED_OVER)

        return workspace.saving.attempt(act)
