"""What each of several logs contributes to one solve."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.drive.frame import Frame, Piece
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats, Ints


@dataclass(frozen=True)
class LogShare:
    """One log of a solve.

    Attributes
    ----------
    seconds, used_s : length, and how much of it was used.
    weight_pct : share of all the weight the estimate rests on, percent.
    apart_pct : mean of k against the joint estimate, percent; a log far from 0 does not agree with
        the others.
    translated : driven on another revision of the table.
    """

    name: str
    seconds: float
    used_s: float
    weight_pct: float
    apart_pct: float
    translated: bool


@dataclass(frozen=True, eq=False)
class LogSums:
    """What is kept of one log to say its share once the estimate of all is known.

    Attributes
    ----------
    name, seconds, used_s, translated : as in ``LogShare``.
    weight : of its observations.
    k : weighted sum of k - 1.
    cells : weighted sum of every cell's share of the value that was read, flat.
    terms : weighted sum of the terms, (q,).
    """

    name: str
    seconds: float
    used_s: float
    weight: float
    k: float
    cells: Floats
    terms: Floats
    translated: bool

    def share(self, estimate: Estimate, coefficients: Floats, whole: float) -> LogShare:
        """What the log contributed.

        Parameters
        ----------
        estimate : of all logs together.
        coefficients : of the terms, (q,).
        whole : weight of all logs.

        Returns
        -------
        Weight, use and agreement.
        """
        wanted = np.nan_to_num(estimate.correction_pct).ravel() / 100.0
        apart = self.k - float(self.cells @ wanted) - float(self.terms @ coefficients)
        return LogShare(
            self.name,
            self.seconds,
            self.used_s,
            100.0 * self.weight / max(whole, 1e-12),
            100.0 * apart / self.weight if self.weight > 0.0 else np.nan,
            self.translated,
        )


def log_sums(frame: Frame, observations: Observations, durations_s: Floats) -> tuple[LogSums, ...]:
    """Sums of every log a frame was joined from, in order.

    Parameters
    ----------
    frame : the joined log.
    observations : of all its logs, k still with what the terms explain.
    durations_s : time each sample stands for, s, shape (n,).

    Returns
    -------
    One entry a log.
    """
    o = observations
    values = frame.vehicle.table.values.ravel()
    shares = o.mesh.weights * values[o.mesh.cells]
    shares *= (o.weight / shares.sum(axis=1))[:, None]
    out = []
    for piece in frame.pieces or (Piece(frame.log.name, 0, len(frame.log)),):
        first, last = np.searchsorted(o.index, [piece.start, piece.stop])
        part = slice(int(first), int(last))
        weight = o.weight[part]
        out.append(
            LogSums(
                piece.name,
                float(durations_s[piece.start : piece.stop].sum()),
                float(o.seconds[part].sum()),
                float(weight.sum()),
                float(weight @ (o.k[part] - 1.0)),
                _total(o.mesh.cells[part], shares[part], len(values)),
                o.terms.values[:, part] @ weight,
                piece.table is not None,
            )
        )
    return tuple(out)


def _total(cells: Ints, shares: Floats, size: int) -> Floats:
    return np.asarray(np.bincount(cells.ravel(), shares.ravel(), size), np.float64)


def shares_of(
    sums: Sequence[LogSums], estimate: Estimate, coefficients: Floats
) -> tuple[LogShare, ...]:
    """Every log of a solve, in order.

    Parameters
    ----------
    sums : of every log.
    estimate : of all of them together.
    coefficients : of the terms, (q,).

    Returns
    -------
    Weight, use and agreement of every log.
    """
    whole = sum(s.weight for s in sums)
    return tuple(s.share(estimate, coefficients, whole) for s in sums)
