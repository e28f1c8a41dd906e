"""Two channels under each other's heading, and a clock on another scale: the odds against it.

What is held against each other is how tightly the fuel follows either way, or how quickly the engine
would turn up. That a heading lies is told by what the channel does (``core/proof/behaviour.py``); the
odds say how far the next best reading of it is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.proof.fuel import fuel_of
from lean_trim.core.proof.motion import USUAL_SLEW_RPM_PER_S, slew_rpm_per_s
from lean_trim.formats.meaning.match import Match

NEIGHBOURS = ((Role.LAMBDA, Role.TARGET), (Role.IAT, Role.COOLANT), (Role.MAP, Role.BARO))
"""Channels that people mix up and that change the fuel; two trims under each other's heading do not."""
ROWS = 1000
"""Rows looked at, evenly taken: medians of more are the same."""
ALIKE_S = 10.0
"""Seconds of driving that say one thing of how far fuel strays: a state is held for about so long."""
FINEST = 0.003
"""Fuel strays by no less from what table and trims ask for than a logger's last digits make, as a
logarithm."""
MOST_ODDS = 1000.0
"""Odds beyond which they are not counted: physics is no surer than a thousandth."""
CLOCKS = (1.0 / 60.0, 0.1, 10.0, 60.0)
"""Scales a clock is mistaken by."""


def with_odds_of_swaps(log: Log, matches: Sequence[Match], vehicle: Vehicle) -> list[Match]:
    """Matches with the odds against their neighbour's heading, where that is the next best reading.

    Parameters
    ----------
    log : with absolute pressures.
    matches : of its channels.
    vehicle : whose log it is.

    Returns
    -------
    The same where nothing can be compared, or another unit is nearer.
    """
    step = max(1, len(log) // ROWS)
    part = Log(log.time_s[::step], {r: v[::step] for r, v in log.channels.items()}, log.name)
    by_role = {m.role: m for m in matches}
    pairs = [p for p in NEIGHBOURS if all(r in by_role and not by_role[r].doubt for r in p)]
    stated, seconds = _strays(part, vehicle) if pairs else (np.nan, 0.0)
    for one, other in pairs:
        swapped = {**part.channels, one: part[other], other: part[one]}
        other_way, _ = _strays(replace(part, channels=swapped), vehicle)
        odds = odds_of_scatters(stated, other_way, seconds / ALIKE_S)
        for role, neighbour in ((one, other), (other, one)):
            match = by_role[role]
            if np.isfinite(odds) and not match.odds <= odds:
                by_role[role] = replace(match, runner_up=LABELS[neighbour][0], odds=odds)
    return [by_role[m.role] for m in matches]


def _strays(log: Log, vehicle: Vehicle) -> tuple[float, float]:
    """How far fuel strays, and over how many seconds; infinite for channels that cannot be so."""
    with np.errstate(all="ignore"):
        fuel = fuel_of(log, vehicle)
    if fuel is None:
        return float("nan"), 0.0
    seconds = len(fuel.at) * log.step_s
    return (fuel.scatter if np.isfinite(fuel.scatter) else float("inf")), seconds


def odds_of_scatters(stated: float, other: float, count: float) -> float:
    """Odds of one of two Gaussian scatters that are fitted to the same readings against the other.

    The likelihood of n readings at their own scatter s goes with s to the power of -n.

    Parameters
    ----------
    stated, other : standard deviations; NaN where nothing tells.
    count : independent readings.

    Returns
    -------
    Above 1 where the stated one is tighter, at most ``MOST_ODDS`` and at least its inverse.
    """
    if not np.isfinite(stated) or np.isnan(other):
        return float("nan")
    with np.errstate(divide="ignore"):
        apart = count * np.log(max(other, FINEST) / max(stated, FINEST))
    return _bounded(apart)


def odds_of(stated: float, other: float, near: float) -> float:
    """Odds of one of two Gaussian misfits against the other.

    Parameters
    ----------
    stated, other : misfits; NaN where nothing tells.
    near : their standard deviation.

    Returns
    -------
    Above 1 where the stated one fits better, at most ``MOST_ODDS`` and at least its inverse.
    """
    if not np.isfinite(stated) or np.isnan(other):
        return float("nan")
    return _bounded(0.5 * ((other / near) ** 2 - (stated / near) ** 2))


def _bounded(log_odds: float) -> float:
    """Odds from their logarithm."""
    return float(np.clip(np.exp(np.clip(log_odds, -50.0, 50.0)), 1.0 / MOST_ODDS, MOST_ODDS))


def clock_odds(log: Log) -> tuple[str, float]:
    """The next best scale of the clock, and the odds against it.

    By how quickly the engine turns up at most, which for nearly all cars lies within a few octaves: its
    logarithm is taken for Gaussian, the usual range for two standard deviations to either side.

    Parameters
    ----------
    log : with its time as it is read.

    Returns
    -------
    The scale in words, and the odds; "" and NaN where engine speed does not tell.
    """
    if Role.RPM not in log:
        return "", float("nan")
    slew = slew_rpm_per_s(log.time_s, log[Role.RPM])
    if not np.isfinite(slew) or slew <= 0.0:
        return "", float("nan")
    low, high = np.log(USUAL_SLEW_RPM_PER_S)
    middle, spread = 0.5 * (low + high), 0.25 * (high - low)
    misses = {s: abs(np.log(slew / s) - middle) for s in CLOCKS}
    scale = min(misses, key=lambda s: misses[s])
    odds = odds_of(abs(np.log(slew) - middle), misses[scale], spread)
    words = f"{scale:g} times as long" if scale > 1.0 else f"{1.0 / scale:g} times as short"
    return words, odds
