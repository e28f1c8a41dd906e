"""How tables and logs are stored in the job file: JSON for tables, Parquet for logs."""

from __future__ import annotations

import io
import json
from collections.abc import Iterable
from functools import lru_cache

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.job.records import Mark, StoredLog


class Say:
    """Sentences of this module."""

    SAMPLE_COUNT = Message(
        "blobs.sample_count", "the log {name!r} has {size} samples; allowed are 2 to {most}"
    )
    COLUMN_COUNT = Message(
        "blobs.column_count",
        "the log {name!r} has {width} columns or no time; allowed are up to {most}",
    )
    OWN_UNIT = Message(
        "blobs.own_unit",
        "a table counts in {unit!r} of scale {scale:g} and offset {offset:g}, which cannot be",
    )


UPDATE = "new:"
JOINT = "joint"
MOST_AXES = 512
"""Axes that are remembered."""
MOST_SAMPLES = 100_000_000
"""Samples of one log: eleven days at 100 Hz."""
MOST_CHANNELS = 2 * len(Role) + 2


def table_row(table: Table) -> tuple[str, str, str, str]:
    """Name, unit, axes and cells as text.

    Parameters
    ----------
    table : a grid or a curve.

    Returns
    -------
    Four texts, axes and cells as JSON.
    """
    axes: list[dict[str, object]] = [
        {"name": a.name, "unit": a.unit, "points": a.points.tolist()} for a in table.axes
    ]
    # Beside the axes, because it belongs to how numbers are read; most tables have none.
    for stored, axis in zip(axes, table.axes, strict=True):
        if axis.own is not None:
            stored["own"] = [axis.own.unit, axis.own.scale, axis.own.offset]
    if table.own is not None:
        axes[0]["cells_own"] = [table.own.unit, table.own.scale, table.own.offset]
    return table.name, table.unit, json.dumps(axes), json.dumps(table.values.ravel().tolist())


def table_from_row(name: str, unit: str, axes: str, cells: str) -> Table:
    """The inverse of ``table_row``.

    Parameters
    ----------
    name, unit, axes, cells : as ``table_row`` makes them, perhaps damaged.

    Returns
    -------
    The table.
    """
    built, own = _axes_of(axes)
    shape = tuple(len(a) for a in built)
    return Table(built, np.array(json.loads(cells), float).reshape(shape), unit, name, own)


@lru_cache(maxsize=MOST_AXES)
def _axes_of(text: str) -> tuple[tuple[Axis, ...], OwnUnit | None]:
    """Axes, and in what the cells count; tables of one shape share them, which makes comparing them quick."""
    stored = json.loads(text)
    built = tuple(
        Axis(a["name"], a["unit"], np.array(a["points"], float), _own(a.get("own"))) for a in stored
    )
    return built, _own(stored[0].get("cells_own"))


def _own(stored: list[object] | None) -> OwnUnit | None:
    if stored is None:
        return None
    unit, scale, offset = stored
    factor = float(str(scale))
    shift = float(str(offset))
    # Anything else would turn numbers round or to nothing.
    if not (0.0 < factor < np.inf and abs(shift) < np.inf):
        raise BadInputError(Say.OWN_UNIT(unit=unit, scale=factor, offset=shift))
    return OwnUnit(str(unit), factor, shift)


def log_to_parquet(log: Log) -> bytes:
    """A log as Parquet bytes.

    Columns are named by role, update marks "new:" and role, joints are rows of "joint".

    Parameters
    ----------
    log : a log.

    Returns
    -------
    The bytes.
    """
    import polars as pl

    buffer = io.BytesIO()
    columns: dict[str, object] = {
        "time_s": log.time_s,
        **{str(r): v for r, v in log.channels.items()},
    }
    columns |= {f"{UPDATE}{r}": m for r, m in log.updates.items()}
    if log.joints_s:
        columns[JOINT] = np.isin(np.arange(len(log)), np.searchsorted(log.time_s, log.joints_s))
    pl.DataFrame(columns).write_parquet(buffer)
    return buffer.getvalue()


def store_log(log: Log, sha256: str = "", bookmarks: Iterable[tuple[float, str]] = ()) -> StoredLog:
    """Encode a log for the job file; slow enough to be done off the window's thread.

    Parameters
    ----------
    log : a log.
    sha256 : of the file it came from, "" if there was none.
    bookmarks : set while it was recorded: time on its own base, s, and text.

    Returns
    -------
    The log with its bytes.
    """
    first, last = float(log.time_s[0]), float(log.time_s[-1])
    # A danger may have begun before the first reading all channels share.
    marks = (Mark(round(min(max(t, first), last), 3), text) for t, text in bookmarks)
    return StoredLog(log, log_to_parquet(log), sha256, tuple(marks))


def log_from_parquet(data: bytes, name: str) -> Log:
    """The inverse of ``log_to_parquet``.

    Parameters
    ----------
    data : as ``log_to_parquet`` makes it, perhaps damaged.
    name : of the log.

    Returns
    -------
    The log.

    Raises
    ------
    BadInputError
        If the bytes hold no log, or more than any log may have.
    """
    import polars as pl

    # The count stands in the footer: a few bytes can unpack to more than there is memory.
    size = pl.scan_parquet(io.BytesIO(data)).select(pl.len()).collect().item()
    if not 2 <= size <= MOST_SAMPLES:
        raise BadInputError(Say.SAMPLE_COUNT(name=name, size=size, most=MOST_SAMPLES))
    frame = pl.read_parquet(io.BytesIO(data))
    if frame.width > MOST_CHANNELS or "time_s" not in frame.columns:
        raise BadInputError(Say.COLUMN_COUNT(name=name, width=frame.width, most=MOST_CHANNELS))
    time = frame["time_s"].cast(pl.Float64).to_numpy()
    # Channels of a later version are left alone instead of refusing the log.
    known = {str(r) for r in Role}
    channels = {Role(c): frame[c].cast(pl.Float64).to_numpy() for c in frame.columns if c in known}
    marked = [c for c in frame.columns if c.startswith(UPDATE) and c.removeprefix(UPDATE) in known]
    updates = {Role(c.removeprefix(UPDATE)): frame[c].cast(pl.Boolean).to_numpy() for c in marked}
    joints = (
        tuple(time[frame[JOINT].cast(pl.Boolean).to_numpy()].tolist())
        if JOINT in frame.columns
        else ()
    )
    return Log(time, channels, name, joints, updates)
