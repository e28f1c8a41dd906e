"""What happened to the open job, as typed messages; whoever shows it subscribes to the kinds it needs."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum, StrEnum
from typing import Any, Literal, TypeVar

from lean_trim.core.data.log import Log
from lean_trim.core.messages import Said
from lean_trim.job.tuning import Tuning

Kind = TypeVar("Kind")


class Part(Enum):
    """Which part of a round changed."""

    LOGS = "logs"
    DECISION = "decision"
    LEFT_OUT = "left out"
    MARKS = "marks"
    TUNING = "tuning"
    OUTCOME = "outcome"
    HANDED_OVER = "handed over"
    KIND = "kind"
    LEARNED = "learned map"
    WORDS = "words"


class Remedy(StrEnum):
    """What a notice offers to do about itself."""

    SAVE_ELSEWHERE = "save elsewhere"
    TAKE_OVER = "take over"
    LET_GO = "let go"
    REPAIR = "repair_job"


@dataclass(frozen=True)
class JobOpened:
    """Another job is open now, or the same one was read again."""

    number: int


@dataclass(frozen=True)
class JobClosing:
    """The job is about to be closed; what is still being typed can be kept now."""


@dataclass(frozen=True)
class JobClosed:
    """No job is open any more."""


@dataclass(frozen=True)
class RoundShown:
    """Another round is the one that is looked at."""

    round_id: int


@dataclass(frozen=True)
class RoundAdded:
    """The job has a new round."""

    round_id: int


@dataclass(frozen=True)
class RoundChanged:
    """Part of a round is other than before, in the file and in memory."""

    round_id: int
    part: Part


@dataclass(frozen=True)
class Resting:
    """What was begun and waits to be kept is kept now: the round or the job is left, or undone."""


@dataclass(frozen=True)
class SolutionShown:
    """The round that is looked at has a new solution."""

    round_id: int


@dataclass(frozen=True)
class SolveFailed:
    """The round that is looked at could not be solved; ``reason`` says why."""

    round_id: int
    reason: str


@dataclass(frozen=True)
class ProposalChanged:
    """What is proposed for the round that is looked at is other than before."""

    round_id: int


@dataclass(frozen=True)
class ConfirmationAsked:
    """A change waits for a deliberate word, or none does any more."""


@dataclass(frozen=True)
class LearnedOffered:
    """What a learned map would do is to be shown on the table."""


@dataclass(frozen=True)
class TriedWithout:
    """What changes without a stretch is known, or is not asked any more."""


@dataclass(frozen=True)
class TuningTurned:
    """A knob stands elsewhere, or the knobs of another round are shown.

    Attributes
    ----------
    round_id : of the round that is looked at, 0 for none.
    before, now : its settings as the knobs stood, and as they stand.
    settled : True where they stand as the file has them, False while a turn is not at rest.
    """

    round_id: int
    before: Tuning
    now: Tuning
    settled: bool


@dataclass(frozen=True)
class DriveGrew:
    """The simulated car has driven on; ``log`` is the drive so far."""

    round_id: int
    log: Log


@dataclass(frozen=True)
class ImportsChanged:
    """Other logs wait for an answer than before."""


@dataclass(frozen=True)
class InjectorsTold:
    """What the shown round says of the injectors is known, or why it cannot be."""


@dataclass(frozen=True)
class WorkStarted:
    """A task began."""

    task: int
    title: str


@dataclass(frozen=True)
class WorkMoved:
    """A task went on; ``share`` is 0 to 1, ``what`` says what it is at."""

    task: int
    what: str
    share: float


@dataclass(frozen=True)
class WorkEnded:
    """A task is over, however it ended."""

    task: int


@dataclass(frozen=True)
class HistoryChanged:
    """Something else can be undone or redone."""


@dataclass(frozen=True)
class AccessChanged:
    """The job can no longer be saved, or can be again; ``read_only`` says why not, "" if it can."""

    read_only: str


@dataclass(frozen=True)
class Notice:
    """A sentence for the user, with what may be done about it.

    Attributes
    ----------
    kind : "error" stays until it is dismissed, "note" until the next one, "done" only passes by.
    """

    kind: Literal["note", "error", "done"]
    said: Said
    remedies: tuple[Remedy, ...] = ()

    @property
    def text(self) -> str:
        """The rendered sentence."""
        return str(self.said)


class Hub:
    """Hands every message to those who subscribed to its kind, in the order they did."""

    def __init__(self) -> None:
        self._listeners: dict[type, list[Callable[[Any], None]]] = {}

    def subscribe(self, kind: type[Kind], call: Callable[[Kind], None]) -> None:
        """Have ``call`` called with every message of a kind.

        Parameters
        ----------
        kind : class of the messages.
        call : called in the model's thread.
        """
        self._listeners.setdefault(kind, []).append(call)

    def publish(self, message: object) -> None:
        """Tell everyone who asked.

        Parameters
        ----------
        message : one of this module's classes.
        """
        for call in tuple(self._listeners.get(type(message), ())):
            call(message)
