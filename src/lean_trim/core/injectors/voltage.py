"""How the dead time's error changes with battery voltage, from loads that were switched.

A battery that dips only at idle gives a false slope: the dip goes along with short pulses. So only
steps of voltage at the same engine speed and manifold pressure count; across one, ln k changes by
the slope times the step over the open time, and by nothing else.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import fill_missing, running_box
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.open_time import open_time_ms
from lean_trim.core.types import Floats, Ints, Mask

STEP_V = 0.35
"""Least change of voltage that is a load switched."""
WINDOW_S = 3.5
"""Compared before and after a step of load, s."""
GAP_S = 0.7
"""Seconds on either side of a step that are compared, and those left out around it: sensor delay
and loop."""
SAME_RPM = 0.05
"""Share by which engine speed may differ in both, so that the state is one."""
SAME_MAP = 0.06
"""How far means of both sides may differ, and one side may spread, as shares."""
LEAST_USED = 0.7
"""Share of either side that has to be usable."""
LEAST_STEPS = 5
"""Steps below which no slope is told."""
MOST_SE_MS_PER_V = 0.02
"""Standard error up to which a slope is known, ms/V."""
PLAIN = 2.0
"""A slope is told from this many standard errors; below, there is nothing to write."""
MODEL_SHARE = 0.05
"""Of the slope itself, for open times are means of both sides (a trial on simulated cars)."""
MOST_CHI = 4.0
"""Steps may scatter by so much more than their noise before the error grows no further."""


@dataclass(frozen=True)
class VoltageSlope:
    """The dead time's error per volt.

    Attributes
    ----------
    ms_per_v : true slope less the sheet's; below 0, the true dead time falls faster with voltage.
    se : its standard error; NaN where no load was switched.
    steps : load steps it was told from.
    about_v : voltage about which it turns, the mean of what counts.
    """

    ms_per_v: float = np.nan
    se: float = np.nan
    steps: int = 0
    about_v: float = np.nan

    @property
    def is_known(self) -> bool:
        """True if enough loads were switched."""
        return self.steps >= LEAST_STEPS and bool(self.se <= MOST_SE_MS_PER_V)

    @property
    def is_off(self) -> bool:
        """True if there is something to write."""
        return self.is_known and abs(self.ms_per_v) > PLAIN * self.se


def voltage_slope(frame: Frame, ln_k: Floats, used: Mask, dead_ms: float) -> VoltageSlope:
    """The slope from every load step of a log.

    Parameters
    ----------
    frame : a log seen through its calibration.
    ln_k : what the table is asked for, less what flow, dead time and airflow explain where that is
        known, shape (n,).
    used : samples that count, shape (n,).
    dead_ms : what the true dead time is longer by on average.

    Returns
    -------
    Unknown if voltage or open time were not logged, or no load was switched.
    """
    log = frame.log
    if Role.BATTERY not in log or Role.PULSE_WIDTH not in log or Role.MAP not in log:
        return VoltageSlope()
    volts = running_box(fill_missing(log[Role.BATTERY], np.nan), log.time_s, 0.5)
    open_ms = open_time_ms(frame) - dead_ms
    found = [_one(frame, ln_k, used, volts, open_ms, i) for i in _steps(log.time_s, volts)]
    steps = [f for f in found if f is not None]
    if not steps:
        return VoltageSlope()
    change, by, variance = (np.array(x) for x in zip(*steps, strict=True))
    information = by**2 / variance
    slope = float(np.sum(by * change / variance) / np.sum(information))
    chi = float(np.sum((change - slope * by) ** 2 / variance) / max(len(steps) - 1, 1))
    noise = min(max(chi, 1.0), MOST_CHI**2) / np.sum(information)
    se = float(np.sqrt(noise + (MODEL_SHARE * slope) ** 2))
    return VoltageSlope(slope, se, len(steps), float(np.nanmean(volts[used])))


def _steps(time_s: Floats, volts: Floats) -> Ints:
    """Where voltage steps: the steepest sample of each change."""
    ahead = np.interp(time_s + GAP_S, time_s, volts)
    behind = np.interp(time_s - GAP_S, time_s, volts)
    jump = np.abs(np.nan_to_num(ahead - behind))
    over = jump > STEP_V
    edges = np.flatnonzero(np.diff(np.concatenate([[False], over, [False]]).astype(int)))
    return np.array([a + int(np.argmax(jump[a:b])) for a, b in edges.reshape(-1, 2)], np.intp)


def _one(
    frame: Frame, ln_k: Floats, used: Mask, volts: Floats, open_ms: Floats, at: int
) -> tuple[float, float, float] | None:
    """Change of ln k, volts over open time, variance of the change; None if more moved."""
    log = frame.log
    since = log.time_s - log.time_s[at]
    sides = [
        (since > -GAP_S - WINDOW_S) & (since < -GAP_S),
        (since > GAP_S) & (since < GAP_S + WINDOW_S),
    ]
    good = [s & used & np.isfinite(ln_k) for s in sides]
    if any(g.sum() < max(4, LEAST_USED * s.sum()) for g, s in zip(good, sides, strict=True)):
        return None
    for role, slack in ((Role.RPM, SAME_RPM), (Role.MAP, SAME_MAP)):
        low, high = (float(np.mean(log[role][g])) for g in good)
        spread = max(float(np.std(log[role][g])) for g in good)
        if abs(high / low - 1.0) > slack or spread > slack * low:
            return None
    sums = [
        (float(np.mean(ln_k[g])), float(np.mean(open_ms[g])), float(np.mean(volts[g])))
        for g in good
    ]
    (y0, e0, v0), (y1, e1, v1) = sums
    if not np.isfinite([e0, e1]).all():
        return None
    variance = sum(_variance(ln_k[g]) for g in good)
    # A longer true dead time asks for more.
    return y1 - y0, (v1 - v0) / (0.5 * (e0 + e1)), variance


def _variance(values: Floats) -> float:
    """Variance of a mean whose samples are alike from one to the next."""
    apart = values - values.mean()
    spread = float(np.mean(apart**2))
    alike = float(np.mean(apart[1:] * apart[:-1])) / spread if spread > 0.0 else 0.0
    alike = min(max(alike, 0.0), 0.98)
    return spread * (1.0 + alike) / (1.0 - alike) / len(values) + 1e-8
