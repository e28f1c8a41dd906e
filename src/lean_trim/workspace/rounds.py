"""From one round to the next.

Driving the simulated car, adding logs, beginning a round, handing the table over.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from lean_trim.core.data.calibration import with_calibration
from lean_trim.core.data.log import Log
from lean_trim.core.messages import Message
from lean_trim.formats.whole_files import Replacing
from lean_trim.job.blobs import store_log
from lean_trim.job.records import Round, StoredLog
from lean_trim.workspace.additions import Additions, BeginRound
from lean_trim.workspace.changes import DriveGrew, Part
from lean_trim.workspace.destination import drive_destination
from lean_trim.workspace.driven_car import DRIVE_TITLE, drive_apart
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.scale_moves import ScaleMoves
from lean_trim.workspace.side_tables import decided_tables
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.tasks import Lane, Report, Tasks
from lean_trim.workspace.work_state import Work


class Say:
    """What going from round to round says."""

    ONLY_DEMO = Message(
        "rounds.only_demo",
        "Only a demo job has a simulated car. Log a real drive and add the log to this round.",
    )
    GO_BACK = Message(
        "rounds.go_back",
        "This is an earlier round. “Go back to this round” begins a new one on what was decided "
        "here.",
    )
    ALREADY_NEWEST = Message(
        "rounds.already_newest",
        "This is the newest round already; begin the next round from it instead.",
    )
    NO_LOG = Message(
        "rounds.no_log", "This round has no log yet; add one before starting the next round."
    )
    NOT_WRITTEN = Message(
        "rounds.not_written", "{path}: cannot be written ({cause}); choose another place."
    )
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
        "rounds.copied",
        "Table copied. Keep a copy of what is in the ECU before you write this to it.",
    )
    NOT_AS_HANDED = Message(
        "rounds.not_as_handed",
        "The new round is on what is decided now, which is not what was handed over. Hand it over "
        "and write it to the ECU before the next drive.",
    )
    COPIED_UNCHANGED = Message(
        "rounds.copied_unchanged",
        "Table copied as it was driven: nothing is decided in this round, so nothing counts as "
        "handed over.",
    )


def injector_paths(current: Round, path: Path) -> dict[str, Path]:
    """Where the decided injector tables of a round go.

    Returns by name; those that are decided.
    """
    return {
        name: path.with_name(f"{path.stem}-{name.replace('_', '-')}{path.suffix}")
        for name in decided_tables(current)
    }


class Rounds:
    """Begins and ends rounds of the open job."""

    def __init__(
        self,
        open_job: OpenJob,
        tasks: Tasks,
        saving: Saving,
        navigation: Navigation,
        solver: Solver,
        additions: Additions,
        scale: ScaleMoves,
        work: Work,
    ) -> None:
        self.open = open_job
        self.tasks = tasks
        self.saving = saving
        self.navigation = navigation
        self.solver = solver
        self.additions = additions
        self.scale = scale
        self.work = work
        self.drive_minutes = 12.0

    def drive(self, plan: str = "", minutes: float | None = None) -> None:
        """Drive the simulated car.

        On the newest round's table if it has no log yet, else on the decided one in a new round.

        Where the log goes is settled here, whatever is looked at when it comes.

        Parameters
        ----------
        plan : a plan.json whose states are held, "" for the driver's own way.
        minutes : of the drive; as every drive is if None.
        """
        job = self.open.job
        if job is None or not job.car:
            self.open.note(Say.ONLY_DEMO())
            return
        self.navigation.show_newest()
        newest = job.rounds[-1]
        where = drive_destination(job, self.solver.foretold)
        following = where.following
        vehicle = where.vehicle if following is None else with_calibration(job.vehicle, following)
        seed = newest.number + int(following is not None)
        length = self.drive_minutes if minutes is None else minutes

        def work(report: Report) -> StoredLog:
            return store_log(drive_apart(vehicle, seed, length, report, car=job.car, plan=plan))

        def keep(stored: StoredLog) -> None:
            self.additions.put(where, where.place, (stored,))

        def grew(log: Log) -> None:
            self.open.hub.publish(DriveGrew(newest.id, log))

        self.tasks.start(Lane.READING, DRIVE_TITLE, work, done=keep, on_detail=grew)

    def begin_round(self) -> None:
        """Start the next round on the decided calibration, to be filled with a log."""
        if self.open.is_last:
            self._begin_from_shown()
        elif self.open.job is not None:
            self.open.note(Say.GO_BACK())

    def go_back(self) -> None:
        """Start a round on what an earlier round decided, leaving the later ones as they are."""
        if self.open.is_last:
            self.open.note(Say.ALREADY_NEWEST())
        else:
            self._begin_from_shown()

    def _begin_from_shown(self) -> None:
        current = self.open.round
        if current is None:
            return
        if not current.logs:
            self.open.note(Say.NO_LOG())
            return
        begun = BeginRound(
            self.open,
            self.navigation,
            parent=current,
            calibration=current.resulting_calibration,
            prediction=self.solver.foretold(current),
        )
        if self.saving.attempt(begun.apply, begun) and current.has_changed_since_handed_over:
            self.open.note(Say.NOT_AS_HANDED())

    def is_held(self) -> bool:
        """True, and told, while nothing may be handed over: dangers were not looked for yet."""
        held = self.work.state.holds_writing
        if held is not None:
            self.open.error(held)
        return held is not None

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
        from lean_trim.formats.tables import table_text

        current = self.open.round
        if current is None or self.is_held():
            return False
        beside = injector_paths(current, path)
        contents = {path: table_text(current.result)}
        contents |= {beside[name]: table_text(t) for name, t in decided_tables(current).items()}
        try:
            with Replacing(contents) as files:
                files.put()
                # File and job agree: what the job could not note was not handed over.
                if not self.mark_handed_over(f"CSV {path.name}"):
                    files.undo()
                    return False
        except OSError as error:
            self.open.error(Say.NOT_WRITTEN(path=path, cause=error.strerror or error))
            return False
        names = [p.name for p in beside.values()]
        entry = self.scale.entry()
        if entry is not None:
            self.open.note(Say.WRITTEN_WITH(path=path, entry=str(entry)))
        elif names:
            self.open.note(Say.WRITTEN_BESIDE(path=path, beside=" and ".join(names)))
        else:
            self.open.note(Say.WRITTEN(path=path))
        return True

    def copied(self) -> bool:
        """Note that the decided table went to the clipboard; a copy of what was driven hands nothing over."""
        if self.is_held():
            return False
        current = self.open.round
        if current is not None and not current.changed:
            self.open.note(Say.COPIED_UNCHANGED())
            return True
        if not self.mark_handed_over("clipboard"):
            return False
        entry = self.scale.entry()
        self.open.note(Say.COPIED() if entry is None else Say.COPIED_WITH(entry=str(entry)))
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
        current = self.open.round
        if current is None:
            return False
        prediction = self.solver.foretold(current)
        # The cells as they went out: what is decided later is not what the next drive was driven
        # on.
        now = current.resulting_calibration
        handed = {name: now[name] for name in (current.subject, *current.decisions)}

        def act() -> None:
            note = self.open.commit(
                lambda store: store.mark_handed_over(current.id, how, handed, prediction)
            )
            after = replace(current.with_prediction(prediction), handed_over=note, handed=handed)
            self.open.take_round(after, Part.HANDED_OVER)

        return self.saving.attempt(act)
