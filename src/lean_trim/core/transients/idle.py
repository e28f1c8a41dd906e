"""How the engine idles: mean error, spread, and what swings, how widely and how quickly."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, extend_mask, fill_missing, running_box
from lean_trim.core.diagnosis.faults.swinging import swings_of
from lean_trim.core.types import Floats, Mask

LEAST_S = 8.0
"""Idling that has to be there to tell, s."""
LEAST_SHARE = 0.25
"""Share of idling during which something swings that is told."""
ALIKE_S = 2.0
"""Readings of one mean within so long say the same, s."""
FLOOR_PCT = 1.0
"""Mean error of an idle that is as good as it gets (common practice, no source)."""
TO_PEAK = 2.0 * np.sqrt(2.0)
"""From the standard deviation of a sine to its range."""
MEAN_OVER_S = 3.0
"""Time over which engine speed is averaged to tell idling from a blip, s."""
SETTLES_S = 1.5
"""An idle that hunts leaves idle speed for moments, not on average; falling to it takes a while."""
STILL_KMH = 5.0
SPEED_SWINGS = 0.03
"""Share of its mean by which engine speed swings when it hunts."""
SPARK_SWINGS_DEG = 3.0
TRIM_SWINGS_PCT = 2.0
"""Range of engine speed (over its mean), spark and trim that is a swing (common practice, no
source)."""
SPEED = "engine speed"
LAMBDA = "lambda"
TRIM = "short-term trim"
SPARK = "spark"
PRESSURE = "manifold pressure"
THROTTLE = "throttle"
CHANNELS = {Role.STFT: TRIM, Role.SPARK: SPARK, Role.MAP: PRESSURE, Role.THROTTLE: THROTTLE}
"""Channels that may swing, by the words they are told with."""


class Loop(StrEnum):
    """The control that makes an idle swing, as its channels show it."""

    NONE = "none"
    AIR = "air"
    SPARK = "spark"
    TRIMS = "trims"


@dataclass(frozen=True)
class IdleSwing:
    """A channel that swings at idle.

    Attributes
    ----------
    what : name of the channel.
    peak_to_peak : in the channel's unit.
    period_s, share : of a swing, and of the idling during which it is there.
    """

    what: str
    peak_to_peak: float
    period_s: float
    share: float


@dataclass(frozen=True)
class IdleGear:
    """Idling in gear, or out of it: seconds, mean error of lambda in percent, mean engine speed."""

    in_gear: bool
    seconds: float
    error_pct: float
    rpm: float


@dataclass(frozen=True)
class Idle:
    """What a drive shows of idling.

    Attributes
    ----------
    seconds : idled, warm.
    error_pct, spread_pct : mean of lambda over its target and its standard deviation, percent; may
        be NaN.
    rpm_spread : standard deviation of engine speed about its mean over a few seconds.
    swings : of all channels looked at, the widest share first.
    rpm : its mean.
    most_rpm : reached in one sample of a hundred.
    gears : the same out of gear and in gear, where both lasted and the gear was logged.
    """

    seconds: float
    error_pct: float
    spread_pct: float
    rpm_spread: float
    swings: tuple[IdleSwing, ...]
    rpm: float
    most_rpm: float
    gears: tuple[IdleGear, ...] = ()

    @property
    def loop(self) -> Loop:
        """What swings by itself and takes the others along."""
        size = {s.what: s.peak_to_peak for s in self.swings}
        # Trims hardly move the engine: where its speed swings, air or spark do it.
        if size.get(SPEED, 0.0) >= SPEED_SWINGS * self.rpm:
            return Loop.SPARK if size.get(SPARK, 0.0) >= SPARK_SWINGS_DEG else Loop.AIR
        swings = size.get(TRIM, 0.0) >= TRIM_SWINGS_PCT
        return Loop.TRIMS if swings else Loop.NONE

    @property
    def std_error_pct(self) -> float:
        """Of the mean error, with seconds that are alike counted once."""
        return float(self.spread_pct / max(1.0, self.seconds / ALIKE_S) ** 0.5)

    @property
    def is_noise(self) -> bool:
        """True where the mean error is no more than the idle's own noise: changing on would only flip it."""
        return abs(self.error_pct) <= max(FLOOR_PCT, 2.0 * self.std_error_pct)


