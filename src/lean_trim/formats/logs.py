"""Open a log file of any known kind, and write logs."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import AskedError, LeanTrimError, LogError
from lean_trim.core.messages import Message
from lean_trim.formats.decode.columns import Progress, RawColumns, ReadOptions
from lean_trim.formats.decode.containers import opened
from lean_trim.formats.decode.registry import reader_for
from lean_trim.formats.meaning.channel_map import MappedLog, map_channels, wanted_columns
from lean_trim.formats.meaning.choices import Choices, ColumnChoice, shape_of
from lean_trim.formats.meaning.names import split_unit


class Say:
    """Sentences of this module."""

    READER_FAILED = Message(
        "logs.reader_failed",
        "{path}: cannot be read as {reader}; the file is damaged ({kind}: {reason})",
    )
    NOT_UNDERSTOOD = Message(
        "logs.not_understood",
        "{path}: its columns make no sense together; the file is damaged ({kind}: {reason})",
    )
    UNREADABLE = Message("logs.unreadable", "{path}: cannot be read ({cause})")


@dataclass(frozen=True, eq=False)
class OpenedLog:
    """A log with what was understood of it and the hash of the file's bytes."""

    mapped: MappedLog
    sha256: str

    @property
    def log(self) -> Log:
        """The log itself."""
        return self.mapped.log

    @property
    def warnings(self) -> tuple[str, ...]:
        """What was inferred and what is doubtful, as sentences."""
        return (*self.mapped.notes, *self.mapped.doubts)


def read_raw(
    path: Path,
    choices: Choices | None = None,
    progress: Progress | None = None,
    options: ReadOptions | None = None,
) -> RawColumns:
    """Read the columns that may play a role, and the first readings of the others.

    Its kind is told by its first bytes, not by its name.

    Parameters
    ----------
    path : a log file of any known kind.
    choices : the user's word on columns.
    progress : called with the share read; returning False cancels.
    options : what the user says about the file itself.

    Returns
    -------
    Columns as they stand in the file.

    Raises
    ------
    LogError
        Naming the file and what is wrong, in one sentence.
    """
    kind = "a log"
    try:
        with opened(path) as source:
            reader = reader_for(source.head)
            kind = reader.kind
            wanted = partial(wanted_columns, choices=choices)
            return reader.read(source, wanted, options or ReadOptions(), progress)
    except OSError as error:
        raise LogError(Say.UNREADABLE(path=path, cause=error.strerror or error)) from error
    except (LeanTrimError, KeyboardInterrupt, SystemExit):
        raise
    # A damaged file can make a compiled reader panic, which is no Exception; the user still gets a
    # sentence.
    except BaseException as error:
        why = (str(error).splitlines() or [""])[0][:200]
        raise LogError(
            Say.READER_FAILED(path=path, reader=kind, kind=type(error).__name__, reason=why)
        ) from error


def hash_file(path: Path) -> str:
    """SHA-256 of a file's bytes, as hexadecimal text.

    Returns 64 hexadecimal digits. Raises LogError if it cannot be read.
    """
    try:
        with path.open("rb") as f:
            return hashlib.file_digest(f, "sha256").hexdigest()
    except OSError as error:
        raise LogError(Say.UNREADABLE(path=path, cause=error.strerror or error)) from error


def open_log(
    path: Path,
    stoich_afr: float,
    choices: Choices | None = None,
    progress: Progress | None = None,
    hashed: bool = True,
    vehicle: Vehicle | None = None,
    options: ReadOptions | None = None,
) -> OpenedLog:
    """Read and understand a log. ``progress`` is called with the share read; returning False cancels.

    Parameters
    ----------
    path : a log file of any known kind.
    stoich_afr : of the vehicle's fuel, for logs that hold AFR.
    choices : the user's word on columns, units and banks.
    progress : called with the share read; returning False cancels.
    hashed : whether the file's hash is wanted, which takes a third as long again as reading it.
    vehicle : whose log it is; what its columns mean is then proved by the engine's physics.
    options : what the user says about the file itself.

    Returns
    -------
    The log, and what was understood, inferred and doubted.

    Raises
    ------
    LogError
        Naming the file and what is wrong, in one sentence.
    """
    choices = _with_position(choices, vehicle)
    raw = read_raw(path, choices, progress, options)
    try:
        mapped = map_channels(raw, path.name, stoich_afr, choices, vehicle)
    except AskedError as error:
        error.shape = shape_of(raw.columns)
        raise
    except LeanTrimError:
        raise
    # Damage can make numbers of a kind nothing was written for; the user still gets a sentence.
    except Exception as error:
        why = (str(error).splitlines() or [""])[0][:200]
        kind = type(error).__name__
        raise LogError(Say.NOT_UNDERSTOOD(path=path, kind=kind, reason=why)) from error
    return OpenedLog(mapped, hash_file(path) if hashed else "")


def _with_position(choices: Choices | None, vehicle: Vehicle | None) -> Choices | None:
    """The user's word, and the sheet's on the column that holds where cam or flap are.

    No name is guessed: engines have several cams, and of most cars none of them matters here.
    """
    if vehicle is None or vehicle.layered is None:
        return choices
    said = choices or Choices()
    if any(word.role is Role.TABLE_POSITION for word in said.columns.values()):
        return choices
    channel = vehicle.layered.channel
    # The sheet may name it with its unit, as it stands in the log, or without.
    named = (channel, split_unit(channel)[0], LABELS[Role.TABLE_POSITION][0])
    told = {name: ColumnChoice(Role.TABLE_POSITION) for name in named if name}
    return replace(said, columns={**told, **said.columns})


LABEL_ROLES = {label: role for role, (label, _) in LABELS.items()}


def header_lines(roles: Iterable[Role]) -> str:
    """The row of names and the row of units that ``write_log_csv`` begins with.

    Parameters
    ----------
    roles : channels in the order of the columns.

    Returns
    -------
    Two lines with their ends.
    """
    roles = list(roles)
    names = ",".join(["Time", *(LABELS[r][0] for r in roles)])
    return f"{names}\n{','.join(['s', *(LABELS[r][1] for r in roles)])}\n"


def row_lines(log: Log) -> str:
    """The rows of a log as CSV, at most four decimals.

    Parameters
    ----------
    log : a log, or a piece of one.

    Returns
    -------
    One line per sample with its end.
    """
    data = np.column_stack([log.time_s, *log.channels.values()])
    return "".join(
        ",".join(f"{v:.4f}".rstrip("0").rstrip(".") for v in row) + "\n" for row in data.tolist()
    )


def parse_rows(roles: Sequence[Role], lines: Sequence[str], name: str) -> Log:
    """The inverse of ``row_lines``.

    Parameters
    ----------
    roles : channels in the order of the columns, without the time.
    lines : as ``row_lines`` writes them.
    name : of the log.

    Returns
    -------
    The log.
    """
    data = np.array([line.split(",") for line in lines], float)
    return Log(data[:, 0], {r: data[:, i] for i, r in enumerate(roles, 1)}, name)


def write_log_csv(log: Log, path: Path) -> None:
    """Write a log as CSV with a row of names and a row of units.

    Parameters
    ----------
    log : a log.
    path : replaced if it exists.
    """
    import polars as pl

    roles = list(log.channels)
    with path.open("wb") as f:
        f.write(header_lines(roles).encode())
        frame = pl.DataFrame(
            {"time": np.round(log.time_s, 4)} | {str(r): np.round(log[r], 4) for r in roles}
        )
        frame.fill_nan(None).write_csv(f, include_header=False)
