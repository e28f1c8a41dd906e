"""The shape of a drift that was told: a line with a knot every five minutes.

Whether a need for fuel drifts is weighed by a straight line, which one drive's noise does not imitate
easily. Once it is told, the same samples say when it moved: a rail that heats for ten minutes and
then rests is no line. The knots may only bend the line, not tilt it, for its slope was weighed beside
everything that resembles it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.types import Floats, Ints

KNOT_S = 300.0
"""From knot to knot, s."""
BEND = 0.5
"""Standard deviation of what a knot lies beside the line, before any driving, as a share of the
whole drift."""
STEPS = 400
MOVED = (0.15, 0.85)
"""Shares of the whole way through which the line is laid that says from when to when it moved."""


@dataclass(frozen=True)
class DriftCourse:
    """How the need for fuel moved, beside its mean.

    Attributes
    ----------
    times_s : of the knots on the joined log, s, rising; the first and the last of each drive are
        among them.
    moved : ln k there, as many; 0 on average over the used samples of each drive.
    """

    times_s: tuple[float, ...]
    moved: tuple[float, ...]

    def at(self, time_s: Floats) -> Floats:
        """Ln k at any time of the joined log, s; the ends hold beyond them."""
        return np.interp(time_s, self.times_s, self.moved)

    @property
    def moved_pct(self) -> float:
        """The longest way, percent, positive where more fuel was needed in the end."""
        first, last = sorted((int(np.argmin(self.moved)), int(np.argmax(self.moved))))
        return 100.0 * (self.moved[last] - self.moved[first])

    @property
    def richer_pct(self) -> float:
        """What its richer end lies above the mean, percent."""
        return 100.0 * max(self.moved)


def follow(
    time_s: Floats,
    joints_s: Sequence[float],
    line: Floats,
    coefficient: float,
    residual: Floats,
    weight: Floats,
    place: Ints,
    beside: Floats,
) -> DriftCourse:
    """Bend a drift's line to what its samples say at equal places.

    A ridge on what the knots add to the line: least squares with a normal prior of ``BEND`` (Hoerl and
    Kennard, Technometrics 1970; from memory). What they add is held at right angles to the line.

    Parameters
    ----------
    time_s : of the used samples on the joined log, s, shape (m,).
    joints_s : where one drive ends and the next begins, s.
    line : the drift's course as it was weighed, shape (m,).
    coefficient : of the line, as it was told.
    residual : ln k that the fit without a drift leaves, shape (m,).
    weight : of each sample, one over its variance, shape (m,).
    place : number of the place each was read at, shape (m,).
    beside : courses of terms that go with the clock too, shape (t, m); what they can stand for is no
        bend, for the fit may have given them a part of the drift.

    Returns
    -------
    The course; the line itself where nothing speaks for a bend.
    """
    knots = _knots(time_s, joints_s)
    hats = np.array([np.interp(time_s, knots, unit) for unit in np.eye(len(knots))]).T
    # Every drive has its own line, each straight between its ends.
    straight = np.interp(knots, time_s, line)
    moved = coefficient * straight
    apart = _Apart(place, weight, beside)
    along = apart.of(line)
    power = float(along @ along)
    if power > 0.0 and len(knots) > 2:
        bent = np.column_stack([apart.of(h) for h in hats.T])
        tilt = (along @ bent) / power
        bent = bent - np.outer(along, tilt)
        prior = 1.0 / (BEND * coefficient) ** 2
        rest = apart.of(residual) - coefficient * along
        added = np.linalg.solve(bent.T @ bent + prior * np.eye(len(knots)), bent.T @ rest)
        moved = moved + added - float(tilt @ added) * straight
    # Each drive's mean is the table's own.
    drive = np.searchsorted(np.asarray(joints_s, float), knots, side="right")
    of_sample = np.searchsorted(np.asarray(joints_s, float), time_s, side="right")
    for which in np.unique(of_sample):
        here = of_sample == which
        moved[drive == which] -= float(np.interp(time_s[here], knots, moved).mean())
    return DriftCourse(tuple(knots.tolist()), tuple(moved.tolist()))


def moving_between(course: DriftCourse) -> tuple[float, float]:
    """When the need moved: where a line through most of its longest way begins and ends, s.

    Returns seconds on the joined log.
    """
    times = np.linspace(course.times_s[0], course.times_s[-1], STEPS)
    way = course.at(times)
    first, last = sorted((int(way.argmin()), int(way.argmax())))
    whole = way[last] - way[first]
    share = (way[first : last + 1] - way[first]) / (whole or 1.0)
    early, late = (times[first + int(np.argmax(share >= part))] for part in MOVED)
    beyond = MOVED[0] / (MOVED[1] - MOVED[0]) * (late - early)
    return float(max(early - beyond, times[0])), float(min(late + beyond, times[-1]))


class _Apart:
    """What is left of values without the mean of their place and what other terms can stand for.

    Times the root of the weight (Frisch and Waugh, Econometrica 1933; from memory).
    """

    def __init__(self, place: Ints, weight: Floats, beside: Floats) -> None:
        self.which = np.unique(place, return_inverse=True)[1]
        self.weight = weight
        self.whole = np.maximum(np.bincount(self.which, weight), 1e-12)
        others = [self._without_mean(b) for b in beside]
        self.others = np.column_stack(others) if others else np.empty((len(weight), 0))

    def of(self, values: Floats) -> Floats:
        moved = self._without_mean(values)
        return moved - self.others @ np.linalg.lstsq(self.others, moved, rcond=None)[0]

    def _without_mean(self, values: Floats) -> Floats:
        mean = np.bincount(self.which, self.weight * values) / self.whole
        return np.asarray(np.sqrt(self.weight) * (values - mean[self.which]))


def _knots(time_s: Floats, joints_s: Sequence[float]) -> Floats:
    """From the first to the last used sample of each drive, evenly, about ``KNOT_S`` apart."""
    out: list[float] = []
    for part in np.split(time_s, np.searchsorted(time_s, np.asarray(joints_s, float))):
        if len(part):
            count = max(1, round(float(np.ptp(part)) / KNOT_S))
            out += np.linspace(part[0], part[-1], count + 1).tolist()
    return np.unique(out)
