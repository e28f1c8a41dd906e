"""What a file is packed in: a container is told by its first bytes and opened as a stream of plain ones."""

from __future__ import annotations

import io
import lzma
import os
import stat
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, cast

from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.formats.own_folder import own_prefix


class Say:
    """Sentences of this module."""

    DAMAGED_PACK = Message(
        "containers.damaged_pack", "{path}: the packed file is damaged ({reason})"
    )
    TOO_LARGE = Message(
        "containers.too_large",
        "{path}: unpacks to more than {most:g} GB; allowed is up to that. Split the log, or leave "
        "channels out",
    )
    NOT_A_FILE = Message("containers.not_a_file", "{path}: is {kind}, not a file; give a log file")
    SEVERAL_FILES = Message(
        "containers.several_files",
        "{path}: holds {count} files ({names}); allowed is an archive with one log. Unpack it and "
        "choose",
    )
    NO_FILES = Message("containers.no_files", "{path}: the archive is empty")
    ENCRYPTED = Message(
        "containers.encrypted", "{path}: the archive asks for a password; unpack it first"
    )


HEAD_BYTES = 64
"""Bytes by which a container or a kind of file is told."""
MOST_UNPACKED = 4 << 30
"""Bytes one log may unpack to; an hour of 40 channels at 100 Hz is 0.1 GB."""
GIB = float(1 << 30)
WORKBOOK_PARTS = ("[Content_Types].xml", "mimetype")
"""A ZIP archive that holds one of these is a workbook, not a container."""


@dataclass(frozen=True)
class Container:
    """One way files are packed.

    Attributes
    ----------
    kind : for people.
    recognises : judges the first bytes.
    unpack : file at its beginning, path for messages → stream of plain bytes.
    """

    kind: str
    recognises: Callable[[bytes], bool]
    unpack: Callable[[BinaryIO, Path], BinaryIO]


def _gzip(f: BinaryIO, _: Path) -> BinaryIO:
    from isal import igzip

    return cast(BinaryIO, igzip.IGzipFile(fileobj=f))  # type: ignore[no-untyped-call]


def _zstd(f: BinaryIO, _: Path) -> BinaryIO:
    # Loaded only here: few logs are packed so, and a start must not pay for it.
    import zstandard

    # A window beyond this would be reserved at once, whatever the file really holds.
    reader = zstandard.ZstdDecompressor(max_window_size=1 << 27)
    return cast(BinaryIO, reader.stream_reader(f, read_across_frames=True))


def _bz2(f: BinaryIO, _: Path) -> BinaryIO:
    import bz2

    return cast(BinaryIO, bz2.BZ2File(f))


def _xz(f: BinaryIO, _: Path) -> BinaryIO:
    return cast(BinaryIO, lzma.LZMAFile(f))


def _zip(f: BinaryIO, path: Path) -> BinaryIO:
    archive = zipfile.ZipFile(f)
    # Some systems add a folder of attributes beside the one file.
    names = [
        i for i in archive.infolist() if not i.is_dir() and not i.filename.startswith("__MACOSX/")
    ]
    if not names:
        raise LogError(Say.NO_FILES(path=path))
    if len(names) > 1:
        shown = ", ".join(i.filename[:40] for i in names[:3])
        raise LogError(Say.SEVERAL_FILES(path=path, count=len(names), names=shown))
    if names[0].flag_bits & 1:
        raise LogError(Say.ENCRYPTED(path=path))
    return cast(BinaryIO, archive.open(names[0]))


CONTAINERS: tuple[Container, ...] = (
    Container("gzip", lambda head: head.startswith(b"\x1f\x8b"), _gzip),
    Container("zstd", lambda head: head.startswith(b"\x28\xb5\x2f\xfd"), _zstd),
    Container("bzip2", lambda head: head.startswith(b"BZh"), _bz2),
    Container("xz", lambda head: head.startswith(b"\xfd7zXZ\x00"), _xz),
    Container("ZIP", lambda head: head.startswith(b"PK\x03\x04"), _zip),
)
"""A new one is a line here."""


