"""Two banks: averaged, chosen, or one of them where the other says nothing."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.meaning.lexicon import meaning_of, plain_name


class Say:
    """Sentences of this module."""

    TWO_BANKS = Message("banks.two_banks", "two banks, {word}")
    LIKE_LAMBDA = Message("banks.like_lambda", "of bank {bank}, whose λ is the only one logged")
    ONE_DEAD = Message("banks.one_dead", "{name!r} is blank or stands still and is not averaged in")


ASKING = (Role.LAMBDA, Role.STFT, Role.LTFT)
BANK_LETTER = re.compile(r"(?<![a-z])b ?([12])(?!\d)")


def bank_columns(
    columns: Sequence[Column], raw: RawColumns, choices: Choices, lambda_bank: int = 0
) -> tuple[tuple[Column, ...], str]:
    """The columns of two banks that count.

    Parameters
    ----------
    columns : one, or those of banks 1 and 2.
    raw : columns as they stand in the file.
    choices : the user's word on banks.
    lambda_bank : the bank of the only λ that was logged, 0 if it is that of both or is not known.

    Returns
    -------
    Columns to be averaged, and what was left out.
    """
    if len(columns) < 2:
        return tuple(columns), ""
    if choices.banks != "mean":
        return (columns[int(choices.banks) - 1],), ""
    # A λ goes with the trims of its own bank; the other's are an answer to what this one never saw.
    own = [c for c in columns if bank_in_name(c) == lambda_bank] if lambda_bank else []
    if len(own) == 1:
        return tuple(own), str(Say.LIKE_LAMBDA(bank=lambda_bank))
    moving = [c for c in columns if _moves(raw, c)]
    if len(moving) == 1:
        still = next(c for c in columns if c not in moving)
        return tuple(moving), str(Say.ONE_DEAD(name=still.name))
    return tuple(columns), ""


def bank_in_name(column: Column) -> int:
    """The bank a column's name tells.

    Returns 1 or 2; 0 if it does not tell.
    """
    meaning = meaning_of(column.name)
    return meaning.bank or (meaning.number if meaning.number in (1, 2) else 0)


def bank_of_lambda(columns: Sequence[Column]) -> int:
    """The bank of the only λ of a log.

    Returns 1 or 2; 0 if there are two, none, or its name does not tell: a number that may count
    sensors is no bank.
    """
    if len(columns) != 1:
        return 0
    name = columns[0].name
    letter = BANK_LETTER.search(plain_name(name))
    return meaning_of(name).bank or (int(letter[1]) if letter else 0)


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


def bank_gap_pct(banks: Mapping[Role, Sequence[Floats]]) -> Floats | None:
    """How much more fuel bank 1 needs than bank 2, by λ and trims, percent.

    Parameters
    ----------
    banks : values of bank 1 and of bank 2 by role, in the units of the roles, shape (n,) each.

    Returns
    -------
    Shape (n,), unknown where either bank is; None where nothing was logged of both.
    """
    factors = [
        _asked(role, one) / _asked(role, two)
        for role, (one, two) in banks.items()
        if role in ASKING
    ]
    if not factors:
        return None
    with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
        gap = 100.0 * (np.prod(factors, axis=0) - 1.0)
    return np.where(np.isfinite(gap), gap, np.nan)


def _asked(role: Role, values: Floats) -> Floats:
    """Share of the fuel a channel says is wanted."""
    with np.errstate(invalid="ignore", divide="ignore"):
        fuel = values if role is Role.LAMBDA else 1.0 + values / 100.0
        return np.where(fuel > 0.0, fuel, np.nan)


def _moves(raw: RawColumns, column: Column) -> bool:
    values = raw.values[column.index]
    known = values[np.isfinite(values)]
    return len(known) > 1 and float(known.max()) > float(known.min())
