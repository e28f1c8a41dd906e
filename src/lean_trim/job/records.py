"""What a job is made of, as plain frozen records."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.decision import Decision, undecided


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
    """A log together with the bytes that keep it in the job file."""

    log: Log
    data: bytes
    sha256: str = ""


@dataclass(frozen=True)
class Verdict:
    """Figures of a round, kept so that the rail needs no new solve. Percent; NaN where unknown."""

    residual_rms: float
    trim_rms: float
    within_3: float


@dataclass(frozen=True, eq=False)
class Round:
    """One round: the table driven on, its logs, and what was decided from them."""

    id: int
    number: int
    started: str
    table: Table
    table_id: int
    logs: tuple[Log, ...] = ()
    log_infos: tuple[LogInfo, ...] = ()
    left_out: tuple[Span, ...] = ()
    marks: tuple[Mark, ...] = ()
    decision: Decision | None = None
    verdict: Verdict | None = None
    handed_over: str = ""
    note: str = ""

    @property
    def decided(self) -> Decision:
        """The decision, or an untouched one."""
        return self.decision if self.decision is not None else undecided(self.table)

    @property
    def result(self) -> Table:
        """The table this round would write."""
        return self.table.with_values(self.decided.values)


@dataclass(frozen=True, eq=False)
class Job:
    """A vehicle with its chain of rounds. ``car`` names the simulated car of a demo job, "" for a real vehicle."""

    vehicle: Vehicle
    rounds: tuple[Round, ...]
    car: str = field(default="")

    def with_round(self, index: int, changed: Round) -> Job:
        """The job with one round replaced."""
        rounds = list(self.rounds)
        rounds[index] = changed
        return replace(self, rounds=tuple(rounds))

    def vehicle_in(self, index: int) -> Vehicle:
        """The vehicle with the table of a round in its ECU."""
        return self.vehicle.with_table(self.rounds[index].table)
