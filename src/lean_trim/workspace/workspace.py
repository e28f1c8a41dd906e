"""The open job: what is in the file, what is looked at, and who may change it. Knows no window."""

from __future__ import annotations

import itertools
import logging
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from lean_trim.core.data.calibration import with_calibration
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message, Said
from lean_trim.formats.meaning.choices import Choices
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.records import Job, Prediction, Round
from lean_trim.job.store import JobStore, open_job
from lean_trim.workspace.changes import (
    AccessChanged,
    Hub,
    JobClosed,
    JobOpened,
    Notice,
    Part,
    RoundAdded,
    RoundChanged,
    RoundShown,
)
from lean_trim.workspace.deciding import Deciding
from lean_trim.workspace.fuel_corrections import FuelCorrections
from lean_trim.workspace.history import Change, History
from lean_trim.workspace.imports import LogImports
from lean_trim.workspace.injector_study import InjectorStudy
from lean_trim.workspace.injector_tables import InjectorTables
from lean_trim.workspace.loop import EventLoop
from lean_trim.workspace.marks import Marks
from lean_trim.workspace.pulls import PullsControl
from lean_trim.workspace.round_logs import RoundLogs
from lean_trim.workspace.rounds import Rounds
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.scale_moves import ScaleMoves
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.target_table import TargetTable
from lean_trim.workspace.tasks import Lane, Report, Tasks
from lean_trim.workspace.transients import TransientsControl
from lean_trim.workspace.tuning import TuningControl

LOGGER = logging.getLogger(__name__)


class Say:
    """What opening, closing and moving about say."""

    ADDED = Message("workspace.added", "{what} is in round {number} now.")
    UNDONE = Message("workspace.undone", "Undone: {what}")
    REDONE = Message("workspace.redone", "Done again: {what}")


