"""Where the ECU cuts fuel on a closed throttle and where it gives it back, as the drive shows it."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import fill_missing
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.regimes import fuel_cuts
from lean_trim.core.transients.events import LEAST_CUT_S

FEWEST = 3
"""Cuts below which their thresholds are not told."""
HUNT_CUT_S = 0.08
"""Shortest cut of an engine that hunts, s."""
HUNT_WITHIN_S = 4.0
"""Cuts that follow each other so closely are hunting, s."""
HUNT_LEAST = 4
"""Shortest cut, longest time to the next, and how many in a row make hunting (common practice, no
source)."""
ABOVE_IDLE_RPM = 300.0
"""Fuel should come back so far above idle, rpm (common practice, no source)."""
ROUND_RPM = 50.0
"""Room a fuel cut needs above idle (common practice, no source)."""
OPENED_PCT = 0.7
"""Throttle that gives fuel back by itself, above where it rested."""


@dataclass(frozen=True)
class CutThresholds:
    """What was seen of fuel cuts; NaN where too few were.

    Attributes
    ----------
    cuts : how many.
    enters_rpm, enters_map_kpa : lowest engine speed, highest manifold pressure at which a cut
        began.
    leaves_rpm : engine speed at which fuel came back on a closed throttle, median.
    coolant_c : lowest coolant at which a cut began.
    hunts, hunt_period_s : cuts that followed each other on a closed throttle, and the time between
        them.
    """

    cuts: int
    enters_rpm: float
    enters_map_kpa: float
    leaves_rpm: float
    coolant_c: float
    hunts: int = 0
    hunt_period_s: float = float("nan")

    def entry_to_write(self, idle_rpm: float) -> float:
        """Engine speed from which fuel should be cut, for an engine that hunts about the threshold.

        Returns rpm; NaN where nothing hunts or it is not known how fast it idles.
        """
        if not self.hunts or not np.isfinite(idle_rpm):
            return float("nan")
        return float(np.ceil((idle_rpm + ABOVE_IDLE_RPM) / ROUND_RPM) * ROUND_RPM)


def cut_thresholds(frame: Frame) -> CutThresholds | None:
    """Read them from the cuts of a drive.

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    None below three cuts.
    """
    log = frame.log
    last = len(log) - 1
    hunts, period_s = _hunting(frame)
    edges = fuel_cuts(frame, LEAST_CUT_S)
    if len(edges) < FEWEST and not hunts:
        return None
    # Of an engine that hunts about the threshold the short cuts are all there is.
    edges = edges if len(edges) else fuel_cuts(frame, HUNT_CUT_S)
    begin = edges[:, 0]
    end = np.minimum(edges[:, 1], last)
    rpm = fill_missing(log[Role.RPM])
    throttle = fill_missing(log.get(Role.THROTTLE))
    by_itself = (throttle[end] <= throttle[begin] + OPENED_PCT) & (edges[:, 1] <= last)

    def least(role: Role, lowest: bool) -> float:
        if role not in log:
            return float("nan")
        values = log[role][begin]
        known = values[np.isfinite(values)]
        return float("nan") if not len(known) else float(known.min() if lowest else known.max())

    left = rpm[end][by_itself]
    return CutThresholds(
        cuts=len(edges),
        enters_rpm=float(rpm[begin].min()),
        enters_map_kpa=least(Role.MAP, lowest=False),
        leaves_rpm=float(np.median(left)) if len(left) >= FEWEST else float("nan"),
        coolant_c=least(Role.COOLANT, lowest=True),
        hunts=hunts,
        hunt_period_s=period_s,
    )


def _hunting(frame: Frame) -> tuple[int, float]:
    """Cuts that follow each other again and again while the throttle stays closed, and their period, s."""
    log = frame.log
    edges = fuel_cuts(frame, HUNT_CUT_S)
    if len(edges) < HUNT_LEAST:
        return 0, float("nan")
    throttle = fill_missing(log.get(Role.THROTTLE))
    begin = edges[:, 0]
    end = np.minimum(edges[:, 1], len(log) - 1)
    apart = np.diff(log.time_s[begin])
    opened = np.array([float(np.ptp(throttle[a:b])) for a, b in pairwise(begin)])
    short = log.time_s[end] - log.time_s[begin] < HUNT_WITHIN_S
    follows = (apart < HUNT_WITHIN_S) & (opened <= OPENED_PCT) & short[:-1] & short[1:]
    # A run of so many makes hunting; two cuts on the way down to idle are none.
    runs = np.split(
        np.flatnonzero(follows), np.flatnonzero(np.diff(np.flatnonzero(follows)) > 1) + 1
    )
    hunting = [run for run in runs if len(run) + 1 >= HUNT_LEAST]
    if not hunting:
        return 0, float("nan")
    return sum(len(run) + 1 for run in hunting), float(np.median(apart[np.concatenate(hunting)]))
