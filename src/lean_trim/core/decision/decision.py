"""What the user decided for each cell of the table that will be written."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.tables import OwnUnit, Table
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision.proposal import Proposal, quantise
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    OUT_OF_RANGE = Message(
        "decision.out_of_range",
        "{text!r} leaves the table's range of {lowest:g} to {highest:g}; nothing was changed",
    )


class Origin(IntEnum):
    """Where a decided value comes from."""

    UNTOUCHED = 0
    ACCEPTED = 1
    BY_HAND = 2


@dataclass(frozen=True, eq=False)
class Decision:
    """Values to be written, where each came from, and which cells are pinned.

    Arrays have the table's shape.
    """

    values: Floats
    origin: NDArray[np.int8]
    pinned: NDArray[np.bool_]

    @property
    def changed(self) -> int:
        """Number of cells the user accepted or set."""
        return int((self.origin != Origin.UNTOUCHED).sum())

    @property
    def says_something(self) -> bool:
        """True if any cell is decided or pinned."""
        return self.changed > 0 or bool(self.pinned.any())


def undecided(table: Table) -> Decision:
    """Nothing decided: every cell keeps its value.

    Returns a decision that writes it unchanged.
    """
    return Decision(
        table.values.copy(), np.zeros(table.shape, np.int8), np.zeros(table.shape, bool)
    )


def mask_of(decision: Decision, cells: Iterable[int] | None) -> Mask:
    """Cells as a mask.

    Parameters
    ----------
    decision : gives the shape.
    cells : flat indices; all if None.

    Returns
    -------
    In the table's shape.
    """
    mask = np.zeros(decision.values.size, bool)
    mask[list(range(mask.size) if cells is None else cells)] = True
    return mask.reshape(decision.values.shape)


def accept(decision: Decision, proposal: Proposal, cells: Iterable[int] | None = None) -> Decision:
    """Take the proposed value in the given cells (all if None) where it is a change; pinned cells stay.

    Parameters
    ----------
    decision : as it stands.
    proposal : for the same table.
    cells : flat indices; all if None.

    Returns
    -------
    A new decision; the given one stays as it is.
    """
    # A cell without a step is not decided by accepting it: it stays open for the next drive.
    take = mask_of(decision, cells) & (proposal.step_pct != 0.0) & ~decision.pinned
    return replace(
        decision,
        values=np.where(take, proposal.table.values, decision.values),
        origin=np.where(take, np.int8(Origin.ACCEPTED), decision.origin),
    )


def accept_share(
    decision: Decision,
    proposal: Proposal,
    driven: Table,
    cells: Iterable[int] | None,
    share: float,
    limits: TableLimits,
) -> Decision:
    """Take a share of the proposed change in the given cells; pinned cells stay.

    Parameters
    ----------
    decision : as it stands.
    proposal : for the same table.
    driven : the table the change is counted from.
    cells : flat indices; all if None.
    share : 0 to 1.
    limits : of the table's field, by whose steps the value is rounded.

    Returns
    -------
    A new decision.
    """
    wanted = driven.values * (1.0 + share * proposal.step_pct / 100.0)
    values, _ = quantise(wanted, limits, driven.own)
    take = mask_of(decision, cells) & (proposal.step_pct != 0.0) & ~decision.pinned
    return replace(
        decision,
        values=np.where(take, values, decision.values),
        origin=np.where(take, np.int8(Origin.ACCEPTED), decision.origin),
    )


def put_back(decision: Decision, table: Table, cells: Iterable[int] | None = None) -> Decision:
    """Return the given cells to the value they were driven on; pins stay.

    Parameters
    ----------
    decision : as it stands.
    table : as it was driven on.
    cells : flat indices; all if None.

    Returns
    -------
    A new decision; the given one stays as it is.
    """
    back = mask_of(decision, cells)
    return replace(
        decision,
        values=np.where(back, table.values, decision.values),
        origin=np.where(back, np.int8(Origin.UNTOUCHED), decision.origin),
    )


def pin(decision: Decision, table: Table, cells: Iterable[int], on: bool) -> Decision:
    """Pin cells to the value they were driven on, or release them.

    Parameters
    ----------
    decision : as it stands.
    table : as it was driven on.
    cells : flat indices.
    on : pin, or release.

    Returns
    -------
    A new decision; the given one stays as it is.
    """
    mask = mask_of(decision, cells)
    # A pin holds what was driven, not what was accepted in between.
    if on:
        decision = put_back(decision, table, cells)
    return replace(decision, pinned=(decision.pinned | mask) if on else (decision.pinned & ~mask))


def by_hand(
    decision: Decision,
    wanted: Floats,
    take: Mask,
    limits: TableLimits,
    own: OwnUnit | None = None,
    text: str = "",
) -> Decision:
    """Set cells to what the user wants of them, on the steps of the field; pinned cells stay.

    Parameters
    ----------
    decision : as it stands.
    wanted : values in our unit, in the table's shape.
    take : cells that are set.
    limits : of the table's field.
    own : how the ECU counts the table, None if as we do.
    text : what the user typed, for the refusal; the first value that is too much where empty.

    Returns
    -------
    A new decision.

    Raises
    ------
    BadInputError
        If a value leaves the table's range.
    """
    free = take & ~decision.pinned
    # A step below zero is refused as out of range, not as an impossible table.
    values, clipped = quantise(np.maximum(wanted, 0.0), limits, own)
    out = clipped & free
    if out.any():
        worst = float(np.asarray(wanted if own is None else own.own(wanted))[out][0])
        raise BadInputError(
            Say.OUT_OF_RANGE(
                text=text or f"{worst:g}", lowest=limits.lowest, highest=limits.highest
            )
        )
    return replace(
        decision,
        values=np.where(free, values, decision.values),
        origin=np.where(free, np.int8(Origin.BY_HAND), decision.origin),
    )


def moved_by_hand(
    decision: Decision, wanted: Floats, limits: TableLimits, own: OwnUnit | None = None
) -> Decision:
    """Take whole cells from elsewhere; those that are as they stand, and pinned ones, are left alone.

    Parameters
    ----------
    decision : as it stands.
    wanted : values in our unit, in the table's shape.
    limits : of the table's field.
    own : how the ECU counts the table, None if as we do.

    Returns
    -------
    A new decision.

    Raises
    ------
    BadInputError
        If a value that differs leaves the table's range.
    """
    values, _ = quantise(np.maximum(wanted, 0.0), limits, own)
    step = limits.resolution if own is None else limits.resolution / own.scale
    differs = np.abs(values - decision.values) >= HALF * step
    return by_hand(decision, wanted, differs, limits, own)


HALF = 0.5
"""Of a field's step: two values closer than that are the same in the ECU."""