class Workspace:
    """One open job, or none.

    Views subscribe to ``hub`` and call the parts: ``deciding``, ``rounds``, ``logs``, ``tuning``,
    ``imports``, ``marks``, ``solver``, ``saving``, ``history``. Every part saves first, then changes memory,
    then tells.
    """

    def __init__(self, loop: EventLoop) -> None:
        self.hub = Hub()
        self.store: JobStore | None = None
        self.path: Path | None = None
        self.job: Job | None = None
        self.number = 0
        self.read_only = ""
        self.settings_cache: dict[str, str] = {}
        self.choices_cache: dict[str, Choices] = {}
        self._numbers = itertools.count(1)
        self._shown_id = 0
        self.tasks = Tasks(loop, self.hub)
        self.history = History(self.hub)
        self.saving = Saving(self)
        self.tuning = TuningControl(self)
        self.solver = Solver(self)
        self.deciding = Deciding(self)
        self.rounds = Rounds(self)
        self.logs = RoundLogs(self)
        self.marks = Marks(self)
        self.imports = LogImports(self)
        self.study = InjectorStudy(self)
        self.injectors = InjectorTables(self)
        self.scale = ScaleMoves(self)
        self.pulls = PullsControl(self)
        self.targets = TargetTable(self)
        self.transients = TransientsControl(self)
        self.corrections = FuelCorrections(self)

    @property
    def index(self) -> int:
        """Place of the round that is looked at; 0 without a job."""
        found = self.job.index_of(self._shown_id) if self.job is not None else None
        return 0 if found is None else found

    @property
    def round(self) -> Round | None:
        """The round that is looked at."""
        return None if self.job is None else self.job.rounds[self.index]

    @property
    def vehicle(self) -> Vehicle | None:
        """The vehicle as driven in the shown round, its airflow source told as the user says."""
        if self.job is None:
            return None
        vehicle = self.job.vehicle_in(self.index)
        source = self.tuning.settled.airflow_source
        return vehicle if source is None else replace(vehicle, airflow_source=source)

    def decided_vehicle(self) -> Vehicle | None:
        """The vehicle with the tables as they are decided in the shown round; None without a job.

        Returns
        -------
        What the next round would be driven on.
        """
        if self.job is None or self.round is None:
            return None
        return with_calibration(self.job.vehicle, self.round.resulting_calibration)

    @property
    def is_last(self) -> bool:
        """True if the newest round is looked at; only that can still be decided."""
        return self.job is not None and self.index == len(self.job.rounds) - 1

    def shows(self, round_id: int) -> bool:
        """True if that round is the one that is looked at.

        Parameters
        ----------
        round_id : a round's id.

        Returns
        -------
        Whether it is looked at.
        """
        return self.round is not None and self.round.id == round_id

    def goes_on(self, some: Round) -> bool:
        """True while a round has not ended: it is the newest and was not handed over.

        Its verdict still follows its settings.

        Parameters
        ----------
        some : a round of the open job.

        Returns
        -------
        Whether it can still change.
        """
        return self.job is not None and self.job.rounds[-1].id == some.id and not some.handed_over

    def note(self, said: Said) -> None:
        """Tell the user something.

        Parameters
        ----------
        said : a declared message with its values.
        """
        self.hub.publish(Notice("note", said))

    def open_path(self, path: Path, then: Callable[[], None] | None = None, take_over: bool = False) -> None:
        """Open a job file at its newest round, in the background; ``then`` is called when it is open.

        A file another window holds is opened for reading only, unless it is taken over. A job that is open
        stays open until the other one is read, so that a file that cannot be used takes nothing away.

        Parameters
        ----------
        path : a job file.
        then : called when it is open.
        take_over : become the window that writes, whoever was before.
        """
        # The same file cannot be held twice, not even by one window.
        if self.path is not None and path.exists() and self.path.exists() and path.samefile(self.path):
            self.close_job()

        def work(report: Report) -> tuple[JobStore, Job]:
            store, job = open_job(path)
            if take_over and store.read_only:
                try:
                    store.take_over()
                except SaveFailedError:
                    store.close()
                    raise
            return store, job

        def opened(answer: tuple[JobStore, Job]) -> None:
            self.close_job()
            self.take_job(path, *answer)
            if then is not None:
                then()

        self.tasks.start(Lane.READING, "Opening the job", work, opened)

    def take_job(self, path: Path, store: JobStore, job: Job) -> None:
        """Make an opened job the one that is looked at.

        Parameters
        ----------
        path, store, job : as ``open_job`` gives them.
        """
        held = f", {store.read_only}" if store.read_only else ""
        LOGGER.info("opened %s: %s rounds%s", path.name, len(job.rounds), held)
        self.store = store
        self.path = path
        self.job = job
        self.number = next(self._numbers)
        self.settings_cache = store.settings()
        self.choices_cache = store.load_choices()
        self._shown_id = job.rounds[-1].id
        self.read_only = store.read_only
        self.hub.publish(AccessChanged(self.read_only))
        self.publish_job()
        self.show_round(len(job.rounds) - 1)

    def publish_job(self) -> None:
        """Tell that the job, or where it is kept, is another one."""
        self.hub.publish(JobOpened(self.number))

    def take_over(self) -> None:
        """Become the window that writes.

        The job is read again, since the other window may have changed it.
        """
        if self.path is not None:
            self.open_path(self.path, take_over=True)

    def close_job(self) -> None:
        """Let go of the job; a turn that is not at rest is kept first, everything else is saved already."""
        self.tuning.rest()
        self.tasks.drop_all()
        self.solver.forget()
        if self.store is not None:
            self.store.close()
        self.store = self.path = self.job = None
        self._shown_id = 0
        self.settings_cache = {}
        self.choices_cache = {}
        self.history.clear()
        self.saving.clear()
        self.imports.clear()
        self.study.forget()
        self.pulls.forget()
        self.transients.forget()
        if self.read_only:
            self.read_only = ""
            self.hub.publish(AccessChanged(""))
        self.hub.publish(JobClosed())

    def show_round(self, index: int) -> None:
        """Look at a round, with its own settings, and solve it if it has logs.

        Answers for another round are dropped.

        Parameters
        ----------
        index : place of the round, from 0.
        """
        if self.job is None:
            return
        self.tuning.rest()
        self.solver.forget()
        # Undo addresses what is seen; undoing something of another round would not be.
        self.history.clear()
        shown = self.job.rounds[index]
        self._shown_id = shown.id
        self.tuning.show(shown.tuning)
        self.hub.publish(RoundShown(shown.id))
        self.solver.solve()

    def replace_round(self, changed: Round, part: Part) -> None:
        """Take a changed round into memory; the file has it already.

        Parameters
        ----------
        changed : a round the file already has like this.
        part : what is other than before.
        """
        if self.job is not None:
            self.job = self.job.with_round(changed)
            self.hub.publish(RoundChanged(changed.id, part))

    def take_logs(self, changed: Round, what: str) -> None:
        """Take a round with more logs into memory, and show it anew if it is looked at.

        Parameters
        ----------
        changed : a round the file already has like this.
        what : names of the logs, for a notice.
        """
        self.replace_round(changed, Part.LOGS)
        if self.shows(changed.id):
            self.show_round(self.index)
        else:
            self.note(Say.ADDED(what=what, number=changed.number))

    def take_round(self, new: Round, parent_id: int, prediction: Prediction | None, what: str) -> None:
        """Take a new round into memory; it is shown if the one it was made from is looked at.

        Parameters
        ----------
        new : a round the file already has.
        parent_id : the round it was made from.
        prediction : what that one foretold of it.
        what : names of its logs, for a notice.
        """
        if self.job is None:
            return
        parent = self.job.round_of(parent_id)
        if parent is None:
            return
        if prediction is not None:
            self.job = self.job.with_round(replace(parent, prediction=prediction))
        self.job = self.job.with_new_round(new)
        self.hub.publish(RoundAdded(new.id))
        if self.shows(parent_id):
            self.show_round(len(self.job.rounds) - 1)
        else:
            self.note(Say.ADDED(what=what, number=new.number))

    def show_other_logs(self) -> None:
        """Solve the round that is looked at anew: other logs belong to it. Undo reaches back over that."""
        current = self.round
        if current is None:
            return
        self.solver.forget()
        self.hub.publish(RoundShown(current.id))
        self.solver.solve()

    def undo(self) -> None:
        """Take the last change back and say which; told if the file refuses."""
        # A knob that is not at rest yet is the last change.
        self.tuning.rest()
        self.saving.attempt(lambda: self._tell_done(Say.UNDONE, self.history.undo()))

    def redo(self) -> None:
        """Do the last undone change again and say which; told if the file refuses."""
        self.tuning.rest()
        self.saving.attempt(lambda: self._tell_done(Say.REDONE, self.history.redo()))

    def _tell_done(self, how: Message, change: Change | None) -> None:
        if change is not None:
            self.hub.publish(Notice("done", how(what=change.text)))

    def setting(self, key: str, default: str = "") -> str:
        """A setting of the job, from memory.

        Parameters
        ----------
        key : its name.
        default : if it was never kept.

        Returns
        -------
        Its text.
        """
        return self.settings_cache.get(key, default)

    def save_setting(self, key: str, value: str) -> None:
        """Keep a setting of the job; SaveFailedError if it could not be saved.

        Parameters
        ----------
        key, value : replaces an earlier one.

        Raises
        ------
        SaveFailedError
            If the file refused it.
        """
        self.saving.save(lambda store: store.save_setting(key, value))
        self.settings_cache = {**self.settings_cache, key: value}

    def save_choices(self, shape: str, choices: Choices) -> None:
        """Keep what the user said about logs of a shape; SaveFailedError if it could not be saved.

        Parameters
        ----------
        shape : key of the logs' columns.
        choices : replace earlier ones.

        Raises
        ------
        SaveFailedError
            If the file refused them.
        """
        self.saving.save(lambda store: store.save_choices(shape, choices))
        self.choices_cache = {**self.choices_cache, shape: choices}
