"""The log readers: a new kind of file is a module of this package and a line in ``READERS``."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from lean_trim.formats.decode.binary_log import read_columnar, read_mdf
from lean_trim.formats.decode.columns import RawColumns, Wanted
from lean_trim.formats.decode.text_log import Progress, read_text

HEAD_BYTES = 64
"""Bytes of a file by which its kind is told."""


@dataclass(frozen=True)
class Reader:
    """One kind of log file.

    Attributes
    ----------
    kind : for people.
    recognises : judges the first bytes of a file, never its name.
    read : path, which columns are wanted whole, progress → columns.
    """

    kind: str
    recognises: Callable[[bytes], bool]
    read: Callable[[Path, Wanted, Progress | None], RawColumns]


READERS: tuple[Reader, ...] = (
    Reader("MDF", lambda head: head.startswith(b"MDF     "), lambda path, wanted, _: read_mdf(path, wanted)),
    Reader(
        "Parquet",
        lambda head: head.startswith(b"PAR1"),
        lambda path, wanted, _: read_columnar(path, "Parquet", wanted),
    ),
    Reader(
        "Arrow",
        lambda head: head.startswith(b"ARROW1"),
        lambda path, wanted, _: read_columnar(path, "Arrow", wanted),
    ),
    Reader("text", lambda head: True, read_text),
)
"""Asked in this order; text takes what no other kind recognises, and refuses what it cannot read in words."""


def reader_for(head: bytes) -> Reader:
    """Tell the kind of a file.

    Parameters
    ----------
    head : its first ``HEAD_BYTES`` bytes, or all of a shorter file.

    Returns
    -------
    The first reader that recognises it.
    """
    return next(reader for reader in READERS if reader.recognises(head))
