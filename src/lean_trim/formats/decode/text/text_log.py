"""Read delimited text logs, as fast as the machine can parse them."""

from __future__ import annotations

import io
import re
import warnings
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO, cast

import numpy as np

from lean_trim.core.errors import CancelledError, LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import (
    MOST_VALUES,
    SAMPLE_ROWS,
    Progress,
    RawColumns,
    ReadOptions,
    Unread,
    Wanted,
)
from lean_trim.formats.decode.containers import Source, opened
from lean_trim.formats.decode.encodings import Utf8Stream, encoding_of
from lean_trim.formats.decode.long_form import LongGatherer
from lean_trim.formats.decode.text.cells import (
    is_filled,
    numbers_of,
    other_way,
    unread_cells,
    unread_of,
)
from lean_trim.formats.decode.text.layout import (
    BLANK_RUNS,
    HEAD_BYTES,
    WIDE_BLANKS,
    Layout,
    is_units_row,
    sniff,
)
from lean_trim.formats.meaning.names import legible_words

if TYPE_CHECKING:
    import polars as pl


class Say:
    """Sentences of this module."""

    LONG_LINE = Message(
        "text_log.long_line", "a line longer than {most} bytes follows, so this is not a log"
    )
    NO_ROWS = Message("text_log.no_rows", "{path}: a header but no rows; nothing was logged")
    CANCELLED = Message("text_log.cancelled", "opening {name} was cancelled; nothing was changed")
    UNREADABLE = Message("text_log.unreadable", "{path}: cannot be read as a table ({reason})")
    BINARY = Message(
        "text_log.binary",
        "{source}: this is a binary file of an unknown kind; allowed are text logs, MDF, Parquet, "
        "Arrow, workbooks, MATLAB files, JSON lines and CAN traces",
    )
    OTHER_TABLE = Message(
        "text_log.other_table",
        "{path}: another table begins further down ({names} …); allowed is one table a file. "
        "Split the file",
    )
    RAGGED = Message(
        "text_log.ragged",
        "{path}: {count} of {rows} rows have more cells than the header names columns; which cell "
        "belongs to which column cannot be told",
    )
    TOO_MANY = Message(
        "text_log.too_many",
        "{path}: more than {most:,} readings; allowed is up to that. Split the log, or leave "
        "channels out",
    )
    REPEATED_HEADER = Message(
        "text_log.repeated_header", "the header stands {count} times more among the rows"
    )
    ENCODING = Message("text_log.encoding", "read as {encoding} text")


BLOCK_BYTES = 10 << 20
MOST_LINE_BYTES = 4 << 20
READ_BYTES = 1 << 20
MOST_RAGGED = 0.001
MOST_PASSES = 3
"""The file as it seems, with its odd columns read otherwise, and once more for what that brought
up."""
EXAMPLES = 60


