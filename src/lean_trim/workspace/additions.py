"""What adds to the open job: logs for a round, a new round with its logs.

Made in another thread as far as reading and compressing go; put into the file, and then into
memory, here.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from lean_trim.core.data.calibration import Calibration
from lean_trim.core.messages import Message
from lean_trim.job.records import Prediction, Round, StoredLog
from lean_trim.job.round_logs import marks_with
from lean_trim.workspace.changes import Part
from lean_trim.workspace.destination import Destination, Place, round_following
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving


class Say:
    """What adding says."""

    ADDED = Message("additions.added", "{what} is in round {number} now.")
    NEXT_ROUND = Message("additions.next_round", "the next round")


def names_of(logs: tuple[StoredLog, ...]) -> str:
    """Names of logs with commas between them.

    Returns "" for none.
    """
    return ", ".join(s.log.name for s in logs)


@dataclass(frozen=True, eq=False)
class AddLogs:
    """Logs for a round."""

    open: OpenJob
    navigation: Navigation
    round_id: int
    logs: tuple[StoredLog, ...]

    @property
    def text(self) -> str:
        """What it is."""
        return names_of(self.logs)

    def again(self) -> AddLogs:
        """The same logs; a round takes them whatever became of it."""
        return self

    def apply(self) -> None:
        """Save the logs, then take them into memory; the round is shown anew if it is looked at."""
        current = self.open.round_of(self.round_id)
        if current is None:
            return
        marks = marks_with(current, self.logs)
        infos = self.open.commit(lambda store: store.add_logs(self.round_id, self.logs, marks))
        logs = (*current.logs, *(s.log for s in self.logs))
        changed = replace(current.without_outcome(), logs=logs, log_infos=infos, marks=marks)
        self.open.take_round(changed, Part.LOGS)
        if self.open.shows(changed.id):
            self.navigation.show_round(self.open.index)
        else:
            self.open.note(Say.ADDED(what=self.text, number=changed.number))


@dataclass(frozen=True, eq=False)
class BeginRound:
    """A new round on a new revision, with its logs if there are any."""

    open: OpenJob
    navigation: Navigation
    parent: Round
    calibration: Calibration
    logs: tuple[StoredLog, ...] = ()
    prediction: Prediction | None = field(default=None)
    note: str = ""

    @property
    def text(self) -> str:
        """What it is."""
        return names_of(self.logs) or str(Say.NEXT_ROUND())

    def again(self) -> BeginRound:
        """The same round; it is made from the one before as that is when it is saved."""
        return self

    def apply(self) -> None:
        """Save the round, then take it into memory; it is shown if the one before is looked at."""
        # Its settings may have been turned since this was asked for.
        parent = self.open.round_of(self.parent.id)
        if parent is None:
            return
        begun = self.open.commit(
            lambda store: store.begin_round(
                parent, self.calibration, self.logs, self.prediction, self.note
            )
        )
        self.open.take_new_round(begun, parent.id, self.prediction)
        if self.open.shows(parent.id):
            self.navigation.show_newest()
        else:
            self.open.note(Say.ADDED(what=self.text, number=begun.number))


Addition = AddLogs | BeginRound


class Additions:
    """Puts logs where they belong."""

    def __init__(self, open_job: OpenJob, navigation: Navigation, saving: Saving) -> None:
        self.open = open_job
        self.navigation = navigation
        self.saving = saving

    def put(self, where: Destination, place: Place, logs: tuple[StoredLog, ...]) -> bool:
        """Save logs into the round they were made for, or into the one that follows it.

        What the file refuses is kept to be saved elsewhere: a drive takes minutes.

        Parameters
        ----------
        where : the round they were made for, and the calibration of the one after it.
        place : which of the two.
        logs : with their bytes.

        Returns
        -------
        Whether they are in the file.
        """
        addition = self._addition(where, place, logs)
        return addition is not None and self.saving.attempt(addition.apply, addition)

    def _addition(
        self, where: Destination, place: Place, logs: tuple[StoredLog, ...]
    ) -> Addition | None:
        """What puts them there as the job is now; None if the round is gone."""
        job = self.open.job
        asked = job.round_of(where.round_id) if job is not None else None
        if job is None or asked is None:
            return None
        if place is not Place.NEXT or where.following is None:
            return AddLogs(self.open, self.navigation, asked.id, logs)
        # The user, or another log of the same request, may have begun it.
        begun = round_following(job, asked, where.following)
        if begun is not None:
            return AddLogs(self.open, self.navigation, begun.id, logs)
        return BeginRound(
            self.open,
            self.navigation,
            parent=asked,
            calibration=where.following,
            logs=logs,
            prediction=where.prediction,
        )
