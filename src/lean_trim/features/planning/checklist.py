"""The checklist before the next drive: answered by user and last log, dated, kept with the round."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from lean_trim.core.planning.readiness import ITEMS, Fact, Item, facts_of
from lean_trim.job.records import Word
from lean_trim.workspace.changes import JobClosed
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.words import Words

KIND = "check"
YES = "yes"
NO = "no"


@dataclass(frozen=True)
class Line:
    """One line as it stands.

    Attributes
    ----------
    item : the line.
    fact : what the last log shows of it, None for nothing.
    answer : the user's, None for none since the last log.
    last : the answer before an earlier drive, None for none.
    read : when the fact was read from the car itself; "" where the last log shows it.
    """

    item: Item
    fact: Fact | None
    answer: Word | None
    last: Word | None
    read: str = ""

    @property
    def is_so(self) -> bool | None:
        """The user's word, else what the log shows; None where neither says."""
        if self.answer is not None:
            return self.answer.text == YES
        return None if self.fact is None else self.fact.is_so

    @property
    def by(self) -> str:
        """Who answered, and when."""
        if self.answer is not None:
            return f"by you, {_day(self.answer)}"
        if self.fact is not None and self.fact.is_so is not None:
            return f"read from the ECU, {self.read}" if self.read else "by the last log"
        return (
            ""
            if self.last is None
            else f"before an earlier drive: {self.last.text}, {_day(self.last)}"
        )


def _day(word: Word) -> str:
    return datetime.fromisoformat(word.written).astimezone().strftime("%d %b %H:%M")


class Checklist:
    """Nothing waits for it: it is no wall."""

    def __init__(self, open_job: OpenJob, solver: Solver, words: Words) -> None:
        self.open = open_job
        self.solver = solver
        self.words = words
        self._read: dict[str, tuple[Fact, str]] = {}
        open_job.hub.subscribe(JobClosed, lambda _: self._read.clear())

    def lines(self) -> tuple[Line, ...]:
        """Every line of the shown round, as it stands."""
        facts = self._facts() | {key: fact for key, (fact, _) in self._read.items()}
        given = self.words.of(KIND)
        driven = self._last_drive()
        earlier = self._earlier()
        out = []
        for item in ITEMS:
            word = given.get(item.key)
            # What was answered before the last drive is no answer for the next one.
            fresh = word is not None and word.written > driven
            out.append(
                Line(
                    item=item,
                    fact=facts.get(item.key),
                    answer=word if fresh else None,
                    last=earlier.get(item.key) if fresh or word is None else word,
                    read=self._read[item.key][1] if item.key in self._read else "",
                )
            )
        return tuple(out)

    def answer(self, key: str, text: str) -> bool:
        """Answer a line of the shown round; "" takes the answer back."""
        item = next(i for i in ITEMS if i.key == key)
        return self.words.write(KIND, key, text, item.words)

    def take_read(self, key: str, fact: Fact) -> None:
        """Take what was read from the car itself; it goes before what the last log shows.

        Parameters
        ----------
        key : of the line.
        fact : that was read now.
        """
        self._read[key] = (fact, datetime.now().strftime("%d %b %H:%M"))

    def _facts(self) -> dict[str, Fact]:
        solution = self.solver.solution
        if solution is None:
            return {}
        share = solution.prepared.conditions.airflow_source.share
        return facts_of(solution.frame, share)

    def _last_drive(self) -> str:
        current = self.open.round
        return "" if current is None else max((i.added for i in current.log_infos), default="")

    def _earlier(self) -> dict[str, Word]:
        """The newest answers of earlier rounds."""
        job = self.open.job
        current = self.open.round
        out: dict[str, Word] = {}
        if job is None or current is None:
            return out
        for r in job.rounds:
            if r.number < current.number:
                out |= {key: word for (kind, key), word in r.words.items() if kind == KIND}
        return out
