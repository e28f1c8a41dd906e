"""Quick changes, warm-up and idle of the shown round, looked for when a desk asks and kept by round."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from lean_trim.core.errors import BadInputError, CancelledError, LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.core.transients.classes import ClassKey, TransientClass
from lean_trim.job.left_out import left_out_of
from lean_trim.job.results import DAMAGES, packed, unpacked
from lean_trim.workspace.changes import JobClosed
from lean_trim.workspace.kept import KeptAnswers
from lean_trim.workspace.kept_solution import drive_key, is_of_the_drive, is_of_this_program
from lean_trim.workspace.lookup import Lookup
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.tasks import Lane, Report, Tasks

if TYPE_CHECKING:
    from lean_trim.core.data.vehicle import Vehicle
    from lean_trim.core.pipeline.solve import Solution, SolveSettings
    from lean_trim.core.pipeline.transients import TransientReport
    from lean_trim.job.records import Round


@dataclass(frozen=True)
class TransientsFound:
    """What the shown round's drive shows of quick changes is known."""


class Say:
    """What looking for quick changes says."""

    LOOKING = Message("transients_control.looking", "Looking at quick changes of mixture")
    NOT_LOOKED = Message(
        "transients_control.not_looked",
        "Quick changes of this round were not looked at yet: turn to the Transients desk first.",
    )
    LOOKING_BACK = Message(
        "transients_control.looking_back", "Looking at quick changes of round {number}"
    )


LANE = Lane("transients")
MOST_BEFORE = 3
"""Earlier rounds that are laid under."""


@dataclass(frozen=True, eq=False)
class RoundTransients:
    """What one round's drive shows.

    Attributes
    ----------
    round_id, number : of the round.
    of : the solution it was read from.
    report : of it.
    """

    round_id: int
    number: int
    of: Solution
    report: TransientReport


@dataclass(frozen=True, eq=False)
class _Before:
    """Quick changes of an earlier round by class, and what they depend on."""

    number: int
    key: tuple[object, ...]
    classes: tuple[TransientClass, ...]


