"""From the drive after a round to what it proves of that round."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.decision.driving_shares import driving_seconds
from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.decision.regions import REGION_NAMES, boost_from_kpa, regions_of
from lean_trim.core.drive.frame import Frame
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.carrying import means_of
from lean_trim.core.pipeline.prepare import Prepared
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.pipeline.too_few import TooFewError
from lean_trim.core.proving.common_places import read_known
from lean_trim.core.proving.conditions import Condition, conditions_of
from lean_trim.core.proving.outcome import Outcome, Word, compared, judge
from lean_trim.core.proving.places import Steady, steady_places
from lean_trim.core.proving.proof import NOT_IN, Proof
from lean_trim.core.proving.stopping import stopping
from lean_trim.core.proving.transfer import Transfer, Written, tell
from lean_trim.core.sieve.sieve import RULE_BITS, Sifted
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    AXES = Message(
        "proving.axes",
        "the drive is of a table with other breakpoints than the one that was written",
    )


BLOCK_S = 2.0
WINDOW_S = 30.0
"""Along the drive: means of so many seconds, and their rms over so many."""
BESIDE_TABLE = ("enrichment",)
"""Rules that leave a sample out because its fuel is not that of the table that is said to be in the ECU,
which is what is asked here."""


def needed_along(prepared: Prepared, sifted: Sifted, surface: Estimate | None) -> Floats:
    """Trims · lambda / target, less what film, warm-up and heat explain.

    Parameters
    ----------
    prepared, sifted : the drive as the sieve saw it.
    surface : with what film, warm-up and heat make; None where too little was left to fit.

    Returns
    -------
    Shape (n,); NaN where the sieve leaves a sample out for another reason than its fuel.
    """
    frame = prepared.frame
    with np.errstate(invalid="ignore", divide="ignore"):
        k = frame.trim * prepared.conditions.lam / frame.target
    if surface is not None:
        known = {c.term: c.value for c in surface.shared}
        coefficients = np.array([known.get(name, 0.0) for name in prepared.terms.names])
        k = k - coefficients @ prepared.terms.values
    ours = np.uint32(sum(int(RULE_BITS[name]) for name in BESIDE_TABLE))
    use = (sifted.reason_bits & ~ours) == 0
    return np.asarray(np.where(use & (k > 0.0), k, np.nan))


def steady_of(drive: Solution | TooFewError) -> Steady:
    """Steady running of a drive by places.

    Parameters
    ----------
    drive : solved; or refused, for its fuel was not that of the table that is said to be in the ECU.

    Returns
    -------
    The places.
    """
    surface = drive.measured.surface if isinstance(drive, Solution) else None
    conditions = drive.prepared.conditions
    needed = needed_along(drive.prepared, drive.sifted, surface)
    return steady_places(conditions.motion, conditions.regime.astype(np.intp), needed)


def prove(
    written: Written,
    drive: Solution | TooFewError,
    proposal: Proposal | None,
    others: Mapping[str, Table] | None = None,
    logs_before: Sequence[Log] = (),
) -> Proof:
    """Judge a round by the drive after it.

    Parameters
    ----------
    written : what was handed over, with what the drive before knew.
    drive : the next one, worked out as if the written table had been in the ECU; or why it could not be.
    proposal : what it would write; None where it could not be worked out.
    others : further known tables, by name.
    logs_before : of the drive before, to compare the weather.

    Returns
    -------
    The proof.

    Raises
    ------
    BadInputError
        If the drive is of a table with other axes.
    """
    conditions = drive.prepared.conditions
    frame = conditions.frame
    if not frame.vehicle.table.same_axes(written.after):
        raise BadInputError(Say.AXES())
    steady = steady_of(drive)
    regions = _regions(drive, written.after)
    names = _names(regions)
    at_steady = [str(regions.ravel()[i]) for i in written.after.nearest(*steady.at)]
    transfer = tell(written, others or {}, steady, at_steady, trims_are_logged(frame))
    weather = conditions_of(logs_before, (frame.log,)) if logs_before else ()
    if not isinstance(drive, Solution) or proposal is None or transfer.kind in NOT_IN:
        # What a drive on another table was off by says nothing of the written one.
        seconds = drive.residual.seconds if isinstance(drive, Solution) else np.zeros(regions.size)
        away = _not_on_it(names, regions, seconds)
        nothing = np.empty(0)
        return Proof(transfer, away, stopping(nothing, nothing, nothing, nothing), weather)
    return _judged(written, drive, proposal, transfer, regions, weather)


def _judged(
    written: Written,
    drive: Solution,
    proposal: Proposal,
    transfer: Transfer,
    regions: np.ndarray,
    weather: tuple[Condition, ...],
) -> Proof:
    """What a drive on the written table shows of it."""
    names = _names(regions)
    means = means_of(
        drive.prepared, drive.observations, drive.measured.surface, drive.settings.surface.huber
    )
    found = compared(written, means)
    at_places = [str(regions.ravel()[i]) for i in written.after.nearest(*found.at)]
    times, expected, observed = _along(written, drive)
    return Proof(
        transfer=transfer,
        outcomes=judge(found, at_places, names),
        stopping=stopping(
            proposal.step_pct,
            drive.estimate.correction_pct,
            drive.residual.gap_pct,
            drive.residual.seconds,
            100.0 * np.expm1(written.step),
        ),
        conditions=weather,
        times=times,
        expected_along=expected,
        observed_along=observed,
    )


def _not_on_it(names: Sequence[str], regions: np.ndarray, seconds: Floats) -> tuple[Outcome, ...]:
    """Outcomes of a drive on another table: how long it was where, and no more."""
    told = []
    for name in (*names, ""):
        here = seconds[(regions.ravel() == name) | (name == "")]
        driven = float(here.sum())
        word: Word = "cannot be told" if driven > 0.0 else "not driven"
        told.append(Outcome(name, word, seconds=driven, places=int((here > 0.0).sum())))
    return tuple(told)


def trims_are_logged(frame: Frame) -> bool:
    """True if trims times lambda over target tell what the engine lacks: no trim is hidden."""
    if frame.vehicle.feedback == "none":
        return True
    return Role.STFT in frame.log and Role.LTFT in frame.log


def _regions(drive: Solution | TooFewError, table: Table) -> np.ndarray:
    """Region of every cell, in the table's shape."""
    sifted = drive.sifted
    log = drive.prepared.frame.log
    if isinstance(drive, Solution):
        shares = driving_seconds(sifted, drive.observations).shares(table.shape)
        return regions_of(table, shares.idle, shares.full, shares.boost_from_kpa)
    nowhere = np.zeros(table.shape)
    return regions_of(table, nowhere, nowhere, boost_from_kpa(log))


