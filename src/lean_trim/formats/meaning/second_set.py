"""Two loggers in one file: most channels stand there twice, under names that differ by one word."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message, Said
from lean_trim.core.proof.fuel import fuel_of
from lean_trim.formats.decode.columns import Column
from lean_trim.formats.meaning.by_numbers import Attempt, Taken
from lean_trim.formats.meaning.match import MappedLog


class Say:
    """Sentences of this module."""

    ALIKE = Message(
        "second_set.alike",
        "A second set of {count} columns, called as the first with {tag!r}, is not used: either set "
        "explains the fuel alike",
    )
    TIGHTER = Message(
        "second_set.tighter",
        "A second set of {count} columns, called as the first with {tag!r}, is not used: fuel scatters "
        "by {other:.1f} % with it, by {used:.1f} % with the first",
    )
    SECOND = Message(
        "second_set.second",
        "Of two sets of {count} columns the second, called as the first with {tag!r}, is used: fuel "
        "scatters by {used:.1f} % with it, by {other:.1f} % with the first",
    )


LEAST_ALIKE = 4
"""Channels that stand there twice; of fewer each is a question of its own."""
LEAST_SHARED = 3
"""Letters two names of one channel have in common at least."""
TIGHTER = 0.9
"""Share of the other's scatter of the fuel from which a set is plainly the better one (a choice)."""


@dataclass(frozen=True)
class Sets:
    """Columns that stand there twice.

    Attributes
    ----------
    tag : what the names of the second have more.
    first, second : their columns, one beside the other.
    """

    tag: str
    first: tuple[Column, ...]
    second: tuple[Column, ...]


def with_one_set(mapped: MappedLog, attempt: Attempt, vehicle: Vehicle) -> tuple[MappedLog, Taken]:
    """The log read from one of two sets of columns, where there are two, and what is left out for it.

    Parameters
    ----------
    mapped : by names alone.
    attempt : reads the log with columns left out.
    vehicle : whose log it is.

    Returns
    -------
    The same, and nothing, where there are no two sets, or neither can be used.
    """
    sets = sets_of(mapped)
    if sets is None:
        return mapped, {}
    ways = []
    for used, other in ((sets.first, sets.second), (sets.second, sets.first)):
        left_out: Taken = {c.name: None for c in other}
        trial = attempt(left_out)
        if len(trial.doubts) <= len(mapped.doubts) - LEAST_ALIKE:
            ways.append((len(trial.doubts), _scatter(trial, vehicle), trial, left_out, used))
    if not ways:
        return mapped, {}
    first = min(ways, key=lambda way: (way[0], way[4] is not sets.first))
    tighter = min(ways, key=lambda way: (way[0], way[1]))
    best = tighter if tighter[1] < TIGHTER * first[1] else first
    scatters = [way[1] for way in ways if way is not best]
    said = _said(sets, best[4] is sets.first, best[1], scatters)
    return replace(best[2], notes=(str(said), *best[2].notes)), best[3]


def _said(sets: Sets, is_first: bool, used: float, others: Sequence[float]) -> Said:
    count = len(sets.second)
    other = others[0] if others else np.inf
    if is_first and not (np.isfinite(other) and used < TIGHTER * other):
        return Say.ALIKE(count=count, tag=sets.tag)
    message = Say.TIGHTER if is_first else Say.SECOND
    return message(count=count, tag=sets.tag, used=100.0 * used, other=100.0 * other)


def _scatter(mapped: MappedLog, vehicle: Vehicle) -> float:
    """How far fuel by the pulse width strays from what is asked for; infinite where nothing tells."""
    fuel = fuel_of(mapped.log, vehicle)
    return np.inf if fuel is None else fuel.scatter


def sets_of(mapped: MappedLog) -> Sets | None:
    """Two sets of columns whose names differ by one and the same word.

    Parameters
    ----------
    mapped : with the doubts which of two columns a channel is.

    Returns
    -------
    None where fewer than four channels are so.
    """
    contested = [(m.columns[0], m.rivals[0]) for m in mapped.matches if len(m.rivals) == 1]
    tags = Counter(tag for pair in contested if (tag := _tag(*pair)))
    if not tags:
        return None
    tag, count = tags.most_common(1)[0]
    if count < LEAST_ALIKE:
        return None
    by_name = {c.name: c for c in mapped.raw.columns}
    pairs = [
        (by_name[plain], column)
        for column in mapped.raw.columns
        if (plain := _without(tag, column.name)) in by_name
    ]
    return Sets(tag.strip(" _.:-/\n"), *(tuple(side) for side in zip(*pairs, strict=True)))


def _tag(one: Column, other: Column) -> str:
    """What the longer of two names has more before or behind, "" where it is not the other and more.

    A tag before ends with a line feed, which no name holds, one behind begins with it.
    """
    short, long = sorted((one.name, other.name), key=len)
    if len(short) < LEAST_SHARED or short == long:
        return ""
    if long.endswith(short):
        return f"{long[: -len(short)]}\n"
    return f"\n{long[len(short) :]}" if long.startswith(short) else ""


def _without(tag: str, name: str) -> str:
    """A name without a tag; "" where it does not have it."""
    before, _, behind = tag.partition("\n")
    if not (name.startswith(before) and name.endswith(behind)):
        return ""
    return name[len(before) : len(name) - len(behind)]
