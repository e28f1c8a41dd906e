"""Sheets of workbooks (.xlsx, .ods), turned into text and read as such."""

from __future__ import annotations

import zipfile
from dataclasses import replace
from pathlib import Path

from lean_trim.core.errors import AskedError, LogError
from lean_trim.core.messages import Message
from lean_trim.formats.decode.columns import Progress, RawColumns, ReadOptions, Wanted
from lean_trim.formats.decode.containers import Source, broken_pack
from lean_trim.formats.decode.text.layout import HEAD_BYTES, sniff
from lean_trim.formats.decode.text.text_log import read_text_of


class Say:
    """Sentences of this module."""

    UNREADABLE = Message("workbook.unreadable", "{path}: cannot be read as a workbook ({reason})")
    WHICH_SHEET = Message(
        "workbook.which_sheet",
        "{path}: several sheets look like logs: {names}; name the one to read",
    )
    NO_SHEET = Message("workbook.no_sheet", "{path}: no sheet {name!r}; allowed are {names}")
    NO_LOG = Message(
        "workbook.no_log", "{path}: no sheet holds a table with a header and rows of numbers"
    )
    TOO_LARGE = Message(
        "workbook.too_large",
        "{path}: unpacks to {size:.0f} MB; allowed are {most:.0f} MB for a workbook",
    )
    READ_SHEET = Message("workbook.read_sheet", "read from sheet {name!r}")


MOST_SHEETS_BYTES = 300 << 20
"""Unpacked size of a workbook that is still read: a sheet holds at most a million rows."""


def read_workbook(
    source: Source, wanted: Wanted, options: ReadOptions, progress: Progress | None
) -> RawColumns:
    """The one sheet of a workbook that holds a log, or the one that was named.

    Parameters
    ----------
    source : an opened workbook.
    wanted : tells which columns are read whole.
    options : names the sheet.
    progress : called with the share read; returning False cancels.

    Returns
    -------
    Columns as they stand in the sheet.

    Raises
    ------
    LogError
        If the file is damaged, no sheet holds a log or several do.
    """
    from lean_trim.formats.decode.apart.limited import unpacked

    path = source.path
    with source.as_path() as plain:
        refuse_bombs(plain, path)
        with unpacked("sheets", plain, path, "a workbook", progress) as book:
            names = book.names
            if options.sheet and options.sheet not in names:
                raise LogError(Say.NO_SHEET(path=path, name=options.sheet, names=", ".join(names)))
            texts = {n: book.text(n) for n in names if options.sheet in ("", n)}
    logs = [n for n, text in texts.items() if options.sheet or _is_log(text)]
    if not logs:
        raise LogError(Say.NO_LOG(path=path))
    if len(logs) > 1:
        raise AskedError(Say.WHICH_SHEET(path=path, names=", ".join(logs)), "sheet", tuple(logs))
    columns = read_text_of(texts.pop(logs[0]).encode(), source, wanted, progress)
    note = (str(Say.READ_SHEET(name=logs[0])),) if len(names) > 1 else ()
    return replace(columns, kind="workbook", notes=(*note, *columns.notes))


def refuse_bombs(plain: Path, path: Path) -> None:
    """Refuse a workbook that unpacks to more than any holds.

    Raises LogError if it does.
    """
    try:
        with zipfile.ZipFile(plain) as archive:
            size = sum(i.file_size for i in archive.infolist())
    except broken_pack() as error:
        raise LogError(Say.UNREADABLE(path=path, reason=error)) from error
    if size > MOST_SHEETS_BYTES:
        raise LogError(Say.TOO_LARGE(path=path, size=size / 1e6, most=MOST_SHEETS_BYTES / 1e6))


def _is_log(text: str) -> bool:
    try:
        sniff(text[:HEAD_BYTES], "", len(text) < HEAD_BYTES)
    except LogError:
        return False
    return True
