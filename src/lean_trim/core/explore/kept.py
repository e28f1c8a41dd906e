"""A solution kept small: what fits and looking found, from which the rest is made again without them.

Everything along a log follows from the log, the calibration and what the fits found of delay and film, in a
tenth of the time a solve takes; kept are the answers, not the samples.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.drive.motion import Motion
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.delay_fit import DelayEstimate
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.film_fit import FilmEstimate
from lean_trim.core.estimation.log_shares import LogShare
from lean_trim.core.estimation.residual import Residual
from lean_trim.core.explore.events import Event
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.carrying import Counted, Earlier, drives_that_count
from lean_trim.core.pipeline.factors import of_the_table
from lean_trim.core.pipeline.layers import told_of_layer
from lean_trim.core.pipeline.look import Look
from lean_trim.core.pipeline.prepare import Prepared, prepare
from lean_trim.core.pipeline.solve import (
    Cause,
    DrivenLog,
    Measured,
    Solution,
    SolveSettings,
    frame_of,
    less_causes,
)
from lean_trim.core.sieve.sieve import MANUAL_BIT, Sifted
from lean_trim.core.types import Bits, Mask


class Say:
    """Sentences of this module."""

    OTHER = Message("kept.other", "what was kept is of another log ({kept} samples)")
    UNSOUND = Message("kept.unsound", "what was kept is of another table, or damaged")


@dataclass(frozen=True, eq=False)
class KeptSolution:
    """What a solve found. The fields are those of ``Measured`` and ``Solution``.

    Attributes
    ----------
    counted : what became of each earlier drive.
    events, tip_in : along the drive, and cells beside tip-ins.
    sieved : what the sieve made of each sample; they lie in long runs, and take next to no room.
    """

    settings: SolveSettings
    delay: DelayEstimate
    film: FilmEstimate
    surface: Estimate
    estimate: Estimate
    mended: Cause
    counted: tuple[Counted, ...]
    residual: Residual
    findings: tuple[Finding, ...]
    logs: tuple[LogShare, ...]
    seen: Look
    events: tuple[Event, ...]
    tip_in: Mask
    sieved: Sieved

    @property
    def samples(self) -> int:
        """Of the joined log."""
        return len(self.sieved.reason_bits)


@dataclass(frozen=True, eq=False)
class Sieved:
    """What is kept of ``Sifted``, with its names."""

    reason_bits: Bits
    hit_bits: Bits
    seconds: dict[str, float]
    counts: dict[str, int]
    alone: dict[str, float]


def kept_of(solution: Solution, events: tuple[Event, ...], tip_in: Mask) -> KeptSolution:
    """What is kept of a solution.

    Parameters
    ----------
    solution : in which faults were looked for.
    events, tip_in : along its drive, and cells beside tip-ins.

    Returns
    -------
    A few ten kilobytes, however long the log.
    """
    measured = solution.measured
    return KeptSolution(
        settings=measured.settings,
        delay=measured.delay,
        film=measured.film,
        surface=measured.surface,
        estimate=solution.estimate,
        mended=measured.mended,
        counted=measured.before.counted,
        residual=solution.residual,
        findings=solution.findings,
        logs=solution.logs,
        seen=solution.seen,
        events=events,
        tip_in=tip_in,
        sieved=Sieved(
            reason_bits=solution.sifted.reason_bits,
            hit_bits=solution.sifted.hit_bits,
            seconds=solution.sifted.seconds,
            counts=solution.sifted.counts,
            alone=solution.sifted.alone,
        ),
    )


def solution_from(
    kept: KeptSolution,
    logs: Sequence[Log | DrivenLog],
    vehicle: Vehicle,
    left_out_by_hand: Mask | None = None,
    earlier: Sequence[Earlier] = (),
) -> Solution:
    """The solution again, with everything along its log.

    Parameters
    ----------
    kept : as ``kept_of`` made it.
    logs, vehicle, left_out_by_hand, earlier : the very ones it was solved from.

    Returns
    -------
    Equal to the one that was kept; nothing is fitted.

    Raises
    ------
    BadInputError
        If it is of other logs.
    LogError
        If the logs cannot be read with that calibration.
    """
    settings = kept.settings
    driven = [d if isinstance(d, DrivenLog) else DrivenLog(d) for d in logs]
    with np.errstate(all="ignore"):
        frame = frame_of(driven, vehicle, settings)
        if len(frame.log) != kept.samples or len(earlier) != len(kept.counted):
            raise BadInputError(Say.OTHER(kept=kept.samples))
        prepared = prepare(Motion(frame), kept.delay.settings, settings.regimes, kept.film.tau_s)
        sifted = _sifted(kept, prepared, left_out_by_hand)
        whole = told_of_layer(prepared, prepared.observe(sifted), settings.surface)
        observations = less_causes(frame, whole, kept.mended)
        measured = Measured(
            prepared=prepared,
            sifted=sifted,
            observations=observations,
            surface=kept.surface,
            settings=settings,
            delay=kept.delay,
            film=kept.film,
            mended=kept.mended,
            before=drives_that_count(earlier, kept.counted, vehicle.table),
        )
        return Solution(
            measured=measured,
            observations=of_the_table(observations, kept.surface),
            estimate=kept.estimate,
            residual=kept.residual,
            findings=kept.findings,
            logs=kept.logs,
            seen=kept.seen,
        )


def _sifted(kept: KeptSolution, prepared: Prepared, by_hand: Mask | None) -> Sifted:
    """What the sieve made of the log, which no rule has to look at again."""
    sieved = kept.sieved
    left_out = (sieved.reason_bits & MANUAL_BIT) != 0
    if not np.array_equal(left_out, np.zeros(kept.samples, bool) if by_hand is None else by_hand):
        raise BadInputError(Say.OTHER(kept=kept.samples))
    return Sifted(
        reason_bits=sieved.reason_bits,
        hit_bits=sieved.hit_bits,
        seconds=sieved.seconds,
        counts=sieved.counts,
        alone=sieved.alone,
        settings=kept.settings.sieve,
        conditions=prepared.conditions,
        by_hand=by_hand,
    )


def refuse_unsound(kept: KeptSolution, vehicle: Vehicle) -> None:
    """Raise BadInputError where a solution out of a file cannot be one of a vehicle.

    Parameters
    ----------
    kept : as it was read.
    vehicle : it is to be of.
    """
    table = vehicle.table
    shape = table.shape
    of_cells = [kept.residual.gap_pct.shape, kept.residual.seconds.shape]
    sound = (
        all(_is_of(e, vehicle) for e in (kept.surface, kept.estimate))
        and kept.sieved.hit_bits.shape == kept.sieved.reason_bits.shape == (kept.samples,)
        and kept.seen.done
        and kept.seen.unsettled.shape == kept.tip_in.shape == shape
        and all(mask.shape == (kept.samples,) for mask in kept.seen.shown.values())
        and all(size == (table.size,) for size in of_cells)
        and all(np.isfinite((e.start_s, e.end_s)).all() for e in kept.events)
    )
    if not sound:
        raise BadInputError(Say.UNSOUND())


def _is_of(estimate: Estimate, vehicle: Vehicle) -> bool:
    table = vehicle.table
    cells = (
        estimate.correction_pct,
        estimate.own_error_pct,
        estimate.seconds,
        estimate.visits,
        estimate.near_s,
        estimate.supported,
    )
    return (
        estimate.table.same_axes(table)
        and np.array_equal(estimate.table.values, table.values)
        and all(x.shape == table.shape for x in cells)
    )
