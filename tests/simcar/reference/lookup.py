"""Scalar table look-up for the simulator's inner loop, written independently of the computation's."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence


def locate(axis: Sequence[float], x: float) -> tuple[int, float]:
    """Lower index and fraction, clamped to the axis."""
    if x <= axis[0]:
        return 0, 0.0
    if x >= axis[-1]:
        return len(axis) - 2, 1.0
    i = bisect_right(axis, x) - 1
    return i, (x - axis[i]) / (axis[i + 1] - axis[i])


class GridLookup:
    """Bilinear look-up in rows[y][x]."""

    def __init__(
        self, y: Sequence[float], x: Sequence[float], rows: Sequence[Sequence[float]]
    ) -> None:
        self.y = list(map(float, y))
        self.x = list(map(float, x))
        self.rows = [list(map(float, r)) for r in rows]

    def __call__(self, y: float, x: float) -> float:
        """Interpolated value, held constant past the ends."""
        j, v = locate(self.y, y)
        i, u = locate(self.x, x)
        low = self.rows[j]
        high = self.rows[j + 1]
        a = low[i] + u * (low[i + 1] - low[i])
        b = high[i] + u * (high[i + 1] - high[i])
        return a + v * (b - a)


class CurveLookup:
    """Linear look-up in a curve."""

    def __init__(self, x: Sequence[float], values: Sequence[float]) -> None:
        self.x = list(map(float, x))
        self.values = list(map(float, values))

    def __call__(self, x: float) -> float:
        """Interpolated value, held constant past the ends."""
        i, u = locate(self.x, x)
        return self.values[i] + u * (self.values[i + 1] - self.values[i])
