"""Workbooks and JSON lines a few bytes of which stand for gigabytes are refused in a sentence."""

from __future__ import annotations

import time
import zipfile
from pathlib import Path

import pytest

from lean_trim.core.errors import BadInputError, CancelledError, LogError
from lean_trim.formats.decode.apart import limited
from lean_trim.formats.logs import open_log
from lean_trim.formats.tables.block import block_of_file, sheets_of

WHOLE_SHEET = "XFD1048576"
"""The last cell a sheet can have: 17 179 869 184 cells in all, 549 GB as a dense grid."""


def with_a_stray_cell(path: Path) -> Path:
    """A small workbook with one cell in the far corner."""
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in ([None, 1000, 2000], [30, 50.0, 51.0], [90, 60.0, 61.0]):
        sheet.append(row)
    sheet[WHOLE_SHEET] = 1
    book.save(path)
    return path


def with_repeated_rows(path: Path) -> Path:
    """A .ods of a few kilobytes that says of one row that it stands there a million times."""
    cells = "".join(
        f'<table:table-cell office:value-type="float" office:value="{i}"/>' for i in range(400)
    )
    content = (
        '<?xml version="1.0"?><office:document-content '
        'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
        'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" office:version="1.2"><office:body>'
        '<office:spreadsheet><table:table table:name="a">'
        f'<table:table-row table:number-rows-repeated="1048000">{cells}</table:table-row>'
        "</table:table></office:spreadsheet></office:body></office:document-content>"
    )
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    manifest = (
        '<?xml version="1.0"?><manifest:manifest '
        'xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
        f'<manifest:file-entry manifest:full-path="/" manifest:media-type="{kind}"/>'
        "</manifest:manifest>"
    )
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", kind)
        archive.writestr("META-INF/manifest.xml", manifest)
        archive.writestr("content.xml", content)
    return path


@pytest.mark.slow
@pytest.mark.parametrize(
    ("make", "name"), [(with_a_stray_cell, "stray.xlsx"), (with_repeated_rows, "rows.ods")]
)
def test_a_sheet_that_asks_for_gigabytes_is_refused(
    tmp_path: Path, make: object, name: str
) -> None:
    """The first once ended the program, the second took 3.9 GB."""
    path = make(tmp_path / name)  # type: ignore[operator]
    assert path.stat().st_size < 60_000
    for read in (lambda: open_log(path, 14.7), lambda: block_of_file(path)):
        with pytest.raises((LogError, BadInputError), match="cannot be read as a workbook"):
            read()


@pytest.mark.slow
def test_json_lines_that_never_end_are_ended(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "keys.jsonl"
    keys = ",".join(f'"k{i}":{i}' for i in range(300_000))
    path.write_text("".join(f'{{"time":{i},{keys}}}\n' for i in range(2)))
    monkeypatch.setattr(limited, "READ_S", 2.0)
    monkeypatch.setattr(limited, "READ_S_PER_BYTE", 0.0)
    began = time.monotonic()
    with pytest.raises(LogError, match="JSON lines|columns"):
        open_log(path, 14.7)
    assert time.monotonic() - began < 30.0


def test_reading_a_workbook_can_be_cancelled(tmp_path: Path) -> None:
    path = with_a_stray_cell(tmp_path / "stray.xlsx")
    with pytest.raises(CancelledError):
        open_log(path, 14.7, progress=lambda share: False)


def test_a_sound_workbook_is_read(tmp_path: Path) -> None:
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "VE"
    for row in ([None, 1000, 2000], [30, 50.5, 51.0], [90, 60.0, None]):
        sheet.append(row)
    book.create_sheet("notes")
    path = tmp_path / "table.xlsx"
    book.save(path)
    assert sheets_of(path) == ("VE", "notes")
    assert block_of_file(path, "VE").rows[1] == ("30.0", "50.5", "51.0")
