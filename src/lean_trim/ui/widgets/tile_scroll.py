"""Room for a table with more tiles than fit: heads that stay, bars that move the tiles below them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPoint, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QScrollBar, QWidget

LEAST_TILE_W = 28
"""Below this three figures cannot be read, px."""
LEAST_TILE_H = 15
BAR_PX = 12
ROWS_A_NOTCH = 3
NOTCH = 120
"""What Qt tells of one notch of a wheel, eighths of a degree."""


@dataclass(frozen=True)
class Room:
    """How tiles lie in a widget.

    Attributes
    ----------
    head : width and height of the heads, px.
    tile : width and height of a tile, px.
    body : what is seen of the tiles, px.
    whole : heads and all tiles, px.
    """

    head: tuple[int, int]
    tile: tuple[float, float]
    body: QSize
    whole: QSize

    @property
    def beyond(self) -> QPoint:
        """How far the tiles can be moved, px."""
        return QPoint(
            max(0, self.whole.width() - self.head[0] - self.body.width()),
            max(0, self.whole.height() - self.head[1] - self.body.height()),
        )


def room_for(
    size: QSize, head: tuple[int, int], margin: int, rows: int, columns: int, foot: int = 0
) -> Room:
    """Lay tiles out: as large as fit, but never below what can be read.

    Parameters
    ----------
    size : of the widget, px.
    head : width and height of the heads, px.
    margin : right of the tiles and below them, px.
    rows, columns : of the table.
    foot : left free below, px.

    Returns
    -------
    The layout.
    """
    wide = size.width() - head[0] - margin
    high = size.height() - head[1] - margin - foot
    across = columns * LEAST_TILE_W > wide
    down = rows * LEAST_TILE_H > high
    # A bar takes room, which may call for the other one.
    down = down or (across and rows * LEAST_TILE_H > high - BAR_PX)
    across = across or (down and columns * LEAST_TILE_W > wide - BAR_PX)
    wide -= BAR_PX if down else 0
    high -= BAR_PX if across else 0
    tile = (LEAST_TILE_W if across else wide / columns, LEAST_TILE_H if down else high / rows)
    whole = QSize(round(head[0] + columns * tile[0]), round(head[1] + rows * tile[1]))
    return Room(head=head, tile=tile, body=QSize(max(wide, 0), max(high, 0)), whole=whole)


class TileScroll:
    """The two bars of a grid of tiles; shown where tiles do not fit."""

    def __init__(self, widget: QWidget, moved: Callable[[], None]) -> None:
        self.across = QScrollBar(Qt.Orientation.Horizontal, widget)
        self.down = QScrollBar(Qt.Orientation.Vertical, widget)
        for bar, name in ((self.across, "columns"), (self.down, "rows")):
            bar.setAccessibleName(f"Other {name} of the table")
            bar.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            bar.valueChanged.connect(lambda _: moved())
            bar.hide()

    @property
    def offset(self) -> QPoint:
        """How far the tiles are moved, px."""
        return QPoint(self.across.value(), self.down.value())

    def fit(self, room: Room) -> None:
        """Show the bars a layout needs."""
        beyond = room.beyond
        left, top = room.head
        w, h = room.body.width(), room.body.height()
        for bar, far, page, place in (
            (self.across, beyond.x(), w, QRect(left, top + h, w, BAR_PX)),
            (self.down, beyond.y(), h, QRect(left + w, top, BAR_PX, h)),
        ):
            bar.setRange(0, far)
            bar.setPageStep(max(page, 1))
            bar.setVisible(far > 0)
            bar.setGeometry(place)
        self.across.setSingleStep(round(room.tile[0]))
        self.down.setSingleStep(round(room.tile[1]))

    def show_rect(self, rect: QRectF, room: Room) -> None:
        """Move the tiles as little as brings one of them into view.

        Parameters
        ----------
        rect : of the tile where it is now, px.
        room : the layout.
        """
        left, top = room.head
        for bar, low, high, first, page in (
            (self.across, rect.left(), rect.right(), left, room.body.width()),
            (self.down, rect.top(), rect.bottom(), top, room.body.height()),
        ):
            if low < first:
                bar.setValue(bar.value() - round(first - low))
            elif high > first + page:
                bar.setValue(bar.value() + round(high - first - page))

    def turn(self, angle: QPoint, sideways: bool) -> bool:
        """Move by the wheel.

        Parameters
        ----------
        angle : as Qt tells it.
        sideways : Shift is held.

        Returns
        -------
        False where nothing can be moved.
        """
        by_wheel = angle.y() or angle.x()
        flat = sideways or (angle.x() and not angle.y()) or not self.down.isVisible()
        bar = self.across if flat else self.down
        if bar.maximum() == 0:
            return False
        bar.setValue(bar.value() - round(ROWS_A_NOTCH * bar.singleStep() * by_wheel / NOTCH))
        return True


def draw_moved(painter: QPainter, picture: QPixmap, room: Room, offset: QPoint) -> None:
    """Draw the picture of a whole table with its tiles moved below heads that stay.

    Parameters
    ----------
    painter : of the widget.
    picture : heads and all tiles.
    room : the layout.
    offset : how far the tiles are moved, px.
    """
    ratio = picture.devicePixelRatio()
    left, top = room.head
    w, h = room.body.width(), room.body.height()
    for target, source in (
        (QRectF(0, 0, left, top), QPoint(0, 0)),
        (QRectF(left, 0, w, top), QPoint(left + offset.x(), 0)),
        (QRectF(0, top, left, h), QPoint(0, top + offset.y())),
        (QRectF(left, top, w, h), QPoint(left + offset.x(), top + offset.y())),
    ):
        start = QRectF(source.x() * ratio, source.y() * ratio, 0, 0)
        start.setSize(target.size() * ratio)
        painter.drawPixmap(target, picture, start)
