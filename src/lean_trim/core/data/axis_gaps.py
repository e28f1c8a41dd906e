"""A breakpoint that seems to be missing: one step of an axis twice as long as the even steps beside it."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.messages import Message, Said


class Say:
    """Sentences of this module."""

    GAP = Message(
        "axis_gaps.gap",
        "Steps of {name} are {steps} between {low:g} and {high:g} {unit}: is a {what} missing at "
        "{at:g} {unit}?",
    )


EVEN = 0.03
"""Steps that differ by less, as a share, are even: axes in other units are rounded."""
MOST_MISSING = 3
"""Breakpoints one gap may hide; a longer step is an axis' own."""


def gap_of(axis: Axis, what: str) -> Said | None:
    """The first step that is twice, or three or four times, the two even steps on either side of it.

    Axes that become coarser towards one end are as their makers wanted them; one long step among
    even ones looks like rows that were lost on the way.

    Parameters
    ----------
    axis : of a table that was pasted or read.
    what : "row" or "column".

    Returns
    -------
    The sentence; None where steps are as axes have them.
    """
    points = axis.shown
    steps = np.diff(points)
    for i in range(1, len(steps) - 1):
        before, step, after = (float(s) for s in steps[i - 1 : i + 2])
        times = step / before
        whole = round(times)
        even = abs(after / before - 1.0) <= EVEN and abs(times / max(whole, 1) - 1.0) <= EVEN
        if even and 2 <= whole <= MOST_MISSING + 1:
            near = steps[max(i - 2, 0) : i + 2]
            return Say.GAP(
                name=axis.name,
                steps=", ".join(f"{s:g}" for s in near),
                low=points[max(i - 2, 0)],
                high=points[min(i + 2, len(points) - 1)],
                unit=axis.shown_unit,
                what=what if whole == 2 else f"{what} or more",
                at=points[i] + before,
            )
    return None


def gaps_of(table: Table) -> tuple[Said, ...]:
    """What seems to be missing of a table.

    Parameters
    ----------
    table : a grid or a curve.

    Returns
    -------
    One sentence an axis at most.
    """
    kinds = ("row", "column") if len(table.axes) == 2 else ("point",)
    found = (gap_of(axis, what) for axis, what in zip(table.axes, kinds, strict=True))
    return tuple(said for said in found if said is not None)
