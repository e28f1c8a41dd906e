"""What a faulty sensor or a bad wire makes of the lambda that is logged; the ECU reads its own."""

from __future__ import annotations

import numpy as np

from lean_trim.simcar.faults import Faults
from lean_trim.simcar.state import Array

STUCK_EVERY_S = 120.0
"""A sensor that sticks does so at the end of each such stretch (invented)."""


class FaultyLog:
    """Logged lambda of one drive; ``rng`` is the stream of its faults."""

    def __init__(self, faults: Faults, rng: np.random.Generator) -> None:
        self.faults = faults
        self.rng = rng
        self.last_logged = 1.0

    def logged_lambda(self, lam: Array, time_s: Array) -> Array:
        """Logged readings, (n,), with interference; a stuck sensor repeats its last one."""
        if self.faults.wild_share:
            wild = self.rng.random(len(lam)) < self.faults.wild_share
            lam = np.where(wild, self.rng.uniform(0.6, 1.4, len(lam)), lam)
        if self.faults.sensor_stuck_s:
            moves = time_s % STUCK_EVERY_S <= STUCK_EVERY_S - self.faults.sensor_stuck_s
            # Last row that moved, for every row; -1 where none of this piece did.
            newest = np.maximum.accumulate(np.where(moves, np.arange(len(lam)), -1))
            lam = np.where(newest >= 0, lam[newest], self.last_logged)
            self.last_logged = float(lam[-1])
        return lam
