"""What follows from the user's word on one column for the others: proposed there, never taken.

A log that is read again with an answer may read other columns otherwise, or may have nothing left to ask
of them. The user has not looked at those: each stays a question until it is answered itself.
"""

from __future__ import annotations

from dataclasses import replace

from lean_trim.core.data.channels import LABELS
from lean_trim.core.messages import Message
from lean_trim.formats.meaning.choices import Choices, ColumnChoice
from lean_trim.formats.meaning.match import MappedLog, Match, by_role
from lean_trim.formats.meaning.pressure import wants_barometer
from lean_trim.formats.meaning.units import show_unit


class Say:
    """Sentences of this module."""

    COLUMN = Message(
        "following.column", "{label} would then be read from {name!r}{unit}{why}; is that so?"
    )
    UNIT = Message("following.unit", "{label} would then be in {unit}{why}; is that so?")
    AS_IT_IS = Message(
        "following.as_it_is", "{label} would then be right as it is read{unit}{why}; is that so?"
    )
    TIME = Message(
        "following.time", "Time would then be right as it is read, in {unit}; is that so?"
    )


def with_proposals(
    before: MappedLog, after: MappedLog, old: Choices, choices: Choices
) -> MappedLog:
    """A log read again, with a question where an answer changed what it was not given for.

    Parameters
    ----------
    before : as it was read, with the questions that were open.
    after : as it is read with one answer more.
    old : what the user had said before.
    choices : what the user has said now.

    Returns
    -------
    ``after``, in which what follows for other columns is in doubt.
    """
    known = by_role(before.matches)
    matches = tuple(_proposed(known.get(m.role), m, before, old, choices) for m in after.matches)
    doubt = after.time_doubt
    # The time's own words settle it; an answer to another question may only propose it.
    if before.time_doubt and not doubt and not (choices.time or choices.time_unit):
        doubt = str(Say.TIME(unit=show_unit(after.time_unit)))
    return replace(after, matches=matches, time_doubt=doubt)


def _proposed(
    known: Match | None, match: Match, before: MappedLog, old: Choices, choices: Choices
) -> Match:
    words = [choices.columns.get(c.name) for c in match.columns]
    if match.doubt or _answered(match, words, old, choices):
        return match
    label = LABELS[match.role][0]
    unit = show_unit(match.unit)
    why = f" ({match.note})" if match.note else ""
    if known is None or _names(known) != _names(match):
        # Two banks are taken apart or together by one word on both.
        if old.banks != choices.banks or all(word is not None for word in words):
            return match
        shown = f" in {unit}" if unit else ""
        said = Say.COLUMN(label=label, name=match.columns[0].name, unit=shown, why=why)
    elif known.unit != match.unit:
        said = Say.UNIT(label=label, unit=unit or "its own unit", why=why)
    elif known.doubt and not (wants_barometer(known.doubt) and choices.baro_kpa):
        said = Say.AS_IT_IS(label=label, unit=f", in {unit}" if unit else "", why=why)
    else:
        return match
    return replace(
        match, doubt=str(said), confidence=min(match.confidence, 0.4), choices=(match.unit,)
    )


def _names(match: Match) -> set[str]:
    return {c.name for c in match.columns}


def _answered(
    match: Match, words: list[ColumnChoice | None], old: Choices, choices: Choices
) -> bool:
    """Whether the user's word is on this role: its column with its unit, or its column just now."""
    for column, word in zip(match.columns, words, strict=True):
        if word is None or word.role is not match.role:
            continue
        if word.unit or old.columns.get(column.name) != choices.columns[column.name]:
            return True
    return False
