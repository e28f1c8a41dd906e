"""Traces as antialiased images computed from column minima and maxima, much faster than stroking paths."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from PySide6.QtGui import QColor, QImage

from lean_trim.core.explore.pyramid import touch
from lean_trim.core.types import Floats

HALF_LINE = 0.65


def trace_image(
    low: Floats, high: Floats, bottom: float, top: float, height: int, color: QColor
) -> QImage:
    """An image (columns × height) of one trace.

    ``bottom`` and ``top`` are the values at its lower and upper edge.

    Every pixel holds how much of it the trace covers, as an index into a table of the ink's
    opacities.
    """
    low, high = touch(low, high)
    scale = (height - 1) / (top - bottom)
    upper = ((top - high) * scale - HALF_LINE + 0.5).astype(np.float32)
    lower = ((top - low) * scale + HALF_LINE + 0.5).astype(np.float32)
    empty = np.isnan(upper) | np.isnan(lower)
    # Turned about, so that the cover comes out negative and is clipped to nothing.
    upper[empty] = 1e6
    lower[empty] = -1e6
    # Qt wants every row of an indexed image to fill whole 32-bit words.
    width = len(low) + (-len(low)) % 4
    rows = np.arange(height, dtype=np.float32)[:, None]
    cover = np.minimum(rows + np.float32(1.0), lower)
    cover -= np.maximum(rows, upper)
    np.clip(cover, 0.0, 1.0, out=cover)
    cover *= 255.0
    pixels = np.zeros((height, width), np.uint8)
    pixels[:, : len(low)] = cover
    # Copied, because the array is gone when this function ends.
    image = QImage(pixels.data, len(low), height, width, QImage.Format.Format_Indexed8).copy()
    image.setColorTable(_inks(color.rgb()))
    return image


def hatch_image(
    columns: np.ndarray, height: int, veil: QColor, line: QColor, crossed: bool = False
) -> QImage:
    """Slanting hatch over the marked columns, on a veil that fades what lies below; both ways if crossed."""
    width = len(columns) + (-len(columns)) % 4
    pixels = np.zeros((height, width), np.uint8)
    np.multiply(
        _slant(len(columns), height, crossed),
        columns.astype(np.uint8),
        out=pixels[:, : len(columns)],
    )
    image = QImage(pixels.data, len(columns), height, width, QImage.Format.Format_Indexed8).copy()
    image.setColorTable([0, veil.rgba(), line.rgba()])
    return image


@lru_cache(maxsize=4)
def _slant(width: int, height: int, crossed: bool) -> np.ndarray:
    """2 on slanting lines nine pixels apart, 1 between."""
    x = np.arange(width)[None, :]
    y = np.arange(height)[:, None]
    on = (x + y) % 9 == 0
    if crossed:
        on |= (x - y) % 9 == 0
    return np.asarray((1 + on).astype(np.uint8))


@lru_cache(maxsize=32)
def _inks(rgb: int) -> list[int]:
    return [(rgb & 0xFFFFFF) | (alpha << 24) for alpha in range(256)]


def runs(values: np.ndarray) -> list[tuple[int, int, int]]:
    """Stretches of equal values as (first, last + 1, value)."""
    if not len(values):
        return []
    cuts = np.flatnonzero(np.diff(values)) + 1
    starts = np.concatenate([[0], cuts])
    ends = np.concatenate([cuts, [len(values)]])
    return [(int(a), int(b), int(values[a])) for a, b in zip(starts, ends, strict=True)]
