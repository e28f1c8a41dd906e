"""What the user decided for each cell of the table that will be written."""

from __future__ import annotations

import re
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
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    OVER_WHOLE = Message(
        "decision.over_whole",
        "{text!r} is more than the whole of what is proposed; 0% to 100% take a share of it",
    )
    NOT_UNDERSTOOD = Message("decision.not_understood", "{text!r} is not understood; {help}")
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


def _mask(decision: Decision, cells: Iterable[int] | None) -> NDArray[np.bool_]:
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
    take = _mask(decision, cells) & (proposal.step_pct != 0.0) & ~decision.pinned
    return replace(
        decision,
        values=np.where(take, proposal.table.values, decision.values),
        origin=np.where(take, np.int8(Origin.ACCEPTED), decision.origin),
    )


_SHARE = re.compile(r"\s*(?P<number>\d+([.,]\d*)?)\s*%\s*")


def share_in(text: str) -> float | None:
    """The share of a proposal that a text such as "50%" asks for; None where it is another operation.

    Parameters
    ----------
    text : what the user typed.

    Returns
    -------
    0 to 1.

    Raises
    ------
    BadInputError
        If it is more than the whole.
    """
    found = _SHARE.fullmatch(text)
    if not found:
        return None
    share = float(found["number"].replace(",", ".")) / 100.0
    if share > 1.0:
        raise BadInputError(Say.OVER_WHOLE(text=text.strip()))
    return share


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
    take = _mask(decision, cells) & (proposal.step_pct != 0.0) & ~decision.pinned
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
    back = _mask(decision, cells)
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
    mask = _mask(decision, cells)
    # A pin holds what was driven, not what was accepted in between.
    if on:
        decision = put_back(decision, table, cells)
    return replace(decision, pinned=(decision.pinned | mask) if on else (decision.pinned & ~mask))


_INPUT = re.compile(r"\s*(?P<op>[x×*=]|[+-])?\s*(?P<number>\d+([.,]\d*)?|[.,]\d+)\s*(?P<pct>%)?\s*")
INPUT_HELP = (
    "allowed are +3% and -3% (percent), x0.95 (factor), +2 and -2 (amount), =82 (value), 50% (half of "
    "what is proposed)"
)


def paste_in(
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
        If a value leaves the table's range.
    """
    values, clipped = quantise(np.maximum(wanted, 0.0), limits, own)
    step = limits.resolution if own is None else limits.resolution / own.scale
    take = (np.abs(values - decision.values) >= 0.5 * step) & ~decision.pinned
    if (clipped & take).any():
        worst = float(np.asarray(wanted if own is None else own.own(wanted))[clipped & take][0])
        raise BadInputError(
            Say.OUT_OF_RANGE(text=f"{worst:g}", lowest=limits.lowest, highest=limits.highest)
        )
    return replace(
        decision,
        values=np.where(take, values, decision.values),
        origin=np.where(take, np.int8(Origin.BY_HAND), decision.origin),
    )


def type_in(
    decision: Decision,
    text: str,
    cells: Iterable[int],
    limits: TableLimits,
    own: OwnUnit | None = None,
) -> Decision:
    """Apply typed input such as "+3%", "x0.95", "-2" or "=82" to cells that are not pinned.

    Parameters
    ----------
    decision : as it stands.
    text : what the user typed; a decimal comma will do.
    cells : flat indices.
    limits : of the table's field.
    own : how the ECU counts the table, None if as we do; amounts and values are typed so.

    Returns
    -------
    A new decision; the given one stays as it is.

    Raises
    ------
    BadInputError
        If the text is not understood or the result leaves the table's range.
    """
    found = _INPUT.fullmatch(text.replace("−", "-"))
    if not found:
        raise BadInputError(Say.NOT_UNDERSTOOD(text=text, help=INPUT_HELP))
    number = float(found["number"].replace(",", "."))
    op = found["op"]
    if found["pct"] and op not in ("+", "-"):
        raise BadInputError(Say.NOT_UNDERSTOOD(text=text, help=INPUT_HELP))
    sign = -1.0 if op == "-" else 1.0
    if found["pct"]:
        wanted = decision.values * (1.0 + sign * number / 100.0)
    elif op in ("+", "-"):
        wanted = decision.values + sign * number / (1.0 if own is None else own.scale)
    elif op in ("x", "×", "*"):
        wanted = decision.values * number
    else:
        wanted = np.full_like(decision.values, number if own is None else own.ours(number))
    take = _mask(decision, cells) & ~decision.pinned
    # A typed step below zero is refused as out of range, not as an impossible table.
    values, clipped = quantise(np.maximum(wanted, 0.0), limits, own)
    if (clipped & take).any():
        raise BadInputError(
            Say.OUT_OF_RANGE(text=text, lowest=limits.lowest, highest=limits.highest)
        )
    return replace(
        decision,
        values=np.where(take, values, decision.values),
        origin=np.where(take, np.int8(Origin.BY_HAND), decision.origin),
    )
