"""An ECU that learns its own fuel trims over a grid, played along a drive: what is read out of it is known.

It closes its loop on the mixture of a drive that was logged: fuel the drive needed, less what this ECU
gives by itself. Written apart from whatever judges such a grid.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log

Array = np.ndarray
RPM_POINTS = (600.0, 900.0, 1200.0, 1600.0, 2000.0, 2500.0, 3000.0, 3500.0, 4200.0, 5000.0, 6000.0)
MAP_POINTS = (25.0, 35.0, 45.0, 55.0, 65.0, 75.0, 85.0, 95.0, 105.0, 130.0, 160.0)
DELAY_S = 0.25
"""From fuel to reading, as this ECU takes it: one number, which no real exhaust keeps to."""
WARM_C = 65.0
LOOP_PER_S = 0.8
"""Share of a lambda error the short-term trim takes up in a second."""
SHORT_LIMIT = 0.2
NO_ENGINE_RPM = 400.0
FLARE_RISE = 0.7
"""Share of the engine speed a converter that lets go adds."""
FLARE_LEAN = 0.25
"""How much leaner the mixture reads meanwhile: the engine speeds up without the fuel it needs."""
FLARE_S = 3.0


@dataclass(frozen=True)
class LearningEcu:
    """How one such ECU learns; the knobs of a test.

    Attributes
    ----------
    rpm, map_kpa : points of its grid.
    speed_per_s : share of the short-term trim that moves into the cell in a second.
    spread : what the next cell gets of that, and of this the one after it, as far as ``reach`` cells.
    locked_from_kpa, locked_below_rpm : where nothing is learned.
    rich_bias_pct : how much richer than its target it holds the mixture.
    limit_pct : most a cell may hold.
    step_pct : of the cells' numbers.
    flares_s : moments at which the converter lets go.
    """

    rpm: tuple[float, ...] = RPM_POINTS
    map_kpa: tuple[float, ...] = MAP_POINTS
    speed_per_s: float = 0.1
    spread: float = 0.0
    reach: int = 2
    locked_from_kpa: float = np.inf
    locked_below_rpm: float = 0.0
    rich_bias_pct: float = 0.0
    limit_pct: float = 25.0
    step_pct: float = 0.1
    flares_s: tuple[float, ...] = ()


@dataclass(frozen=True, eq=False)
class LearnedTrims:
    """What is read out, percent, rows of manifold pressure; and the seconds each cell really learned."""

    trim_pct: Array
    seconds: Array
    ecu: LearningEcu = field(default_factory=LearningEcu)


def learn_along(log: Log, ecu: LearningEcu) -> LearnedTrims:
    """Play the ECU along a drive.

    Parameters
    ----------
    log : of one drive, with lambda and its target, trims as far as there were any.
    ecu : how it learns.

    Returns
    -------
    Its grid at the end, begun at zero.
    """
    drive = _Drive.of(log, ecu)
    grid = np.zeros((len(ecu.map_kpa), len(ecu.rpm)))
    seconds = np.zeros(grid.shape)
    kernels = _kernels(ecu)
    limit = ecu.limit_pct / 100.0
    given = np.ones(len(drive.step_s))
    short = 0.0
    for i, step in enumerate(drive.step_s):
        at = drive.cell[i]
        given[i] = (1.0 + short) * (1.0 + grid[at])
        if not drive.closed[i]:
            short = 0.0
            continue
        lean = drive.needed[i] * (1.0 + ecu.rich_bias_pct / 100.0) / given[drive.earlier[i]] - 1.0
        short += LOOP_PER_S * float(np.clip(lean, -0.3, 0.3)) * step
        short = min(max(short, -SHORT_LIMIT), SHORT_LIMIT)
        if not drive.learns[i]:
            continue
        moved = min(1.0, ecu.speed_per_s * step) * short
        grid = np.clip(grid + moved * kernels[at], -limit, limit)
        short -= moved
        seconds[at] += step
    trim = np.round(100.0 * grid / ecu.step_pct) * ecu.step_pct
    return LearnedTrims(trim_pct=trim, seconds=seconds, ecu=ecu)


@dataclass(frozen=True, eq=False)
class _Drive:
    """A drive as the ECU sees it, by sample.

    Attributes
    ----------
    step_s : time to the next one.
    cell : of the grid.
    closed, learns : whether the loop is closed, and what it does is learned.
    needed : fuel the mixture on target needed, over what the table gave.
    earlier : the sample whose fuel the sensor reads.
    """

    step_s: Array
    cell: list[tuple[int, int]]
    closed: Array
    learns: Array
    needed: Array
    earlier: Array

    @classmethod
    def of(cls, log: Log, ecu: LearningEcu) -> _Drive:
        time = log.time_s
        rpm = np.array(log.get(Role.RPM), float)
        pressure = log.get(Role.MAP)
        trims = 1.0 + log.get(Role.STFT) / 100.0
        if Role.LTFT in log:
            trims = trims * (1.0 + log.get(Role.LTFT) / 100.0)
        earlier = np.maximum(np.searchsorted(time, time - DELAY_S), 0)
        needed = log.get(Role.LAMBDA) / log.get(Role.TARGET) * trims[earlier]
        for begin in ecu.flares_s:
            during = (time >= begin) & (time < begin + FLARE_S)
            swell = np.sin(np.pi * (time[during] - begin) / FLARE_S)
            rpm[during] *= 1.0 + FLARE_RISE * swell
            needed[during] *= 1.0 + FLARE_LEAN * swell
        closed = (log.get(Role.COOLANT) > WARM_C) & (log.get(Role.CLOSED_LOOP) > 0.5)
        closed &= np.isfinite(needed) & (rpm > NO_ENGINE_RPM)
        learns = closed & (pressure < ecu.locked_from_kpa) & (rpm >= ecu.locked_below_rpm)
        rows = _nearest(np.array(ecu.map_kpa), pressure)
        columns = _nearest(np.array(ecu.rpm), rpm)
        return cls(
            step_s=np.minimum(np.diff(time, append=time[-1]), 0.5),
            cell=list(zip(rows.tolist(), columns.tolist(), strict=True)),
            closed=closed,
            learns=learns,
            needed=needed,
            earlier=earlier,
        )


def _nearest(points: Array, x: Array) -> Array:
    edges = (points[1:] + points[:-1]) / 2.0
    return np.asarray(np.searchsorted(edges, np.nan_to_num(x)))


def _kernels(ecu: LearningEcu) -> Array:
    """What all cells get of one cell's learning, shape (rows, columns, rows, columns)."""
    rows, columns = len(ecu.map_kpa), len(ecu.rpm)
    down = np.abs(np.arange(rows)[:, None] - np.arange(rows)[None, :])
    across = np.abs(np.arange(columns)[:, None] - np.arange(columns)[None, :])
    far = down[:, None, :, None] + across[None, :, None, :]
    return (
        np.where(far <= ecu.reach, ecu.spread**far, 0.0) if ecu.spread > 0.0 else 1.0 * (far == 0)
    )
