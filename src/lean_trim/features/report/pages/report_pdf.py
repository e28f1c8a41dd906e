"""A report as PDF pages, laid out and painted here: no browser."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPageLayout, QPageSize, QPainter, QPdfWriter, QPen

from lean_trim.features.report.content import Block, Facts, Grid, Lines, Report, Rows
from lean_trim.features.report.report_html import tint
from lean_trim.ui.theme import LIGHT, font

MARGIN_MM = 14.0
DPI = 144
"""Units a page is laid out in: half points, so that the program's font sizes hold."""
FOOT = 26.0
GAP = 7.0
SECTION_GAP = 20.0
PAD = 5.0
TEXT = 9.0
SMALL = 7.5
MOST_ROOM = 34.0
"""Room a column gets beyond what its words need, at most."""
LEAST_GRID = 4.5
LONG = 24
"""Letters from which a cell is a sentence."""
WRAP = (
    int(Qt.TextFlag.TextWordWrap) | int(Qt.AlignmentFlag.AlignLeft) | int(Qt.AlignmentFlag.AlignTop)
)
RIGHT = int(Qt.AlignmentFlag.AlignRight) | int(Qt.AlignmentFlag.AlignVCenter)
LEFT = int(Qt.AlignmentFlag.AlignLeft) | int(Qt.AlignmentFlag.AlignVCenter)
LETTERS = {"A4": QPageSize.PageSizeId.A4, "Letter": QPageSize.PageSizeId.Letter}


class _Pages:
    """Where the next thing goes; begins a page where it does not fit any more."""

    def __init__(self, writer: QPdfWriter, painter: QPainter, under: str) -> None:
        self.writer = writer
        self.p = painter
        self.under = under
        room = writer.pageLayout().paintRectPixels(DPI)
        self.width = float(room.width())
        self.height = float(room.height()) - FOOT
        self.y = 0.0
        self.number = 1
        self._foot()

    def _foot(self) -> None:
        self.p.setFont(font(SMALL))
        self.p.setPen(LIGHT.color("faint"))
        box = QRectF(0.0, self.height + 6.0, self.width, FOOT - 6.0)
        self.p.drawText(box, LEFT, self.under)
        self.p.drawText(box, RIGHT, f"page {self.number}")

    def turn(self) -> None:
        """Begin a page."""
        self.writer.newPage()
        self.number += 1
        self.y = 0.0
        self._foot()

    def need(self, height: float) -> None:
        """Begin a page unless so much fits on this one."""
        if self.y > 0.0 and self.y + height > self.height:
            self.turn()


def report_pdf(report: Report, page: str = "A4") -> bytes:
    """The pages.

    Parameters
    ----------
    report : what they say.
    page : "A4" or "Letter".

    Returns
    -------
    A PDF file.
    """
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setTitle(report.title)
    writer.setResolution(DPI)
    margins = QMarginsF(*(MARGIN_MM,) * 4)
    size = QPageSize(LETTERS[page])
    writer.setPageLayout(
        QPageLayout(size, QPageLayout.Orientation.Portrait, margins, QPageLayout.Unit.Millimeter)
    )
    painter = QPainter(writer)
    pages = _Pages(writer, painter, f"{report.title}, {report.under}")
    _heading(pages, report.title, 17.0)
    _lines(pages, Lines((report.under,)))
    for section in report.sections:
        pages.y += SECTION_GAP if pages.y > 0.0 else 0.0
        # A heading never stands alone at the foot of a page.
        first = min(_height(pages, section.blocks[0]), 0.5 * pages.height)
        pages.need(_line_height(pages, 12.0) + GAP + first)
        _heading(pages, section.title, 12.0)
        for block in section.blocks:
            _draw(pages, block)
    painter.end()
    buffer.close()
    return bytes(data.data())


def _metrics(pages: _Pages, size: float, bold: bool = False) -> QFontMetricsF:
    """Of the page, not of a screen."""
    return QFontMetricsF(font(size, bold), pages.writer)


def _line_height(pages: _Pages, size: float, bold: bool = False) -> float:
    return _metrics(pages, size, bold).height()


def _text_height(pages: _Pages, text: str, width: float, size: float) -> float:
    return (
        _metrics(pages, size).boundingRect(QRectF(0.0, 0.0, width, 100_000.0), WRAP, text).height()
    )


def _text_width(pages: _Pages, text: str, size: float) -> float:
    return _metrics(pages, size).horizontalAdvance(text)


def _heading(pages: _Pages, text: str, size: float) -> None:
    height = _line_height(pages, size, True)
    pages.need(height)
    pages.p.setFont(font(size, bold=True))
    pages.p.setPen(LIGHT.color("ink"))
    pages.p.drawText(QRectF(0.0, pages.y, pages.width, height), LEFT, text)
    pages.y += height + 0.5 * GAP


def _height(pages: _Pages, block: Block) -> float:
    """What a block needs at least to begin: all of a grid, a line of anything else."""
    if isinstance(block, Grid):
        return _grid_size(pages, block)[2] * (len(block.table.axes[0]) + 1)
    return 3.0 * _line_height(pages, TEXT)


def _draw(pages: _Pages, block: Block) -> None:
    if isinstance(block, Lines):
        _lines(pages, block)
    elif isinstance(block, Facts):
        _facts(pages, block)
    elif isinstance(block, Rows):
        _rows(pages, block)
    else:
        _grid(pages, block)


def _lines(pages: _Pages, block: Lines) -> None:
    for text in block.texts:
        height = _text_height(pages, text, pages.width, TEXT)
        pages.need(height)
        pages.p.setFont(font(TEXT))
        pages.p.setPen(LIGHT.color("ink"))
        pages.p.drawText(QRectF(0.0, pages.y, pages.width, height + 2.0), WRAP, text)
        pages.y += height + 0.5 * GAP


