"""What a tile and the ends of its row and column say in words: for the status line and for tooltips."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.decision.confirmation import DANGER_WORDS, Danger
from lean_trim.core.decision.decision import Origin
from lean_trim.core.decision.proposal import STATUS_TEXT, Proposal, Status
from lean_trim.core.text import cells_in_words, evenly_written, fixed, signed
from lean_trim.core.types import Floats
from lean_trim.ui.widgets.tile_view import TileView

ORIGIN_TEXT = {
    Origin.ACCEPTED: "accepted (filled corner)",
    Origin.BY_HAND: "set by hand (hollow diamond)",
}


def place_text(table: Table, cell: int) -> str:
    """Where a cell lies: ``56 kPa, 2800 rpm``.

    Parameters
    ----------
    table : a grid or a curve.
    cell : flat index.

    Returns
    -------
    The points of its axes with their units.
    """
    place = np.unravel_index(cell, table.shape)
    return ", ".join(point_text(axis, int(i)) for axis, i in zip(table.axes, place, strict=True))


def point_text(axis: Axis, index: int) -> str:
    """A point of an axis with its unit.

    Returns as ``56 kPa``.
    """
    return f"{evenly_written(axis.shown.tolist())[index]} {axis.shown_unit}"


def tile_line(view: TileView, cell: int) -> str:
    """One line about a cell, for the status line.

    Parameters
    ----------
    view : what the tiles show.
    cell : flat index.

    Returns
    -------
    Place, value, step and driving.
    """
    seconds = float(view.seconds[cell])
    text = f"{place_text(view.table, cell)}: {view.value_text(cell)} {view.table.shown_unit}"
    if view.is_hollow[cell]:
        word = "filled" if view.filled[cell] else "carried"
        return f"{text}, not driven, {word} {signed(view.bar_pct[cell])} %"
    if not view.is_seen[cell]:
        return text + ", not visited"
    if np.isfinite(view.bar_pct[cell]):
        text += f", step {signed(view.bar_pct[cell])} %"
    return text + f", {seconds:.1f} s of used driving"


def tile_hint(
    view: TileView, cell: int, proposal: Proposal | None, dangers: Sequence[Danger] = ()
) -> str:
    """Everything that is painted on a tile, in words.

    Parameters
    ----------
    view : what the tiles show.
    cell : flat index.
    proposal : for the rule that decided the cell, None without one.
    dangers : for which its change needs a word.

    Returns
    -------
    Several lines.
    """
    lines = [f"{place_text(view.table, cell)}: {view.value_text(cell)} {view.table.shown_unit}"]
    step = float(view.bar_pct[cell])
    error = float(view.error_pct[cell])
    origin = Origin(int(view.origin[cell]))
    if np.isfinite(step) and step != 0.0:
        what = "Bar: written" if origin != Origin.UNTOUCHED else "Bar: proposed"
        side = "more" if step > 0 else "less"
        past = " (past the edge)" if abs(step) > view.scale_pct else ""
        lines.append(
            f"{what} {signed(step)} %, {side} fuel; a full bar is {view.scale_pct:g} %{past}"
        )
    if view.is_seen[cell] and np.isfinite(error) and not view.is_hollow[cell]:
        lines.append(f"Thin line: ± {fixed(error, 1)} %, one standard error")
    if view.is_seen[cell]:
        lines.append(f"Ink: {view.seconds[cell]:.1f} s of used driving (solid from 20 s)")
    else:
        lines.append("Hatched: no used driving near this cell")
    if origin in ORIGIN_TEXT:
        lines.append(f"Decided: {ORIGIN_TEXT[origin]}")
    if view.pinned[cell]:
        lines.append("Padlock: pinned at the value it was driven on")
    if dangers:
        named = ", ".join(DANGER_WORDS[danger] for danger in dangers)
        lines.append(f"Red corner: {named}; that needs your word")
    if proposal is not None:
        status = STATUS_TEXT[Status(proposal.status.ravel()[cell])]
        lines.append(f"{status[:1].upper()}{status[1:]}")
    return "\n".join(lines)


def end_hint(view: TileView, row: int | None = None, column: int | None = None) -> str:
    """What the bar at the end of a row or column stands for.

    Parameters
    ----------
    view : what the tiles show.
    row, column : one of the two.

    Returns
    -------
    Two sentences.
    """
    seconds = view.seconds.reshape(view.table.shape)
    rows, columns = view.table.axes
    if row is not None:
        spent = seconds.sum(axis=1)
        axis = rows
        what = "row"
        place = row
    else:
        assert column is not None
        spent = seconds.sum(axis=0)
        axis = columns
        what = "column"
        place = column
    return (
        f"{point_text(axis, place)}: {spent[place]:.0f} s of used driving in this {what}.\n"
        f"The bar is the root of that time; the longest stands for {spent.max():.0f} s. "
        f"Click to choose the {what}."
    )


def figures_text(view: TileView) -> str:
    """What the tiles show as tab-separated text, on the axes of the table.

    Parameters
    ----------
    view : what the tiles show.

    Returns
    -------
    A line per row of a grid, or per point of a curve, with its end.
    """
    axes = [evenly_written(axis.shown.tolist()) for axis in view.table.axes]
    if len(axes) == 1:
        lines = [f"{x}\t{text}" for x, text in zip(axes[0], view.text, strict=True)]
        return "\n".join([f"{view.table.axes[0].shown_unit}\tfigure", *lines]) + "\n"
    rows, columns = axes
    corner = f"{view.table.axes[0].shown_unit}\\{view.table.axes[1].shown_unit}"
    lines = ["\t".join([corner, *columns])]
    for place, y in enumerate(rows):
        cells = view.text[place * len(columns) : (place + 1) * len(columns)]
        lines.append("\t".join([y, *cells]))
    return "\n".join(lines) + "\n"


def smoothing_words(before: Floats, after: Floats) -> str:
    """What smoothing would do, in a line.

    Parameters
    ----------
    before, after : values in the table's shape.

    Returns
    -------
    How many cells would move, and by how much.
    """
    moved = 100.0 * (after / before - 1.0)
    moved = moved[np.abs(moved) > SAME_PCT]
    if not len(moved):
        return "Nothing would move: these cells bend no more than is known of them."
    least, most = signed(float(moved.min())), signed(float(moved.max()))
    cells = cells_in_words(len(moved))
    return f"Smoothing would move {cells}, by {least} to {most} %: dashed on the tiles."


SAME_PCT = 0.005
"""Less than this is no change anybody could read, percent."""
