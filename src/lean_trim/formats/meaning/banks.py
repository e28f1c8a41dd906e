"""Two banks: averaged, chosen, or one of them where the other says nothing."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trim.core.messages import Message
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.choices import Choices


class Say:
    """Sentences of this module."""

    TWO_BANKS = Message("banks.two_banks", "two banks, {word}")
    ONE_DEAD = Message("banks.one_dead", "{name!r} is blank or stands still and is not averaged in")


def bank_columns(
    columns: Sequence[Column], raw: RawColumns, choices: Choices
) -> tuple[tuple[Column, ...], str]:
    """The columns of two banks that count.

    Parameters
    ----------
    columns : one, or those of banks 1 and 2.
    raw : columns as they stand in the file.
    choices : the user's word on banks.

    Returns
    -------
    Columns to be averaged, and what was left out.
    """
    if len(columns) < 2:
        return tuple(columns), ""
    if choices.banks != "mean":
        return (columns[int(choices.banks) - 1],), ""
    moving = [c for c in columns if _moves(raw, c)]
    if len(moving) == 1:
        still = next(c for c in columns if c not in moving)
        return tuple(moving), str(Say.ONE_DEAD(name=still.name))
    return tuple(columns), ""


def banks_note(found: Sequence[Column], counted: Sequence[Column], choices: Choices) -> str:
    """What became of two banks.

    Parameters
    ----------
    found : columns of the role.
    counted : those that count.
    choices : the user's word on banks.

    Returns
    -------
    A note, "" for one bank.
    """
    if len(found) < 2:
        return ""
    if choices.banks != "mean":
        return str(Say.TWO_BANKS(word=f"bank {choices.banks}"))
    return str(Say.TWO_BANKS(word="their mean")) if len(counted) == 2 else ""


def _moves(raw: RawColumns, column: Column) -> bool:
    values = raw.values[column.index]
    known = values[np.isfinite(values)]
    return len(known) > 1 and float(known.max()) > float(known.min())