def _facts(pages: _Pages, block: Facts) -> None:
    names = max(_text_width(pages, name, TEXT) for name, _ in block.rows) + 3 * PAD
    for name, value in block.rows:
        height = _text_height(pages, value, pages.width - names, TEXT) + 2.0
        pages.need(height)
        pages.p.setFont(font(TEXT))
        pages.p.setPen(LIGHT.color("faint"))
        pages.p.drawText(QRectF(0.0, pages.y, names, height), WRAP, name)
        pages.p.setPen(LIGHT.color("ink"))
        pages.p.drawText(QRectF(names, pages.y, pages.width - names, height), WRAP, value)
        pages.y += height + 2.0


def _columns(pages: _Pages, block: Rows) -> list[float]:
    """Widths: what the words need; what is left is shared, what is too much the widest gives."""
    count = len(block.head)
    needs = []
    for j in range(count):
        longest = max((_text_width(pages, row[j], SMALL) for row in block.rows), default=0.0)
        head = max(_text_width(pages, word, SMALL) for word in block.head[j].split())
        needs.append(max(longest, head) + 2 * PAD)
    whole = sum(needs)
    if whole > pages.width:
        widest = int(np.argmax(needs))
        needs[widest] = max(needs[widest] - (whole - pages.width), 60.0)
        return needs
    more = min((pages.width - whole) / count, MOST_ROOM)
    return [need + more for need in needs]


def _rows(pages: _Pages, block: Rows) -> None:
    widths = _columns(pages, block)
    # Sentences stand to the left, with their heading; figures to the right.
    left = [
        j == 0 or any(_is_sentence(row[j]) for row in block.rows) for j in range(len(block.head))
    ]
    _row(pages, block.head, widths, left, faint=True)
    for row in block.rows:
        number = pages.number
        pages.need(_row_height(pages, row, widths))
        if pages.number != number:
            # A page that begins with figures says what they are.
            _row(pages, block.head, widths, left, faint=True)
        _row(pages, row, widths, left)
    pages.y += GAP


def _row_height(pages: _Pages, row: Sequence[str], widths: Sequence[float]) -> float:
    texts = [
        _text_height(pages, text, width - 2 * PAD, SMALL)
        for text, width in zip(row, widths, strict=True)
    ]
    return max(texts) + 2 * PAD


def _is_sentence(text: str) -> bool:
    return len(text) > LONG


def _row(
    pages: _Pages,
    row: Sequence[str],
    widths: Sequence[float],
    left: Sequence[bool],
    faint: bool = False,
) -> None:
    height = _row_height(pages, row, widths) - 2 * PAD
    pages.need(height + 2 * PAD)
    x = 0.0
    p = pages.p
    p.setFont(font(SMALL))
    for text, width, is_left in zip(row, widths, left, strict=True):
        p.setPen(LIGHT.color("faint" if faint else "ink"))
        side = Qt.AlignmentFlag.AlignLeft if is_left else Qt.AlignmentFlag.AlignRight
        flags = int(Qt.TextFlag.TextWordWrap) | int(side) | int(Qt.AlignmentFlag.AlignTop)
        p.drawText(QRectF(x + PAD, pages.y + PAD, width - 2 * PAD, height + 2.0), flags, text)
        x += width
    pages.y += height + 2 * PAD
    p.setPen(QPen(LIGHT.color("edge"), 0.8))
    p.drawLine(0, round(pages.y), round(x), round(pages.y))


def _grid_size(pages: _Pages, grid: Grid) -> tuple[float, float, float]:
    """Font size, width and height of a cell."""
    columns = len(grid.table.axes[1]) + 1
    longest = max([*(str(t) for t in grid.texts.ravel()), "00000"], key=len)
    width = pages.width / columns
    size = SMALL
    while size > LEAST_GRID and _text_width(pages, longest, size) + 4.0 > width:
        size -= 0.25
    return size, min(width, 62.0), _line_height(pages, size) + 5.0


def _grid(pages: _Pages, grid: Grid) -> None:
    size, width, height = _grid_size(pages, grid)
    rows, columns = grid.table.axes
    pages.need(height * (len(rows) + 1))
    p = pages.p
    p.setFont(font(size))
    p.setPen(LIGHT.color("faint"))
    corner = f"{rows.shown_unit}\\{columns.shown_unit}"
    p.drawText(QRectF(0.0, pages.y, width - 4.0, height), LEFT, corner)
    for j, x in enumerate(columns.shown):
        box = QRectF((j + 1) * width, pages.y, width - 4.0, height)
        p.drawText(box, RIGHT, f"{x:g}")
    for i, y in enumerate(rows.shown):
        top = pages.y + (i + 1) * height
        p.setPen(LIGHT.color("faint"))
        p.drawText(QRectF(0.0, top, width - 6.0, height), RIGHT, f"{y:g}")
        for j in range(len(columns)):
            box = QRectF((j + 1) * width, top, width, height)
            color, strength = tint(float(grid.change_pct[i, j]))
            if strength > 0.0:
                name = "add" if color == "#b36a00" else "remove"
                p.fillRect(box.adjusted(0.5, 0.5, -0.5, -0.5), LIGHT.color(name, strength))
            p.setPen(LIGHT.color("ink"))
            p.drawText(box.adjusted(0.0, 0.0, -4.0, 0.0), RIGHT, str(grid.texts[i, j]))
    pages.y += height * (len(rows) + 1) + GAP
