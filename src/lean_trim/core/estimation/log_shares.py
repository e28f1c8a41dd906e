"""What each of several logs contributes to one solve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Interpolation
from lean_trim.core.drive.frame import Frame, Piece, read_along
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats


@dataclass(frozen=True)
class LogShare:
    """One log of a solve.

    Attributes
    ----------
    seconds, used_s : length, and how much of it was used.
    weight_pct : share of all the weight the estimate rests on, percent.
    apart_pct : mean of k against the joint estimate, percent; a log far from 0 does not agree with the
        others.
    translated : driven on another revision of the table.
    """

    name: str
    seconds: float
    used_s: float
    weight_pct: float
    apart_pct: float
    translated: bool


def shares_of(
    frame: Frame, observations: Observations, estimate: Estimate, durations_s: Floats
) -> tuple[LogShare, ...]:
    """Every log of a solve, in order. ``observations`` are those without the wall film.

    Parameters
    ----------
    frame : the joined log.
    observations : less what the wall film explains.
    estimate : of all logs together.
    durations_s : time each sample stands for, s, shape (n,).

    Returns
    -------
    Weight, use and agreement of every log.
    """
    pieces = frame.pieces or (Piece(frame.log.name, 0, len(frame.log)),)
    wanted = 1.0 + np.nan_to_num(estimate.correction_pct) / 100.0
    total = float(observations.weight.sum())
    out = []
    for piece in pieces:
        first, last = np.searchsorted(observations.index, [piece.start, piece.stop])
        part = slice(int(first), int(last))
        weight = observations.weight[part]
        mesh = Interpolation(observations.mesh.cells[part], observations.mesh.weights[part])
        now = read_along(mesh, estimate.table.values)
        apart = observations.k[part] - read_along(mesh, estimate.table.values * wanted) / now
        mean = float(np.average(np.clip(apart, -0.1, 0.1), weights=weight)) if weight.sum() > 0 else np.nan
        out.append(
            LogShare(
                piece.name,
                float(durations_s[piece.start : piece.stop].sum()),
                float(observations.seconds[part].sum()),
                100.0 * float(weight.sum()) / max(total, 1e-12),
                100.0 * mean,
                piece.table is not None,
            )
        )
    return tuple(out)
