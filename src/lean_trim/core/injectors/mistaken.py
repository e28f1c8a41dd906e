"""What flow and dead time would have written into the airflow table, had nobody told them apart."""

from __future__ import annotations

import numpy as np

from lean_trim.core.estimation.places import Places
from lean_trim.core.injectors.identify import Split
from lean_trim.core.types import Floats

LEAST_OPEN_SHARE = 0.05
"""Least part of a pulse that is taken as open, so that nothing is divided by 0."""


def asked_by_injectors(split: Split, open_ms: Floats) -> Floats:
    """Factor by which injectors alone make the table need more fuel.

    Parameters
    ----------
    split : flow and dead time.
    open_ms : the ECU reckons with, shape (n,).

    Returns
    -------
    Shape (n,).
    """
    return by_flow(split) * by_dead_time(split, open_ms)


def by_flow(split: Split) -> float:
    """The part of it that is the same everywhere."""
    return float(np.exp(-split.log_flow))


def by_dead_time(split: Split, open_ms: Floats) -> Floats:
    """The part of it that grows as pulses shorten, shape of the input."""
    return np.asarray(1.0 / np.maximum(1.0 - split.dead_ms / open_ms, LEAST_OPEN_SHARE))


def mistaken_cells(places: Places, split: Split, size: int) -> Floats:
    """How far each cell would have been bent, percent.

    Returns flat, shape (size,); NaN where nobody drove.
    """
    bent = 100.0 * (asked_by_injectors(split, places.open_ms) - 1.0)
    total = np.zeros(size)
    weight = np.zeros(size)
    for cells, shares in zip(places.cells.T, places.shares.T, strict=True):
        np.add.at(total, cells, shares * places.seconds * bent)
        np.add.at(weight, cells, shares * places.seconds)
    with np.errstate(invalid="ignore"):
        return np.asarray(np.where(weight > 0.0, total / weight, np.nan))
