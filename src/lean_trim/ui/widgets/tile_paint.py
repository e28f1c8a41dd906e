"""Painting of balance tiles and their headers."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import lru_cache

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QFont,
    QPaintEngine,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
    QPolygonF,
    QStaticText,
)

from lean_trim.core.decision.decision import Origin
from lean_trim.core.text import evenly_written
from lean_trim.ui.theme import Theme, font
from lean_trim.ui.widgets.tile_view import TileView

RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
TOP_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop
INK_LEVELS = 6
KEPT_TEXTS = 4096
"""Figures kept laid out: those of a few tables of 32 × 32."""
SMALLEST_FIGURES = 5.5
"""Size of figures, points, below which nobody reads them."""
FIGURES_STEP = 0.25
ROOMY_TILE_PX = (34.0, 24.0)
"""Width and height from which a tile holds its number above its bar; in a smaller one the bar is a filled
edge along its foot, as long as it would be."""
EDGE_PX = 3.0
"""Thickness of a filled edge."""
LEAST_FIGURES_PX = 8.0
"""Height of a tile below which figures would run into those above."""
POINT_PX = 11
"""Height of the point in the corner of a curve's tile."""
LEAST_LABEL_PX = 9.5
"""Height a label of a row needs."""


FIGURES_PT_PER_PX = 0.68
"""Size of figures, points, whose digits fill a height of one pixel (measured of the shipped font)."""


def is_small(tile: tuple[float, float]) -> bool:
    """True of a tile, width and height, that has no room for its number above its bar."""
    return tile[0] < ROOMY_TILE_PX[0] or tile[1] < ROOMY_TILE_PX[1]


def paint_headers(
    painter: QPainter, view: TileView, theme: Theme, left: int, top: int, size: tuple[float, float]
) -> None:
    """Axis points with the time spent in each column and row as small bars."""
    table = view.table
    (w, h) = size
    painter.setFont(font(8))
    if len(table.axes) == 1:
        painter.setPen(theme.color("faint"))
        painter.drawText(
            QRectF(left, 2, 400, top - 4),
            Qt.AlignmentFlag.AlignVCenter,
            f"{table.name} curve, {table.shown_unit} over {table.axes[0].shown_unit}",
        )
        return
    rows, columns = table.axes
    seconds = view.seconds.reshape(table.shape) * view.timed
    painter.setPen(theme.color("faint"))
    painter.drawText(QRectF(2, 1, left - 6, top / 2), RIGHT, columns.shown_unit)
    painter.drawText(QRectF(2, top / 2, left - 6, top / 2), RIGHT, rows.shown_unit)
    heads = evenly_written(columns.shown.tolist())
    painter.setFont(fitting_font(painter, heads, w - 6, 8))
    # Every so many columns, where not even the smallest figures fit.
    widest = max(painter.fontMetrics().horizontalAdvance(head) for head in heads)
    named = max(1, int(np.ceil((widest + 2) / max(w, 1.0))))
    for i, (x, spent) in enumerate(zip(heads, _shares(seconds.sum(axis=0)), strict=True)):
        cell = QRectF(left + i * w, 0, w, top)
        painter.fillRect(
            QRectF(cell.x() + 4, top - 4, (w - 8) * spent, 3), theme.color("accent", 0.75)
        )
        painter.setPen(theme.color("ink"))
        if i % named == 0:
            wide = cell.adjusted(-(named - 1) * w if i else -left + 4, 4, -5, -8)
            painter.drawText(wide, RIGHT, x)
    painter.setFont(font(8))
    ends = evenly_written(rows.shown.tolist())
    # Every so many rows, where all of them would run into each other.
    every = max(1, int(np.ceil(LEAST_LABEL_PX / max(h, 1.0))))
    for j, (y, spent) in enumerate(zip(ends, _shares(seconds.sum(axis=1)), strict=True)):
        cell = QRectF(0, top + j * h, left, h)
        painter.fillRect(
            QRectF(left - 5, cell.y() + 3 + (h - 6) * (1 - spent), 3, (h - 6) * spent),
            theme.color("accent", 0.75),
        )
        painter.setPen(theme.color("ink"))
        if j % every == 0:
            painter.drawText(cell.adjusted(2, -4, -10, 4), RIGHT, y)


