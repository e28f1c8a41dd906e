"""Logs on their way into the job.

Opened, asked about where needed, then saved into the round they were opened for.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message, Said
from lean_trim.formats.meaning.choices import Choices, shape_of
from lean_trim.formats.meaning.rows import RATES_HZ
from lean_trim.job.records import StoredLog
from lean_trim.workspace.additions import Additions
from lean_trim.workspace.changes import ImportsChanged, JobClosed
from lean_trim.workspace.destination import Destination, Place, destination
from lean_trim.workspace.log_answers import LogAnswers
from lean_trim.workspace.log_opening import Pending, Question, read_dbc, read_or_ask
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.round_logs import RoundLogs
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.tasks import Lane, Report, Tasks


class Say:
    """What opening logs says."""

    NO_JOB = Message("imports.no_job", "Open or make a job first; a log belongs to a job.")
    FOUND = Message("imports.found", "{text}")
    PROBLEM = Message("imports.problem", "{text}")
    ALREADY_THERE = Message(
        "imports.already_there",
        "{name} is not added again: it is the same file as {other} in round {number}. "
        "To read it otherwise, remove or replace that one on the Logs page first.",
    )
    RESTS = Message(
        "imports.rests",
        "{name} is not added again: it is the same file as {other}, which is left out in round "
        "{number}. Let that one count again on the Logs page.",
    )
    READING = Message(
        "imports.reading",
        "Your last answer is still being worked in; add the log once it is shown.",
    )
    RATE = Message("imports.rate", "{rate:g} rows a second; allowed are {low:g} to {high:g}")
    DBC_KEPT = Message(
        "imports.dbc_kept",
        "{name} is kept with this job and tells what the frames of its CAN traces mean.",
    )


DBC = "dbc"
"""The job's setting that keeps its DBC."""


@dataclass(frozen=True, eq=False)
class Unplaced:
    """A log that was understood, of which only the user knows which table it was driven on."""

    stored: StoredLog
    where: Destination


