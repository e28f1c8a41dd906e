"""A curve with points that are chosen, dragged, nudged and typed over: the same for every table."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.data.tables import Table
from lean_trim.core.explore.slices import Slice
from lean_trim.core.text import evenly_written, signed
from lean_trim.core.types import Floats
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.curve_scale import CurveScale, ticks
from lean_trim.ui.widgets.picture import columns_text, offer_picture
from lean_trim.ui.widgets.tile_view import solidity_of

LEFT = 62.0
RIGHT = 16.0
TOP = 30.0
BOTTOM = 36.0
POINT_PX = 4.0
NEAR_PX = 24.0
"""How far from a point a click still means it, along the axis."""
DRAG_PX = 3
"""A hand that trembles while it clicks does not drag."""


@dataclass(frozen=True)
class Look:
    """How the curve is looked at: as percent of what was driven, on logarithmic axes, along which axis."""

    percent: bool = False
    log_across: bool = False
    log_up: bool = False
    along: int = 1


KEYS = (
    ("driven", "faint", Qt.PenStyle.DashLine, 1.4, "driven"),
    ("proposed", "add", Qt.PenStyle.DotLine, 1.6, "proposed"),
    ("truth", "remove", Qt.PenStyle.DashDotLine, 1.4, "true"),
    ("decided", "accent", Qt.PenStyle.SolidLine, 2.2, "decided"),
)
"""Lines in the order they are drawn: part of the slice, colour, dash, width, word."""


class CurvePlot(QWidget):
    """Shows a slice. Whoever inherits cuts it (``cut``) and keeps the choice (``chosen``, ``choose``)."""

    typed = Signal(str)
    nudged = Signal(float, bool)
    hovered = Signal(str)
    menu_wanted = Signal(QPoint)
    dragged = Signal(int, float)
    """Flat index of a cell, and the value it was dragged to, in the ECU's own numbers."""

    def __init__(self, appearance: Appearance, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.look = Look()
        self.slice: Slice | None = None
        self.scale: CurveScale | None = None
        self._pull: tuple[int, float, float] | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(name)
        appearance.changed.connect(self.update)
        self.pictured = offer_picture(self, "curve", self.numbers, menu=False)

    # ---- what whoever inherits says --------------------------------------------------------------

    @property
    def table(self) -> Table | None:
        """The table that is cut."""
        return None

    @property
    def chosen(self) -> frozenset[int]:
        """Flat indices of the chosen cells."""
        return frozenset()

    def choose(self, cells: frozenset[int]) -> None:
        """Choose cells."""

    def cut(self) -> Slice | None:
        """The slice as it stands now, in the units of the look; None without a table."""
        return None

    @property
    def current(self) -> int:
        """The cell the slice goes through: the first chosen one."""
        return min(self.chosen) if self.chosen else 0

    def show_look(self, look: Look) -> None:
        """Look at it another way."""
        self.look = look
        self.refresh()

    def refresh(self) -> None:
        """Cut anew through what is decided now."""
        if not self.isVisible():
            return
        self.slice = self.cut()
        self._fit()
        self.update()

    def showEvent(self, event: object) -> None:
        """What changed while it was hidden is looked at now."""
        self.refresh()

    def _fit(self) -> None:
        """Scales that hold every line."""
        if self.slice is None:
            self.scale = None
            return
        s = self.slice
        values = np.concatenate(
            [s.driven, s.decided, s.proposed, s.low, s.high, s.averaged, s.truth]
        )
        area = QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)
        self.scale = CurveScale(
            area,
            s.axis.shown,
            values[np.isfinite(values)],
            log_across=self.look.log_across,
            log_up=self.look.log_up and not self.look.percent,
        )

    def numbers(self) -> str:
        """Every line of the picture, over the axis."""
        s = self.slice
        if s is None:
            return ""
        parts = ("driven", "decided", "proposed", "asked", "low", "high", "averaged", "truth")
        columns = {f"{s.axis.name}, {s.axis.shown_unit}": s.axis.shown}
        columns |= {f"{part}, {s.unit}": getattr(s, part) for part in parts}
        return columns_text(columns | {"used driving, s": s.seconds})

    # ---- painting ------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Axes, band, lines, points."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.fillRect(self.rect(), theme.color("sheet"))
        if self.slice is None:
            return
        self._fit()
        assert self.scale is not None
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._axes(p, self.scale, self.slice)
        self._band(p, self.scale, self.slice)
        for part, purpose, dash, width, _ in KEYS:
            self._line(p, self.scale, getattr(self.slice, part), purpose, dash, width)
        self._points(p, self.scale, self.slice)
        self._key(p, self.slice)

    def _axes(self, p: QPainter, scale: CurveScale, s: Slice) -> None:
        theme = self.appearance.theme
        area = scale.area
        p.setFont(font(8))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for value in ticks(scale.low, scale.high, scale.log_up):
            y = scale.y(value)
            p.setPen(QPen(theme.color("edge", 1.0 if value == 0.0 else 0.5), 1.0))
            p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            p.setPen(theme.color("faint"))
            # A zero that was rounded from below has no sign.
            text = f"{value:+g} %" if self.look.percent and value else f"{value + 0.0:g}"
            p.drawText(QRectF(0, y - 8, LEFT - 6, 16), right, text)
        p.setPen(theme.color("faint"))
        free = -np.inf
        for value, text in zip(s.axis.shown, evenly_written(s.axis.shown.tolist()), strict=True):
            x = scale.x(float(value))
            width = p.fontMetrics().horizontalAdvance(text)
            # Where points crowd, those that would run into each other go unnamed.
            if x - width / 2 > free:
                box = QRectF(x - 40, area.bottom() + 3, 80, 14)
                p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
                free = x + width / 2 + 4
        below = QRectF(area.left(), area.bottom() + 18, area.width(), 14)
        at = f", at {s.place}" if s.place else ""
        p.drawText(below, Qt.AlignmentFlag.AlignRight, f"{s.axis.name}, {s.axis.shown_unit}{at}")
        p.drawText(QRectF(4, 6, LEFT - 10, 14), right, s.unit)

    def _band(self, p: QPainter, scale: CurveScale, s: Slice) -> None:
        """One standard error to either side of what is asked, where anything is."""
        known = np.isfinite(s.low) & np.isfinite(s.high)
        if not known.any():
            return
        x = [scale.x(float(v)) for v in s.axis.shown[known]]
        low = [scale.y(float(v)) for v in s.low[known]]
        high = [scale.y(float(v)) for v in s.high[known]]
        points = [QPointF(a, b) for a, b in zip(x, low, strict=True)]
        points += [QPointF(a, b) for a, b in zip(x[::-1], high[::-1], strict=True)]
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(self.appearance.theme.color("add", 0.16))
        p.drawPolygon(QPolygonF(points))
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _line(
        self,
        p: QPainter,
        scale: CurveScale,
        values: Floats,
        purpose: str,
        dash: Qt.PenStyle,
        width: float,
    ) -> None:
        assert self.slice is not None
        known = np.isfinite(values)
        if not known.any():
            return
        pairs = zip(self.slice.axis.shown[known].tolist(), values[known].tolist(), strict=True)
        p.setPen(QPen(self.appearance.theme.color(purpose), width, dash))
        p.drawPolyline(QPolygonF([QPointF(scale.x(x), scale.y(y)) for x, y in pairs]))

    def _points(self, p: QPainter, scale: CurveScale, s: Slice) -> None:
        theme = self.appearance.theme
        chosen = self.chosen
        solid = solidity_of(s.seconds)
        for place, cell in enumerate(s.cells.tolist()):
            x = scale.x(float(s.axis.shown[place]))
            if np.isfinite(s.averaged[place]):
                p.setPen(QPen(theme.color("ink", 0.8), 1.0))
                p.setBrush(Qt.BrushStyle.NoBrush)
                y = scale.y(float(s.averaged[place]))
                p.drawRect(QRectF(x - 3, y - 3, 6, 6))
            value = float(s.decided[place])
            if self._pull is not None and self._pull[0] == cell:
                value = self._pull[2]
            # As on the tiles: the paler, the fewer seconds stand behind it.
            p.setPen(QPen(theme.color("accent"), 1.4))
            ink = theme.color("accent", 0.25 + 0.75 * float(solid[place]))
            p.setBrush(ink if s.seconds[place] > 0.05 else theme.color("sheet"))
            p.drawEllipse(QPointF(x, scale.y(value)), POINT_PX, POINT_PX)
            if cell in chosen:
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.setPen(QPen(theme.color("select"), 2.0))
                p.drawEllipse(QPointF(x, scale.y(value)), POINT_PX + 4, POINT_PX + 4)
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _key(self, p: QPainter, s: Slice) -> None:
        """What the lines are, in a line above them."""
        theme = self.appearance.theme
        p.setFont(font(8))
        x = LEFT
        for part, purpose, dash, width, word in KEYS:
            if not np.isfinite(getattr(s, part)).any():
                continue
            p.setPen(QPen(theme.color(purpose), width, dash))
            p.drawLine(QPointF(x, 13), QPointF(x + 22, 13))
            x = self._word(p, x + 26, word)
        if np.isfinite(s.low).any():
            p.fillRect(QRectF(x, 8, 22, 10), theme.color("add", 0.25))
            x = self._word(p, x + 26, "asked, ±1 std. error")
        if np.isfinite(s.averaged).any():
            p.setPen(QPen(theme.color("ink", 0.8), 1.0))
            p.drawRect(QRectF(x + 8, 10, 6, 6))
            self._word(p, x + 20, "cell averages")

    def _word(self, p: QPainter, x: float, word: str) -> float:
        p.setPen(self.appearance.theme.color("faint"))
        width = p.fontMetrics().horizontalAdvance(word)
        p.drawText(QRectF(x, 5, width + 2, 16), Qt.AlignmentFlag.AlignVCenter, word)
        return x + width + 14

    # ---- hands ---------------------------------------------------------------------------------

    def place_at(self, x: float) -> int | None:
        """The place along the slice a point of the widget means."""
        if self.slice is None or self.scale is None:
            return None
        far = np.abs([self.scale.x(float(v)) - x for v in self.slice.axis.shown])
        place = int(np.argmin(far))
        return place if far[place] <= NEAR_PX or LEFT <= x <= self.width() - RIGHT else None

    def point_of(self, place: int) -> QPointF:
        """Where a point is painted."""
        assert self.slice is not None and self.scale is not None
        s = self.slice
        x = self.scale.x(float(s.axis.shown[place]))
        return QPointF(x, self.scale.y(float(s.decided[place])))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose the nearest point; Shift chooses all between."""
        if event.button() is not Qt.MouseButton.LeftButton or self.slice is None:
            return
        place = self.place_at(event.position().x())
        if place is None:
            return
        cell = int(self.slice.cells[place])
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier and self.chosen:
            on = [p for p, c in enumerate(self.slice.cells.tolist()) if c in self.chosen]
            first, last = min([*on, place]), max([*on, place])
            cells = self.slice.cells[first : last + 1].tolist()
            self.choose(frozenset(cells))
            return
        value = float(self.slice.decided[place])
        self.choose(frozenset({cell}))
        self._pull = (cell, event.position().y(), value)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the point up or down; say what is under the pointer."""
        place = self.place_at(event.position().x())
        if self.slice is not None and place is not None:
            self.hovered.emit(self._said(place))
        if self._pull is None or self.scale is None:
            return
        cell, began, _ = self._pull
        if abs(event.position().y() - began) >= DRAG_PX:
            self._pull = (cell, -1e9, self.scale.value(event.position().y()))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The point stands where it was let go, if it was dragged."""
        pull = self._pull
        self._pull = None
        if pull is not None and pull[1] == -1e9:
            self.dragged.emit(pull[0], self._in_own(pull[0], pull[2]))
        self.update()

    def _in_own(self, cell: int, value: float) -> float:
        """A value of the picture in the ECU's own numbers."""
        table = self.table
        if not self.look.percent or table is None:
            return value
        driven = table.values.ravel()[cell]
        return float(table.own_of(np.array([driven * (1.0 + value / 100.0)]))[0])

    def _said(self, place: int) -> str:
        s = self.slice
        assert s is not None
        at = evenly_written(s.axis.shown.tolist())[place]
        text = f"{at} {s.axis.shown_unit}: driven {s.driven[place]:.4g}, decided {s.decided[place]:.4g}"
        if np.isfinite(s.asked[place]):
            text += f", asked {s.asked[place]:.4g}"
        step = 100.0 * (s.decided[place] / s.driven[place] - 1.0) if not self.look.percent else None
        change = f" ({signed(step)} %)" if step is not None and np.isfinite(step) else ""
        driving = f", {s.seconds[place]:.1f} s of used driving" if s.seconds.any() else ""
        return f"{text} {s.unit}{change}{driving}"

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with the chosen points; the one that was pressed, where it is not chosen."""
        place = self.place_at(event.pos().x())
        if self.slice is not None and place is not None:
            cell = int(self.slice.cells[place])
            if cell not in self.chosen:
                self.choose(frozenset({cell}))
        self.menu_wanted.emit(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right walk along, Page Up and Down nudge, digits are typed over the point."""
        if self.slice is None:
            return
        cells = self.slice.cells.tolist()
        at = next((p for p, c in enumerate(cells) if c in self.chosen), 0)
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            to = min(max(at + step, 0), len(cells) - 1)
            chosen = {cells[to]}
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                chosen |= self.chosen
            self.choose(frozenset(chosen))
            self.hovered.emit(self._said(to))
        elif event.key() in NUDGES:
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            pct = NUDGES[Qt.Key(event.key())] * (0.2 if fine else 1.0)
            self.nudged.emit(pct, event.isAutoRepeat())
        elif event.text() and event.text() in "+-x=*0123456789":
            self.typed.emit(event.text())
        else:
            super().keyPressEvent(event)


NUDGES = {
    Qt.Key.Key_PageUp: 1.0,
    Qt.Key.Key_PageDown: -1.0,
    Qt.Key.Key_Up: 1.0,
    Qt.Key.Key_Down: -1.0,
}
"""Keys that raise and lower the chosen points."""
