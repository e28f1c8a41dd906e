"""The first method: every sample belongs to its nearest cell; a cell is the trimmed mean of its samples."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.estimation.cell_evidence import gather_evidence
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.knobs import Knob, default_of
from lean_trim.core.types import Floats

AVERAGE_KNOBS: tuple[Knob, ...] = (
    Knob(
        "window",
        "Distance, in cells",
        0.5,
        0.05,
        0.5,
        "",
        tip="Only samples this near to a cell count for it, measured in cells along each axis.",
    ),
    Knob(
        "min_seconds",
        "Least driving",
        0.5,
        0.0,
        60.0,
        "s",
        tip="A cell with less used driving than this keeps its value.",
    ),
    Knob(
        "trim_share",
        "Cut off at each end",
        0.1,
        0.0,
        0.45,
        "",
        tip="Share of the highest and of the lowest samples of a cell that does not count.",
    ),
)


@dataclass(frozen=True)
class AverageSettings:
    """Settings of the cell averages (common practice, no source); BadInputError outside a knob's range.

    window : half-width around the cell's centre in which a sample counts, in axis steps, 0.05 to
        0.5.
    min_seconds : driving a cell needs, 0 to 60 s.
    trim_share : share of samples cut off at each end before averaging, 0 to 0.45.
    """

    window: float = default_of(AVERAGE_KNOBS, "window")
    min_seconds: float = default_of(AVERAGE_KNOBS, "min_seconds")
    trim_share: float = default_of(AVERAGE_KNOBS, "trim_share")

    def __post_init__(self) -> None:
        for knob in AVERAGE_KNOBS:
            knob.checked(getattr(self, knob.name))


def average_cells(
    observations: Observations,
    table: Table,
    at: tuple[Floats, ...],
    time_s: Floats,
    settings: AverageSettings,
) -> Estimate:
    """Trimmed mean of k per nearest cell. ``at`` and ``time_s`` cover the whole log.

    Parameters
    ----------
    observations : what the sieve let through.
    table : the one that is corrected.
    at : its coordinates along the whole log, one array per axis, each of shape (n,).
    time_s : of the whole log, s, shape (n,).
    settings : window, trimming and least evidence.

    Returns
    -------
    Correction and error per cell; NaN where nothing was driven.
    """
    here = tuple(a[observations.index] for a in at)
    cell = table.nearest(*here)
    near = _within_window(table, here, settings.window)
    mean = np.full(table.size, np.nan)
    error = np.full(table.size, np.nan)
    seconds = np.zeros(table.size)
    order = np.argsort(cell[near], kind="stable")
    cells = cell[near][order]
    k = observations.k[near][order]
    dt = observations.seconds[near][order]
    found, first = np.unique(cells, return_index=True)
    for c, low, high in zip(found, first, [*first[1:], len(cells)][: len(found)], strict=True):
        mean[c] = trimmed_mean(k[low:high], settings.trim_share)
        seconds[c] = dt[low:high].sum()
        # Seconds, not samples: neighbours in time are not independent.
        error[c] = np.std(k[low:high]) / np.sqrt(max(seconds[c], 1.0))
    evidence = gather_evidence(observations, table, time_s)
    # The method of averages asks for driving, not for a small error.
    supported = (seconds >= settings.min_seconds) & np.isfinite(mean)
    shape = table.shape
    return Estimate(
        table=table,
        correction_pct=(100 * (mean - 1)).reshape(shape),
        own_error_pct=(100 * error).reshape(shape),
        seconds=seconds.reshape(shape),
        visits=evidence.visits,
        near_s=evidence.near_s,
        supported=supported.reshape(shape),
        method="average",
    )


def trimmed_mean(values: Floats, share: float) -> float:
    """Mean without the lowest and highest ``share`` of the values (0 to below 0.5), at least one value kept.

    Written here because the statistics package that has it takes longer to import than the window
    to open.

    Parameters
    ----------
    values : shape (m,), m >= 1.
    share : cut off at either end, 0 to below 0.5.

    Returns
    -------
    The mean.
    """
    cut = int(share * len(values))
    return float(np.sort(values)[cut : len(values) - cut].mean())


def _within_window(table: Table, at: tuple[Floats, ...], window: float) -> np.ndarray:
    near = np.ones(len(at[0]), bool)
    for axis, x in zip(table.axes, at, strict=True):
        _, fraction = axis.locate(x)
        near &= np.minimum(fraction, 1 - fraction) <= window
    return near
