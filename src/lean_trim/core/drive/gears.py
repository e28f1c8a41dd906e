"""Which gear was engaged: as logged, else from the ratio of engine and road speed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import Log, as_loop, rate_per_s
from lean_trim.core.types import Floats, Mask

MIN_KMH = 8.0
"""Road speed from which a gear is told: speed sensors say little lower down."""
STEADY_PER_S = 0.12
"""Relative rate of rpm over road speed up to which a gear is engaged, not changed, 1/s."""
BIN = 0.02
"""Width of a bin of ln (rpm over road speed), in which gears stand out as peaks."""
NEAR = 0.06
"""Distance from a gear up to which a sample is in it: tyres and sensors stray by that much."""
APART = 0.12
"""Least distance of two gears in ln ratio; gearboxes have 0.2 and more (common practice)."""
LEAST_SHARE = 0.015
"""Share of the drive a gear has; less is slip."""


@dataclass(frozen=True, eq=False)
class GearReading:
    """Gear per sample, (n,), 0 where none is known.

    How it was had and, if inferred, how much of the driving it explains.
    """

    gear: Floats
    how: str
    sure: float

    @property
    def changes(self) -> Mask:
        """True at the first sample of another gear, (n,)."""
        from lean_trim.core.kernels.log_loops import steps_between

        return steps_between(as_loop(self.gear))


def read_gears(log: Log) -> GearReading:
    """The logged gear; else clusters of engine speed per road speed, numbered from the shortest.

    Else nothing.

    Parameters
    ----------
    log : a log.

    Returns
    -------
    The gear of every sample, 0 where unknown, and how it was had.
    """
    if Role.GEAR in log:
        return GearReading(held(log[Role.GEAR]), "logged", 1.0)
    nothing = GearReading(np.zeros(len(log)), "unknown", 0.0)
    if Role.SPEED not in log:
        return nothing
    rpm = held(log[Role.RPM])
    speed = held(log[Role.SPEED])
    moving = (speed > MIN_KMH) & (rpm > 500.0)
    # A few seconds of rolling show no clusters.
    if moving.sum() < 50:
        return nothing
    # In logs, gear steps are alike over the whole range and one width of bin serves all.
    ratio = np.log(np.maximum(rpm, 1.0) / np.maximum(speed, 1.0))
    steady = moving & (
        np.abs(rate_per_s(log.time_s, np.where(moving, ratio, np.nan), 0.4)) < STEADY_PER_S
    )
    centres = _clusters(ratio[steady])
    if len(centres) < 2:
        return nothing
    gap = np.abs(ratio[:, None] - centres[None, :])
    gear = np.where(moving & (gap.min(axis=1) < NEAR), gap.argmin(axis=1) + 1.0, 0.0)
    return GearReading(gear, "inferred", float(np.mean(gear[moving] > 0)))


def _clusters(ratio: Floats) -> Floats:
    """Ratios that were driven in for at least 1.5 % of the time, from the shortest gear."""
    if len(ratio) < 50:
        return np.array([])
    edges = np.arange(ratio.min() - 3 * BIN, ratio.max() + 4 * BIN, BIN)
    # Smoothed a little, or quantised speeds would split a gear into several peaks.
    count = np.convolve(
        np.histogram(ratio, edges)[0], [1.0, 2.0, 3.0, 2.0, 1.0], mode="same"
    ) / len(ratio)
    reach = round(APART / 2 / BIN)
    peaks = [
        i
        for i in range(len(count))
        if count[i] > 0 and count[i] == count[max(i - reach, 0) : i + reach + 1].max()
    ]
    centres = np.array([edges[i] + BIN / 2 for i in peaks])
    share = np.array([np.mean(np.abs(ratio - c) < NEAR) for c in centres])
    centres = np.sort(centres[share >= LEAST_SHARE])[::-1]
    # Two peaks closer than any two gears are one gear with a worn tyre or a coarse sensor.
    apart = (
        np.concatenate([[True], -np.diff(centres) > APART]) if len(centres) else np.array([], bool)
    )
    return np.asarray(centres[apart], np.float64)
