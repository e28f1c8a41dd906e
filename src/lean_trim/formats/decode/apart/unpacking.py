"""A child that turns a workbook into text, or JSON lines into Arrow, within limits of memory, time and size.

A few bytes of such a file can stand for a sheet of 549 GB, or for lines that never end. What is
read goes into a folder of the parent's. Imports little, for the user waits.
"""

from __future__ import annotations

import datetime
import json
import os
import resource
import sys
from collections.abc import Iterable, Sequence
from pathlib import Path

MEMORY_BYTES = 2 << 30
"""What reading may take as address space, and so many times the file's size:"""
MEMORY_PER_BYTE = 8
WRITTEN_BYTES = 1 << 30
"""Most that is written of one file."""
INDEX = "index.json"
ARROW = "table.arrow"


def main() -> None:
    """What is to be done, the file, the folder that takes the result, and the processor's seconds."""
    task, path, folder, seconds = sys.argv[1:5]
    _limit(Path(path), int(seconds))
    try:
        {"names": _names, "sheets": _sheets, "lines": _lines}[task](Path(path), Path(folder))
    except MemoryError:
        _say("it needs more memory than a file of its size can need")
    # Libraries let out all kinds of errors on damaged files; every one is a file that cannot be
    # read.
    except BaseException as error:
        lines = str(error).splitlines()
        _say(lines[0][:200] if lines else type(error).__name__)
    sys.stdout.flush()
    os._exit(0)


def _say(reason: str) -> None:
    print(json.dumps({"failed": reason}))


def _limit(path: Path, seconds: int) -> None:
    most = MEMORY_BYTES + MEMORY_PER_BYTE * path.stat().st_size
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    resource.setrlimit(resource.RLIMIT_FSIZE, (WRITTEN_BYTES, WRITTEN_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))


def _names(path: Path, folder: Path) -> None:
    import python_calamine as calamine

    names = calamine.CalamineWorkbook.from_path(str(path)).sheet_names
    (folder / INDEX).write_text(json.dumps(list(names)))


def _sheets(path: Path, folder: Path) -> None:
    """Every sheet as lines of cells with tabs between."""
    import python_calamine as calamine

    book = calamine.CalamineWorkbook.from_path(str(path))
    for place, name in enumerate(book.sheet_names):
        with (folder / f"{place}.txt").open("w", encoding="utf-8", errors="replace") as text:
            text.writelines(_lines_of(book.get_sheet_by_name(name).iter_rows()))
    (folder / INDEX).write_text(json.dumps(list(book.sheet_names)))


def _lines_of(rows: Iterable[Sequence[object]]) -> Iterable[str]:
    for row in rows:
        yield "\t".join(map(text_of_cell, row)) + "\n"


def text_of_cell(value: object) -> str:
    """What a cell of a workbook shows, as text.

    Parameters
    ----------
    value : as the library gives it.

    Returns
    -------
    One line.
    """
    if isinstance(value, bool):
        return "1" if value else "0"
    if isinstance(value, float):
        return repr(value)
    if isinstance(value, datetime.datetime):
        return value.isoformat(sep=" ", timespec="microseconds")
    if isinstance(value, datetime.time):
        return value.isoformat(timespec="microseconds")
    if isinstance(value, datetime.timedelta):
        return repr(value.total_seconds())
    return " ".join(str(value).split())


def _lines(path: Path, folder: Path) -> None:
    """JSON lines as an Arrow file."""
    import polars as pl

    # All lines are looked at, for a channel may appear late or turn from whole numbers into others.
    pl.read_ndjson(path, infer_schema_length=None).write_ipc(folder / ARROW)


if __name__ == "__main__":
    main()