def at_idle(log: Log, warm: Mask, idle_rpm: float, closed_pct: float) -> Mask:
    """Where the engine idles, steadily or not.

    Parameters
    ----------
    log : a log.
    warm : samples of a warm, running engine, shape (n,).
    idle_rpm : engine speed that is idle on average.
    closed_pct : throttle that is closed.

    Returns
    -------
    Shape (n,); without throttle nothing is known to idle.
    """
    time = log.time_s
    rpm = fill_missing(log[Role.RPM])
    rest = (log.get(Role.THROTTLE) <= closed_pct) & (log.get(Role.SPEED, 0.0) < STILL_KMH)
    slow = running_box(rpm, time, MEAN_OVER_S) <= idle_rpm
    return np.asarray(warm & ~extend_mask(~rest, time, 0.0, SETTLES_S) & slow & rest)


def idle_of(
    time_s: Floats,
    step_s: float,
    seconds: Floats,
    idling: Mask,
    error_pct: Floats,
    rpm: Floats,
    channels: Mapping[str, Floats],
    gear: Floats | None = None,
) -> Idle | None:
    """Describe the idling of a drive.

    Parameters
    ----------
    time_s, step_s, seconds : of the log; times and seconds of shape (n,).
    idling : warm and at idle, shape (n,).
    error_pct : lambda over its target less 1, percent, NaN where unknown, shape (n,).
    rpm : shape (n,).
    channels : that may swing, by name, shape (n,) each.
    gear : 0 out of gear, None where it was not logged, shape (n,).

    Returns
    -------
    None below 8 s of idling.
    """
    total = float(seconds[idling].sum())
    if total < LEAST_S:
        return None
    known = idling & np.isfinite(error_pct)
    error = error_pct[known]
    swings = []
    for name, values in {SPEED: rpm, LAMBDA: error_pct, **channels}.items():
        found = swings_of(values, idling, time_s, step_s)
        share = float(seconds[found.regular].sum()) / total
        if share >= LEAST_SHARE:
            size = TO_PEAK * float(np.median(found.size[found.regular]))
            period = float(np.median(found.period_s[found.regular]))
            swings.append(IdleSwing(name, round(size, 3), round(period, 2), round(share, 3)))
    about = rpm[idling] - float(np.nanmedian(rpm[idling]))
    return Idle(
        seconds=round(total, 1),
        error_pct=float(error.mean()) if len(error) else float("nan"),
        spread_pct=float(error.std()) if len(error) else float("nan"),
        rpm_spread=float(np.nanstd(about)),
        swings=tuple(sorted(swings, key=lambda s: -s.share)),
        rpm=float(np.nanmean(rpm[idling])),
        most_rpm=float(np.nanpercentile(rpm[idling], 99.0)),
        gears=_gears(gear, idling, seconds, error_pct, rpm),
    )


def _gears(
    gear: Floats | None, idling: Mask, seconds: Floats, error_pct: Floats, rpm: Floats
) -> tuple[IdleGear, ...]:
    """Out of gear and in gear apart, where both lasted."""
    if gear is None:
        return ()
    out: Sequence[IdleGear] = [
        IdleGear(
            in_gear=in_gear,
            seconds=round(float(seconds[at].sum()), 1),
            error_pct=float(np.nanmean(error_pct[at]))
            if np.isfinite(error_pct[at]).any()
            else float("nan"),
            rpm=float(np.nanmean(rpm[at])),
        )
        for in_gear, at in ((False, idling & (gear == 0.0)), (True, idling & (gear > 0.0)))
        if float(seconds[at].sum()) >= LEAST_S
    ]
    return tuple(out) if len(out) > 1 else ()
