"""Parquet, Arrow and JSON lines, by polars: typed columns, perhaps with cells of text."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import (
    MOST_COLUMNS,
    MOST_VALUES,
    SAMPLE_ROWS,
    Column,
    Progress,
    RawColumns,
    ReadOptions,
    Unread,
    Wanted,
)
from lean_trim.formats.decode.containers import Source
from lean_trim.formats.decode.long_form import split_by_name
from lean_trim.formats.decode.text.cells import marks_of, numbers_of, way_of
from lean_trim.formats.meaning.names import is_time, role_of, split_unit
from lean_trim.formats.meaning.timebase import seconds_from

if TYPE_CHECKING:
    import polars as pl


class Say:
    """Sentences of this module."""

    NO_ROWS = Message("columnar.no_rows", "{path}: holds no rows of numbers; nothing was logged")
    UNREADABLE = Message("columnar.unreadable", "{path}: cannot be read as {kind} ({reason})")
    TOO_MANY_COLUMNS = Message(
        "columnar.too_many_columns", "{path}: {width} columns; allowed are up to {most}"
    )
    TOO_MANY = Message(
        "columnar.too_many",
        "{path}: more than {most:,} readings; allowed is up to that. Split the log, or leave "
        "channels out",
    )


MOST_LONG_COLUMNS = 6
JSON_LINES = "JSON lines"


def _scan(kind: str, path: Path) -> pl.LazyFrame:
    import polars as pl

    if kind == "Parquet":
        return pl.scan_parquet(path)
    if kind == "Arrow":
        return pl.scan_ipc(path)
    return pl.read_ipc_stream(path).lazy()


def read_columnar(
    kind: str, source: Source, wanted: Wanted, options: ReadOptions, progress: Progress | None
) -> RawColumns:
    """A Parquet, Arrow (IPC file or stream) or JSON-lines file; names may carry units in brackets.

    Parameters
    ----------
    kind : "Parquet", "Arrow", "Arrow stream" or "JSON lines".
    source : an opened file.
    wanted : tells which columns are read whole.
    options : not used here.
    progress : called while JSON lines are unpacked; returning False cancels.

    Returns
    -------
    Columns as they stand in the file.

    Raises
    ------
    LogError
        If the file is damaged or holds no numbers.
    """
    import polars as pl

    from lean_trim.formats.decode.apart.limited import unpacked

    path = source.path
    try:
        with source.as_path() as plain, _without_backtraces():
            if kind != JSON_LINES:
                return _columns(_scan(kind, plain), kind, wanted, path)
            # Lines of 900 000 keys never end; they are read where that can be stopped.
            with unpacked("lines", plain, path, kind, progress) as made:
                return _columns(_scan("Arrow", made.table), kind, wanted, path)
    except (pl.exceptions.PolarsError, OSError, RuntimeError) as error:
        why = (str(error).splitlines() or [type(error).__name__])[0][:200]
        raise LogError(Say.UNREADABLE(path=path, kind=kind, reason=why)) from error


@contextmanager
def _without_backtraces() -> Iterator[None]:
    """Keep the parser's own panics off the terminal: the user is told in one sentence of ours."""
    kept = os.dup(2)
    with open(os.devnull, "wb") as nowhere:
        os.dup2(nowhere.fileno(), 2)
    try:
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)


def _columns(scan: pl.LazyFrame, kind: str, wanted: Wanted, path: Path) -> RawColumns:
    import polars as pl

    schema = scan.collect_schema()
    names = [
        n
        for n, t in schema.items()
        if t.is_numeric() or t.is_temporal() or t in (pl.Boolean, pl.String)
    ]
    if len(schema) > MOST_COLUMNS:
        raise LogError(Say.TOO_MANY_COLUMNS(path=path, width=len(schema), most=MOST_COLUMNS))
    first = scan.head(SAMPLE_ROWS).select(names).collect()
    if not names or first.height == 0:
        raise LogError(Say.NO_ROWS(path=path))
    if (long := _long_form(scan, first, wanted, path)) is not None:
        return long
    columns = tuple(Column(i, *split_unit(n)) for i, n in enumerate(names))
    keep = wanted(columns)
    rows = int(scan.select(pl.len()).collect().item())
    if rows * len(keep) > MOST_VALUES:
        raise LogError(Say.TOO_MANY(path=path, most=MOST_VALUES))
    whole = scan.select([names[i] for i in sorted(keep)]).collect()
    unread: dict[int, Unread] = {}
    values: dict[int, Floats] = {}
    for i in keep:
        values[i], odd = _plain_numbers(whole[names[i]])
        if odd.cells:
            unread[i] = odd
    samples = {i: _plain_numbers(first[n])[0] for i, n in enumerate(names) if i not in keep}
    return RawColumns(columns, values, kind, samples=samples, unread=unread)


def _long_form(
    scan: pl.LazyFrame, first: pl.DataFrame, wanted: Wanted, path: Path
) -> RawColumns | None:
    """Columns by name where a row is one reading: a column of channels' names, a time and a value."""
    import polars as pl

    texts = [n for n in first.columns if first[n].dtype == pl.String]
    clock = next((n for n in first.columns if is_time(split_unit(n)[0])), None)
    if len(first.columns) > MOST_LONG_COLUMNS or clock is None:
        return None
    for name in texts:
        kinds = first[name].drop_nulls().unique().to_list()
        roles = {r for k in kinds if (r := role_of(k)) is not None}
        others = [
            n for n in first.columns if n not in (name, clock) and first[n].dtype.is_numeric()
        ]
        if len(roles) >= 2 and others and len(kinds) * 2 <= first.height:
            whole = scan.select([name, clock, others[0]]).collect()
            time = seconds_from(_plain_numbers(whole[clock])[0], split_unit(clock)[1])
            return split_by_name(whole[name], time, whole[others[0]], None, wanted, (), path)
    return None


def _plain_numbers(series: pl.Series) -> tuple[Floats, Unread]:
    """Numbers as float64; times of any kind as seconds; text as its cells say."""
    import polars as pl

    if series.dtype == pl.String:
        cells = series.drop_nulls().head(400).to_list()
        way = way_of(cells, marks_of(cells) or ".")
        return numbers_of(series, way)
    if series.dtype in (pl.Datetime, pl.Duration):
        # Cast first: files hold milli-, micro- and nanoseconds, as plain integers all alike.
        series = series.dt.cast_time_unit("ns").cast(pl.Int64) / 1e9
    elif series.dtype == pl.Time:
        series = series.cast(pl.Int64) / 1e9
    elif series.dtype == pl.Date:
        series = series.cast(pl.Int32) * 86400
    numbers = series.cast(pl.Float64).fill_null(float("nan")).to_numpy()
    return numbers, Unread(0, len(numbers), "")


def columnar(kind: str) -> Callable[[Source, Wanted, ReadOptions, Progress | None], RawColumns]:
    """The reader of one kind.

    Parameters
    ----------
    kind : as in ``read_columnar``.

    Returns
    -------
    A reader for the registry.
    """
    return partial(read_columnar, kind)
