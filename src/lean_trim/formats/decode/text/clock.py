"""Times of day as loggers write them, in seconds."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import numpy as np

from lean_trim.core.types import Floats

if TYPE_CHECKING:
    import polars as pl

DAY_S = 86400.0
_DATE = r"(?:\d{4}[-/.年]\d{1,2}[-/.月]\d{1,2}日?|\d{1,2}[-/.]\d{1,2}[-/.]\d{2,4})"
_ZONE = r"(?:\s*(?:Z|UTC|GMT|[+-]\d\d:?\d\d))?"
CLOCK = re.compile(
    rf"(?:{_DATE}[T ,]*)?\d{{1,3}}[:時时]\d{{1,2}}(?:[:分]\d{{1,2}}(?:[.,:]\d+)?秒?|[.,]\d+)?"
    rf"(?:\s*[AaPp]\.?[Mm]\.?)?{_ZONE}"
)
"""Hours, minutes and seconds, perhaps behind a date; or minutes and seconds."""
MOST_ROWS_A_SECOND = 300
"""Rows that share one "14:23"; more than a fast log writes in a second means that it is hours and
minutes."""


def is_clock(text: str) -> bool:
    """True if a cell is a time of day, perhaps with a date before it."""
    return bool(CLOCK.fullmatch(text))


def seconds_of(series: pl.Series) -> Floats:
    """Seconds of the day, running on past midnight; NaN where a cell is no clock time.

    Returns seconds, same length.
    """
    out = _plain_clock(series)
    if out is None:
        out = _any_clock(series)
    # Half a day back is midnight; less is a clock set back, which the time base sees to.
    known = np.flatnonzero(np.isfinite(out))
    steps = np.diff(out[known], prepend=out[known[:1]])
    out[known] += DAY_S * np.cumsum(steps < -DAY_S / 2)
    return out


def _plain_clock(series: pl.Series) -> Floats | None:
    """HH:MM:SS with any fraction, which is nearly every clock; None if some cell is written otherwise."""
    import polars as pl

    if len(series) == 0:
        return np.empty(0)
    # Cut by bytes: the colons of such a clock stand where they stand in the first row.
    first = series[0]
    found = (
        re.match(r"(\d{4}-\d\d-\d\d[T ])?(?=\d\d:\d\d:\d\d(?:\.\d+)?$)", first) if first else None
    )
    if found is None:
        return None
    at = len(found[0])
    body = series.str.slice(at) if at else series
    if not body.str.contains(r"^\d\d:\d\d:\d\d(\.\d+)?$").fill_null(False).all():
        return None
    hours = body.str.slice(0, 2).cast(pl.Float64)
    minutes = body.str.slice(3, 2).cast(pl.Float64)
    seconds = body.str.slice(6).cast(pl.Float64)
    return np.array(hours * 3600.0 + minutes * 60.0 + seconds)


def _any_clock(series: pl.Series) -> Floats:
    import polars as pl

    text = series.str.strip_chars(' \t"\u00a0')
    text = text.str.replace_many(["時", "时", "分", "秒"], [":", ":", ":", ""])
    pattern = (
        r"^(?:\d{4}[-/.年]\d{1,2}[-/.月]\d{1,2}日?[T ,]*|\d{1,2}[-/.]\d{1,2}[-/.]\d{2,4}[T ,]*)?"
        r"(?P<a>\d{1,3}):(?P<b>\d{1,2})(?::(?P<c>\d{1,2}))?(?P<f>[.,:]\d+)?\s*(?P<half>[AaPp])?"
        r"(?:\.?[Mm]\.?)?\s*(?:Z|UTC|GMT|(?P<zone>[+-]\d\d:?\d\d))?$"
    )
    parts = text.str.extract_groups(pattern).struct.unnest()
    a, b, c = (
        parts[k].cast(pl.Float64, strict=False).fill_null(float("nan")).to_numpy() for k in "abc"
    )
    mark = parts["f"].str.slice(0, 1)
    digits = parts["f"].str.slice(1)
    fraction = (pl.lit("0.") + digits).alias("f")
    share = pl.select(fraction).to_series().cast(pl.Float64, strict=False).fill_null(0.0).to_numpy()
    # A third colon parts thousandths, whatever the number of digits.
    thousandths = digits.cast(pl.Float64, strict=False).fill_null(0.0).to_numpy() / 1000.0
    share = np.where((mark == ":").fill_null(False).to_numpy(), thousandths, share)
    whole = np.isfinite(c)
    two = np.where(_is_minutes(a, b, share), 60.0 * a + b, 3600.0 * a + 60.0 * b)
    half = parts["half"].str.to_lowercase()
    if half.is_not_null().any():
        a = a % 12 + np.where((half == "p").fill_null(False).to_numpy(), 12.0, 0.0)
    zone = (
        parts["zone"]
        .str.replace(":", "", literal=True)
        .cast(pl.Float64, strict=False)
        .fill_null(0.0)
    )
    offset = zone.to_numpy()
    hours_off = np.trunc(offset / 100.0)
    away = 3600.0 * hours_off + 60.0 * (offset - 100.0 * hours_off)
    out = np.where(whole, 3600.0 * a + 60.0 * b + c, two) + share - away
    return np.asarray(out)


def _is_minutes(a: Floats, b: Floats, share: Floats) -> bool:
    """True if two parts are minutes and seconds, not hours and minutes."""
    known = np.isfinite(a) & np.isfinite(b)
    if (share > 0).any() or not known.any():
        return True
    # Hours end at 24; a minute holds more rows than any log writes in a second.
    values, counts = np.unique(60.0 * a[known] + b[known], return_counts=True)
    return bool(
        a[known].max() >= 24 or (len(values) > 1 and np.median(counts) < MOST_ROWS_A_SECOND)
    )
