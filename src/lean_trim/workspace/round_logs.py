"""Which logs belong to a round: leave one out, let it count again, remove, replace or move it.

Every change is saved first and can be undone.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

from lean_trim.core.messages import Message, Said
from lean_trim.job.records import LogInfo, RestingLog, Round, StoredLog
from lean_trim.job.round_logs import (
    find_log,
    with_log_counting,
    with_log_replaced,
    with_log_resting,
    without_log,
)
from lean_trim.workspace.changes import Part
from lean_trim.workspace.history import History
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.tuning import TuningControl


class Say:
    """What is said of logs."""

    REST = Message("round_logs.rest", "Leave out {name}")
    COUNT = Message("round_logs.count", "Let {name} count again")
    REMOVE = Message("round_logs.remove", "Remove {name}")
    REPLACE = Message("round_logs.replace", "Replace {name} by {new}")
    MOVE = Message("round_logs.move", "Move {name} to round {number}")
    REMOVED = Message(
        "round_logs.removed",
        "{name} is no longer in round {number}. Undo brings it back until the job closes.",
    )
    MOVED = Message("round_logs.moved", "{name} is in round {number} now.")
    REPLACED = Message("round_logs.replaced", "{new} stands in the place of {name}.{lost}")
    LOST = Message(
        "round_logs.lost",
        " Stretches left out and bookmarks on the old one went with it; undo brings them back.",
    )
    GONE = Message(
        "round_logs.gone", "The log to replace is no longer in round {number}; nothing was changed."
    )
    SAME_ROUND = Message("round_logs.same_round", "{name} is in round {number} already.")


@dataclass(frozen=True)
class LogsChange:
    """One change of which logs belong to which rounds; ``before`` and ``after`` hold the same rounds."""

    keeper: RoundLogs
    said: Said
    before: tuple[Round, ...]
    after: tuple[Round, ...]
    remake: Callable[[], LogsChange | None]

    @property
    def text(self) -> str:
        """For the menu."""
        return str(self.said)

    def apply(self) -> None:
        """Save and take the later logs."""
        self.keeper.set_logs(self.after)

    def again(self) -> LogsChange | None:
        """The same log of the rounds as they are now."""
        return self.remake()

    def revert(self) -> None:
        """Save and take the earlier logs, with the verdict that spoke of them."""
        self.keeper.set_logs(self.before)


@dataclass
class ReplaceLog:
    """A log in the place of another one; the file gets its bytes when this is done for the first time."""

    keeper: RoundLogs
    said: Said
    before: Round
    log_id: int
    stored: StoredLog
    info: LogInfo | None = field(default=None)

    @property
    def text(self) -> str:
        """For the menu."""
        return str(self.said)

    def apply(self) -> None:
        """Save and take the new log."""
        # Redone after an undo, the bytes are in the file already.
        if self.info is None:
            self.info = self.keeper.open.commit(lambda store: store.keep_log(self.stored))
        self.keeper.set_logs((with_log_replaced(self.before, self.log_id, self.info, self.stored),))

    def again(self) -> ReplaceLog | None:
        """The same log in the place of that one, if it is still there."""
        now = self.keeper.open.round_of(self.before.id)
        # The log it was to take the place of may be gone by now; then there is nothing to redo.
        return (
            None if now is None or find_log(now, self.log_id) is None else replace(self, before=now)
        )

    def revert(self) -> None:
        """Save and take the log that was there before, with the verdict that spoke of it."""
        self.keeper.set_logs((self.before,))


class RoundLogs:
    """Changes the logs of the open job's rounds."""

    def __init__(
        self,
        open_job: OpenJob,
        saving: Saving,
        history: History,
        tuning: TuningControl,
        navigation: Navigation,
    ) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history
        self.tuning = tuning
        self.navigation = navigation

    def set_logs(self, wanted: tuple[Round, ...]) -> None:
        """Save which logs rounds have, take them into memory, and solve again what is looked at.

        SaveFailedError leaves both as they were.

        Parameters
        ----------
        wanted : rounds of the open job; only their logs and what speaks of these is taken over.

        Raises
        ------
        SaveFailedError
            If the file refused them.
        """
        present = [(self.open.round_of(r.id), r) for r in wanted]
        # What was decided or turned since is not undone along with the logs.
        changed = tuple(_with_logs_of(now, r) for now, r in present if now is not None)
        kept = self.open.commit(lambda store: store.save_round_logs(changed))
        for r in kept:
            self.open.take_round(r, Part.LOGS)
        # Other rounds are solved when they are looked at.
        if any(self.open.shows(r.id) for r in kept):
            self.navigation.show_other_logs()

    def leave_out(self, round_id: int, log_id: int) -> bool:
        """Let a log rest: it stays in the round and does not count."""
        return self._change(round_id, log_id, Say.REST, lambda r, x: with_log_resting(r, log_id))

    def count_again(self, round_id: int, log_id: int) -> bool:
        """Let a resting log count, as the last one of its round."""
        return self._change(round_id, log_id, Say.COUNT, with_log_counting)

    def remove(self, round_id: int, log_id: int) -> bool:
        """Take a log out of a round."""
        found = self._found(round_id, log_id)
        done = self._change(round_id, log_id, Say.REMOVE, lambda r, x: without_log(r, log_id))
        if done and found is not None:
            self.open.note(Say.REMOVED(name=found[1].info.name, number=found[0].number))
        return done

    def move(self, round_id: int, log_id: int, target_id: int) -> bool:
        """Take a log out of a round and put it into another one.

        Parameters
        ----------
        round_id : a round of the open job.
        log_id : one of its logs.
        target_id : another round of the job.

        Returns
        -------
        Whether it was done.
        """
        found = self._found(round_id, log_id)
        target = self.open.round_of(target_id)
        if found is None or target is None:
            return False
        source, log = found
        if target.id == source.id:
            self.open.note(Say.SAME_ROUND(name=log.info.name, number=source.number))
            return False
        done = self._push(self._moving(round_id, log_id, target_id))
        if done:
            self.open.note(Say.MOVED(name=log.info.name, number=target.number))
        return done

    def replace(self, round_id: int, log_id: int, stored: StoredLog) -> bool:
        """Put another log in the place of one.

        Parameters
        ----------
        round_id : a round of the open job.
        log_id : one of its logs.
        stored : the other one, with its bytes.

        Returns
        -------
        Whether it was done.
        """
        found = self._found(round_id, log_id)
        if found is None:
            target = self.open.round_of(round_id)
            if target is not None:
                self.open.note(Say.GONE(number=target.number))
            return False
        source, old = found
        name = stored.log.name
        made = ReplaceLog(self, Say.REPLACE(name=old.info.name, new=name), source, log_id, stored)
        done = self._push(made)
        if done:
            # Stretches and bookmarks are by time; on another drive they would mean other moments.
            lost = str(Say.LOST()) if old.left_out or old.marks else ""
            self.open.note(Say.REPLACED(name=old.info.name, new=name, lost=lost))
        return done

    def _found(self, round_id: int, log_id: int) -> tuple[Round, RestingLog] | None:
        source = self.open.round_of(round_id)
        log = find_log(source, log_id) if source is not None else None
        return None if source is None or log is None else (source, log)

    def _moving(self, round_id: int, log_id: int, target_id: int) -> LogsChange | None:
        """The move of a log, made of the rounds as they are now."""
        found = self._found(round_id, log_id)
        target = self.open.round_of(target_id)
        if found is None or target is None:
            return None
        source, log = found
        return LogsChange(
            self,
            Say.MOVE(name=log.info.name, number=target.number),
            before=(source, target),
            after=(without_log(source, log_id), with_log_counting(target, log)),
            remake=lambda: self._moving(round_id, log_id, target_id),
        )

    def _change(
        self,
        round_id: int,
        log_id: int,
        text: Message,
        change: Callable[[Round, RestingLog], Round],
    ) -> bool:
        return self._push(self._changing(round_id, log_id, text, change))

    def _changing(
        self,
        round_id: int,
        log_id: int,
        text: Message,
        change: Callable[[Round, RestingLog], Round],
    ) -> LogsChange | None:
        """A change of one log, made of the round as it is now."""
        found = self._found(round_id, log_id)
        if found is None:
            return None
        source, log = found
        return LogsChange(
            self,
            text(name=log.info.name),
            before=(source,),
            after=(change(source, log),),
            remake=lambda: self._changing(round_id, log_id, text, change),
        )

    def _push(self, change: LogsChange | ReplaceLog | None) -> bool:
        if change is None:
            return False
        # A turn that is not at rest would come between this change and its undo.
        self.tuning.rest()
        return self.saving.attempt(lambda: self.history.push(change), change)


def _with_logs_of(present: Round, wanted: Round) -> Round:
    return replace(
        present,
        logs=wanted.logs,
        log_infos=wanted.log_infos,
        resting=wanted.resting,
        left_out=wanted.left_out,
        marks=wanted.marks,
        verdicts=wanted.verdicts,
        proposals=wanted.proposals,
        evidence=wanted.evidence,
    )
