"""What each tile of the airflow table shows, from the shown round."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Decision, Origin
from lean_trim.core.decision.proposal import Status
from lean_trim.core.estimation.cell_evidence import SEEN_S
from lean_trim.core.text import decimals_of
from lean_trim.core.types import Floats
from lean_trim.features.table.desk.figures import Numbers, texts_of
from lean_trim.features.table.figure_names import Figure
from lean_trim.job.records import StoredProposal
from lean_trim.ui.session import Session
from lean_trim.ui.widgets.tile_view import TileView, layout_of, scale_for, solidity_of

MOST_DECIMALS = 3
MOST_SCALES = 256
"""Proposals whose scale is remembered."""


def make_view(
    session: Session,
    figure: Figure,
    live_seconds: Floats | None = None,
    least_scale_pct: float = 0.0,
    base: Table | None = None,
    preview: Floats | None = None,
) -> TileView | None:
    """Arrays for the current round, or None without a job.

    ``live_seconds`` fills cells while driving; ``least_scale_pct`` is what a full bar stood for
    before; ``base`` is what the change is counted from, the driven table where it is None; ``preview``
    are values a shape would leave, shown hollow where they are other than what is decided.
    """
    current = session.round
    decision = session.decision
    if current is None or decision is None:
        return None
    table = current.table
    decision, ghost = _previewed(decision, preview)
    drive = _drive_of(session, table, live_seconds)
    proposal = session.proposal
    step = 100.0 * (decision.values / table.values - 1.0).ravel()
    # What was measured stands until it is known what of it is to be written.
    measured = np.where(drive.seconds > SEEN_S, drive.asked, np.nan)
    undecided = proposal.step_pct.ravel() if proposal is not None else measured
    bar = np.where(decision.origin.ravel() != Origin.UNTOUCHED, step, undecided)
    # The one of a job or round that was shown before may have other axes.
    known = base if base is not None and base.same_axes(table) else table
    numbers = Numbers(
        table=table,
        base=known,
        values=decision.values,
        decimals=_decimals(session),
        asked_pct=drive.asked,
        error_pct=drive.error,
        residual_pct=drive.residual,
        step_pct=bar,
        seconds=drive.seconds,
    )
    filled = ghost.ravel()
    if proposal is not None:
        filled = filled | (proposal.status.ravel() == Status.FILLED)
    rows, columns = layout_of(table)
    return TileView(
        table=table,
        rows=rows,
        columns=columns,
        text=texts_of(figure, numbers),
        bar_pct=bar,
        error_pct=drive.error,
        seconds=drive.seconds,
        solidity=solidity_of(drive.seconds),
        origin=decision.origin.ravel(),
        pinned=decision.pinned.ravel(),
        # A turned knob must not rescale the bars it is judged by: only what is kept counts.
        scale_pct=max(least_scale_pct, scale_of_job(session) or scale_for(bar)),
        values=table.own_of(decision.values).ravel(),
        decimals=numbers.decimals,
        filled=np.asarray(filled, bool),
        warned=_warned(session, table),
    )


def _warned(session: Session, table: Table) -> NDArray[np.bool_]:
    """Cells that need a word, where anything can still be decided."""
    out = np.zeros(table.size, bool)
    current = session.round
    if current is not None and session.is_last and session.proposal is not None:
        out[list(session.deciding.confirming.dangers(current))] = True
    return out


@dataclass(frozen=True, eq=False)
class _Drive:
    """What the shown drive says of each cell, flat; NaN and 0 s where there is none."""

    seconds: Floats
    error: Floats
    asked: Floats
    residual: Floats


def _drive_of(session: Session, table: Table, live_seconds: Floats | None) -> _Drive:
    solution = session.solution
    blank = np.full(table.size, np.nan)
    live = None if live_seconds is None else live_seconds.ravel()
    if solution is None:
        return _Drive(np.zeros(table.size) if live is None else live, blank, blank, blank)
    estimate = solution.estimate
    return _Drive(
        seconds=estimate.seconds.ravel() if live is None else live,
        error=estimate.own_error_pct.ravel(),
        asked=estimate.correction_pct.ravel(),
        residual=solution.residual.gap_pct,
    )


def _previewed(decision: Decision, preview: Floats | None) -> tuple[Decision, NDArray[np.bool_]]:
    """A decision with what is tried laid over it, and the cells that would be other."""
    if preview is None or preview.shape != decision.values.shape:
        return decision, np.zeros(decision.values.shape, bool)
    ghost = np.asarray(preview != decision.values, bool)
    origin = np.where(ghost, np.int8(Origin.ACCEPTED), decision.origin)
    return replace(decision, values=preview, origin=origin), ghost


def scale_of_job(session: Session) -> float:
    """What a full bar stands for, from every round's proposal, so that rounds can be compared.

    Returns percent; 0 where no round has a proposal yet.
    """
    rounds = session.job.rounds if session.job is not None else ()
    kept = [r.proposals[r.subject] for r in rounds if r.subject in r.proposals]
    return max((_scale_of(proposal) for proposal in kept), default=0.0)


@lru_cache(maxsize=MOST_SCALES)
def _scale_of(proposal: StoredProposal) -> float:
    """Of one proposal, which is frozen; a job has one a round."""
    return scale_for(proposal.step_pct)


def _decimals(session: Session) -> int:
    limits = session.vehicle.limits if session.vehicle else None
    return min(decimals_of(limits.resolution), MOST_DECIMALS) if limits else 1
