"""In which encoding a text is written, and the same text as UTF-8."""

from __future__ import annotations

import codecs
import io
from collections.abc import Callable
from typing import TYPE_CHECKING, BinaryIO

if TYPE_CHECKING:
    from _typeshed import WriteableBuffer

BOMS: tuple[tuple[bytes, str], ...] = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)
ONE_BYTE_GUESSES = ("cp1252", "cp1251", "cp1250", "koi8-r", "cp866")
"""Western, Cyrillic, Central European; take nearly any bytes, so that only legible words tell them
apart."""
TWO_BYTE_GUESSES = ("cp932", "gb18030", "euc-jp", "big5")
"""Japanese and Chinese; refuse most bytes that are not theirs."""
FALLBACK = "cp1252"
SAMPLE_BYTES = 1 << 16
LEAST_ZEROS = 0.2
"""Share of zero bytes on one side of a pair from which text without a mark is taken for UTF-16."""


def encoding_of(head: bytes, legible: Callable[[str], int]) -> tuple[str, int]:
    """Encoding of a text, and how many bytes of a mark stand before it.

    Parameters
    ----------
    head : first bytes of the file, as many as there are up to a megabyte.
    legible : how many words of a text mean something; decides between encodings that all take the
        bytes.

    Returns
    -------
    Name of the encoding, bytes to leave out; "" if the bytes are no text.
    """
    for mark, name in BOMS:
        if head.startswith(mark):
            return name, len(mark)
    if b"\x00" in head:
        return _utf16(head), 0
    if is_utf8(head):
        return "utf-8", 0
    sample = head[:SAMPLE_BYTES]
    # Cut at a line end, so that no character of two bytes is halved.
    sample = sample[: sample.rfind(b"\n") + 1] or sample
    best = FALLBACK
    most = 0
    for name in (*TWO_BYTE_GUESSES, *ONE_BYTE_GUESSES):
        try:
            text = sample.decode(name)
        except UnicodeDecodeError:
            continue
        words = legible(text)
        if words > most:
            best = name
            most = words
    return best, 0


def is_utf8(head: bytes) -> bool:
    """True if bytes are UTF-8, perhaps cut off within a character."""
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        return False
    return True


def _utf16(head: bytes) -> str:
    even = head[0 : len(head) // 2 * 2 : 2]
    odd = head[1::2]
    shares = (even.count(0) / max(len(even), 1), odd.count(0) / max(len(odd), 1))
    # Digits and separators have a zero byte on one side; anything else with zeros is no text.
    if shares[1] > LEAST_ZEROS and shares[0] < 0.02:
        return "utf-16-le"
    return "utf-16-be" if shares[0] > LEAST_ZEROS and shares[1] < 0.02 else ""


class Utf8Stream(io.RawIOBase):
    """A text stream of any encoding, handed out as UTF-8; what cannot be decoded becomes U+FFFD."""

    def __init__(self, inner: BinaryIO, encoding: str) -> None:
        self.inner = inner
        # Bytes that cp1252 leaves undefined still have to come out as something.
        self.decoder = codecs.getincrementaldecoder(encoding)("replace")
        self.rest = b""

    def readable(self) -> bool:
        """It is there to be read."""
        return True

    def readinto(self, buffer: WriteableBuffer) -> int:
        """As many bytes as there is room for; none only at the end."""
        view = memoryview(buffer).cast("B")
        while not self.rest:
            data = self.inner.read(len(view))
            self.rest = self.decoder.decode(data, final=not data).encode()
            if not data:
                break
        # A character may take more bytes than it took before; what has no room waits.
        given = self.rest[: len(view)]
        self.rest = self.rest[len(view) :]
        view[: len(given)] = given
        return len(given)
