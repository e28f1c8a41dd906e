"""Where the ECU cuts fuel on a closed throttle and where it gives it back, as the drive shows it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import fill_missing
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.regimes import fuel_cuts
from lean_trim.core.transients.events import LEAST_CUT_S

FEWEST = 3
OPENED_PCT = 0.7
"""Throttle that gives fuel back by itself, above where it rested."""


@dataclass(frozen=True)
class CutThresholds:
    """What was seen of fuel cuts; NaN where too few were.

    Attributes
    ----------
    cuts : how many.
    enters_rpm, enters_map_kpa : lowest engine speed, highest manifold pressure at which a cut began.
    leaves_rpm : engine speed at which fuel came back on a closed throttle, median.
    coolant_c : lowest coolant at which a cut began.
    """

    cuts: int
    enters_rpm: float
    enters_map_kpa: float
    leaves_rpm: float
    coolant_c: float


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
    edges = fuel_cuts(frame, LEAST_CUT_S)
    if len(edges) < FEWEST:
        return None
    begin, end = edges[:, 0], np.minimum(edges[:, 1], last)
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
    )
