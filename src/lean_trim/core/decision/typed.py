"""What the user types over chosen cells: +3%, x0.95, =82, -2, or a share of the proposal."""

from __future__ import annotations

import re
from collections.abc import Iterable

import numpy as np

from lean_trim.core.data.tables import OwnUnit
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision.decision import Decision, by_hand, mask_of
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    OVER_WHOLE = Message(
        "typed.over_whole",
        "{text!r} is more than the whole of what is proposed; 0% to 100% take a share of it",
    )
    NOT_UNDERSTOOD = Message("typed.not_understood", "{text!r} is not understood; {help}")


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


_INPUT = re.compile(r"\s*(?P<op>[x×*=]|[+-])?\s*(?P<number>\d+([.,]\d*)?|[.,]\d+)\s*(?P<pct>%)?\s*")
INPUT_HELP = (
    "allowed are +3% and -3% (percent), x0.95 (factor), +2 and -2 (amount), =82 (value), 50% (half of "
    "what is proposed)"
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
    return by_hand(decision, wanted, mask_of(decision, cells), limits, own, text=text.strip())
