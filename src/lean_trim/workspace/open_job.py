"""What is open: the file, what is in it, which round is looked at, and the only way to change it.

Everything here belongs to one thread, the model's. Work in other threads is given frozen records (a
``Job``, a ``Snapshot``) and hands values and bytes back; that they reach the file is this thread's
doing.
"""

from __future__ import annotations

import itertools
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TypeVar

from lean_trim.core.data.calibration import with_calibration
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message, Said
from lean_trim.formats.meaning.choices import Choices
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.records import Job, Prediction, Round
from lean_trim.job.store import JobStore
from lean_trim.workspace.changes import (
    AccessChanged,
    Hub,
    JobOpened,
    Notice,
    Part,
    Remedy,
    RoundAdded,
    RoundChanged,
)

Result = TypeVar("Result")


class Say:
    """What the open job says."""

    NO_JOB = Message("open_job.no_job", "No job is open.")
    ONLY_NEWEST = Message(
        "open_job.only_newest",
        "Only the newest round can be decided; earlier ones are kept as they were.",
    )


@dataclass(frozen=True, eq=False)
class Snapshot:
    """The open job at one moment, for work in another thread.

    Attributes
    ----------
    number : of the opened job.
    job : its vehicle and rounds.
    settings, choices : what belongs to no round.
    """

    number: int
    job: Job
    settings: Mapping[str, str]
    choices: Mapping[str, Choices]


