"""Tables with a row per reading: time, name, value. Every name becomes a column with rows of its own."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import MOST_COLUMNS, Column, RawColumns, Unread, Wanted
from lean_trim.formats.decode.text.cells import Way, marks_of, numbers_of, way_of
from lean_trim.formats.meaning.names import is_time, split_unit
from lean_trim.formats.meaning.timebase import seconds_from, settle_time

if TYPE_CHECKING:
    import polars as pl

    from lean_trim.formats.decode.text.layout import Layout


class Say:
    """Sentences of this module."""

    NO_TIME = Message(
        "long_form.no_time",
        "{path}: a row per reading, but no column with the time of the readings",
    )
    TOO_MANY_NAMES = Message(
        "long_form.too_many_names", "{path}: {count} names of channels; allowed are up to {most}"
    )
    FORM = Message("long_form.form", "a row per reading: {count} channels with their own times")


class LongGatherer:
    """Turns three columns into one per name."""

    def __init__(self, wanted: Wanted) -> None:
        self.wanted = wanted

    def gathered(
        self,
        layout: Layout,
        pieces: dict[int, list[Floats]],
        texts: dict[int, pl.Series],
        notes: tuple[str, ...],
        path: Path,
    ) -> RawColumns:
        """Columns by name, each in a group of its own.

        Parameters
        ----------
        layout : with the long form told.
        pieces : numbers read so far, by column.
        texts : cells kept as text, by column.
        notes : what was already done.
        path : for messages.

        Returns
        -------
        One column a name.

        Raises
        ------
        LogError
            If no column is the time.
        """
        form = layout.long
        assert form is not None
        clock = next(
            (
                c
                for c in layout.columns
                if c.index not in (form.name, form.value) and is_time(c.name)
            ),
            None,
        )
        if clock is None:
            raise LogError(Say.NO_TIME(path=path))
        time = self._numbers(clock.index, pieces, texts, layout.ways[clock.index])
        time = seconds_from(time, clock.unit)
        values = texts.get(form.value)
        if values is None:
            import polars as pl

            values = pl.Series(np.concatenate(pieces[form.value]))
        units = texts.get(form.unit) if form.unit is not None else None
        return split_by_name(texts[form.name], time, values, units, self.wanted, notes, path)

    def _numbers(
        self, i: int, pieces: dict[int, list[Floats]], texts: dict[int, pl.Series], way: Way
    ) -> Floats:
        return numbers_of(texts[i], way)[0] if i in texts else np.concatenate(pieces[i])


def split_by_name(
    names: pl.Series,
    time_s: Floats,
    values: pl.Series,
    units: pl.Series | None,
    wanted: Wanted,
    notes: tuple[str, ...],
    path: Path,
) -> RawColumns:
    """One column per name, with the times of its own readings.

    Parameters
    ----------
    names : name of the channel in every row.
    time_s : s, one per row.
    values : numbers, or strings.
    units : unit text in every row, if there is such a column.
    wanted : which columns are kept.
    notes : to hand on.
    path : for messages.

    Returns
    -------
    Columns, each in a group of its own.
    """
    # Settled for all readings at once, for a clock that starts again does so for all channels.
    base = settle_time(time_s, path.name, spread=False)
    order = base.order.tolist()
    names = names[order]
    values = values[order]
    time_s = base.time_s
    units = units[order] if units is not None else None
    labels = names.str.strip_chars()
    kinds = [k for k in labels.unique(maintain_order=True).to_list() if k]
    if len(kinds) > MOST_COLUMNS:
        raise LogError(Say.TOO_MANY_NAMES(path=path, count=len(kinds), most=MOST_COLUMNS))
    columns = []
    rows = {}
    for i, kind in enumerate(kinds):
        rows[i] = np.flatnonzero((labels == kind).fill_null(False).to_numpy())
        name, unit = split_unit(kind)
        said = units[int(rows[i][0])] if units is not None else None
        columns.append(Column(i, name, (said or "").strip() or unit, i))
    keep = wanted(columns)
    out: dict[int, Floats] = {}
    samples: dict[int, Floats] = {}
    unread: dict[int, Unread] = {}
    for i, at in rows.items():
        cells = values[at if i in keep else at[:400]]
        if cells.dtype.is_numeric():
            numbers = cells.cast(float).fill_null(float("nan")).to_numpy()
        else:
            texts = cells.fill_null("").to_list()[:400]
            numbers, odd = numbers_of(cells, _as_cells(way_of(texts, marks_of(texts) or ".")))
            if odd.cells:
                unread[i] = odd
        (out if i in keep else samples)[i] = numbers
    times = {i: time_s[rows[i]] for i in keep}
    said_so = str(Say.FORM(count=len(columns)))
    return RawColumns(
        columns=tuple(columns),
        values=out,
        kind="text",
        times=times,
        samples=samples,
        unread=unread,
        notes=(*notes, *base.notes, said_so),
        joints_s=base.joints_s,
    )


def _as_cells(way: Way) -> Way:
    return (
        Way("cells", way.decimal, way.thousands, way.suffix)
        if way.kind in ("number", "text")
        else way
    )