class LogImports:
    """Opens logs in the background; those with doubts wait here until the user has answered.

    ``questions`` are files that cannot be read before something is said of them, ``waiting`` logs
    whose columns are asked about, ``unplaced`` those whose table is.
    """

    def __init__(
        self,
        open_job: OpenJob,
        tasks: Tasks,
        saving: Saving,
        navigation: Navigation,
        solver: Solver,
        additions: Additions,
        logs: RoundLogs,
    ) -> None:
        self.open = open_job
        self.tasks = tasks
        self.saving = saving
        self.navigation = navigation
        self.solver = solver
        self.additions = additions
        self.logs = logs
        self.questions: list[Question] = []
        self.waiting: list[Pending] = []
        self.unplaced: list[Unplaced] = []
        self.answers = LogAnswers(
            open_job,
            tasks,
            current=lambda: self.current,
            put=self._replace,
            dbc=lambda: open_job.setting(DBC),
        )
        open_job.hub.subscribe(JobClosed, lambda _: self.clear())

    @property
    def current(self) -> Pending | None:
        """The log whose columns are asked about now."""
        return self.waiting[0] if self.waiting else None

    def add(
        self, paths: list[Path], look: bool = False, replaces: tuple[int, int] | None = None
    ) -> None:
        """Open logs for the newest round or the one after it.

        Parameters
        ----------
        paths : log files.
        look : show their columns in any case.
        replaces : (round id, log id) of a log the first of them takes the place of.
        """
        if self.open.job is None:
            self.open.note(Say.NO_JOB())
            return
        if replaces is None:
            self.navigation.show_newest()
        # Settled now: the user may look at another round while the logs are read.
        where = destination(self.open.job, self.solver.foretold, replaces)
        if where is None:
            self.open.note(Say.NO_JOB())
            return
        self._open(
            [(path, "") for path in (paths[:1] if replaces is not None else paths)], where, look
        )

    def _open(self, files: list[tuple[Path, str]], where: Destination, look: bool) -> None:
        """Read files (with the sheet, of workbooks) in the background."""
        remembered = self.open.choices
        dbc = self.open.setting(DBC)

        def work(report: Report) -> list[tuple[Pending, StoredLog] | Question]:
            return [
                read_or_ask(path, remembered, report, where, sheet, dbc) for path, sheet in files
            ]

        self.tasks.start(
            Lane.READING, "Opening logs", work, lambda answers: self._opened(answers, look)
        )

    def answer(self, word: str | float | Path) -> None:
        """The user's word on a file that could not be read without; it is read then.

        Parameters
        ----------
        word : the sheet of a workbook, rows a second, or the file of a DBC.
        """
        if not self.questions:
            return
        question = self.questions[0]
        if question.need == "dbc":
            if not self.keep_dbc(Path(str(word))):
                return
            # A DBC belongs to the car, a sheet or a rate to one file.
            # Every trace that waits for one is answered by it.
            answered = [q for q in self.questions if q.need == "dbc"]
        else:
            answered = [question]
        # Kept before the file is read again: a rate the job cannot hold would be asked for each
        # time.
        if question.need == "rate" and not self._keep_rate(question, float(str(word))):
            return
        sheet = str(word) if question.need == "sheet" else ""
        self.questions = [q for q in self.questions if q not in answered]
        self._tell()
        self._open([(q.path, sheet or q.sheet) for q in answered], question.where, False)

    def _keep_rate(self, question: Question, rate_hz: float) -> bool:
        low, high = RATES_HZ
        if not low <= rate_hz <= high:
            self._refuse(Say.RATE(rate=rate_hz, low=low, high=high))
            return False
        known = self.open.choices.get(question.shape, Choices())
        said = replace(known, rate_hz=rate_hz)
        return self.saving.attempt(lambda: self.open.save_choices(question.shape, said))

    def keep_dbc(self, path: Path) -> bool:
        """Keep a DBC with the job, for its CAN traces.

        Parameters
        ----------
        path : of the DBC.

        Returns
        -------
        Whether it could be read and kept; else the reason was told.
        """
        if self.open.job is None:
            self.open.note(Say.NO_JOB())
            return False
        try:
            dbc = read_dbc(path)
        except BadInputError as error:
            self._refuse(Say.PROBLEM(text=str(error)))
            return False
        kept = self.saving.attempt(lambda: self.open.save_setting(DBC, dbc.kept))
        if kept:
            self.open.note(Say.DBC_KEPT(name=dbc.name))
        return kept

    def _refuse(self, said: Said) -> None:
        self.open.error(said)

    def _opened(self, answers: list[tuple[Pending, StoredLog] | Question], look: bool) -> None:
        """Take what was read: ask about what is in doubt, keep the rest."""
        read = [a for a in answers if not isinstance(a, Question)]
        # What takes the place of a log may well be the same file, read otherwise.
        replaces = bool(read) and read[0][0].where.replaces is not None
        new, known = (read, ()) if replaces else self._only_new(read)
        for pending, _ in new:
            for line in pending.opened.mapped.notes:
                self.open.note(Say.FOUND(text=line))
            # A problem the questions are about is shown beside them, not as an error of its own.
            if pending.problem and not pending.asks:
                self.open.error(Say.PROBLEM(text=pending.problem))
        self.questions += [a for a in answers if isinstance(a, Question)]
        # Looked at on request, even where nothing is in doubt; what cannot be read has nothing to
        # look at.
        self.waiting += [p for p, _ in new if p.asks or (look and not p.problem)]
        self._keep([] if look else [(p, s) for p, s in new if not p.problem and not p.asks])
        self._tell()
        for said in known:
            self.open.note(said)

    def _only_new(
        self, opened: list[tuple[Pending, StoredLog]]
    ) -> tuple[list[tuple[Pending, StoredLog]], tuple[Said, ...]]:
        """Logs the job does not have yet; a drive that counts twice would pass for two."""
        job = self.open.job
        known: dict[str, Said] = {}
        for r in job.rounds if job is not None else ():
            for info in r.log_infos:
                known[info.sha256] = Say.ALREADY_THERE(name="", other=info.name, number=r.number)
            # One that was left out is there as well; counting it again is the way, not adding it
            # twice.
            for resting in r.resting:
                known[resting.info.sha256] = Say.RESTS(
                    name="", other=resting.info.name, number=r.number
                )
        new = []
        said = []
        for pending, stored in opened:
            before = known.get(stored.sha256) if stored.sha256 else None
            if before is not None:
                said.append(Said(before.message, {**before.values, "name": stored.log.name}))
                continue
            new.append((pending, stored))
            # The same file twice in one drop is one log.
            number = job.rounds[-1].number if job is not None else 0
            known[stored.sha256] = Say.ALREADY_THERE(name="", other=stored.log.name, number=number)
        return new, tuple(said)

    def _keep(self, ready: list[tuple[Pending, StoredLog]]) -> None:
        """Save logs that need no look where they belong."""
        if not ready:
            return
        where = ready[0][0].where
        if where.replaces is not None:
            self.logs.replace(where.round_id, where.replaces, ready[0][1])
            return
        self.unplaced += [Unplaced(s, p.where) for p, s in ready if p.place is Place.ASK]
        for place in (Place.HERE, Place.NEXT):
            logs = tuple(s for p, s in ready if p.place is place)
            if logs:
                self.additions.put(where, place, logs)

    def _replace(self, pending: Pending, again: Pending) -> None:
        # It may have been discarded while it was read again.
        self.waiting = [again if p is pending else p for p in self.waiting]
        self._tell()

    def accept(self) -> None:
        """Add the log as it is understood now, and remember what was said for logs of the same shape."""
        pending = self.current
        if pending is None:
            return
        if self.answers.is_reading:
            self.open.note(Say.READING())
            return
        if pending.blocked:
            self.open.error(Say.PROBLEM(text=pending.blocked))
            return
        shape = shape_of(pending.opened.mapped.raw.columns)
        if pending.grows:
            if self.saving.attempt(lambda: self.open.save_choices(shape, pending.choices)):
                self.drop(pending)
            return

        def work(report: Report) -> StoredLog:
            return pending.stored()

        def done(stored: StoredLog) -> None:
            self.waiting = [p for p in self.waiting if p is not pending]
            self._keep([(pending, stored)])
            self._tell()

        if self.saving.attempt(lambda: self.open.save_choices(shape, pending.choices)):
            self.tasks.start(Lane.READING, "Keeping the log", work, done)

    def place(self, place: Place) -> None:
        """The user's word on which table the logs that wait were driven on.

        Parameters
        ----------
        place : ``HERE`` for the table of the round, ``NEXT`` for the one that was decided from it.
        """
        asked = tuple(self.unplaced)
        if not asked:
            return
        self.unplaced = []
        self.additions.put(asked[0].where, place, tuple(u.stored for u in asked))
        self._tell()

    def ask_of(self, pending: Pending) -> None:
        """Ask about a recording that still grows, before anything else.

        Parameters
        ----------
        pending : with ``grows``.
        """
        self.waiting.insert(0, pending)
        self._tell()

    def drop(self, pending: Pending) -> None:
        """What is asked about one log is asked no more."""
        if any(p is pending for p in self.waiting[:1]):
            self.answers.drop()
        self.waiting = [p for p in self.waiting if p is not pending]
        self._tell()

    def discard(self) -> None:
        """Leave the log that is asked about out of the job."""
        if self.questions:
            self.questions.pop(0)
        elif self.waiting:
            self.answers.drop()
            self.waiting.pop(0)
        else:
            self.unplaced = []
        self._tell()

    def clear(self) -> None:
        """Nothing waits any more."""
        self.answers.drop()
        self.questions = []
        self.waiting = []
        self.unplaced = []
        self._tell()

    def _tell(self) -> None:
        self.open.hub.publish(ImportsChanged())
