"""How the engine idles: mean error, spread, and what swings, how widely and how quickly."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from lean_trim.core.diagnosis.faults.swinging import swings_of
from lean_trim.core.types import Floats, Mask

LEAST_S = 8.0
LEAST_SHARE = 0.25
"""Share of idling during which something swings that is told."""
ALIKE_S = 2.0
FLOOR_PCT = 1.0
"""Mean error of an idle that is as good as it gets (common practice, no source)."""
TO_PEAK = 2.0 * np.sqrt(2.0)
"""From the standard deviation of a sine to its range."""


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
class Idle:
    """What a drive shows of idling.

    Attributes
    ----------
    seconds : idled, warm.
    error_pct, spread_pct : mean of lambda over its target and its standard deviation, percent; may be NaN.
    rpm_spread : standard deviation of engine speed about its mean over a few seconds.
    swings : of all channels looked at, the widest share first.
    """

    seconds: float
    error_pct: float
    spread_pct: float
    rpm_spread: float
    swings: tuple[IdleSwing, ...]

    @property
    def std_error_pct(self) -> float:
        """Of the mean error, with seconds that are alike counted once."""
        return float(self.spread_pct / max(1.0, self.seconds / ALIKE_S) ** 0.5)

    @property
    def is_noise(self) -> bool:
        """True where the mean error is no more than the idle's own noise: changing on would only flip it."""
        return abs(self.error_pct) <= max(FLOOR_PCT, 2.0 * self.std_error_pct)


def idle_of(
    time_s: Floats,
    step_s: float,
    seconds: Floats,
    idling: Mask,
    error_pct: Floats,
    rpm: Floats,
    channels: Mapping[str, Floats],
) -> Idle | None:
    """Describe the idling of a drive.

    Parameters
    ----------
    time_s, step_s, seconds : of the log; times and seconds of shape (n,).
    idling : warm and at idle, shape (n,).
    error_pct : lambda over its target less 1, percent, NaN where unknown, shape (n,).
    rpm : shape (n,).
    channels : that may swing, by name, shape (n,) each.

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
    for name, values in {"engine speed": rpm, "lambda": error_pct, **channels}.items():
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
    )
