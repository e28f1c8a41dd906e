"""What a correction changed, in a few lines as a careful colleague would say it."""

from __future__ import annotations

from typing import Any

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.decision.shortfall import HOLE_PCT, left_over_pct
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.messages import Message
from lean_trim.core.text import signed


class Say:
    """Sentences of this module."""

    CHANGED = Message(
        "written.changed",
        "{count} of {size} cells change: at the most {more} % at {more_at}, {less} % at {less_at}.",
    )
    NOTHING = Message("written.nothing", "No cell changes.")
    OFF = Message(
        "written.off",
        "Where it was driven the table was off by {rms:.1f} % (rms); every cell shares ± "
        "{gauge:.1f} % "
        "of the lambda gauge beside its own error.",
    )
    LEFT = Message(
        "written.left",
        "{cells} {stay} more than {least:.0f} % lean as far as can be told, most at {at} "
        "({left:.0f} %).",
    )


def written_words(
    estimate: Estimate, proposal: Proposal, rms_pct: float, gauge_pct: float
) -> tuple[str, ...]:
    """The change of a table in words.

    Parameters
    ----------
    estimate : what the drive needs.
    proposal : what is written.
    rms_pct : by how much the table was off where it was driven, percent.
    gauge_pct : standard error that all cells share, percent.

    Returns
    -------
    Lines; what was changed first, what is left lean last.
    """
    table = estimate.table
    step = proposal.step_pct
    moved = proposal.table.values != table.values
    lines = [str(Say.NOTHING())]
    if moved.any():
        more = np.unravel_index(int(step.argmax()), step.shape)
        less = np.unravel_index(int(step.argmin()), step.shape)
        said = Say.CHANGED(
            count=int(moved.sum()),
            size=table.size,
            more=signed(max(0.0, float(step[more]))),
            more_at=_at(table, more),
            less=signed(min(0.0, float(step[less]))),
            less_at=_at(table, less),
        )
        lines = [str(said)]
    if np.isfinite(rms_pct):
        lines.append(str(Say.OFF(rms=rms_pct, gauge=gauge_pct)))
    left = left_over_pct(estimate, proposal)
    lean = left > HOLE_PCT
    if lean.any():
        worst = np.unravel_index(int(left.argmax()), left.shape)
        lines.append(
            str(
                Say.LEFT(
                    cells="1 cell" if lean.sum() == 1 else f"{int(lean.sum())} cells",
                    stay="stays" if lean.sum() == 1 else "stay",
                    least=HOLE_PCT,
                    at=_at(table, worst),
                    left=float(left[worst]),
                )
            )
        )
    return tuple(lines)


def _at(table: Table, place: tuple[Any, ...]) -> str:
    """A cell by its axes, engine speed first."""
    parts = [
        f"{axis.points[i]:g} {axis.unit}".strip() for axis, i in zip(table.axes, place, strict=True)
    ]
    return ", ".join(reversed(parts))
