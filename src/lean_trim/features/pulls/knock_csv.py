"""The knock ledger as files: a list of events, and a grid of the largest retard."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence

import numpy as np

from lean_trim.core.data.tables import Axis
from lean_trim.core.pulls.knock import KnockEvent
from lean_trim.core.types import Floats

HEAD = (
    "start_s",
    "end_s",
    "knock_retard_deg",
    "rpm",
    "map_kpa",
    "throttle_pct",
    "spark_deg",
    "intake_air_c",
    "lambda",
    "pull",
)


def knock_list(events: Sequence[KnockEvent]) -> str:
    """Events as CSV, one a line; a pull is counted from 1, blank outside of any.

    Parameters
    ----------
    events : in the order of time.

    Returns
    -------
    With a header.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(HEAD)
    for e in events:
        figures = (
            e.start_s,
            e.end_s,
            e.deg,
            e.rpm,
            e.map_kpa,
            e.throttle_pct,
            e.spark_deg,
            e.intake_c,
            e.lam,
        )
        writer.writerow([*map(_text, figures), e.pull + 1 if e.pull >= 0 else ""])
    return out.getvalue()


def knock_grid(grid: Floats, rows: Axis, columns: Axis, unit: str, delimiter: str = ",") -> str:
    """The largest retard on a grid; a blank cell was not driven.

    Parameters
    ----------
    grid : degrees, shape (rows, columns), NaN where not driven.
    rows, columns : its axes.
    unit : of the rows.
    delimiter : between cells.

    Returns
    -------
    With axes; the corner names them.
    """
    lines = [delimiter.join([f"{unit}\\rpm", *(f"{x:g}" for x in columns.points)])]
    for point, cells in zip(rows.points, np.asarray(grid), strict=True):
        lines.append(delimiter.join([f"{point:g}", *map(_text, cells.tolist())]))
    return "\n".join(lines) + "\n"


def _text(value: float) -> str:
    return f"{value:.3f}".rstrip("0").rstrip(".") if math.isfinite(value) else ""
