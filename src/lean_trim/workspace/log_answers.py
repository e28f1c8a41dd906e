"""The user's word on the log whose columns are asked about; every word reads it again.

The log that is shown stays as it is until the new reading is there, and the next word may come before
that: it is added to what was said, and the newest reading is the one that counts. A word on one column is
no word on another: what follows there is only proposed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from lean_trim.core.data.channels import Role
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.formats.meaning.choices import Banks, Choices, ColumnChoice, two_point_scale
from lean_trim.formats.meaning.following import with_proposals
from lean_trim.formats.meaning.match import Match
from lean_trim.formats.meaning.pressure import BAROMETERS_KPA
from lean_trim.formats.meaning.unit_check import by_word
from lean_trim.workspace.changes import ImportsChanged
from lean_trim.workspace.log_opening import Pending, read_pending
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.tasks import Lane, Report, Tasks


class Say:
    """What answering says."""

    REFUSED = Message("log_answers.refused", "{text}")
    BAROMETER = Message(
        "log_answers.barometer", "{kpa:g} kPa is no barometer; allowed are {low:g} to {high:g} kPa"
    )


class LogAnswers:
    """Takes answers for the log that waits first.

    Parameters
    ----------
    open_job : errors are told to it.
    tasks : the log is read again in a lane of its own.
    current : the log that is asked about, None if there is none.
    put : called with the log before and after it was read again.
    dbc : the job's setting of that name.
    """

    def __init__(
        self,
        open_job: OpenJob,
        tasks: Tasks,
        current: Callable[[], Pending | None],
        put: Callable[[Pending, Pending], None],
        dbc: Callable[[], str],
    ) -> None:
        self.open = open_job
        self.tasks = tasks
        self._current = current
        self._put = put
        self._dbc = dbc
        self._said: Choices | None = None

    @property
    def is_reading(self) -> bool:
        """Whether an answer is being worked in; the log cannot be added before that."""
        return Lane.REREADING in self.tasks.running

    def drop(self) -> None:
        """Nothing is asked any more."""
        self._said = None
        self.tasks.drop(Lane.REREADING)

    def choose(self, column: str, role: Role | None, unit: str = "") -> None:
        """The user's word on one column.

        Parameters
        ----------
        column : its name.
        role : what it plays; None for nothing.
        unit : "" leaves it to the reader.
        """
        pending = self._current()
        if pending is None or not self._allowed(pending, role, unit):
            return
        said = self._choices(pending)
        # A role has one column: the word on this one takes it from every other.
        columns = {k: c for k, c in said.columns.items() if role is None or c.role is not role}
        for match in pending.opened.mapped.matches:
            for other in match.columns if match.role is role else ():
                columns[other.name] = ColumnChoice(None)
        columns[column] = ColumnChoice(role, unit)
        self._read_again(pending, replace(said, columns=columns))

    def confirm(self, match: Match) -> None:
        """It is as it is shown: its columns, in the unit they are read in.

        Parameters
        ----------
        match : one of the log that is asked about.
        """
        pending = self._current()
        if pending is None or not self._allowed(pending, match.role, match.unit):
            return
        said = self._choices(pending)
        words = {c.name: ColumnChoice(match.role, match.unit) for c in match.columns}
        words |= {c.name: ColumnChoice(None) for c in match.rivals}
        self._read_again(pending, replace(said, columns={**said.columns, **words}))

    def _allowed(self, pending: Pending, role: Role | None, unit: str) -> bool:
        if role is None or not unit:
            return True
        try:
            if two_point_scale(unit) is None:
                by_word(role, unit, pending.where.vehicle.stoich_afr)
        except BadInputError as error:
            self._failed(str(error))
            return False
        return True

    def say_not_logged(self, role: Role) -> None:
        """None of the columns that may be a channel is it.

        Parameters
        ----------
        role : that was not found.
        """
        pending = self._current()
        if pending is None:
            return
        said = self._choices(pending)
        columns = dict(said.columns)
        for found in pending.opened.mapped.overlooked:
            for column in found.columns if found.role is role else ():
                columns[column.name] = ColumnChoice(None)
        self._read_again(pending, replace(said, columns=columns))

    def choose_time(self, column: str, unit: str = "") -> None:
        """The user's word on the time of the rows."""
        pending = self._current()
        if pending is not None:
            said = replace(self._choices(pending), time=column, time_unit=unit)
            self._read_again(pending, said)

    def use_barometer(self, kpa: float) -> None:
        """The barometer of the drive.

        Parameters
        ----------
        kpa : where it was not logged.
        """
        pending = self._current()
        low, high = BAROMETERS_KPA
        if not low <= kpa <= high:
            self.open.error(Say.BAROMETER(kpa=kpa, low=low, high=high))
        elif pending is not None:
            self._read_again(pending, replace(self._choices(pending), baro_kpa=kpa))

    def use_banks(self, banks: Banks) -> None:
        """Mean of two banks, or one of them.

        Parameters
        ----------
        banks : "mean", "1" or "2".
        """
        pending = self._current()
        if pending is not None:
            self._read_again(pending, replace(self._choices(pending), banks=banks))

    def _choices(self, pending: Pending) -> Choices:
        return self._said if self._said is not None and self.is_reading else pending.choices

    def _read_again(self, pending: Pending, choices: Choices) -> None:
        self._said = choices
        dbc = self._dbc()

        def work(report: Report) -> Pending:
            again = read_pending(pending.path, choices, report, pending.where, pending.sheet, dbc)
            before = pending.opened.mapped
            mapped = with_proposals(before, again.opened.mapped, pending.choices, choices)
            opened = replace(again.opened, mapped=mapped)
            return replace(again, opened=opened, grows=pending.grows)

        self.tasks.start(
            Lane.REREADING,
            "Reading the log with your answer",
            work,
            lambda again: self._put(pending, again),
            failed=self._failed,
            replace=True,
            stopped=self._tell,
        )
        self._tell()

    def _failed(self, reason: str) -> None:
        self.open.error(Say.REFUSED(text=reason))
        self._tell()

    def _tell(self) -> None:
        self.open.hub.publish(ImportsChanged())