def _shares(seconds: np.ndarray) -> np.ndarray:
    top = seconds.max() if seconds.size else 0.0
    return np.sqrt(seconds / top) if top > 0 else np.zeros_like(seconds)


def paint_tiles(
    painter: QPainter,
    view: TileView,
    theme: Theme,
    rects: list[QRectF],
    size: tuple[float, float],
    cells: Sequence[int] | None = None,
) -> None:
    """Tiles: paper or hatch, bar with whisker, number, marks.

    Like marks are drawn in one call.

    Parameters
    ----------
    painter, view, theme : what is painted.
    rects : where each cell is painted, half a pixel inside its tile; of all cells.
    size : of the smallest tile, px: bars and figures are the same on all.
    cells : that are painted, flat indices; all if None.
    """
    chosen = range(view.table.size) if cells is None else cells
    part = view if cells is None else view.only(cells)
    if cells is not None:
        rects = [rects[cell] for cell in cells]
    visited = part.is_seen
    _paper(painter, theme, rects, visited)
    # While the car is driven there are only seconds.
    if np.isfinite(view.bar_pct).any():
        _bars(painter, part, theme, rects, size)
    # One size of figures for all, whichever of them are painted.
    longest = max(view.text, key=len, default="")
    _numbers(painter, part, theme, rects, size, longest)
    if len(view.table.axes) == 1:
        points = evenly_written(view.table.axes[0].shown.tolist())
        _points(painter, theme, rects, [points[cell] for cell in chosen])
    _marks(painter, theme, rects, part, SMALL_MARK if is_small(size) else 1.0)


def paint_chosen(
    painter: QPainter,
    theme: Theme,
    rect_of: Callable[[int], QRectF],
    chosen: frozenset[int],
    columns: int,
) -> None:
    """The chosen tiles veiled, with a frame around those that lie together.

    Parameters
    ----------
    painter, theme : of the tiles.
    rect_of : where a cell lies.
    chosen : flat indices.
    columns : of the layout.
    """
    veil = theme.color("select", 0.12)
    lines = []
    for cell in chosen:
        rect = rect_of(cell)
        painter.fillRect(rect, veil)
        inner = rect.adjusted(1.0, 1.0, -1.0, -1.0)
        column = cell % columns
        if cell - columns not in chosen:
            lines.append(QLineF(rect.left(), inner.top(), rect.right(), inner.top()))
        if cell + columns not in chosen:
            lines.append(QLineF(rect.left(), inner.bottom(), rect.right(), inner.bottom()))
        if column == 0 or cell - 1 not in chosen:
            lines.append(QLineF(inner.left(), rect.top(), inner.left(), rect.bottom()))
        if column == columns - 1 or cell + 1 not in chosen:
            lines.append(QLineF(inner.right(), rect.top(), inner.right(), rect.bottom()))
    painter.setPen(QPen(theme.color("select"), 2.0))
    painter.drawLines(lines)


REGION_WORDS = {"idle": "idle", "part": "part", "full": "full", "boost": "boost"}


def paint_regions(
    painter: QPainter,
    theme: Theme,
    rect_of: Callable[[int], QRectF],
    regions: Sequence[str],
    columns: int,
) -> None:
    """Lines between regions, and each region's word in its first tile.

    Parameters
    ----------
    painter, theme : of the tiles.
    rect_of : where a cell lies.
    regions : of every cell.
    columns : of the layout.
    """
    lines = []
    for cell, region in enumerate(regions):
        rect = rect_of(cell)
        if (cell + 1) % columns and cell + 1 < len(regions) and regions[cell + 1] != region:
            lines.append(QLineF(rect.right(), rect.top(), rect.right(), rect.bottom()))
        if cell + columns < len(regions) and regions[cell + columns] != region:
            lines.append(QLineF(rect.left(), rect.bottom(), rect.right(), rect.bottom()))
    painter.setPen(QPen(theme.color("ink", 0.75), 1.8, Qt.PenStyle.DotLine))
    painter.drawLines(lines)
    painter.setFont(font(7, bold=True))
    for region in dict.fromkeys(regions):
        rect = rect_of(regions.index(region)).adjusted(3, 1, -1, -1)
        wide = painter.fontMetrics().horizontalAdvance(REGION_WORDS[region]) + 4
        # At the foot: the figures stand above it.
        plate = QRectF(rect.left() - 2, rect.bottom() - 11, wide, 11)
        painter.fillRect(plate, theme.color("ink", 0.8))
        painter.setPen(theme.color("sheet"))
        painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, REGION_WORDS[region])