def broken_pack() -> tuple[type[BaseException], ...]:
    """What the unpackers raise on damaged files."""
    import zstandard

    return (
        EOFError,
        zlib.error,
        lzma.LZMAError,
        zipfile.BadZipFile,
        zstandard.ZstdError,
        NotImplementedError,
    )


class _Capped(io.RawIOBase):
    """A stream that refuses to hand out more than a log may hold."""

    def __init__(self, inner: BinaryIO, path: Path) -> None:
        self.inner = inner
        self.path = path
        self.given = 0

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1) -> bytes:
        try:
            data = self.inner.read(size)
        except broken_pack() as error:
            raise LogError(Say.DAMAGED_PACK(path=self.path, reason=error)) from error
        # gzip tells some damage as an OSError without a number; one with a number is the disk's.
        except OSError as error:
            if error.errno is not None:
                raise
            raise LogError(Say.DAMAGED_PACK(path=self.path, reason=error)) from error
        self.given += len(data)
        if self.given > MOST_UNPACKED:
            raise LogError(Say.TOO_LARGE(path=self.path, most=MOST_UNPACKED / GIB))
        return data


@dataclass(frozen=True, eq=False)
class Source:
    """An opened file: its plain bytes, and how far the file itself has been read.

    Attributes
    ----------
    path : of the file, for messages.
    stream : plain bytes; what was looked at to tell the kind is still in it.
    packed : whether a container was opened.
    """

    path: Path
    stream: BinaryIO
    packed: bool
    file: BinaryIO
    size: int
    head: bytes

    @property
    def share(self) -> float:
        """How much of the file has been read, 0 to 1."""
        # The place in the packed file, for how long the unpacked one is nobody knows beforehand.
        return min(1.0, self.file.tell() / self.size)

    @contextmanager
    def as_path(self) -> Iterator[Path]:
        """The plain bytes as a file, for readers that want one."""
        if not self.packed:
            yield self.path
            return
        with tempfile.NamedTemporaryFile(prefix=own_prefix(), suffix=".log") as spool:
            while data := self.stream.read(1 << 20):
                spool.write(data)
            spool.flush()
            yield Path(spool.name)


class _Ahead(io.RawIOBase):
    """Bytes that were looked at, then the rest of the stream."""

    def __init__(self, head: bytes, rest: BinaryIO) -> None:
        self.head = head
        self.rest = rest

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1) -> bytes:
        if not self.head:
            return self.rest.read(size)
        if size < 0:
            data = self.head + self.rest.read()
            self.head = b""
            return data
        data = self.head[:size]
        self.head = self.head[size:]
        return data + (self.rest.read(size - len(data)) if len(data) < size else b"")


@contextmanager
def opened(path: Path) -> Iterator[Source]:
    """Open a file, unpacking what it is packed in.

    Parameters
    ----------
    path : a regular file.

    Yields
    ------
    Its plain bytes.

    Raises
    ------
    LogError
        If it is no regular file, or the packing is damaged.
    """
    kind = path.stat().st_mode
    # A pipe or a device may never end, and opening one may already wait for ever.
    if not stat.S_ISREG(kind):
        raise LogError(
            Say.NOT_A_FILE(path=path, kind="a folder" if stat.S_ISDIR(kind) else "a device or pipe")
        )
    with path.open("rb") as f:
        head = f.read(HEAD_BYTES)
        f.seek(0)
        container = next((c for c in CONTAINERS if c.recognises(head)), None)
        if container is not None and container.kind == "ZIP" and _is_workbook(f):
            container = None
        f.seek(0)
        size = max(os.fstat(f.fileno()).st_size, 1)
        if container is None:
            yield Source(path, f, False, f, size, head)
            return
        try:
            inner = container.unpack(f, path)
        except broken_pack() as error:
            raise LogError(Say.DAMAGED_PACK(path=path, reason=error)) from error
        capped = cast(BinaryIO, _Capped(inner, path))
        first = capped.read(HEAD_BYTES)
        yield Source(path, cast(BinaryIO, _Ahead(first, capped)), True, f, size, first)


def _is_workbook(f: BinaryIO) -> bool:
    try:
        names = zipfile.ZipFile(f).namelist()
    # Whatever is wrong with it is said when it is opened.
    except Exception:
        return False
    return any(part in names for part in WORKBOOK_PARTS)