def _names(regions: np.ndarray) -> tuple[str, ...]:
    """Regions a table has, driven or not; boost only where it has rows for it."""
    there = {str(r) for r in regions.ravel()}
    return tuple(n for n in REGION_NAMES if n != "boost" or n in there)


def _along(
    written: Written, drive: Solution
) -> tuple[tuple[float, ...], tuple[float, ...], tuple[float, ...]]:
    """Moments, expected and observed rms about them, percent."""
    o = drive.observations
    time = drive.frame.log.time_s[o.index]
    table = written.after
    read = partial(read_known, o.mesh)
    lacks = 100.0 * (read(written.wanted) - read(np.log(table.values)))
    expected = np.sqrt(lacks**2 + read(written.error_pct) ** 2)
    known = np.isfinite(expected)
    # Means of some seconds, or noise would pass for error.
    block = ((time - drive.frame.log.time_s[0]) / BLOCK_S).astype(np.int64)[known]
    if not len(block):
        return (), (), ()
    numbers, inverse = np.unique(block, return_inverse=True)
    count = np.bincount(inverse)
    k = np.bincount(inverse, 100.0 * np.log(np.maximum(o.k[known], 1e-3))) / count
    e = np.sqrt(np.bincount(inverse, expected[known] ** 2) / count)
    window = numbers // round(WINDOW_S / BLOCK_S)
    moments, at = np.unique(window, return_inverse=True)
    each = np.bincount(at)
    rms = [np.sqrt(np.bincount(at, values**2) / each) for values in (e, k)]
    middle = (moments + 0.5) * WINDOW_S + float(drive.frame.log.time_s[0])
    return tuple(middle.tolist()), tuple(rms[0].tolist()), tuple(rms[1].tolist())
