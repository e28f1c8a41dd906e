"""Used samples gathered by place: parts of a cell within which the table's own error hardly moves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats, Ints, Mask

PER_CELL = 4
"""Places to a cell along each axis of a grid; steps of a curve are halved and split by engine
speed."""
PER_POINT = 2
"""Places to a step of a curve."""
RPM_STEP = 100.0
"""Engine speeds that far apart are places of their own, rpm."""


@dataclass(frozen=True, eq=False)
class Places:
    """What is known at each place; p places, q nuisance terms.

    Attributes
    ----------
    cells : cells a place reads, shape (p, corners); ``shares`` how much of each, the same shape.
    y : mean of ln k, shape (p,).
    open_ms : mean open time, shape (p,).
    terms : means of the nuisance terms, shape (p, q).
    weight : seconds at a sample's full worth, shape (p,).
    within, within_y : weighted products of the terms' deviations from their place's mean with each
        other, (q, q), and with those of ln k, (q,).
    seconds : driven, shape (p,).
    names : of the terms.
    """

    cells: Ints
    shares: Floats
    y: Floats
    open_ms: Floats
    terms: Floats
    weight: Floats
    within: Floats
    within_y: Floats
    seconds: Floats
    names: tuple[Term, ...]

    def __len__(self) -> int:
        return len(self.y)


def gather(
    frame: Frame,
    observations: Observations,
    open_ms: Floats,
    residual: Floats,
    scale: float,
    huber: float,
) -> Places:
    """Sums by place, robustly weighted.

    Parameters
    ----------
    frame : a log seen through its calibration.
    observations : used samples; k above 0.
    open_ms : open time at each of them, shape (m,).
    residual : of the surface fit at each of them, shape (m,); wild samples lose influence.
    scale : its robust standard deviation.
    huber : standard deviations from which they do.

    Returns
    -------
    The places.
    """
    far = np.abs(residual) / (huber * scale)
    weight = observations.weight / np.maximum(far, 1.0)
    y = np.log(observations.k)
    _, first, inverse = np.unique(
        place_of(frame, observations), return_index=True, return_inverse=True
    )
    count = len(first)

    def sums(values: Floats) -> Floats:
        return np.asarray(np.bincount(inverse, values, count), float)

    total = sums(weight)
    along = observations.terms.values
    terms = np.array([sums(weight * t) / total for t in along]).reshape(-1, count).T
    mean_y = sums(weight * y) / total
    apart = along - terms[inverse].T
    return Places(
        cells=observations.mesh.cells[first],
        shares=np.stack([sums(weight * w) / total for w in observations.mesh.weights.T], axis=1),
        y=mean_y,
        # The mean first: the inverse of a noisy open time is too large on average.
        open_ms=sums(weight * open_ms) / total,
        terms=terms,
        weight=total,
        within=(apart * weight) @ apart.T,
        within_y=(apart * weight) @ (y - mean_y[inverse]),
        seconds=sums(observations.seconds),
        names=observations.terms.names,
    )


def place_of(frame: Frame, used: Observations) -> Ints:
    """A number for the place of each sample: a part of a cell.

    Parameters
    ----------
    frame : a log seen through its calibration.
    used : its used samples.

    Returns
    -------
    Shape (m,); equal where two samples lie at one place.
    """
    weights = used.mesh.weights
    base = used.mesh.cells[:, 0].astype(np.int64)
    if weights.shape[1] == 2:
        part = np.minimum((PER_POINT * weights[:, 1]).astype(np.int64), PER_POINT - 1)
        speed = (frame.log[Role.RPM][used.index] / RPM_STEP).astype(np.int64)
        return (base * PER_POINT + part) * 1000 + speed
    across = weights[:, 1] + weights[:, 3]
    up = weights[:, 2] + weights[:, 3]
    parts = [np.minimum((PER_CELL * x).astype(np.int64), PER_CELL - 1) for x in (up, across)]
    return (base * PER_CELL + parts[0]) * PER_CELL + parts[1]


def driven_cells(places: Places, size: int) -> Mask:
    """Cells that any place reads.

    Returns flat.
    """
    seen = np.zeros(size, bool)
    seen[places.cells[places.shares > 1e-6]] = True
    return seen