PLACE_PX = 5.0
"""Radius of the mark where the engine was."""


def paint_place(
    painter: QPainter, theme: Theme, points: Sequence[QPointF], leads: bool = True
) -> None:
    """Where the engine was, and the way it came.

    Parameters
    ----------
    painter, theme : of the tiles.
    points : oldest first; the last is where it was.
    leads : draw the way; a curve that is wrapped into lines has none.
    """
    if not points:
        return
    if leads and len(points) > 1:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("danger", 0.55), 2.0))
        painter.drawPolyline(QPolygonF(list(points)))
    painter.setPen(QPen(theme.color("sheet"), 1.5))
    painter.setBrush(theme.color("danger"))
    painter.drawEllipse(points[-1], PLACE_PX, PLACE_PX)


def _paper(painter: QPainter, theme: Theme, rects: list[QRectF], visited: np.ndarray) -> None:
    # Upright lines on whole pixels need no smoothing, and take a third of the time without it.
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)
    painter.setPen(QPen(theme.color("edge", 0.5), 0.0))
    seen = visited.tolist()
    painter.setBrush(theme.color("paper"))
    painter.drawRects([r for r, on in zip(rects, seen, strict=True) if on])
    # Light enough that a number on it can be read.
    painter.setBrush(QBrush(theme.color("faint", 0.16), Qt.BrushStyle.BDiagPattern))
    painter.drawRects([r for r, on in zip(rects, seen, strict=True) if not on])
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)


def _bars(
    painter: QPainter, view: TileView, theme: Theme, rects: list[QRectF], tile: tuple[float, float]
) -> None:
    visited = view.is_seen
    shown = visited | (view.origin != Origin.UNTOUCHED) | (np.nan_to_num(view.bar_pct) != 0.0)
    level = np.ceil(view.solidity * INK_LEVELS).astype(int)
    width, size = tile
    # Nothing is left out of a small tile; the bar only lies along its foot.
    small = is_small(tile)
    half = width / 2 - (1 if small else 4)
    thick = EDGE_PX if small else max(4.0, size * 0.2)
    length = np.nan_to_num(np.clip(view.bar_pct / view.scale_pct, -1, 1)) * half
    reach = np.nan_to_num(np.minimum(view.error_pct / view.scale_pct, 1.0)) * half
    middles: list[QLineF] = []
    whiskers: list[QLineF] = []
    bars: dict[tuple[str, int], list[QRectF]] = {}
    hollow: dict[str, list[QRectF]] = {"add": [], "remove": []}
    is_hollow = view.is_hollow.tolist()
    lengths, reaches, inks, seen = (a.tolist() for a in (length, reach, level, visited))
    # Below the feet of the figures, with a pixel between.
    lift = thick / 2 if small else max(thick / 2 + 1.5, size * 0.18)
    tick = thick / 2 + (0.0 if small else 1.0)
    for cell in np.flatnonzero(shown).tolist():
        rect = rects[cell]
        long = lengths[cell]
        middle = rect.center().x()
        y = rect.bottom() - lift
        middles.append(QLineF(middle, y - tick, middle, y + tick))
        if long:
            bar = QRectF(min(middle, middle + long), y - thick / 2, abs(long), thick)
            purpose = "add" if long > 0 else "remove"
            if is_hollow[cell]:
                hollow[purpose].append(bar)
            else:
                bars.setdefault((purpose, inks[cell]), []).append(bar)
        # An edge has no room for one; the figure ± % and the tooltip have it.
        if not small and seen[cell] and reaches[cell] > 0 and not is_hollow[cell]:
            low = max(middle + long - reaches[cell], rect.left() + 2)
            high = min(middle + long + reaches[cell], rect.right() - 2)
            whiskers.append(QLineF(low, y, high, y))
    painter.setPen(QPen(theme.color("faint", 0.8), 1.0))
    painter.drawLines(middles)
    painter.setPen(Qt.PenStyle.NoPen)
    for (purpose, ink), group in bars.items():
        painter.setBrush(theme.color(purpose, 0.3 + 0.7 * ink / INK_LEVELS))
        painter.drawRects(group)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for purpose, outlines in hollow.items():
        painter.setPen(QPen(theme.color(purpose), 1.0, Qt.PenStyle.DashLine))
        # One by one: dashes of several would go on from one to the next.
        for outline in outlines:
            painter.drawRect(outline)
    painter.setPen(QPen(theme.color("ink", 0.8), 1.0))
    painter.drawLines(whiskers)


