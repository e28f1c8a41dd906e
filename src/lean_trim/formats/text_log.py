"""Delimited text logs: find the header, the separators and the columns, and read them fast."""

from __future__ import annotations

import csv
import gzip
import io
import re
import zlib
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..core.errors import LogError
from ..core.physics import Floats
from .recognise import Column, split_unit

NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?")
CLOCK = re.compile(r"(\d{4}-\d\d-\d\d[ T])?\d{1,2}:\d{2}(:\d{2}([.,]\d+)?)?")
BLANKS = ("", "nan", "na", "null", "none", "-", "inf", "-inf", "n/a")
SNIFF_LINES = 120
MAX_COLUMNS = 5000


@dataclass(frozen=True)
class Layout:
    """How a text log is laid out: where data start (byte offset), how fields are separated, what they are called."""

    data_offset: int
    delimiter: str
    decimal_comma: bool
    columns: tuple[Column, ...]
    encoding: str


@dataclass(frozen=True, eq=False)
class RawColumns:
    """Columns as read: float arrays of one length, NaN where a cell held no number."""

    columns: tuple[Column, ...]
    values: tuple[Floats, ...]


def read_bytes(path: Path) -> bytes:
    """The file's bytes, unpacked if it is gzip (told by its first bytes, not by its name)."""
    try:
        raw = path.read_bytes()
        if raw[:2] == b"\x1f\x8b":
            raw = gzip.decompress(raw)
    except OSError as error:
        raise LogError(f"{path}: cannot be read ({error.strerror or error})") from error
    except (EOFError, zlib.error) as error:
        raise LogError(f"{path}: the packed file is damaged ({error})") from error
    return raw


def sniff(raw: bytes, source: str) -> Layout:
    """Find header, units row, separators and encoding.

    Raises
    ------
    LogError
        If the bytes are not a text table with a header and at least one row of numbers.
    """
    if not raw.strip():
        raise LogError(f"{source}: the file is empty; a header and rows of numbers are needed")
    head = raw[: 1 << 18]
    if b"\x00" in head and not head.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise LogError(f"{source}: this is a binary file, not a text log")
    encoding = _encoding(head)
    start = 3 if head.startswith(b"\xef\xbb\xbf") else 0
    lines = head[start:].split(b"\n")[: SNIFF_LINES + 1]
    texts = [line.decode(encoding, "replace").rstrip("\r") for line in lines[:SNIFF_LINES]]
    delimiter = _delimiter(texts, source)
    rows = [next(csv.reader([t], delimiter=delimiter), []) for t in texts]
    header = _header(rows, source)
    first = header + 1
    units = [""] * len(rows[header])
    if first < len(rows) and not _numeric_row(rows[first]) and len(rows[first]) == len(rows[header]):
        units, first = [u.strip() for u in rows[first]], first + 1
    columns = []
    for i, cell in enumerate(rows[header]):
        name, unit = split_unit(cell)
        columns.append(Column(i, name, units[i] or unit))
    offset = start + sum(len(line) + 1 for line in lines[:first])
    sample = [c for r in rows[first : first + 20] for c in r]
    comma = delimiter != "," and any(re.fullmatch(r"\s*[+-]?\d+,\d+\s*", c) for c in sample)
    return Layout(offset, delimiter, comma, tuple(columns), encoding)


def _encoding(head: bytes) -> str:
    for end in range(len(head), max(len(head) - 4, 0), -1):
        try:
            head[:end].decode("utf-8")
            return "utf-8"
        except UnicodeDecodeError:
            continue
    return "latin-1"


def _numeric_row(cells: list[str]) -> bool:
    filled = [c.strip() for c in cells if c.strip().lower() not in BLANKS]
    numbers = sum(bool(NUMBER.fullmatch(c) or CLOCK.fullmatch(c)) for c in filled)
    return bool(filled) and numbers >= 0.6 * len(filled)


def _delimiter(texts: list[str], source: str) -> str:
    best, width = "", 1
    for delimiter in (";", "\t", ","):
        counts = [t.count(delimiter) + 1 for t in texts if t.strip()]
        common = max(set(counts), key=counts.count, default=1)
        if common > width and (not best or common > 1.5 * width):
            best, width = delimiter, common
    if not best:
        raise LogError(f"{source}: no columns found; allowed are comma, semicolon or tab between them")
    if width > MAX_COLUMNS:
        raise LogError(f"{source}: {width} columns; allowed are up to {MAX_COLUMNS}")
    return best


def _header(rows: list[list[str]], source: str) -> int:
    for i, row in enumerate(rows[:-1]):
        if len(row) < 2 or _numeric_row(row) or sum(bool(c.strip()) for c in row) < 2:
            continue
        for after in rows[i + 1 : i + 3]:
            if abs(len(after) - len(row)) <= 1 and _numeric_row(after):
                return i
    if any(_numeric_row(r) for r in rows):
        raise LogError(f"{source}: rows of numbers but no header; the first row must name the columns")
    raise LogError(f"{source}: a header but no row of numbers below it; nothing was logged")


def read_columns(raw: bytes, layout: Layout, source: str) -> RawColumns:
    """Read every column as numbers; clock times become seconds of the day."""
    import polars as pl

    body = raw[layout.data_offset :]
    names = [f"c{c.index}" for c in layout.columns]
    try:
        frame = pl.read_csv(
            io.BytesIO(body),
            has_header=False,
            new_columns=names,
            separator=layout.delimiter,
            infer_schema=False,
            truncate_ragged_lines=True,
            ignore_errors=True,
            encoding="utf8-lossy",
            quote_char='"',
        )
    except pl.exceptions.PolarsError as error:
        raise LogError(f"{source}: cannot be read as a table ({str(error).splitlines()[0]})") from error
    values = tuple(_numbers(frame[name] if name in frame.columns else None, layout, frame.height) for name in names)
    if not values or frame.height == 0:
        raise LogError(f"{source}: a header but no rows; nothing was logged")
    return RawColumns(layout.columns, values)


def _numbers(series: object, layout: Layout, height: int) -> Floats:
    import polars as pl

    if not isinstance(series, pl.Series):
        return np.full(height, np.nan)
    text = series.str.strip_chars()
    if layout.decimal_comma:
        text = text.str.replace(",", ".", literal=True)
    first = next((v for v in text.head(50) if v), "")
    if ":" in first and CLOCK.fullmatch(first):
        return _clock_seconds(text.to_list())
    lowered = text.cast(pl.Float64, strict=False)
    if lowered.null_count() > 0.5 * height and {"on", "off", "true", "false", "yes", "no"} & set(
        text.head(200).str.to_lowercase()
    ):
        flags = text.str.to_lowercase()
        return flags.is_in(["on", "true", "yes", "1"]).cast(pl.Float64).to_numpy().astype(float)
    return np.array(lowered.fill_null(float("nan")).to_numpy(), float)


def _clock_seconds(texts: list[str | None]) -> Floats:
    out = np.full(len(texts), np.nan)
    for i, text in enumerate(texts):
        if text and CLOCK.fullmatch(text):
            parts = [float(p.replace(",", ".")) for p in re.split("[ T]", text)[-1].split(":")]
            out[i] = sum(p * s for p, s in zip(parts, (3600.0, 60.0, 1.0), strict=False))
    days = np.cumsum(np.diff(out, prepend=out[:1]) < -43200.0)
    return out + 86400.0 * days
