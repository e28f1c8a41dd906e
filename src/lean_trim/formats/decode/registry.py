"""The log readers: a new kind of file is a module of this package and a line in ``READERS``."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from lean_trim.formats.decode.apart.parent import read_apart
from lean_trim.formats.decode.columnar import columnar
from lean_trim.formats.decode.columns import Progress, RawColumns, ReadOptions, Wanted
from lean_trim.formats.decode.containers import Source
from lean_trim.formats.decode.recorded import KIND, read_recorded
from lean_trim.formats.decode.text.text_log import read_text
from lean_trim.formats.decode.workbook import read_workbook
from lean_trim.formats.recording.frames import FIRST_LINE


@dataclass(frozen=True)
class Reader:
    """One kind of log file.

    Attributes
    ----------
    kind : for people.
    recognises : judges the first bytes of a file, never its name.
    read : opened file, which columns are wanted whole, what the user said of the file, progress →
        columns.
    """

    kind: str
    recognises: Callable[[bytes], bool]
    read: Callable[[Source, Wanted, ReadOptions, Progress | None], RawColumns]


CANDUMP = re.compile(rb"\s*\(\d+\.\d+\)\s+\S+\s+[0-9A-Fa-f]+#")
BINARY_WITHIN = 16
CONTROL = re.compile(rb"[\x00-\x08\x0e-\x1f]")
"""What stands in no text."""
ASC = re.compile(rb"date \w+ \w+|;\$FILEVERSION|;\s*Start time|base (hex|dec)")


def _starts(*marks: bytes) -> Callable[[bytes], bool]:
    return lambda head: head.startswith(marks)


def _starts_binary(mark: bytes) -> Callable[[bytes], bool]:
    """Begins with letters that a heading may begin with as well: LOGGING TIME, PAR1; no text goes on so."""
    behind = slice(len(mark), len(mark) + BINARY_WITHIN)
    return lambda head: head.startswith(mark) and bool(CONTROL.search(head[behind]))


def _apart(kind: str) -> Callable[[Source, Wanted, ReadOptions, Progress | None], RawColumns]:
    return partial(read_apart, kind)


BLF = _starts_binary(b"LOGG")
"""The binary log of frames begins with its name and the size of its header."""


def _is_trace(head: bytes) -> bool:
    return BLF(head) or bool(CANDUMP.match(head) or ASC.match(head))


READERS: tuple[Reader, ...] = (
    Reader(KIND, _starts(FIRST_LINE), read_recorded),
    Reader("MDF", _starts(b"MDF     ", b"UnFinMF "), _apart("MDF")),
    Reader("Parquet", _starts_binary(b"PAR1"), columnar("Parquet")),
    Reader("Arrow", _starts_binary(b"ARROW1"), columnar("Arrow")),
    Reader("Arrow stream", _starts(b"\xff\xff\xff\xff"), columnar("Arrow stream")),
    Reader("MATLAB", _starts(b"MATLAB 5.0", b"MATLAB 7.3"), _apart("MATLAB")),
    Reader("workbook", _starts(b"PK\x03\x04"), read_workbook),
    Reader("CAN trace", _is_trace, _apart("CAN trace")),
    Reader("JSON lines", lambda head: head.lstrip().startswith(b"{"), columnar("JSON lines")),
    Reader("text", lambda head: True, read_text),
)
"""Asked in this order; text takes what no other kind recognises, and refuses what it cannot read in
words."""


def reader_for(head: bytes) -> Reader:
    """Tell the kind of a file.

    Parameters
    ----------
    head : its first bytes, unpacked.

    Returns
    -------
    The first reader that recognises it.
    """
    return next(reader for reader in READERS if reader.recognises(head))
