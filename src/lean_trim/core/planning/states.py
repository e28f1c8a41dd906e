"""States an engine can be held in, and what is known of the table there before the next drive."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.types import Floats, Mask

RPM_STEP = 350.0
KPA_STEP = 8.0
"""Distance of neighbouring states; a table's cells are about as far apart."""
NEAR_RPM = 250.0
NEAR_KPA = 6.0
"""Driving within this counts for a state."""
UNKNOWN_PCT = 12.0
"""How far a cell nobody drove may be off, percent, standard deviation: no more is said than that."""


@dataclass(frozen=True, eq=False)
class Knowledge:
    """States (s,) and what is known of the table that will be driven at each.

    Attributes
    ----------
    rpm, map_kpa : of the state.
    at : coordinates of the table there, one array per axis.
    off_pct : how much more fuel it is expected to need than it will get, percent; above 0 is lean.
    error_pct : standard error of that, percent points.
    seconds : used driving near it so far.
    share : of the time users spend there, adding up to 1.
    """

    rpm: Floats
    map_kpa: Floats
    at: tuple[Floats, ...]
    off_pct: Floats
    error_pct: Floats
    seconds: Floats
    share: Floats

    def __len__(self) -> int:
        return len(self.rpm)

    @property
    def lean_edge_pct(self) -> Floats:
        """How lean it may be: two standard errors beyond what is expected, percent."""
        return self.off_pct + 2.0 * self.error_pct

    def only(self, keep: Mask) -> Knowledge:
        """The states where ``keep`` is True."""
        return Knowledge(
            rpm=self.rpm[keep],
            map_kpa=self.map_kpa[keep],
            at=tuple(a[keep] for a in self.at),
            off_pct=self.off_pct[keep],
            error_pct=self.error_pct[keep],
            seconds=self.seconds[keep],
            share=self.share[keep],
        )

    def covariance(self) -> Floats:
        """Covariance of what is not known, percent², shape (s, s)."""
        return np.outer(self.error_pct, self.error_pct) * alike(self.rpm, self.map_kpa)


ALIKE_RPM = 800.0
ALIKE_KPA = 20.0
"""Distance over which a table's errors go together (measured on a trial of twelve cars)."""


def alike(rpm: Floats, map_kpa: Floats) -> Floats:
    """How much the table's errors at two states go together, 0 to 1, shape (s, s)."""
    by_rpm = (rpm[:, None] - rpm[None, :]) / ALIKE_RPM
    by_kpa = (map_kpa[:, None] - map_kpa[None, :]) / ALIKE_KPA
    return np.asarray(np.exp(-0.5 * (by_rpm**2 + by_kpa**2)))


def states_between(rpm: tuple[float, float], map_kpa: tuple[float, float]) -> tuple[Floats, Floats]:
    """Every state of an even grid.

    Parameters
    ----------
    rpm, map_kpa : least and largest.

    Returns
    -------
    Engine speed and pressure of each, flat; the pressure runs fastest.
    """
    speeds = np.arange(np.ceil(rpm[0] / 50.0) * 50.0, rpm[1] + 1.0, RPM_STEP)
    loads = np.arange(np.ceil(map_kpa[0]), map_kpa[1] + 0.1, KPA_STEP)
    mesh = np.meshgrid(speeds, loads, indexing="ij")
    return mesh[0].ravel(), mesh[1].ravel()


def seconds_near(
    rpm: Floats, map_kpa: Floats, log_rpm: Floats, log_kpa: Floats, log_s: Floats
) -> Floats:
    """Seconds of a drive near each state.

    Parameters
    ----------
    rpm, map_kpa : of the states, shape (s,).
    log_rpm, log_kpa, log_s : of used samples and the time each stands for, shape (m,).

    Returns
    -------
    Shape (s,).
    """
    near_rpm = np.abs(log_rpm[None, :] - rpm[:, None]) <= NEAR_RPM
    near_kpa = np.abs(log_kpa[None, :] - map_kpa[:, None]) <= NEAR_KPA
    return np.asarray((near_rpm & near_kpa) @ log_s)