def _numbers(
    painter: QPainter,
    view: TileView,
    theme: Theme,
    rects: list[QRectF],
    tile: tuple[float, float],
    longest: str,
) -> None:
    # Figures that run into each other say nothing; the bars and the tooltip still do.
    width, height = tile
    if height < LEAST_FIGURES_PX:
        return
    visited = view.is_seen
    small = is_small(tile)
    right = 2 if small else 4
    room = width - 3 - right
    # Figures are as high as the room above the edge; a point is 4/3 of a pixel.
    most = min(8.5, (height - EDGE_PX) * FIGURES_PT_PER_PX) if small else 8.5
    painter.setFont(fitting_font(painter, (longest,), room, most))
    metrics = painter.fontMetrics()
    # A curve's tiles carry their point in the corner; the value keeps clear of it.
    top = 0.0 if small else float(POINT_PX if len(view.table.axes) == 1 else 1)
    lift = EDGE_PX if small else height * 0.36
    feet = top + (height - top - lift + metrics.ascent() - metrics.descent()) / 2.0
    # In a picture of lines figures stay text; on the screen they are kept as they were laid out.
    in_lines = painter.paintEngine().type() is QPaintEngine.Type.SVG
    head = feet - metrics.ascent()
    size = painter.font().pointSizeF()
    # Tabular figures: texts of one build are of one width.
    wide: dict[tuple[int, int, str], float] = {}
    for seen in (False, True):
        painter.setPen(theme.color("ink", 1.0 if seen else 0.85))
        for place in np.flatnonzero(visited == seen).tolist():
            text = view.text[place]
            if not text:
                continue
            key = (len(text), text.count("."), "" if text[0].isdigit() else text[0])
            if key not in wide:
                wide[key] = float(metrics.horizontalAdvance(text))
            rect = rects[place]
            x = rect.right() - right - wide[key]
            if in_lines:
                painter.drawText(QPointF(x, rect.top() + feet), text)
            else:
                painter.drawStaticText(QPointF(x, rect.top() + head), laid_out(text, size))


