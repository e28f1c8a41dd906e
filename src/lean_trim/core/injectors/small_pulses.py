"""What short pulses lose beyond flow and dead time, where the drive has evidence of it.

An injector that is hardly open follows no straight line: below about a millisecond the loss is a
curve of its own. Fitted from the same pulses as the dead time it cannot be told from it, so the
dead time is then learned from the longer ones: the curve ends at ``KNEE_MS``, above which the
straight line counts. Whether an ECU can hold a curve its owner knows; without one, the one dead
time that serves all pulses best is the answer.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.places import Places
from lean_trim.core.injectors.identify import Split, split
from lean_trim.core.injectors.measured import Measured
from lean_trim.core.types import Floats, Mask

KNOTS_MS = (0.3, 0.5, 0.7, 0.9)
KNEE_MS = 1.2
"""Open times of the curve, and where it ends (common practice, no source)."""
LEAST_SECONDS = 5.0
"""Driven near a knot before it says anything."""
LEAST_LOSS_MS = 0.01
"""Loss below which a point is no loss at all, ms: a hundredth part of the shortest pulses."""
SURE = 2.0
"""Standard errors a loss has to be away from none."""
WORST_SE_MS = 0.05
"""Standard error up to which a point is known, ms."""
PASSES = 3
"""Dead time and losses are read in turn; they no longer move after so many."""
LEAST_OPEN_MS = 0.05
"""Open time that stands for less where it is divided by, ms."""


@dataclass(frozen=True, eq=False)
class SmallPulses:
    """Loss of short pulses.

    Attributes
    ----------
    open_ms : points of the curve by the ECU's own open time, shape (m + 1,); the last is the knee.
    loss_ms, se_ms : what has to be added at each, with its standard error, ms; 0 at the knee.
    known : points the drive has evidence of, shape (m + 1,).
    seconds : driven near each.
    split : flow, dead time and airflow with the curve beside them; the dead time is that of longer
        pulses.
    """

    open_ms: Floats
    loss_ms: Floats
    se_ms: Floats
    known: Mask
    seconds: Floats
    split: Split

    @property
    def is_there(self) -> bool:
        """True if short pulses lose more, or less, than the straight line says."""
        return bool(self.sure.any())

    @property
    def sure(self) -> Mask:
        """Points at which that is so, shape (m + 1,)."""
        return (np.abs(self.loss_ms) > np.maximum(SURE * self.se_ms, LEAST_LOSS_MS)) & self.known

    def loss_at(self, open_ms: Floats) -> Floats:
        """Time to add, ms; held below the first known point, and none where nothing is known.

        Parameters
        ----------
        open_ms : by the ECU's own reckoning, any shape.

        Returns
        -------
        The same shape.
        """
        known = self.known.copy()
        known[-1] = True
        return np.asarray(np.interp(open_ms, self.open_ms[known], self.loss_ms[known]))


def small_pulses(
    places: Places,
    table: Table,
    unit: float,
    trust: float,
    film_spread: float,
    measured: Sequence[Measured] = (),
    wide: bool = False,
) -> SmallPulses | None:
    """Learn the loss of short pulses together with flow and the dead time of longer ones.

    Parameters
    ----------
    places, table, unit, trust, film_spread, measured, wide : as for ``split``.

    Returns
    -------
    None where short or longer pulses were not driven.
    """
    hats = _hats(places.open_ms)
    seconds = places.seconds @ hats
    long_s = float(places.seconds[places.open_ms > KNEE_MS].sum())
    if float(seconds[:-1].max(initial=0.0)) < LEAST_SECONDS or long_s < LEAST_SECONDS:
        return None
    count = len(KNOTS_MS)
    loss = np.zeros(count)
    dead = 0.0
    found: Split | None = None
    for _ in range(PASSES):
        linear = _with_curve(places, hats[:, :count], loss, dead)
        found = split(linear, table, unit, trust, film_spread, measured, wide)
        loss = found.terms[-count:]
        dead = found.dead_ms
    assert found is not None
    errors = np.sqrt(np.diag(found.terms_covariance)[-count:])
    known = (seconds[:count] >= LEAST_SECONDS) & (errors <= WORST_SE_MS)
    return SmallPulses(
        open_ms=np.array([*KNOTS_MS, KNEE_MS]),
        loss_ms=np.append(loss, 0.0),
        se_ms=np.append(errors, 0.0),
        known=np.append(known, False),
        seconds=seconds,
        split=replace(found, terms=found.terms[:-count]),
    )


def _hats(open_ms: Floats) -> Floats:
    """How much of each point of the curve counts at each place, shape (p, m + 1)."""
    points = np.array([*KNOTS_MS, KNEE_MS])
    hats = np.stack([np.interp(open_ms, points, row) for row in np.eye(len(points))], axis=1)
    # What is beyond the knee is none of the curve's.
    hats[open_ms > KNEE_MS] = 0.0
    return hats


def _with_curve(places: Places, hats: Floats, loss: Floats, dead: float) -> Places:
    """The same places with the curve as further terms, linear about what it is so far."""
    by_dead = np.maximum(places.open_ms - dead, LEAST_OPEN_MS)
    left = np.maximum(by_dead - hats @ loss, LEAST_OPEN_MS)
    slope = hats / left[:, None]
    count = hats.shape[1]
    before = len(places.names)
    within = np.zeros((before + count,) * 2)
    within[:before, :before] = places.within
    return replace(
        places,
        y=places.y - np.log(by_dead / left) + slope @ loss,
        terms=np.hstack([places.terms, slope]),
        # Between places only, as for flow and dead time.
        within=within,
        within_y=np.concatenate([places.within_y, np.zeros(count)]),
        names=(*places.names, *(Term.SMALL,) * count),
    )
