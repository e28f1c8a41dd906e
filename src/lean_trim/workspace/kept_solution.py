"""The solution of a round, kept with it: what it depends on, as bytes, and back."""

from __future__ import annotations

import hashlib
import logging
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.explore.events import Event
from lean_trim.core.explore.kept import KeptSolution, kept_of, refuse_unsound, solution_from
from lean_trim.core.pipeline.carrying import Earlier
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.pipeline.summary import Summary, summary_of
from lean_trim.core.types import Mask
from lean_trim.job.left_out import left_out_of
from lean_trim.job.records import KeptAnswer, Round, Span, StoredEvidence
from lean_trim.job.results import DAMAGES, digest, packed, unpacked
from lean_trim.workspace.binding import Binding
from lean_trim.workspace.carrying import EarlierRound
from lean_trim.workspace.kept import program_mark

LOGGER = logging.getLogger(__name__)
JOINT = " "
"""Between the parts of a key."""
MOST_SUMS = 256
"""Drives whose check sum is remembered."""


@dataclass(frozen=True, eq=False)
class Restored:
    """A kept solution, with everything along its log again.

    ``summary`` is of it, ``events`` and ``tip_in`` are its drive's, and its cells beside tip-ins.
    """

    solution: Solution
    summary: Summary
    events: tuple[Event, ...]
    tip_in: Mask


def kind_of(table_name: str) -> str:
    """Under what the solution for a table is kept."""
    return f"solution {table_name}"


def solution_key(binding: Binding, vehicle: Vehicle, earlier: Sequence[EarlierRound]) -> str:
    """Everything a solution depends on.

    Parameters
    ----------
    binding : what it is wanted for.
    vehicle : as driven.
    earlier : rounds that count.

    Returns
    -------
    Parts: of the drive and its calibration, of all the rest, and of the program.
    """
    before = tuple((e.round.number, e.months, _of_evidence(e)) for e in earlier)
    rest = digest((binding.settings, before))
    drive = drive_key(vehicle, binding.logs, binding.left_out)
    return JOINT.join((drive, rest, program_mark()))


def drive_key(vehicle: Vehicle, logs: tuple[int, ...], left_out: tuple[Span, ...]) -> str:
    """The drive and the calibration an answer is of.

    Parameters
    ----------
    vehicle : as driven.
    logs : their ids.
    left_out : stretches left out by hand.

    Returns
    -------
    The first part of a key.
    """
    return digest((vehicle, logs, tuple((s.start_s, s.end_s) for s in left_out)))


def _of_evidence(earlier: EarlierRound) -> str:
    stored = earlier.round.evidence.get(earlier.round.subject)
    return "" if stored is None else _sum_of(stored)


@lru_cache(maxsize=MOST_SUMS)
def _sum_of(stored: StoredEvidence) -> str:
    """Of one record, which is frozen."""
    return hashlib.sha256(stored.data).hexdigest()


def is_of_the_drive(key: str, drive: str) -> bool:
    """True if a key is of a drive on its calibration, perhaps otherwise worked out.

    Parameters
    ----------
    key : of an answer.
    drive : the first part of a key, or a whole one.

    Returns
    -------
    Whether the first parts are the same.
    """
    return key.split(JOINT)[0] == drive.split(JOINT)[0]


def is_of_this_program(key: str) -> bool:
    """True if an answer was worked out by the code that runs."""
    return key.split(JOINT)[-1] == program_mark()


def solution_bytes(solution: Solution, events: tuple[Event, ...], tip_in: Mask) -> bytes:
    """A solution as it is kept; for a thread of its own."""
    return packed(kept_of(solution, events, tip_in))


def restored(
    answer: KeptAnswer, current: Round, vehicle: Vehicle, earlier: Sequence[Earlier]
) -> Restored | None:
    """A kept solution again; for a thread of its own.

    Parameters
    ----------
    answer : what is kept.
    current : its round.
    vehicle : as driven.
    earlier : what earlier drives said.

    Returns
    -------
    None where it does not fit, so that it has to be solved anew.
    """
    try:
        kept = unpacked(answer.data)
        if not isinstance(kept, KeptSolution):
            return None
        refuse_unsound(kept, vehicle)
        by_hand = left_out_of((current,))
        solution = solution_from(kept, list(current.logs), vehicle, by_hand, earlier)
        return Restored(solution, summary_of(solution), kept.events, kept.tip_in)
    except (LeanTrimError, *DAMAGES) as error:
        LOGGER.info("what was kept of round %s does not fit: %s", current.number, error)
        return None