@lru_cache(maxsize=KEPT_TEXTS)
def laid_out(text: str, size: float) -> QStaticText:
    """A figure as it is laid out; most of what a figure costs is that.

    Parameters
    ----------
    text : digits.
    size : of its font in points, for which it is kept.

    Returns
    -------
    The same object every time.
    """
    made = QStaticText(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    return made


def _points(painter: QPainter, theme: Theme, rects: list[QRectF], texts: Sequence[str]) -> None:
    """The points of a curve in the corners of its tiles."""
    painter.setPen(theme.color("faint"))
    painter.setFont(font(7))
    for rect, text in zip(rects, texts, strict=True):
        painter.drawText(rect.adjusted(3, 2, -2, 0), TOP_LEFT, text)


def fitting_font(painter: QPainter, texts: Sequence[str], room: float, size: float) -> QFont:
    """The font in which the widest of the texts fits; cut figures are worse than small ones.

    Parameters
    ----------
    painter : measures.
    texts : figures; the longest one decides.
    room : width, px.
    size : in points, where there is room enough.
    """
    longest = max(texts, key=len, default="")
    # Step by step: hinting keeps widths from being in proportion to sizes.
    while size > SMALLEST_FIGURES:
        painter.setFont(font(size))
        if painter.fontMetrics().horizontalAdvance(longest) <= room:
            break
        size -= FIGURES_STEP
    return font(max(size, SMALLEST_FIGURES))


SMALL_MARK = 0.6
"""Size of corner marks in a small tile, where they would lie over the figures."""


def _marks(
    painter: QPainter, theme: Theme, rects: list[QRectF], view: TileView, size: float
) -> None:
    """Corner marks: filled triangle = accepted, hollow diamond = by hand, padlock = pinned.

    A filled triangle in the lower right corner needs a word.
    """
    side, reach = 8.0 * size, 4.0 * size
    top_left = ((0.0, 0.0), (side, 0.0), (0.0, side))
    diamond = ((0.0, -reach), (reach, 0.0), (0.0, reach), (-reach, 0.0))
    low_right = ((0.0, 0.0), (-side, 0.0), (0.0, -side))
    ink = theme.color("accent")
    of_cells = np.flatnonzero(view.origin == Origin.ACCEPTED).tolist()
    _fill(painter, [rects[cell].topLeft() for cell in of_cells], top_left, ink)
    inset = QPointF(1.5 * reach, 1.5 * reach)
    by_hand = np.flatnonzero(view.origin == Origin.BY_HAND).tolist()
    middles = [rects[cell].topLeft() + inset for cell in by_hand]
    # Lines, and not one path: stroking a path of a thousand diamonds takes ten times as long.
    painter.setPen(QPen(ink, 1.4))
    painter.drawLines(_outlines(middles, diamond))
    asked = np.flatnonzero(view.warned).tolist()
    _fill(painter, [rects[c].bottomRight() for c in asked], low_right, theme.color("danger"))
    painter.setPen(QPen(theme.color("ink"), 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for place in np.flatnonzero(view.pinned).tolist():
        x, y = rects[place].left(), rects[place].top()
        painter.drawArc(QRectF(x + 4, y + 2.5, 5, 7), 0, 180 * 16)
        painter.fillRect(QRectF(x + 3, y + 6, 7, 5), theme.color("ink"))


Corners = tuple[tuple[float, float], ...]


def _fill(painter: QPainter, places: list[QPointF], corners: Corners, ink: QColor) -> None:
    """The same small shape at every place: painted once, then stamped."""
    if painter.paintEngine().type() is QPaintEngine.Type.SVG:
        painter.fillPath(_shapes(places, corners), ink)
        return
    if not places:
        return
    reach = math.ceil(max(abs(v) for corner in corners for v in corner)) + 1
    ratio = painter.device().devicePixelRatio()
    stamp = QPixmap(QSize(2 * reach, 2 * reach) * ratio)
    stamp.setDevicePixelRatio(ratio)
    stamp.fill(Qt.GlobalColor.transparent)
    with QPainter(stamp) as hand:
        hand.setRenderHint(QPainter.RenderHint.Antialiasing)
        # Tiles begin half a pixel inside whole ones, and so do their corners.
        hand.fillPath(_shapes([QPointF(reach + 0.5, reach + 0.5)], corners), ink)
    for place in places:
        painter.drawPixmap(place - QPointF(reach + 0.5, reach + 0.5), stamp)


def _outlines(places: list[QPointF], corners: Corners) -> list[QLineF]:
    """The same outline at every place, as lines."""
    sides = [
        QLineF(*start, *end) for start, end in zip(corners, (*corners[1:], corners[0]), strict=True)
    ]
    return [side.translated(place) for place in places for side in sides]


def _shapes(places: list[QPointF], corners: Corners) -> QPainterPath:
    """The same shape at every place: one path, as one call paints faster than hundreds."""
    shape = QPainterPath()
    shape.addPolygon(QPolygonF([QPointF(*corner) for corner in corners]))
    shape.closeSubpath()
    path = QPainterPath()
    for place in places:
        path.addPath(shape.translated(place))
    return path