class TransientsControl:
    """``found`` is by round id; nothing is looked for before a desk asks."""

    def __init__(self, open_job: OpenJob, tasks: Tasks, solver: Solver, kept: KeptAnswers) -> None:
        self.open = open_job
        self.kept = kept
        self.tasks = tasks
        self.solver = solver
        open_job.hub.subscribe(JobClosed, lambda _: self.forget())
        self.found: dict[int, RoundTransients] = {}
        self.before: dict[int, _Before] = {}
        self.lookup = Lookup(tasks, LANE, lambda: open_job.hub.publish(TransientsFound()))

    @property
    def report(self) -> TransientReport | None:
        """Of the shown round as it is solved now; None until it is known."""
        r = self.open.round
        solution = self.solver.solution
        kept = None if r is None else self.found.get(r.id)
        return kept.report if kept is not None and kept.of is solution else None

    def shown(self) -> TransientReport:
        """Of the shown round as it is solved now.

        Returns what was found. Raises BadInputError if it is not known.
        """
        report = self.report
        if report is None:
            raise BadInputError(Say.NOT_LOOKED())
        return report

    def earlier(self, key: ClassKey) -> tuple[tuple[int, TransientClass], ...]:
        """The same class in the last rounds before the shown one.

        Returns numbers of rounds and their classes, the oldest first.
        """
        r = self.open.round
        known = {b.number: b.classes for b in self.before.values()}
        # What was looked at by itself has its own settings.
        known |= {f.number: f.report.classes for f in self.found.values()}
        before = sorted(n for n in known if r is not None and n < r.number)[-MOST_BEFORE:]
        return tuple((n, c) for n in before for c in known[n] if c.key == key)

    def want(self) -> None:
        """A desk shows quick changes from now on."""
        self.lookup.is_wanted = True
        self.look()

    def look(self) -> None:
        """Look at the shown round, if it is solved otherwise than when it was last looked at."""
        from lean_trim.core.pipeline.transients import transients_of

        r = self.open.round
        solution = self.solver.solution
        # Faults first: what they say is shown beside it, and both would share two processors.
        if not self.lookup.is_wanted or r is None or solution is None or not self.solver.has_looked:
            return
        if self.report is not None:
            self._look_back()
            return
        key = self.solver.key
        kind = kept_as(r.subject)

        def work(_: Report) -> tuple[TransientReport, bytes]:
            known = _kept(self.kept, r.id, kind, lambda kept_key: bool(key) and kept_key == key)
            if known is not None:
                return known, b""
            found = transients_of(solution)
            return found, packed(found) if key else b""

        def take(answer: tuple[TransientReport, bytes]) -> None:
            report, data = answer
            if data:
                self.kept.keep(r.id, kind, key, data)
            self._take(RoundTransients(r.id, r.number, solution, report))

        self.lookup.look((self.open.number, r.id, solution), str(Say.LOOKING()), work, take)

    def _take(self, found: RoundTransients) -> None:
        self.found = {**self.found, found.round_id: found}
        # It may have been solved anew in the meantime.
        self.look()

    def _look_back(self) -> None:
        """Look at one of the last rounds before the shown one that was not looked at, then at the next."""
        wanted = next(self._not_seen(), None)
        if wanted is None:
            return
        r, key = wanted
        job = self.open.job
        assert job is not None
        vehicle = job.vehicle_in(job.index_of(r.id) or 0)
        settings = self.solver.tuning.settled.solve
        self.lookup.look(
            (self.open.number, r.id, key),
            str(Say.LOOKING_BACK(number=r.number)),
            lambda report: _classes_of(r, vehicle, settings, self.kept, report),
            lambda classes: self._take_before(r.id, _Before(r.number, key, classes)),
        )

    def _not_seen(self) -> Iterator[tuple[Round, tuple[object, ...]]]:
        job = self.open.job
        shown = self.open.round
        if job is None or shown is None:
            return
        for r in [b for b in job.rounds if b.number < shown.number and b.logs][-MOST_BEFORE:]:
            key = (job.vehicle, r.revision.id, tuple(info.id for info in r.log_infos), r.left_out)
            kept = self.before.get(r.id)
            if r.id not in self.found and (kept is None or kept.key != key):
                yield r, key

    def _take_before(self, round_id: int, before: _Before) -> None:
        self.before = {**self.before, round_id: before}
        self.look()

    def forget(self) -> None:
        """Another job or none."""
        self.found = {}
        self.before = {}
        self.lookup.forget()


def kept_as(table_name: str) -> str:
    """Under what the quick changes of a table's solution are kept."""
    return f"transients {table_name}"


def _kept(
    kept: KeptAnswers, round_id: int, kind: str, holds: Callable[[str], bool]
) -> TransientReport | None:
    """What is kept of a round, if it still holds and is sound."""
    from lean_trim.core.pipeline.transients import TransientReport

    answer = kept.find(round_id, kind)
    if answer is None or not holds(answer.key):
        return None
    try:
        found = unpacked(answer.data)
    except (LeanTrimError, *DAMAGES):
        return None
    return found if isinstance(found, TransientReport) else None


def _classes_of(
    r: Round, vehicle: Vehicle, settings: SolveSettings, kept: KeptAnswers, report: Report
) -> tuple[TransientClass, ...]:
    """Quick changes of an earlier round by class; none where it cannot be solved."""
    from lean_trim.core.pipeline.solve import solve
    from lean_trim.core.pipeline.transients import transients_of

    drive = drive_key(vehicle, tuple(info.id for info in r.log_infos), r.left_out)
    known = _kept(
        kept,
        r.id,
        kept_as(r.subject),
        lambda key: is_of_the_drive(key, drive) and is_of_this_program(key),
    )
    if known is not None:
        return known.classes
    try:
        solution = solve(list(r.logs), vehicle, settings, left_out_of((r,)), report)
    except CancelledError:
        raise
    except LeanTrimError:
        return ()
    return transients_of(solution).classes
