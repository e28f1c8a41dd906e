"""The kind of a file is told by its first bytes, and a heading that begins like a mark is a heading."""

from __future__ import annotations

import pytest

from lean_trim.formats.decode.registry import reader_for


@pytest.mark.parametrize(
    ("head", "kind"),
    [
        # Vector's BLF: its mark and the size of its header, 144 bytes (python-can, from memory).
        (b"LOGG\x90\x00\x00\x00\x05\x01", "CAN trace"),
        (b"LOGGING_TIME (seconds),RPM\n0.04,900\n", "text"),
        (b"LOGGER;3\nTime;RPM\n", "text"),
        (b"PAR1\x15\x04\x15\x00", "Parquet"),
        (b"PAR1,PAR2\n1,2\n", "text"),
        (b"ARROW1\x00\x00\xff\xff", "Arrow"),
        (b"ARROW1 speed,RPM\n1,2\n", "text"),
        (b"(1436509052.249713) can0 044#2A366C2BBA", "CAN trace"),
    ],
)
def test_a_mark_is_one_only_before_what_no_text_holds(head: bytes, kind: str) -> None:
    assert reader_for(head).kind == kind