class OpenJob:
    """One open job, or none; ``number`` tells one opening from the next.

    A change goes through ``commit``, which writes it to the file, and then through one of the
    ``take`` methods, which take it into memory and tell. A job without a file of its own is kept in
    a store in memory and follows the same way.
    """

    def __init__(self, hub: Hub) -> None:
        self.hub = hub
        self.store: JobStore | None = None
        self.path: Path | None = None
        self.job: Job | None = None
        self.number = 0
        self.commits = 0
        self.read_only = ""
        self.settings: Mapping[str, str] = {}
        self.choices: Mapping[str, Choices] = {}
        self._numbers = itertools.count(1)
        self._shown_id = 0
        self._thread = threading.get_ident()

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
        current = self.round
        if self.job is None or current is None:
            return None
        vehicle = self.job.vehicle_in(self.index)
        source = current.tuning.airflow_source
        return vehicle if source is None else replace(vehicle, airflow_source=source)

    @property
    def decided_vehicle(self) -> Vehicle | None:
        """What the next round would be driven on: the vehicle with the tables as they are decided."""
        current = self.round
        if self.job is None or current is None:
            return None
        return with_calibration(self.job.vehicle, current.resulting_calibration)

    @property
    def is_last(self) -> bool:
        """True if the newest round is looked at; only that can still be decided."""
        return self.job is not None and self.index == len(self.job.rounds) - 1

    @property
    def snapshot(self) -> Snapshot | None:
        """Everything that is open, frozen; None without a job."""
        if self.job is None:
            return None
        return Snapshot(self.number, self.job, self.settings, self.choices)

    def round_of(self, round_id: int) -> Round | None:
        """A round of the open job by its id.

        Parameters
        ----------
        round_id : a round's id.

        Returns
        -------
        None if it is not there, or no job is open.
        """
        return None if self.job is None else self.job.round_of(round_id)

    def shows(self, round_id: int) -> bool:
        """True if that round is the one that is looked at."""
        return self.round is not None and self.round.id == round_id

    def refuses_old_round(self) -> bool:
        """True, and told, where an earlier round is looked at: nothing is decided there any more.

        Without a job nothing is told.
        """
        if self.round is not None and not self.is_last:
            self.note(Say.ONLY_NEWEST())
        return not self.is_last

    def goes_on(self, some: Round) -> bool:
        """True while a round has not ended: it is the newest and was not handed over.

        Its verdict still follows its settings.
        """
        return self.job is not None and self.job.rounds[-1].id == some.id and not some.handed_over

    def note(self, said: Said) -> None:
        """Tell the user something."""
        self.hub.publish(Notice("note", said))

    def error(self, said: Said, remedies: tuple[Remedy, ...] = ()) -> None:
        """Tell the user what could not be done, and what may be done about it."""
        self.hub.publish(Notice("error", said, remedies))

    # ---- the file ----------------------------------------------------------------------------

    def commit(self, write: Callable[[JobStore], Result]) -> Result:
        """Write to the open job's file; the only place that does.

        Parameters
        ----------
        write : called with the open file, one transaction.

        Returns
        -------
        What ``write`` returned.

        Raises
        ------
        SaveFailedError
            With the true cause; the file is as it was.
        AssertionError
            If another thread than the model's asks.
        """
        assert threading.get_ident() == self._thread, "only the model's thread commits"
        if self.store is None:
            raise SaveFailedError(Path(), str(Say.NO_JOB()))
        try:
            return write(self.store)
        finally:
            # Counted where it failed as well: whoever read the file before has to look again.
            self.commits += 1
            self.tell_access()

    def tell_access(self) -> None:
        """Publish a change of what may be saved."""
        read_only = self.store.read_only if self.store is not None else ""
        if read_only != self.read_only:
            self.read_only = read_only
            self.hub.publish(AccessChanged(read_only))

    def take_store(self, store: JobStore, path: Path) -> None:
        """Go on in another file that holds the same job; the one before is closed."""
        before = self.store
        self.store = store
        self.path = path
        if before is not None and before is not store:
            before.close()
        self.tell_access()
        self.publish_job()

    def take_job(self, path: Path, store: JobStore, job: Job) -> None:
        """Make an opened job the open one; its newest round is the one that is looked at.

        Parameters
        ----------
        path, store, job : as ``open_job`` gives them.
        """
        self.store = store
        self.path = path
        self.job = job
        self.number = next(self._numbers)
        self.settings = store.settings()
        self.choices = store.load_choices()
        self._shown_id = job.rounds[-1].id
        self.read_only = store.read_only
        self.hub.publish(AccessChanged(self.read_only))
        self.publish_job()

    def let_go(self) -> None:
        """Close the file; no job is open any more. Whoever tells so is ``Opening``."""
        if self.store is not None:
            self.store.close()
        self.store = self.path = self.job = None
        self._shown_id = 0
        self.settings = {}
        self.choices = {}
        if self.read_only:
            self.read_only = ""
            self.hub.publish(AccessChanged(""))

    def publish_job(self) -> None:
        """Tell that the job, or where it is kept, is another one."""
        self.hub.publish(JobOpened(self.number))

    # ---- memory, once the file has it --------------------------------------------------------

    def look_at(self, index: int) -> Round | None:
        """Make a round the one that is looked at, without a word; ``Navigation`` tells.

        Parameters
        ----------
        index : its place, from 0.

        Returns
        -------
        The round; None without a job.
        """
        if self.job is None:
            return None
        shown = self.job.rounds[index]
        self._shown_id = shown.id
        return shown

    def take_round(self, changed: Round, part: Part) -> None:
        """Take a changed round into memory; the file has it already.

        Parameters
        ----------
        changed : a round the file already has like this.
        part : what is other than before.
        """
        if self.job is not None:
            self.job = self.job.with_round(changed)
            self.hub.publish(RoundChanged(changed.id, part))

    def take_new_round(self, new: Round, parent_id: int, prediction: Prediction | None) -> None:
        """Take a round the file already has into memory."""
        parent = self.round_of(parent_id)
        if self.job is None or parent is None:
            return
        if prediction is not None:
            self.job = self.job.with_round(parent.with_prediction(prediction))
        self.job = self.job.with_new_round(new)
        self.hub.publish(RoundAdded(new.id))

    def take_subject(self, table_name: str) -> None:
        """Look at the job by another of its airflow tables; the file has it already, if it can be written."""
        if self.job is not None:
            self.job = self.job.seen_by(table_name)

    def take_vehicle(self, vehicle: Vehicle) -> None:
        """Take what the vehicle is into memory; the file has it already."""
        if self.job is not None:
            self.job = replace(self.job, vehicle=vehicle)
            self.publish_job()

    # ---- what belongs to no round ------------------------------------------------------------

    def setting(self, key: str, default: str = "") -> str:
        """A setting of the job, from memory; ``default`` if it was never kept."""
        return self.settings.get(key, default)

    def save_setting(self, key: str, value: str) -> None:
        """Keep a setting of the job.

        Raises
        ------
        SaveFailedError
            If the file refused it.
        """
        self.commit(lambda store: store.save_setting(key, value))
        self.settings = {**self.settings, key: value}

    def save_choices(self, shape: str, choices: Choices) -> None:
        """Keep what the user said about logs of a shape.

        Raises SaveFailedError if the file refused them.
        """
        self.commit(lambda store: store.save_choices(shape, choices))
        self.choices = {**self.choices, shape: choices}
