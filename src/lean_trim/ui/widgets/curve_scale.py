"""Where values lie in the picture of a curve, on linear and logarithmic axes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QRectF

from lean_trim.core.types import Floats

ROOM = 0.06
"""Free above and below the lines, as a share of their range."""
LEAST_SHARE = 0.04
"""Least range that is shown, as a share of the largest value."""
ABOUT = 6
"""Lines across, about."""


class CurveScale:
    """A picture's scales.

    Parameters
    ----------
    area : of the picture.
    points : of the axis, rising.
    values : that have to fit, one at least.
    log_across, log_up : logarithmic, where all values are above 0.
    """

    def __init__(
        self,
        area: QRectF,
        points: Floats,
        values: Floats,
        log_across: bool = False,
        log_up: bool = False,
    ) -> None:
        self.area = area
        self.log_across = log_across and bool((points > 0.0).all())
        self.log_up = log_up and bool((values > 0.0).all())
        self.first, self.last = (float(v) for v in self._across(points[[0, -1]]))
        ends = self._up(np.array([values.min(), values.max()]))
        least = LEAST_SHARE if self.log_up else LEAST_SHARE * (abs(float(ends[1])) or 100.0)
        # A flat line lies in the middle, with room to be dragged.
        short = max(0.0, least - float(ends[1] - ends[0])) / 2.0
        span = float(ends[1] - ends[0]) + 2.0 * short
        self._low = float(ends[0]) - short - ROOM * span
        self._high = float(ends[1]) + short + ROOM * span

    def _across(self, points: Floats) -> Floats:
        return np.log(points) if self.log_across else points

    def _up(self, values: Floats) -> Floats:
        return np.log(values) if self.log_up else values

    @property
    def low(self) -> float:
        """Least value that is shown."""
        return float(np.exp(self._low)) if self.log_up else self._low

    @property
    def high(self) -> float:
        """Largest value that is shown."""
        return float(np.exp(self._high)) if self.log_up else self._high

    def x(self, point: float) -> float:
        """Where a point of the axis lies, px."""
        share = (float(self._across(np.array([point]))[0]) - self.first) / (self.last - self.first)
        return self.area.left() + share * self.area.width()

    def y(self, value: float) -> float:
        """Where a value lies, px."""
        at = float(self._up(np.array([value]))[0]) if value > 0.0 or not self.log_up else self._low
        share = (at - self._low) / (self._high - self._low)
        return self.area.bottom() - share * self.area.height()

    def value(self, y: float) -> float:
        """The value that lies at a height, px."""
        share = (self.area.bottom() - y) / max(self.area.height(), 1.0)
        at = self._low + share * (self._high - self._low)
        return float(np.exp(at)) if self.log_up else at


def ticks(low: float, high: float, log: bool = False) -> Sequence[float]:
    """Round values within a range.

    Parameters
    ----------
    low, high : of the range.
    log : one, two and five of every decade.

    Returns
    -------
    Rising.
    """
    if log:
        decades = range(int(np.floor(np.log10(low))), int(np.ceil(np.log10(high))) + 1)
        found = [m * 10.0**d for d in decades for m in (1.0, 2.0, 5.0)]
        inside = [v for v in found if low <= v <= high]
        if len(inside) > 1:
            return inside
    rough = (high - low) / ABOUT
    base = 10.0 ** np.floor(np.log10(rough))
    step = float(base * next(m for m in (1.0, 2.0, 5.0, 10.0) if m * base >= rough))
    whole = np.arange(np.ceil(low / step), np.floor(high / step) + 1) * step
    return [float(v) for v in np.round(whole, 9)]
