"""The lambda gauge itself: what is known of its error, and what a loop beside it says.

A wideband beside a narrowband loop is read while that loop holds lambda 1: its mean there is its
error. The error g (reading = true lambda times 1 + g) is the posterior mean under a prior of about
one percent, so that a short look moves it little. A gauge that reads rich is put right everywhere.
One that reads lean would make the table leaner than the reading asks, and a leak ahead of it or a
dead cylinder reads lean too: it is put right only where the loop works, until someone who looked
says that it is the gauge. From 6 percent on either may be what is off, and that is asked.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.narrowband import loop_holds, on_its_way, stop_sides
from lean_trim.core.types import Floats, Mask

GaugeWord = Literal["unsaid", "off", "right"]
"""What the user says where gauge and loop disagree: nothing, that the gauge is off, or that it is
right and the loop is off."""
PRIOR = 0.01
"""Standard deviation of a gauge's error at lambda 1 before anything is known (common practice, no
source)."""
AT_RICH = 0.015
RICH = 0.75
"""The same at a rich lambda of 0.75: sensors are less certain there (common practice, no
source)."""
FREEDOM = 3.0
"""Degrees of freedom of that prior, a Student's t: one gauge in fifty is broken (a choice)."""
LOOP_ERROR = 0.003
"""How far from 1 a narrowband loop holds its mean, one standard deviation (common practice, no
source)."""
NEAR_ONE = 0.15
"""Readings further from 1 are no loop at work."""
AT_ONE = 0.02
"""Wanted lambda so near to 1 is what such a loop holds."""
WARM_C = 60.0
"""Coolant from which a loop holds 1, °C; before, it may be closed with another aim."""
ABOVE_IDLE_RPM = 1200.0
"""At idle a sensor at the tailpipe sees air, and the loop is another one; not read there, 1/min."""
BLOCK_S = 5.0
"""Seconds that say the same of a mean: as long as a loop may be off in one state."""
LEAST_S = 20.0
"""Driving in closed loop below which nothing is said."""
TOLD = 0.015
"""Error from which it is told."""
ASKED = 0.06
"""Error from which the reading itself is in question."""


@dataclass(frozen=True)
class Gauge:
    """What is known of the lambda gauge.

    Attributes
    ----------
    error : reading over true lambda less one; 0 where nothing is known.
    std_error : of it, at lambda 1.
    mean : of its readings while the loop held 1; NaN where there was none.
    seconds : of such driving.
    word : what the user says of it.
    """

    error: float = 0.0
    std_error: float = PRIOR
    mean: float = float("nan")
    seconds: float = 0.0
    word: GaugeWord = "unsaid"

    @property
    def is_asked(self) -> bool:
        """Whether gauge and loop are so far apart that somebody has to say which of them is off."""
        return self.word == "unsaid" and abs(self.mean - 1.0) >= ASKED

    @property
    def is_known(self) -> bool:
        """Whether a loop beside it told it."""
        return self.seconds > 0.0

    def error_at(self, lam: Floats, prior: float = PRIOR) -> Floats:
        """Standard error of what the gauge makes of all cells alike, as a share.

        Parameters
        ----------
        lam : wanted lambda of each.
        prior : at lambda 1 before anything is known; ``PRIOR`` unless the user says otherwise.

        Returns
        -------
        In the shape of ``lam``.
        """
        rich = np.clip((1.0 - np.asarray(lam)) / (1.0 - RICH), 0.0, 1.0)
        more = (AT_RICH / PRIOR) ** 2 - 1.0
        level = min(self.std_error, prior)
        # What is not known of the gauge's slope is not told by a loop that holds 1.
        return np.asarray(np.sqrt(level**2 + rich * more * prior**2))


UNKNOWN_GAUGE = Gauge()
"""Of which only the prior is known."""


def read_gauge(log: Log, vehicle: Vehicle, target: Floats, word: GaugeWord = "unsaid") -> Gauge:
    """The gauge's error, where a narrowband loop stands beside it.

    Parameters
    ----------
    log : with lambda and a short-term trim.
    vehicle : tells what feedback there is.
    target : wanted lambda, shape (n,).
    word : what the user says of it; one that is right has no error.

    Returns
    -------
    Nothing known where there is no such loop, or too little of it.
    """
    if vehicle.feedback != "narrowband" or Role.LAMBDA not in log or Role.STFT not in log:
        return UNKNOWN_GAUGE
    lam = log[Role.LAMBDA]
    with np.errstate(invalid="ignore"):
        use = loop_holds(log, target) & (np.abs(lam - 1.0) < NEAR_ONE)
        use &= (np.abs(target - 1.0) < AT_ONE) & ~(log.get(Role.COOLANT) < WARM_C)
        use &= log[Role.RPM] > ABOVE_IDLE_RPM
    use &= (stop_sides(log) == 0) & ~on_its_way(log)
    seconds = float(log.durations_s[use].sum())
    if seconds < LEAST_S:
        return UNKNOWN_GAUGE
    # The middle reading: spikes of quick changes do not move it, and a swing is even about it.
    mean = float(np.median(log[Role.LAMBDA][use]))
    if word == "right":
        return Gauge(mean=mean, seconds=seconds, word=word)
    blocks = _blocks(log, use)
    scatter = float(np.std(blocks) / np.sqrt(max(1, len(blocks) - 1)))
    error = float(np.hypot(LOOP_ERROR, scatter))
    # A prior with tails: what is plainly off is not drawn back to what gauges usually are.
    tails = (FREEDOM + 1.0) / (FREEDOM * PRIOR**2 + (mean - 1.0) ** 2)
    share = 1.0 / (1.0 + tails * error**2)
    return Gauge(
        error=share * (mean - 1.0),
        std_error=float(np.sqrt(share) * error),
        mean=mean,
        seconds=seconds,
        word=word,
    )


def _blocks(log: Log, use: Mask) -> Floats:
    """Medians of the readings in blocks of a few seconds: spikes of quick changes do not count."""
    number = np.floor(log.time_s[use] / BLOCK_S).astype(np.int64)
    lam = log[Role.LAMBDA][use]
    order = np.argsort(number, kind="stable")
    parts = np.split(lam[order], np.flatnonzero(np.diff(number[order])) + 1)
    return np.array([np.median(p) for p in parts])


def put_right(log: Log, gauge: Gauge, target: Floats) -> Log:
    """The log with lambda as it truly was, as far as the gauge's error is known.

    Parameters
    ----------
    log : as it was read.
    gauge : of it.
    target : wanted lambda, shape (n,).

    Returns
    -------
    The same log where nothing is known.
    """
    if gauge.error == 0.0:
        return log
    true = log[Role.LAMBDA] / (1.0 + gauge.error)
    if gauge.error > 0.0 and gauge.word != "off":
        true = np.where(loop_holds(log, target), true, log[Role.LAMBDA])
    return replace(log, channels={**log.channels, Role.LAMBDA: true})
