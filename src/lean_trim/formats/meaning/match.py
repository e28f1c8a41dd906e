"""What was understood of a log: a role with its columns, unit, notes, doubts and proofs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.proof.proof_evidence import Proof
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.overlooked import Overlooked

SURE = 0.7
"""Confidence from which a match is called sure."""


@dataclass(frozen=True)
class Match:
    """One role with the columns it is read from.

    Attributes
    ----------
    columns : two for two banks.
    unit : it is read in.
    confidence : 0 to 1.
    note : what was inferred.
    doubt : a question; a match with a doubt is not certain.
    proofs : what the engine's physics says of it.
    choices : units that would settle the doubt.
    weak : a question about the column itself, which a proof that agrees answers.
    by_physics : whether the unit was settled by the engine's physics.
    only : whether no other unit would do.
    rivals : other columns whose names stand for the role as well.
    runner_up : the unit, or the neighbour it may be mixed up with, that would fit next best; "" where
        no other would do or nothing tells.
    odds : of the unit it is read in against that, at most a thousand; NaN where nothing has a size.
    """

    role: Role
    columns: tuple[Column, ...]
    unit: str
    confidence: float
    note: str = ""
    doubt: str = ""
    proofs: tuple[Proof, ...] = ()
    choices: tuple[str, ...] = ()
    weak: str = ""
    by_physics: bool = False
    only: bool = False
    rivals: tuple[Column, ...] = ()
    runner_up: str = ""
    odds: float = float("nan")

    @property
    def sureness(self) -> str:
        """How sure it is, in a word: a comparison that bears nothing out leaves it at likely."""
        if self.doubt:
            return "asks"
        bare = bool(self.proofs) and not any(p.verdict == "agrees" for p in self.proofs)
        return "likely" if bare or self.confidence < SURE else "sure"


@dataclass(frozen=True, eq=False)
class MappedLog:
    """A log with everything that was understood, inferred and asked about it.

    ``overlooked`` are columns without a role that may be a channel the log seems to lack;
    ``time_runner_up`` the scale that would suit the clock next best, ``time_odds`` those against it.
    """

    log: Log
    matches: tuple[Match, ...]
    unused: tuple[Column, ...]
    notes: tuple[str, ...]
    raw: RawColumns
    time: Column | None = None
    time_unit: str = ""
    time_doubt: str = ""
    overlooked: tuple[Overlooked, ...] = ()
    time_runner_up: str = ""
    time_odds: float = float("nan")

    @property
    def doubts(self) -> tuple[str, ...]:
        """Questions that only the user can settle."""
        time = (self.time_doubt,) if self.time_doubt else ()
        found = (o.doubt for o in self.overlooked)
        return (*time, *found, *(m.doubt for m in self.matches if m.doubt))


def by_role(matches: Sequence[Match]) -> Mapping[Role, Match]:
    """Matches by their role.

    Returns role → match.
    """
    return {m.role: m for m in matches}
