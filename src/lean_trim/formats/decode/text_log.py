"""Read delimited text logs, plain or packed with gzip or zstd, as fast as the machine can parse them."""

from __future__ import annotations

import gzip
import io
import re
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO, cast

import numpy as np

from lean_trim.core.errors import CancelledError, LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import SAMPLE_ROWS, RawColumns, Wanted
from lean_trim.formats.decode.sniff import CLOCK, HEAD_BYTES, Layout, sniff

if TYPE_CHECKING:
    import polars as pl


class Say:
    """Sentences of this module."""

    LONG_LINE = Message("text_log.long_line", "a line longer than {most} bytes follows, so this is not a log")
    NO_ROWS = Message("text_log.no_rows", "{path}: a header but no rows; nothing was logged")
    DAMAGED_PACK = Message("text_log.damaged_pack", "{path}: the packed file is damaged ({reason})")
    CANCELLED = Message("text_log.cancelled", "opening {name} was cancelled; nothing was changed")
    UNREADABLE = Message("text_log.unreadable", "{path}: cannot be read as a table ({reason})")


Progress = Callable[[float], bool]
BLOCK_BYTES = 4 << 20
GZIP = b"\x1f\x8b"
ZSTD = b"\x28\xb5\x2f\xfd"
ON_WORDS = (
    "on",
    "true",
    "yes",
    "1",
    "active",
    "closed",
    "closed loop",
    "closed-loop",
    "cl",
    "ein",
    "ja",
    "oui",
    "sí",
    "si",
)
OFF_WORDS = (
    "off",
    "false",
    "no",
    "0",
    "inactive",
    "open",
    "open loop",
    "open-loop",
    "ol",
    "aus",
    "nein",
    "non",
)


def read_text(path: Path, wanted: Wanted, progress: Progress | None = None) -> RawColumns:
    """The wanted columns of a text log as numbers; clock times become seconds, states become 0 and 1.

    The file is unpacked and parsed in blocks, so that memory stays small and ``progress`` can stop it.

    Parameters
    ----------
    path : a text file, perhaps packed.
    wanted : tells which columns are read whole.
    progress : called with the share read; returning False cancels.

    Returns
    -------
    Columns as they stand in the file.

    Raises
    ------
    LogError
        In one sentence, naming the file.
    CancelledError
        If ``progress`` returned False.
    """
    size = max(path.stat().st_size, 1)
    with path.open("rb") as f:
        stream = _unpacked(f)
        try:
            head = stream.read(HEAD_BYTES)
            layout = sniff(head, str(path))
            reader = _BlockReader(layout, wanted(layout.columns), path)
            for block in _blocks(_after_lines(head, layout.skip_lines), stream):
                reader.add(block)
                # The place in the packed file, for how long the unpacked one is nobody knows beforehand.
                if progress is not None and not progress(min(1.0, f.tell() / size)):
                    raise CancelledError(Say.CANCELLED(name=path.name))
        except (EOFError, zlib.error, gzip.BadGzipFile, _zstd_error()) as error:
            raise LogError(Say.DAMAGED_PACK(path=path, reason=error)) from error
    return reader.finish()


def _unpacked(f: BinaryIO) -> BinaryIO:
    """The file itself, or what gzip or zstd packed in it; told by its first bytes."""
    magic = f.read(4)
    f.seek(0)
    if magic[:2] == GZIP:
        return cast(BinaryIO, gzip.GzipFile(fileobj=f))
    if magic == ZSTD:
        # Loaded only here: few logs are packed so, and a start must not pay for it.
        import zstandard

        return cast(BinaryIO, zstandard.ZstdDecompressor().stream_reader(f, read_across_frames=True))
    return f


def _zstd_error() -> type[Exception]:
    import zstandard

    return zstandard.ZstdError


def _after_lines(head: bytes, lines: int) -> bytes:
    at = 0
    for _ in range(lines):
        at = head.index(b"\n", at) + 1
    return head[at:]


def _blocks(start: bytes, stream: BinaryIO) -> Iterator[bytes]:
    """Blocks of whole lines; the last may lack its newline."""
    rest = start
    while True:
        fresh = stream.read(BLOCK_BYTES)
        data = rest + fresh
        # Only whole lines are parsed; what begins a line waits for its end.
        cut = data.rfind(b"\n") + 1 if fresh else len(data)
        if data[:cut]:
            yield data[:cut]
        rest = data[cut:]
        if not fresh:
            return
        # Without this a file with one endless line would be gathered in memory.
        if len(rest) > BLOCK_BYTES:
            raise LogError(Say.LONG_LINE(most=BLOCK_BYTES))


