"""The trail of what was decided on a table: steps as the job keeps them, and the states they lead through."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.decision.confirmation import Danger, Warned
from lean_trim.core.decision.decision import Decision
from lean_trim.core.types import Floats, Ints, Mask


class Way(StrEnum):
    """How a step came about."""

    DONE = "done"
    UNDONE = "undone"
    REDONE = "redone"


@dataclass(frozen=True, eq=False)
class CellStates:
    """Some cells of a decision: value, origin and pin, shape (n,) each."""

    values: Floats
    origin: NDArray[np.int8]
    pinned: Mask


@dataclass(frozen=True, eq=False)
class Step:
    """One change of what was decided on one table.

    Attributes
    ----------
    made : when, ISO 8601.
    table_name : which table.
    text : for people.
    way : done, or an earlier one undone or redone; ``before`` and ``after`` are then those of that one.
    places : flat indices of the cells that changed.
    before, after : what they were and became.
    warned : what was confirmed with it.
    """

    made: str
    table_name: str
    text: str
    way: Way
    places: Ints
    before: CellStates
    after: CellStates
    warned: tuple[Warned, ...] = ()


MOST_STEPS = 1000
"""Steps kept of a round; the oldest go."""


def step_between(
    before: Decision,
    after: Decision,
    made: str,
    table_name: str,
    text: str,
    way: Way = Way.DONE,
    warned: Sequence[Warned] = (),
) -> Step:
    """The step from one decision to another, with only the cells in which they differ.

    Parameters
    ----------
    before, after : of the same table.
    made : when, ISO 8601.
    table_name : which table.
    text : for people.
    way : how it came about.
    warned : what was confirmed with it.

    Returns
    -------
    The step.
    """
    differs = (
        (before.values != after.values)
        | (before.origin != after.origin)
        | (before.pinned != after.pinned)
    )
    places = np.flatnonzero(differs)
    return Step(
        made=made,
        table_name=table_name,
        text=text,
        way=way,
        places=places,
        before=_states(before, places),
        after=_states(after, places),
        warned=tuple(warned),
    )


def _states(decision: Decision, places: Ints) -> CellStates:
    return CellStates(
        values=decision.values.ravel()[places],
        origin=decision.origin.ravel()[places],
        pinned=decision.pinned.ravel()[places],
    )


def taken_back(decision: Decision, step: Step) -> Decision | None:
    """The decision before a step; None if the step does not lead to this one.

    Parameters
    ----------
    decision : as it stood after the step.
    step : of the same table.

    Returns
    -------
    The earlier decision.
    """
    if len(step.places) and step.places.max() >= decision.values.size:
        return None
    now = _states(decision, step.places)
    led_here = (
        (now.values == step.after.values).all()
        and (now.origin == step.after.origin).all()
        and (now.pinned == step.after.pinned).all()
    )
    if not led_here:
        return None
    values = decision.values.ravel().copy()
    origin = decision.origin.ravel().copy()
    pinned = decision.pinned.ravel().copy()
    values[step.places] = step.before.values
    origin[step.places] = step.before.origin
    pinned[step.places] = step.before.pinned
    shape = decision.values.shape
    return replace(
        decision,
        values=values.reshape(shape),
        origin=origin.reshape(shape),
        pinned=pinned.reshape(shape),
    )


def standing(steps: Iterable[Step], table_name: str) -> list[Step]:
    """Steps on a table that were not undone, in the order they were made.

    Parameters
    ----------
    steps : of a round.
    table_name : which table.

    Returns
    -------
    The steps that lead to what is decided now.
    """
    done: list[Step] = []
    undone: list[Step] = []
    for step in steps:
        if step.table_name != table_name:
            continue
        if step.way is Way.DONE:
            done.append(step)
            undone.clear()
        elif step.way is Way.UNDONE and done:
            undone.append(done.pop())
        elif step.way is Way.REDONE and undone:
            done.append(undone.pop())
    return done


def way_of(steps: Iterable[Step], step: Step) -> Way:
    """Whether a step that is about to be made does again what was undone last.

    Parameters
    ----------
    steps : of the round.
    step : on one of its tables.

    Returns
    -------
    Done or redone.
    """
    undone: list[Step] = []
    for earlier in steps:
        if earlier.table_name != step.table_name:
            continue
        if earlier.way is Way.UNDONE:
            undone.append(earlier)
        elif earlier.way is Way.REDONE and undone:
            undone.pop()
        else:
            undone.clear()
    return Way.REDONE if undone and _same(undone[-1], step) else Way.DONE


def _same(one: Step, other: Step) -> bool:
    return (
        one.text == other.text
        and np.array_equal(one.places, other.places)
        and np.array_equal(one.after.values, other.after.values)
        and np.array_equal(one.after.origin, other.after.origin)
        and np.array_equal(one.after.pinned, other.after.pinned)
    )


@dataclass(frozen=True, eq=False)
class Stood:
    """A step that stands, with what was decided before and after it."""

    step: Step
    before: Decision
    after: Decision


def way_here(steps: Iterable[Step], table_name: str, decision: Decision) -> list[Stood]:
    """How a decision came about, oldest step first.

    Parameters
    ----------
    steps : of a round.
    table_name : which table.
    decision : on it, as it stands now.

    Returns
    -------
    As far back as the steps lead without a gap: what was changed on another way (a table pasted anew)
    ends it.
    """
    out: list[Stood] = []
    now = decision
    for step in reversed(standing(steps, table_name)):
        earlier = taken_back(now, step)
        if earlier is None:
            break
        out.append(Stood(step=step, before=earlier, after=now))
        now = earlier
    return out[::-1]


def state_after(trail: Sequence[Stood], place: int) -> Decision | None:
    """What was decided after a step of a trail.

    Parameters
    ----------
    trail : oldest step first.
    place : in it; -1 for before its first step.

    Returns
    -------
    None where there is no such step.
    """
    if not trail or not -1 <= place < len(trail):
        return None
    return trail[place].after if place >= 0 else trail[0].before


def confirmed_cells(steps: Iterable[Step], table_name: str) -> dict[Danger, frozenset[int]]:
    """Cells of a table for which a danger was confirmed in a round, also where the step was undone.

    Parameters
    ----------
    steps : of the round.
    table_name : which table.

    Returns
    -------
    By danger; none without.
    """
    out: dict[Danger, frozenset[int]] = {}
    for step in steps:
        if step.table_name == table_name:
            for warned in step.warned:
                out[warned.danger] = out.get(warned.danger, frozenset()) | warned.cells
    return out
