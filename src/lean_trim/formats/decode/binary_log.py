"""Read Parquet, Arrow and MDF4 logs."""

from __future__ import annotations

import struct
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Ints, Mask
from lean_trim.formats.decode.columns import SAMPLE_ROWS, Column, RawColumns, Wanted
from lean_trim.formats.meaning.names import split_unit

if TYPE_CHECKING:
    import polars as pl
    from asammdf import MDF


class Say:
    """Sentences of this module."""

    NO_ROWS = Message("binary_log.no_rows", "{path}: holds no rows of numbers; nothing was logged")
    NO_CHANNEL = Message(
        "binary_log.no_channel",
        "{path}: holds no channel that is understood; nothing was logged, or its names are unknown",
    )
    UNREADABLE = Message("binary_log.unreadable", "{path}: cannot be read as {kind} ({reason})")
    UNREADABLE_MDF = Message("binary_log.unreadable_mdf", "{path}: cannot be read as MDF4 ({reason})")


HOLD_PERIODS = 3.0
"""Age, in its own periods, after which a held value of a slow channel is no longer shown."""


def read_columnar(path: Path, kind: str, wanted: Wanted) -> RawColumns:
    """A Parquet or Arrow (IPC) file; column names may carry units in brackets.

    Parameters
    ----------
    path : a Parquet or Arrow file.
    kind : "Parquet" or "Arrow".
    wanted : tells which columns are read whole.

    Returns
    -------
    Columns as they stand in the file.

    Raises
    ------
    LogError
        If the file is damaged or holds no numbers.
    """
    import polars as pl

    try:
        scan = pl.scan_parquet(path) if kind == "Parquet" else pl.scan_ipc(path)
        schema = scan.collect_schema()
        names = [n for n, t in schema.items() if t.is_numeric() or t.is_temporal() or t == pl.Boolean]
        columns = tuple(Column(i, *split_unit(n)) for i, n in enumerate(names))
        keep = wanted(columns)
        whole = scan.select([names[i] for i in sorted(keep)]).collect()
        first = scan.head(SAMPLE_ROWS).select(names).collect()
    except (pl.exceptions.PolarsError, OSError) as error:
        raise LogError(Say.UNREADABLE(path=path, kind=kind, reason=str(error).splitlines()[0])) from error
    if not columns or first.height == 0:
        raise LogError(Say.NO_ROWS(path=path))
    values = {i: _plain_numbers(whole[names[i]]) for i in keep}
    samples = {i: _plain_numbers(first[n]) for i, n in enumerate(names) if i not in keep}
    return RawColumns(columns, values, kind, samples=samples)


def _plain_numbers(series: pl.Series) -> Floats:
    """Numbers as float64; times of any kind as seconds."""
    import polars as pl

    if series.dtype in (pl.Datetime, pl.Duration):
        # Cast first: files hold milli-, micro- and nanoseconds, as plain integers all alike.
        series = series.dt.cast_time_unit("ns").cast(pl.Int64) / 1e9
    elif series.dtype == pl.Time:
        series = series.cast(pl.Int64) / 1e9
    elif series.dtype == pl.Date:
        series = series.cast(pl.Int32) * 86400
    return series.cast(pl.Float64).fill_null(float("nan")).to_numpy()


def read_mdf(path: Path, wanted: Wanted) -> RawColumns:
    """An MDF4 file: channels of all groups held onto the rows of the fastest wanted one.

    A slower channel shows its last reading (nothing is interpolated), NaN before its first and when it has
    not been renewed for three of its periods; the rows with a new reading are told.

    Parameters
    ----------
    path : an MDF file.
    wanted : tells which channels are read whole.

    Returns
    -------
    Channels on one set of rows.

    Raises
    ------
    LogError
        If the file is damaged or holds no numeric channel.
    """
    from asammdf import MDF
    from asammdf.blocks.utils import MdfException

    # What the library lets out on damaged files, beside its own exception.
    broken = (MdfException, struct.error, OSError, ValueError, LookupError, AttributeError, TypeError)
    try:
        with MDF(str(path)) as mdf:
            columns, places = _mdf_channels(mdf)
            keep = sorted(wanted(columns))
            signals = (
                dict(zip(keep, mdf.select([places[i] for i in keep], copy_master=False), strict=True))
                if keep
                else {}
            )
    except broken as error:
        why = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise LogError(Say.UNREADABLE_MDF(path=path, reason=why)) from error
    signals = {i: s for i, s in signals.items() if _is_numeric(s.samples) and len(s.timestamps) > 1}
    if not signals:
        raise LogError(Say.NO_CHANNEL(path=path))
    # The fastest channel keeps every reading; of equals the longest.
    base = min(
        (s.timestamps for s in signals.values()), key=lambda t: (float(np.median(np.diff(t))), -len(t))
    )
    values, updates = _hold_all(signals, base)
    return RawColumns(columns, values, "MDF4", np.asarray(base, float), updates)


def _mdf_channels(mdf: MDF) -> tuple[tuple[Column, ...], list[tuple[None, int, int]]]:
    """Every channel that is no time master, with its place (None, group, channel)."""
    columns: list[Column] = []
    places: list[tuple[None, int, int]] = []
    groups: list[Any] = list(mdf.groups)
    for g, group in enumerate(groups):
        for c, channel in enumerate(group.channels):
            if c != mdf.masters_db.get(g):
                name, unit = split_unit(channel.name)
                columns.append(Column(len(columns), name, channel.unit or unit))
                places.append((None, g, c))
    return tuple(columns), places


def _hold_all(signals: dict[int, Any], base: Floats) -> tuple[dict[int, Floats], dict[int, Mask]]:
    values = {}
    updates = {}
    held: dict[bytes, tuple[Ints, Mask]] = {}
    for i, signal in signals.items():
        samples = np.asarray(signal.samples, float)
        stamps = signal.timestamps
        if len(stamps) == len(base) and np.array_equal(stamps, base):
            values[i] = samples
            continue
        # Channels of one group share their times; so rows are looked up once a group.
        key = stamps[:2].tobytes() + stamps[-2:].tobytes() + len(stamps).to_bytes(8, "little")
        if key not in held:
            held[key] = hold_rows(stamps, base)
        row, updates[i] = held[key]
        values[i] = np.where(row >= 0, samples[np.maximum(row, 0)], np.nan)
    return values, updates


def _is_numeric(samples: np.ndarray) -> bool:
    return samples.ndim == 1 and (np.issubdtype(samples.dtype, np.number) or samples.dtype == bool)


def hold_rows(time_s: Floats, base_s: Floats) -> tuple[np.ndarray, Mask]:
    """For each base row the index of the reading in force, and the rows with a new reading.

    The index is -1 where there is none.

    Parameters
    ----------
    time_s : of the readings, rising, s, shape (m,).
    base_s : of the rows, rising, s, shape (n,).

    Returns
    -------
    Indices into the readings, and fresh rows, both of shape (n,).
    """
    # A nanosecond, so that rounding of equal times does not show the reading one row late.
    row = np.searchsorted(time_s, base_s + 1e-9, side="right") - 1
    fresh = np.diff(row, prepend=-1) > 0
    period = float(np.median(np.diff(time_s)))
    age = base_s - time_s[np.maximum(row, 0)]
    return np.where((row >= 0) & (age <= HOLD_PERIODS * period), row, -1), fresh & (row >= 0)