class _BlockReader:
    """Parses blocks and gathers the wanted columns."""

    def __init__(self, layout: Layout, keep: frozenset[int], path: Path) -> None:
        self.layout = layout
        self.path = path
        self.keep = sorted(keep)
        self.others = [c.index for c in layout.columns if c.index not in keep]
        self.pieces: dict[int, list[Floats]] = {i: [] for i in self.keep}
        self.samples: dict[int, Floats] = {}
        self.texts: dict[int, list[pl.Series]] = {}
        self.rows = 0

    def add(self, block: bytes) -> None:
        """Parse one block of whole lines."""
        # Other columns are looked at once, for the import sheet; nobody reads the rest.
        columns = self.keep if self.rows else [*self.keep, *self.others]
        frame = self._parse(block, columns)
        # A logger that lost power leaves half a row, and half a number is a wrong number.
        if not block.endswith(b"\n") and frame.height and self._cut_short(frame):
            frame = frame.head(frame.height - 1)
        self.samples = self.samples or {
            i: _numbers(frame[f"c{i}"].head(SAMPLE_ROWS), self.layout) for i in self.others
        }
        for i in self.keep:
            series = frame.drop_in_place(f"c{i}")
            if i in self.layout.text:
                self.texts.setdefault(i, []).append(series)
            else:
                # Copied, so that the parser's own memory comes free block by block.
                self.pieces[i].append(np.array(_numbers(series, self.layout)))
        self.rows += frame.height if not self.keep else len(series)

    def _parse(self, block: bytes, columns: list[int]) -> pl.DataFrame:
        import polars as pl

        types = {
            f"c{c.index}": pl.String if c.index in self.layout.text else pl.Float64
            for c in self.layout.columns
        }
        # Strict first; then odd bytes in notes must not lose the numbers beside them.
        for encoding in ("utf8", "utf8-lossy"):
            try:
                scan = pl.scan_csv(
                    io.BytesIO(block),
                    has_header=False,
                    separator=self.layout.delimiter,
                    schema=types,
                    ignore_errors=True,
                    truncate_ragged_lines=True,
                    decimal_comma=self.layout.decimal_comma,
                    encoding=encoding,
                )
                return scan.select([f"c{i}" for i in columns]).collect()
            except pl.exceptions.NoDataError:
                return pl.DataFrame(
                    {f"c{i}": [] for i in columns}, schema={f"c{i}": types[f"c{i}"] for i in columns}
                )
            except pl.exceptions.PolarsError as error:
                if encoding == "utf8-lossy":
                    why = str(error).splitlines()[0]
                    raise LogError(Say.UNREADABLE(path=self.path, reason=why)) from error
        raise AssertionError("unreachable")

    def _cut_short(self, frame: pl.DataFrame) -> bool:
        """True if the last row lacks its end: its last cells are missing although the row before had them."""
        if frame.height < 2 or frame.width < 2:
            return False
        last = frame.row(-1)
        before = frame.row(-2)
        return last[-1] is None and before[-1] is not None

    def finish(self) -> RawColumns:
        """All columns in one piece."""
        import polars as pl

        if self.rows == 0:
            raise LogError(Say.NO_ROWS(path=self.path))
        for i, parts in self.texts.items():
            self.pieces[i] = [_numbers(pl.concat(parts), self.layout)]
        values = {i: np.concatenate(self.pieces.pop(i)) for i in self.keep}
        return RawColumns(self.layout.columns, values, "text", samples=self.samples)


def _numbers(series: pl.Series, layout: Layout) -> Floats:
    import polars as pl

    if series.dtype == pl.Float64:
        if series.null_count():
            series = series.fill_null(float("nan"))
        return series.to_numpy()
    text = series.str.strip_chars().str.to_lowercase()
    if layout.decimal_comma:
        text = text.str.replace(",", ".", literal=True)
    first = next((v for v in text.head(50) if v), "")
    # Clock times before numbers: to a number parser they would be gaps.
    if ":" in first and CLOCK.fullmatch(first):
        return _clock_seconds(text.to_list())
    # Words become 0 and 1 only if every one is known; an unknown state is a gap, not a zero.
    words = set(text.head(2000).unique().to_list()) - {None}
    if words <= {*ON_WORDS, *OFF_WORDS}:
        return text.is_in(list(ON_WORDS)).cast(pl.Float64).fill_null(float("nan")).to_numpy(writable=True)
    return text.cast(pl.Float64, strict=False).fill_null(float("nan")).to_numpy(writable=True)


def _clock_seconds(texts: list[str | None]) -> Floats:
    """Seconds of the day, running on past midnight; NaN where a cell is no clock time."""
    out = np.full(len(texts), np.nan)
    for i, text in enumerate(texts):
        if text and CLOCK.fullmatch(text):
            parts = [float(p.replace(",", ".")) for p in re.split("[ Tt]", text)[-1].split(":")]
            out[i] = sum(p * s for p, s in zip(parts, (3600.0, 60.0, 1.0), strict=False))
    # Half a day back is midnight; less is a clock set back, which the time base sees to.
    known = np.where(np.isfinite(out), out, 0.0)
    return np.asarray(out + 86400.0 * np.cumsum(np.diff(known, prepend=known[:1]) < -43200.0))
