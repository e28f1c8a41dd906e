"""What a job is made of, as plain frozen records."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from lean_trim.core.data.calibration import (
    AIRFLOW_TABLES,
    ENGINE_SCALE,
    INJECTOR_TABLES,
    NOT_ADDED,
    TARGET,
    Calibration,
    with_calibration,
    with_tables_of,
)
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.decision import Decision, undecided
from lean_trim.core.decision.round_verdict import DrivenCells
from lean_trim.core.types import Floats
from lean_trim.job.trail import MOST_STEPS, Step
from lean_trim.job.tuning import Tuning


@dataclass(frozen=True)
class Span:
    """A stretch of the joined log the user left out, s."""

    start_s: float
    end_s: float


@dataclass(frozen=True)
class Mark:
    """A bookmark on the joined log, with a note or without."""

    time_s: float
    text: str = ""


@dataclass(frozen=True)
class LogInfo:
    """Where a log came from."""

    id: int
    name: str
    sha256: str
    added: str


@dataclass(frozen=True, eq=False)
class StoredLog:
    """A log together with the bytes that keep it in the job file.

    ``marks`` are bookmarks it brings along, on its own time base.
    """

    log: Log
    data: bytes
    sha256: str = ""
    marks: tuple[Mark, ...] = ()


@dataclass(frozen=True, eq=False)
class RestingLog:
    """A log of a round that does not count, with its own stretches and bookmarks, on its own time base."""

    info: LogInfo
    log: Log
    left_out: tuple[Span, ...] = ()
    marks: tuple[Mark, ...] = ()


@dataclass(frozen=True)
class Verdict:
    """What a round's drive showed, percent; NaN where unknown.

    ``program`` and ``judged`` tell which version said so, when; ``driven`` is what it showed by cell,
    None of a verdict from a version that did not keep that.
    """

    residual_rms: float
    trim_rms: float
    within_3: float
    program: str = field(default="", compare=False)
    judged: str = field(default="", compare=False)
    driven: DrivenCells | None = field(default=None, compare=False)


@dataclass(frozen=True)
class Prediction:
    """What the next drive should show if the decided table is driven.

    The residual, percent rms, with one standard error.
    """

    residual_rms: float
    std_error: float


@dataclass(frozen=True, eq=False)
class StoredProposal:
    """What was proposed for one table: per cell, flat, percent; NaN where nothing was said.

    Attributes
    ----------
    asked_pct, step_pct, std_error_pct : wanted change, change that would be written, standard error
        of the wanted one.
    status : the rule that decided each cell.
    program, made : which version proposed it, when.
    """

    asked_pct: Floats
    step_pct: Floats
    std_error_pct: Floats
    status: tuple[str, ...]
    program: str = ""
    made: str = ""


@dataclass(frozen=True, eq=False)
class StoredEvidence:
    """What a drive said of its table, as bytes, with the version that worked it out and when."""

    data: bytes
    program: str = ""
    made: str = ""


@dataclass(frozen=True, eq=False)
class KeptAnswer:
    """Something that was worked out of a round, as bytes.

    Attributes
    ----------
    key : what it depends on, see ``workspace.kept``; another key makes it stale.
    program, made : which version worked it out, when.
    """

    key: str
    data: bytes
    program: str = ""
    made: str = ""


WordKey = tuple[str, str]
"""Kind and key of a word: an answer of the checklist, a note."""


@dataclass(frozen=True)
class Word:
    """What the user answered or noted, and when."""

    text: str
    written: str


@dataclass(frozen=True)
class Outcome:
    """What one solve says of a round, kept together.

    Its table, the verdict, the proposals by table, and what is carried to later rounds.
    """

    table_name: str
    verdict: Verdict
    proposals: Mapping[str, StoredProposal]
    evidence: StoredEvidence | None = None


@dataclass(frozen=True, eq=False)
class Revision:
    """One state of the calibration; ``parent_id`` is the one it was made from, None for the first."""

    id: int
    parent_id: int | None
    created: str
    calibration: Calibration
    note: str = ""


@dataclass(frozen=True, eq=False)
class LearnedMap:
    """Fuel trims read out of a self-learning ECU in a round.

    Attributes
    ----------
    table : of trims, on the map's own axes.
    bias_pct : how much richer than its target the ECU was made to learn, by the user's word.
    source, added : where it came from, and when.
    """

    table: Table
    bias_pct: float = 0.0
    source: str = ""
    added: str = ""


CORRECTION = ""
SWAP = "swap"
ROUND_KINDS = (CORRECTION, SWAP)
"""What a round is: a correction of the table, or the drives after other injectors went in."""


@dataclass(frozen=True, eq=False)
class Round:
    """One round: the revision driven on, its logs, and what was decided from them.

    ``subject`` names the table under correction; ``decisions`` holds what was decided, by table, and so
    do ``verdicts`` and ``predictions`` what was shown and foretold.
    ``logs`` are those that count; ``resting`` were left out whole.
    ``kind`` is one of ``ROUND_KINDS``. ``handed`` holds the tables that were handed
    over, which later decisions do not change. ``steps`` is how it was decided, oldest first.
    ``learned`` is what the ECU learned by itself on the revision. ``evidence`` is what its drive said, by
    table, for the rounds after it. ``words`` is what the user answered and noted.
    """

    id: int
    number: int
    started: str
    revision: Revision
    subject: str
    logs: Sequence[Log] = ()
    log_infos: tuple[LogInfo, ...] = ()
    left_out: tuple[Span, ...] = ()
    marks: tuple[Mark, ...] = ()
    decisions: Mapping[str, Decision] = field(default_factory=dict)
    tuning: Tuning = field(default_factory=Tuning)
    verdicts: Mapping[str, Verdict] = field(default_factory=dict)
    predictions: Mapping[str, Prediction] = field(default_factory=dict)
    proposals: Mapping[str, StoredProposal] = field(default_factory=dict)
    handed_over: str = ""
    note: str = ""
    kind: str = CORRECTION
    resting: tuple[RestingLog, ...] = ()
    handed: Mapping[str, Table] = field(default_factory=dict)
    steps: tuple[Step, ...] = ()
    learned: LearnedMap | None = None
    evidence: Mapping[str, StoredEvidence] = field(default_factory=dict)
    words: Mapping[WordKey, Word] = field(default_factory=dict)

    @property
    def verdict(self) -> Verdict | None:
        """What its drive showed of the table under correction; None if that is not known."""
        return self.verdicts.get(self.subject)

    @property
    def prediction(self) -> Prediction | None:
        """What the next drive should show of the table under correction; None if nobody can say."""
        return self.predictions.get(self.subject)

    def with_prediction(self, prediction: Prediction | None) -> Round:
        """The round with another prediction of the table under correction.

        Parameters
        ----------
        prediction : None takes it away.

        Returns
        -------
        A new record.
        """
        others = {n: p for n, p in self.predictions.items() if n != self.subject}
        said = {} if prediction is None else {self.subject: prediction}
        return replace(self, predictions={**others, **said})

    @property
    def table(self) -> Table:
        """The table under correction, as it was driven on."""
        return self.revision.calibration[self.subject]

    @property
    def decided(self) -> Decision:
        """The decision on the table under correction, or an untouched one."""
        return self.decided_for(self.subject)

    def decided_for(self, table_name: str) -> Decision:
        """The decision on one table, or an untouched one.

        Parameters
        ----------
        table_name : a table of the round's calibration.

        Returns
        -------
        The decision.
        """
        decision = self.decisions.get(table_name)
        return (
            decision if decision is not None else undecided(self.revision.calibration[table_name])
        )

    @property
    def changed(self) -> int:
        """Number of cells decided, of all tables."""
        # A moved scale is no cell.
        return sum(d.changed for name, d in self.decisions.items() if name != ENGINE_SCALE)

    @property
    def injectors_decided(self) -> bool:
        """True if injector data were decided; what was asked of the airflow table speaks of the old."""
        decided = [
            name in self.decisions and self.decisions[name].changed for name in INJECTOR_TABLES
        ]
        return any(decided) and self.scale_moved == 1.0

    @property
    def corrections_decided(self) -> bool:
        """True if tables beside airflow, target and injectors were decided: enrichment and the like."""
        return any(d.changed for name, d in self.decisions.items() if name not in NOT_ADDED)

    @property
    def decided_in_other(self) -> int:
        """Cells decided in the second airflow table of a blended ECU."""
        others = (n for n in AIRFLOW_TABLES if n != self.subject and n in self.decisions)
        return sum(self.decisions[name].changed for name in others)

    @property
    def scale_moved(self) -> float:
        """What this round multiplies the scale of its airflow table by; 1 where it is left as it was."""
        if ENGINE_SCALE not in self.decisions:
            return 1.0
        before = self.revision.calibration[ENGINE_SCALE].values
        return float(np.prod(self.decisions[ENGINE_SCALE].values / before))

    def without_outcome(self) -> Round:
        """The round without verdict, proposals and evidence, for what they spoke of changes.

        Returns a new round; this one stays as it is.
        """
        return replace(self, verdicts={}, proposals={}, evidence={})

    def with_decision(self, table_name: str, decision: Decision) -> Round:
        """The round with another decision on one table.

        Parameters
        ----------
        table_name : a table of the round's calibration.
        decision : takes the place of an earlier one.

        Returns
        -------
        A new record.
        """
        return replace(self, decisions=_said({**self.decisions, table_name: decision}))

    def with_step(self, step: Step, amends: bool = False) -> Round:
        """The round with one more step of its trail; of too many the oldest goes.

        Parameters
        ----------
        step : the newest.
        amends : it takes the place of the one before.

        Returns
        -------
        A new record.
        """
        kept = self.steps[:-1] if amends else self.steps
        return replace(self, steps=(*kept, step)[-MOST_STEPS:])

    def with_kind(self, kind: str) -> Round:
        """The round as another kind of work.

        Parameters
        ----------
        kind : one of ``ROUND_KINDS``.

        Returns
        -------
        A new record.
        """
        return replace(self, kind=kind)

    def with_tables(
        self, tables: Mapping[str, Table | None], decisions: Mapping[str, Decision | None]
    ) -> Round:
        """The round with other tables in its revision, and other decisions on them.

        Parameters
        ----------
        tables : by name; None takes the table out, so that the sheet's data count.
        decisions : by name; None takes the decision back.

        Returns
        -------
        A new record.
        """
        calibration = self.revision.calibration
        for name, table in tables.items():
            calibration = (
                calibration.without_table(name)
                if table is None
                else calibration.with_table(name, table)
            )
        return replace(
            self,
            revision=replace(self.revision, calibration=calibration),
            decisions=_said({**self.decisions, **decisions}),
        )

    @property
    def result(self) -> Table:
        """The table under correction as this round would write it."""
        return self.table.with_values(self.decided.values)

    @property
    def result_as_driven(self) -> Table:
        """The same on the scale the round was driven on."""
        return self.table.with_values(self.decided.values * self.scale_moved)

    @property
    def resulting_calibration(self) -> Calibration:
        """The whole calibration as this round would write it."""
        out = self.revision.calibration
        for name, decision in self.decisions.items():
            out = out.with_table(name, out[name].with_values(decision.values))
        return out

    @property
    def handed_calibration(self) -> Calibration:
        """The whole calibration as it was handed over; as it would be now, if that is not known."""
        if not self.handed:
            return self.resulting_calibration
        out = self.revision.calibration
        for name, table in self.handed.items():
            out = out.with_table(name, table)
        return out

    @property
    def has_changed_since_handed_over(self) -> bool:
        """True if something else is decided now than what was handed over."""
        if not self.handed_over or not self.handed:
            return False
        return not self.handed_calibration.same_as(self.resulting_calibration)


def _said(decisions: Mapping[str, Decision | None]) -> dict[str, Decision]:
    """Decisions that say something; of one that does not the file keeps no trace, and so does memory."""
    return {name: d for name, d in decisions.items() if d is not None and d.says_something}


@dataclass(frozen=True, eq=False)
class Job:
    """A vehicle with its chain of rounds.

    ``car`` names the simulated car of a demo job, "" for a real vehicle.
    """

    vehicle: Vehicle
    rounds: tuple[Round, ...]
    car: str = field(default="")

    def index_of(self, round_id: int) -> int | None:
        """Place of a round in the chain, None if it is not there.

        Parameters
        ----------
        round_id : a round's id.

        Returns
        -------
        Its place, from 0.
        """
        return next((i for i, r in enumerate(self.rounds) if r.id == round_id), None)

    def round_of(self, round_id: int) -> Round | None:
        """A round by its id, None if it is not there.

        Parameters
        ----------
        round_id : a round's id.

        Returns
        -------
        The round.
        """
        index = self.index_of(round_id)
        return None if index is None else self.rounds[index]

    def round_before(self, later: Round) -> Round | None:
        """The round a later one was made from.

        Returns its parent by revision, None for the first.
        """
        return next((r for r in self.rounds if r.revision.id == later.revision.parent_id), None)

    def round_after(self, earlier: Round) -> Round | None:
        """The newest round that was made from an earlier one.

        Returns a child by revision, None if there is none yet.
        """
        children = [r for r in self.rounds if r.revision.parent_id == earlier.revision.id]
        return children[-1] if children else None

    def with_round(self, changed: Round) -> Job:
        """The job with the round of the same id replaced."""
        vehicle = self.vehicle
        if changed.id == self.rounds[0].id:
            # As the file would be read: what was pasted there is the vehicle's as well.
            vehicle = with_tables_of(vehicle, changed.revision.calibration)
        rounds = tuple(changed if r.id == changed.id else r for r in self.rounds)
        return replace(self, vehicle=vehicle, rounds=rounds)

    def with_new_round(self, new: Round) -> Job:
        """The job with a round appended."""
        return replace(self, rounds=(*self.rounds, new))

    def same_injectors(self, one: Round, other: Round) -> bool:
        """True if two rounds were driven on the same injector data and scale.

        Only then does the drive of one say something of the other's table.
        """
        cars = [with_calibration(self.vehicle, r.revision.calibration) for r in (one, other)]
        a, b = (car.injectors for car in cars)
        return (
            cars[0].displacement_l == cars[1].displacement_l
            and np.array_equal([a.flow_g_per_s], [b.flow_g_per_s], equal_nan=True)
            and np.array_equal(a.volts, b.volts)
            and np.array_equal(a.dead_time_ms, b.dead_time_ms)
            and np.array_equal(a.small_open_ms, b.small_open_ms)
            and np.array_equal(a.small_add_ms, b.small_add_ms)
        )

    def vehicle_in(self, index: int) -> Vehicle:
        """The vehicle with the calibration of a round in its ECU.

        Parameters
        ----------
        index : place of a round, from 0.

        Returns
        -------
        The vehicle as it was driven.
        """
        r = self.rounds[index]
        return with_calibration(self.vehicle.seen_by(r.subject), r.revision.calibration)

    def seen_by(self, table_name: str) -> Job:
        """The job with one of its airflow tables under correction, in all its rounds.

        Parameters
        ----------
        table_name : one of ``Vehicle.airflow_tables``.

        Returns
        -------
        A new record.
        """
        rounds = tuple(replace(r, subject=table_name) for r in self.rounds)
        vehicle = self.vehicle.seen_by(table_name)
        return replace(self, rounds=rounds, vehicle=vehicle)


def cells_written(earlier: Round, later: Round) -> int:
    """Cells in which the tables of two rounds differ: what was written between their drives.

    Parameters
    ----------
    earlier, later : rounds of one job.

    Returns
    -------
    Over all tables; every cell of a table only one of them has, but for injector tables and a
    scale, which a round takes from the sheet until they are decided.
    """
    before = earlier.revision.calibration
    after = later.revision.calibration
    count = 0
    for name in after:
        if name not in (*AIRFLOW_TABLES, TARGET) and name not in before:
            continue
        there = name in before and before[name].shape == after[name].shape
        changed = (
            before[name].values != after[name].values if there else np.ones(after[name].shape, bool)
        )
        count += int(changed.sum())
    return count