def read_text(
    source: Source, wanted: Wanted, options: ReadOptions, progress: Progress | None
) -> RawColumns:
    """The wanted columns of a text log as numbers; clock times become seconds, states become 0 and 1.

    The file is unpacked and parsed in blocks, so that memory stays small and ``progress`` can stop
    it. Cells that hold something else than a number are counted over the whole file; a column with
    many of them is read again another way.

    Parameters
    ----------
    source : an opened text file.
    wanted : tells which columns are read whole.
    options : not used here.
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

    def reopened() -> AbstractContextManager[Source]:
        return opened(source.path)

    return _passes(source, reopened, wanted, progress)


def read_text_of(
    data: bytes, source: Source, wanted: Wanted, progress: Progress | None
) -> RawColumns:
    """The same for text that is already in memory.

    Parameters
    ----------
    data : UTF-8.
    source : the file it came from.
    wanted : tells which columns are read whole.
    progress : called with the share read; returning False cancels.

    Returns
    -------
    Columns as they stand in the text.
    """

    def reopened() -> AbstractContextManager[Source]:
        return nullcontext(replace(source, stream=cast(BinaryIO, io.BytesIO(data))))

    with reopened() as first:
        return _passes(first, reopened, wanted, progress)


def _passes(
    source: Source,
    reopened: Callable[[], AbstractContextManager[Source]],
    wanted: Wanted,
    progress: Progress | None,
) -> RawColumns:
    head = read_head(source.stream)
    start = TextStart.of(head, source.path)
    layout = sniff(start.text, str(source.path), len(head) < HEAD_BYTES)
    reader = _read(source, head, start, layout, wanted, progress)
    for _ in range(MOST_PASSES - 1):
        again = reader.otherwise()
        if again is None:
            break
        with reopened() as fresh:
            reader = _read(fresh, read_head(fresh.stream), start, again, wanted, progress)
    return reader.finish(start)


def read_head(stream: BinaryIO) -> bytes:
    """The first megabyte, or all of a shorter file."""
    parts = []
    missing = HEAD_BYTES
    while missing and (data := stream.read(missing)):
        parts.append(data)
        missing -= len(data)
    return b"".join(parts)


@dataclass(frozen=True)
class TextStart:
    """The beginning of a text file: how it is encoded, and its first lines."""

    encoding: str
    mark: int
    text: str

    @staticmethod
    def of(head: bytes, path: Path) -> TextStart:
        """Settle the encoding.

        Raises
        ------
        LogError
            If the bytes are no text.
        """
        encoding, mark = encoding_of(head, legible_words)
        # No text log holds a zero byte; decoded, it would become columns of nonsense.
        if not encoding:
            raise LogError(Say.BINARY(source=path))
        whole = len(head) // 2 * 2 if encoding.startswith("utf-16") else len(head)
        return TextStart(encoding, mark, head[mark:whole].decode(encoding, "replace"))


def _read(
    source: Source,
    head: bytes,
    start: TextStart,
    layout: Layout,
    wanted: Wanted,
    progress: Progress | None,
) -> _BlockReader:
    reader = _BlockReader(layout, wanted, source.path)
    stream = source.stream
    begin = head[start.mark :]
    if start.encoding != "utf-8":
        joined = cast(BinaryIO, _Joined(begin, source.stream))
        stream = io.BufferedReader(Utf8Stream(joined, start.encoding), READ_BYTES)
        begin = b""
    share = 0.0
    for block in _ahead(_blocks(begin, stream, layout.skip_lines)):
        reader.add(block)
        # The file is read ahead in another thread, in whose midst its place may be an earlier one.
        share = max(share, source.share)
        if progress is not None and not progress(share):
            raise CancelledError(Say.CANCELLED(name=source.path.name))
    return reader


def _ahead(blocks: Iterator[bytes]) -> Iterator[bytes]:
    """The same blocks, the next one read (and unpacked) while one is parsed."""
    with ThreadPoolExecutor(max_workers=1, thread_name_prefix="read-ahead") as pool:
        following = pool.submit(next, blocks, None)
        while (block := following.result()) is not None:
            following = pool.submit(next, blocks, None)
            yield block


class _Joined:
    """Bytes in hand, then a stream."""

    def __init__(self, begin: bytes, rest: BinaryIO) -> None:
        self.begin = begin
        self.rest = rest

    def read(self, size: int) -> bytes:
        data = self.begin
        self.begin = b""
        return data or self.rest.read(size)


def _blocks(begin: bytes, stream: BinaryIO, skip_lines: int) -> Iterator[bytes]:
    """Blocks of whole lines behind the first ``skip_lines``; the last may lack its newline."""
    block = begin + _rest_of_line(stream)
    skip = skip_lines
    while block:
        at = 0
        while skip and (end := block.find(b"\n", at)) >= 0:
            at = end + 1
            skip -= 1
        if not skip and at < len(block):
            yield block[at:] if at else block
        # What begins a line gets its end at once: cutting the block there would copy all of it.
        block = stream.read(BLOCK_BYTES)
        if block:
            block += _rest_of_line(stream)


def _rest_of_line(stream: BinaryIO) -> bytes:
    rest = stream.readline(MOST_LINE_BYTES)
    # Without this a file with one endless line would be gathered in memory.
    if len(rest) == MOST_LINE_BYTES and not rest.endswith(b"\n"):
        raise LogError(Say.LONG_LINE(most=MOST_LINE_BYTES))
    return rest


@dataclass
class _Odd:
    """Cells of a column that gave no number."""

    cells: int = 0
    examples: list[str] = field(default_factory=list)


class _BlockReader:
    """Parses blocks and gathers the wanted columns."""

    def __init__(self, layout: Layout, wanted: Wanted, path: Path) -> None:
        self.layout = layout
        self.path = path
        every = [c.index for c in layout.columns]
        self.long = LongGatherer(wanted) if layout.long else None
        self.keep = every if layout.long else sorted(wanted(layout.columns))
        self.others = [i for i in every if i not in set(self.keep)]
        self.pieces: dict[int, list[Floats]] = {i: [] for i in self.keep}
        self.texts: dict[int, list[pl.Series]] = {}
        self.samples: dict[int, Floats] = {}
        self.odd: dict[int, _Odd] = {i: _Odd() for i in self.keep}
        self.settled: dict[int, tuple[Floats, Unread]] = {}
        self.rows = 0
        self.headers = 0
        self.ragged = 0

    def add(self, block: bytes) -> None:
        """Parse one block of whole lines."""
        block = self._one_separator(block)
        # Other columns are looked at once, for the import sheet; nobody reads the rest.
        columns = self.keep if self.rows else [*self.keep, *self.others]
        frame = self._parse(block, columns)
        # A logger that lost power leaves half a row, and half a number is a wrong number.
        if not block.endswith(b"\n") and frame.height and self._cut_short(frame, columns):
            frame = frame.head(frame.height - 1)
            block = block[: block.rstrip(b"\n").rfind(b"\n") + 1]
        if frame.height == 0:
            return
        extra = frame.drop_in_place("extra")
        beyond = (
            extra.fill_null("").str.strip_chars() != "" if extra.null_count() < len(extra) else None
        )
        # Asked of each column's own count: any other look at a column costs as much as parsing it.
        numbers = [f"c{i}" for i in columns if self.layout.ways[i].kind == "number"]
        if any(frame[n].null_count() for n in numbers):
            texts = self._odd_texts(block, frame, columns)
            keep = self._settle_odd(texts) if texts is not None else None
            if keep is not None and not keep.all():
                frame = frame.filter(keep)
                beyond = beyond.filter(keep) if beyond is not None else None
        self.ragged += int(beyond.sum()) if beyond is not None else 0
        self._gather(frame)
        if self.rows * len(self.keep) > MOST_VALUES:
            raise LogError(Say.TOO_MANY(path=self.path, most=MOST_VALUES))

    def _gather(self, frame: pl.DataFrame) -> None:
        if not self.samples:
            for i in self.others:
                head = frame[f"c{i}"].head(SAMPLE_ROWS)
                self.samples[i] = (
                    self._numbers(i, head)[0] if head.dtype == self._string else _floats(head)
                )
        for i in self.keep:
            series = frame[f"c{i}"]
            if series.dtype == self._string:
                self.texts.setdefault(i, []).append(series)
            else:
                # Kept as the parser's own pieces: every copy on the way costs as much as half the
                # parsing.
                self.pieces[i] += [_floats(chunk) for chunk in series.get_chunks()]
        self.rows += frame.height

    @property
    def _string(self) -> type[pl.String]:
        import polars as pl

        return pl.String

    def _numbers(self, i: int, series: pl.Series) -> tuple[Floats, Unread]:
        return numbers_of(series, self.layout.ways[i])

    def _one_separator(self, block: bytes) -> bytes:
        if self.layout.delimiter == WIDE_BLANKS:
            return re.sub(
                rb"(?<=\S)(?: {2,}|[ ]*\t[ \t]*)(?=\S)", b"\t", re.sub(rb"(?m)^[ \t]+", b"", block)
            )
        if self.layout.delimiter == BLANK_RUNS:
            return re.sub(
                rb"(?m)^[ \t]+",
                b"",
                re.sub(rb"[ \t]+(?=\r?\n|\Z)|(?<=\S)[ \t]+(?=\S)", _one_tab, block),
            )
        return block

    def _parse(self, block: bytes, columns: list[int], text: bool = False) -> pl.DataFrame:
        import polars as pl

        # The parser counts lines of damaged files in two ways and says so; what it read is all
        # there.
        warnings.filterwarnings("ignore", message="CSV malformed")
        plain = {True: pl.String, False: pl.Float64}
        types = {
            f"c{c.index}": plain[text or self.layout.ways[c.index].kind != "number"]
            for c in self.layout.columns
        }
        # Cells beyond the header would otherwise be dropped without a word.
        types["extra"] = pl.String
        wanted = [f"c{i}" for i in columns] + ["extra"]
        blank = self.layout.delimiter in (BLANK_RUNS, WIDE_BLANKS)
        # Strict first; then odd bytes in notes must not lose the numbers beside them.
        for encoding in ("utf8", "utf8-lossy"):
            try:
                scan = pl.scan_csv(
                    io.BytesIO(block),
                    has_header=False,
                    separator="\t" if blank else self.layout.delimiter,
                    schema=types,
                    ignore_errors=True,
                    truncate_ragged_lines=True,
                    missing_columns="insert",
                    quote_char='"' if self.layout.quoted else None,
                    decimal_comma=self.layout.decimal == ","
                    and (blank or self.layout.delimiter != ","),
                    encoding=encoding,
                )
                return scan.select(wanted).collect()
            except pl.exceptions.NoDataError:
                return pl.DataFrame({n: [] for n in wanted}, schema={n: types[n] for n in wanted})
            except pl.exceptions.PolarsError as error:
                if encoding == "utf8-lossy":
                    why = str(error).splitlines()[0]
                    raise LogError(Say.UNREADABLE(path=self.path, reason=why)) from error
        raise AssertionError("unreachable")

    def _odd_texts(
        self, block: bytes, frame: pl.DataFrame, columns: list[int]
    ) -> pl.DataFrame | None:
        """The cells of the block as text; None where the two cannot be compared."""
        texts = self._parse(block, columns, text=True).head(frame.height)
        # Quoted line ends would set the two apart, and then nothing could be compared.
        return texts if texts.height == frame.height else None

    def _settle_odd(self, texts: pl.DataFrame) -> pl.Series:
        """Count filled cells that gave no number; rows that are a header or words are left out."""
        import polars as pl

        drop = np.zeros(texts.height, bool)
        found: dict[int, np.ndarray] = {}
        for i in self.keep:
            if self.layout.ways[i].kind == "number":
                series = texts[f"c{i}"]
                left = is_filled(series) & ~self._reads(series)
                if left.any():
                    found[i] = left.to_numpy()
        if found:
            many = np.sum(list(found.values()), axis=0)
            for row in np.flatnonzero(many > 0.5 * len(self.keep)):
                drop[row] = self._is_words(texts, int(row), found)
        for i, odd_rows in found.items():
            series = texts[f"c{i}"]
            here = unread_of(series, odd_rows & ~drop)
            self.odd[i].cells += here.cells
            if here.cells and len(self.odd[i].examples) < EXAMPLES:
                odd = series.filter(pl.Series(odd_rows & ~drop)).head(EXAMPLES // 2).to_list()
                read = (
                    series.filter(pl.Series(~odd_rows)).drop_nulls().head(EXAMPLES // 2).to_list()
                )
                self.odd[i].examples += [*odd, *read]
        return pl.Series(~drop)

    def _reads(self, series: pl.Series) -> pl.Series:
        import polars as pl

        text = series.str.strip_chars(" \t\r")
        if self.layout.decimal == ",":
            text = text.str.replace(",", ".", literal=True)
        return text.cast(pl.Float64, strict=False).is_not_null()

    def _is_words(self, texts: pl.DataFrame, row: int, found: dict[int, np.ndarray]) -> bool:
        """True for a repeated header, a row of units or a footer; another table's header is refused."""
        cells = [(texts[f"c{i}"][row] or "").strip() for i in self.keep]
        if is_units_row(cells):
            return True
        named = {c.strip() for c in self.layout.header}
        alike = sum(c in named for c in cells if c)
        if alike > 0.5 * sum(bool(c) for c in cells):
            if [c for c in cells if c] != [
                h
                for i in self.keep
                if i < len(self.layout.header) and (h := self.layout.header[i].strip())
            ]:
                raise LogError(Say.OTHER_TABLE(path=self.path, names=", ".join(cells[:4])))
            self.headers += 1
            return True
        if legible_words(" ".join(cells)) > 0.5 * len(cells) and len(cells) > 2:
            raise LogError(Say.OTHER_TABLE(path=self.path, names=", ".join(cells[:4])))
        return True

    def _cut_short(self, frame: pl.DataFrame, columns: list[int]) -> bool:
        """True if the last row lacks its end: its last cells are missing although the row before had them."""
        if frame.height < 2 or len(columns) < 2:
            return False
        last = frame.row(-1)[:-1]
        before = frame.row(-2)[:-1]
        at = columns.index(max(columns))
        return last[at] is None and before[at] is not None

    def otherwise(self) -> Layout | None:
        """The layout with columns of many unread cells read another way, None if none can be."""
        ways = list(self.layout.ways)
        for i, odd in self._all_odd().items():
            if Unread(odd.cells, self.rows, "").many:
                ways[i] = other_way(ways[i], odd.examples, self.layout.decimal) or ways[i]
        return None if tuple(ways) == self.layout.ways else replace(self.layout, ways=tuple(ways))

    def _all_odd(self) -> dict[int, _Odd]:
        """Unread cells of all columns, those that are kept as text included."""
        import polars as pl

        found = dict(self.odd)
        for i, parts in self.texts.items():
            if self.layout.ways[i].kind == "text":
                continue
            series = pl.concat(parts)
            values, odd = self._numbers(i, series)
            self.settled[i] = values, odd
            if odd.many:
                left = pl.Series(np.isnan(values))
                some = [*unread_cells(series.filter(left)).head(EXAMPLES // 2).to_list()]
                read = series.filter(~left).head(EXAMPLES // 2).to_list()
                found[i] = _Odd(odd.cells, [*some, *read])
        return found

    def finish(self, start: TextStart) -> RawColumns:
        """All columns in one piece."""
        import polars as pl

        if self.rows == 0:
            raise LogError(Say.NO_ROWS(path=self.path))
        if self.ragged > MOST_RAGGED * self.rows:
            raise LogError(Say.RAGGED(path=self.path, count=self.ragged, rows=self.rows))
        notes = []
        if self.headers:
            notes.append(str(Say.REPEATED_HEADER(count=self.headers)))
        if start.encoding not in ("utf-8", "cp1252"):
            notes.append(str(Say.ENCODING(encoding=start.encoding)))
        texts = {i: pl.concat(parts) for i, parts in self.texts.items()}
        unread = {
            i: Unread(o.cells, self.rows, o.examples[0] if o.examples else "")
            for i, o in self.odd.items()
            if o.cells
        }
        if self.long is not None and self.layout.long is not None:
            return self.long.gathered(self.layout, self.pieces, texts, tuple(notes), self.path)
        values: dict[int, Floats] = {}
        for i in self.keep:
            if i in texts:
                values[i], odd = self.settled.get(i) or self._numbers(i, texts.pop(i))
                if odd.cells:
                    unread[i] = odd
            else:
                values[i] = np.concatenate(self.pieces.pop(i))
        return RawColumns(
            self.layout.columns,
            values,
            "text",
            samples=self.samples,
            unread=unread,
            notes=tuple(notes),
            rate_hz=self.layout.rate_hz,
        )


def _one_tab(found: re.Match[bytes]) -> bytes:
    # A blank at the end of a line is no column.
    return (
        b"" if found.end() == len(found.string) or found.string[found.end()] in b"\r\n" else b"\t"
    )


def _floats(series: pl.Series) -> Floats:
    return series.fill_null(float("nan")).to_numpy() if series.null_count() else series.to_numpy()
