"""Numbers and times as people read them, the same everywhere."""

from __future__ import annotations

import math
from collections.abc import Iterable


def clock(time_s: float, decimals: int = 1) -> str:
    """A time of the log as min:s, as the tape writes it.

    Parameters
    ----------
    time_s : seconds on the log's time base.
    decimals : of the seconds.

    Returns
    -------
    As ``2:03.4``; rounded before it is split, so that no 60 is ever written.
    """
    rounded = round(abs(time_s), decimals)
    minutes, rest = divmod(rounded, 60.0)
    width = 3 + decimals if decimals else 2
    sign = "-" if time_s < 0.0 and rounded > 0.0 else ""
    return f"{sign}{int(minutes)}:{rest:0{width}.{decimals}f}"


def fixed(value: float, decimals: int) -> str:
    """A number with a fixed count of decimals, zero without a sign.

    Parameters
    ----------
    value : NaN is written as a dash.
    decimals : how many.

    Returns
    -------
    As ``-0.4``.
    """
    if not math.isfinite(value):
        return "–"
    text = f"{value:.{decimals}f}"
    return text.lstrip("-") if float(text) == 0.0 else text


def signed(value: float, decimals: int = 1) -> str:
    """A correction: always with a sign, except for a plain zero.

    Parameters
    ----------
    value : NaN is written as a dash.
    decimals : how many.

    Returns
    -------
    As ``+0.4``; what rounds to zero is ``0.0``.
    """
    if not math.isfinite(value):
        return "–"
    text = f"{value:+.{decimals}f}"
    return text.lstrip("+-") if float(text) == 0.0 else text


def decimals_of(resolution: float) -> int:
    """Decimals that show every step of a resolution.

    Parameters
    ----------
    resolution : smallest step of a table's cells, > 0.

    Returns
    -------
    0 to 6.
    """
    return next(
        (d for d in range(6) if abs(resolution * 10**d - round(resolution * 10**d)) < 1e-6), 6
    )


def evenly_written(points: Iterable[float], most: int = 3) -> tuple[str, ...]:
    """Numbers with as many decimals as the one that needs most, so that they line up.

    Returns one text per point.
    """
    values = [float(p) for p in points]
    needed = max((d for p in values for d in range(most + 1) if _needs(p, d)), default=0)
    return tuple(fixed(p, needed) for p in values)


def span_text(low: float, high: float, figures: int = 4, most: int = 3) -> str:
    """Two ends of a range with the same decimals, about as many figures as the larger end has.

    Returns as ``0.811 to 1.360``.
    """
    if low == round(low) and high == round(high):
        return f"{fixed(low, 0)} to {fixed(high, 0)}"
    largest = max(abs(low), abs(high))
    before_point = math.floor(math.log10(largest)) + 1 if largest >= 1.0 else 1
    decimals = min(max(figures - before_point, 0), most)
    return f"{fixed(low, decimals)} to {fixed(high, decimals)}"


def _needs(value: float, decimals: int) -> bool:
    """True if fewer decimals would not show the value."""
    return decimals > 0 and abs(round(value, decimals - 1) - value) > 0.5 * 10.0**-decimals - 1e-12


def cells_in_words(count: int) -> str:
    """A number of cells for people.

    Returns as "1 cell" or "4 cells".
    """
    return "1 cell" if count == 1 else f"{count} cells"
