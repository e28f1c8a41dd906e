"""What each tile of the balance table shows, as arrays computed once per change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Decision, Origin
from lean_trim.core.decision.proposal import Status
from lean_trim.core.estimation.cell_evidence import SEEN_S
from lean_trim.core.text import decimals_of, fixed
from lean_trim.core.types import Floats
from lean_trim.features.table.desk.figures import Numbers, texts_of
from lean_trim.features.table.figure_names import Figure
from lean_trim.ui.session import Session

CURVE_COLUMNS = 12
SCALES_PCT = (5.0, 10.0, 15.0, 20.0, 30.0)
LARGEST_SCALE_PCT = 50.0
MOST_DECIMALS = 3


@dataclass(frozen=True, eq=False)
class TileView:
    """Flat arrays over the table's cells, plus the layout in rows and columns."""

    table: Table
    rows: int
    columns: int
    text: tuple[str, ...]
    bar_pct: Floats
    error_pct: Floats
    seconds: Floats
    solidity: Floats
    origin: NDArray[np.int8]
    pinned: NDArray[np.bool_]
    scale_pct: float
    values: Floats
    decimals: int
    filled: NDArray[np.bool_]
    """Cells nobody drove whose proposed value is the surface's; no evidence, and never painted as
    such."""
    warned: NDArray[np.bool_]
    """Cells whose change needs a deliberate word, given or not."""

    def value_text(self, cell: int) -> str:
        """The value of a cell as it is decided now."""
        return fixed(float(self.values[cell]), self.decimals)

    def only(self, cells: Sequence[int]) -> TileView:
        """The same of some cells; layout, table and scale are those of the whole.

        Parameters
        ----------
        cells : flat indices.

        Returns
        -------
        A view whose arrays are as long as ``cells``.
        """
        take = np.asarray(cells, int)
        parts = {name: getattr(self, name)[take] for name in BY_CELL}
        return replace(self, text=tuple(self.text[c] for c in take.tolist()), **parts)

    def apart(self, other: TileView) -> list[int] | None:
        """Cells that look different in another view.

        Parameters
        ----------
        other : as it was painted.

        Returns
        -------
        Flat indices; None where more than cells is different: axes, scale, or the size of figures.
        """
        same_frame = (
            self.table.same_axes(other.table)
            and self.scale_pct == other.scale_pct
            and np.array_equal(self.seconds, other.seconds)
            and len(max(self.text, key=len, default=""))
            == len(max(other.text, key=len, default=""))
            and np.isfinite(self.bar_pct).any() == np.isfinite(other.bar_pct).any()
        )
        if not same_frame:
            return None
        differs = np.zeros(self.table.size, bool)
        for name in BY_CELL:
            mine, theirs = getattr(self, name), getattr(other, name)
            differs |= (mine != theirs) & ~((mine != mine) & (theirs != theirs))
        differs |= np.array([a != b for a, b in zip(self.text, other.text, strict=True)], bool)
        return [int(cell) for cell in np.flatnonzero(differs)]

    @property
    def is_seen(self) -> NDArray[np.bool_]:
        """Cells used driving came near, flat."""
        return self.seconds > SEEN_S

    @property
    def is_hollow(self) -> NDArray[np.bool_]:
        """Cells whose bar stands for no driving: filled, or carried there by the policy; flat."""
        open_ = ~self.is_seen & (self.origin == Origin.UNTOUCHED)
        moved = np.nan_to_num(self.bar_pct) != 0.0
        return np.asarray(moved & (open_ | (self.filled & (self.origin != Origin.BY_HAND))))


BY_CELL = (
    *("bar_pct", "error_pct", "seconds", "solidity"),
    *("origin", "pinned", "values", "filled", "warned"),
)
"""Parts of a view that have an entry a cell."""


def solidity_of(seconds: Floats) -> Floats:
    """How solid the ink is: 0 without driving, rising with the logarithm of seconds to 1 at 20 s."""
    return np.asarray(np.clip(np.log1p(seconds) / np.log1p(20.0), 0.0, 1.0))


def layout_of(table: Table) -> tuple[int, int]:
    """Rows and columns of tiles: the grid itself, or a curve wrapped into lines."""
    if len(table.axes) == 2:
        return table.shape[0], table.shape[1]
    return -(-table.size // CURVE_COLUMNS), CURVE_COLUMNS


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
        scale_pct=max(least_scale_pct, scale_of_job(session) or _scale_for(bar)),
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


def _scale_for(step_pct: Floats) -> float:
    """The least scale that holds nearly all bars; a few may reach past the edge."""
    moved = np.abs(step_pct[np.isfinite(step_pct) & (step_pct != 0.0)])
    largest = float(np.percentile(moved, 95)) if len(moved) else 0.0
    return next((s for s in SCALES_PCT if largest <= s), LARGEST_SCALE_PCT)


def scale_of_job(session: Session) -> float:
    """What a full bar stands for, from every round's proposal, so that rounds can be compared.

    Returns percent; 0 where no round has a proposal yet.
    """
    rounds = session.job.rounds if session.job is not None else ()
    kept = [r.proposals[r.subject].step_pct for r in rounds if r.subject in r.proposals]
    return max((_scale_for(step) for step in kept), default=0.0)


def _decimals(session: Session) -> int:
    limits = session.vehicle.limits if session.vehicle else None
    return min(decimals_of(limits.resolution), MOST_DECIMALS) if limits else 1
