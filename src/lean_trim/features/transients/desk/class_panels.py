"""One panel a class of quick changes: events thin, their mean thick, what is expected then dashed."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.text import clock, signed
from lean_trim.core.transients.classes import ClassKey, TransientClass
from lean_trim.core.transients.errors import AFTER_S, BEFORE_S, GRID, SETTLED_PCT
from lean_trim.core.transients.events import Transient
from lean_trim.core.transients.needed import Change
from lean_trim.core.types import Floats
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.picture import columns_text, offer_picture

PANEL_W = 218
PANEL_H = 148
GAP = 10
LEFT = 36.0
TOP = 28.0
BOTTOM = 20.0
RIGHT = 14.0
LEAST_PCT = 10.0
"""Half of the least range shown."""
MOST_PCT = 40.0
NEAR_PX = 7.0
STEPS_PCT = (5.0, 10.0, 20.0)


@dataclass(frozen=True, eq=False)
class Panel:
    """What one panel shows.

    Attributes
    ----------
    one : the class.
    change : what is proposed for it, None for nothing.
    earlier : its mean in rounds before, with their numbers.
    """

    one: TransientClass
    change: Change | None
    earlier: tuple[tuple[int, Floats], ...]


def title_of(key: ClassKey) -> str:
    """A class in a few words.

    Returns kind, size and engine speed.
    """
    high = "" if math.isinf(key.rpm_to) else f"{key.rpm_to:.0f}"
    speed = (
        f"{key.rpm_from:.0f}–{high} rpm"
        if key.rpm_from and high
        else f"< {high} rpm"
        if high
        else f"> {key.rpm_from:.0f} rpm"
    )
    return f"{str(key.kind).capitalize()}, {key.size}, {speed}{'' if key.warm else ', cold'}"


class ClassPanels(QWidget):
    """Paints the panels in rows, as many as fit beside each other."""

    chosen = Signal(object)

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.panels: tuple[Panel, ...] = ()
        self.nothing = ""
        self.setMouseTracking(True)
        self.setAccessibleName("Quick changes by class: lambda error over the time from the edge")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.MinimumExpanding)
        appearance.changed.connect(self.update)
        offer_picture(self, "quick-changes", self.numbers)

    def numbers(self) -> str:
        """Mean of each class over the time from the edge."""
        means = {f"{title_of(panel.one.key)}, %": panel.one.mean_pct for panel in self.panels}
        return columns_text({"s from the edge": GRID, **means}) if means else ""

    def show_panels(self, panels: Sequence[Panel], nothing: str) -> None:
        """Show other classes; ``nothing`` says why there are none."""
        self.panels = tuple(panels)
        self.nothing = nothing
        self._fit()
        self.update()

    @property
    def columns(self) -> int:
        """Panels beside each other."""
        return max(1, (self.width() + GAP) // (PANEL_W + GAP))

    def sizeHint(self) -> QSize:
        """Two panels beside each other."""
        return QSize(2 * PANEL_W + GAP, 2 * PANEL_H + GAP)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Another width has other rows."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        rows = math.ceil(len(self.panels) / self.columns)
        self.setMinimumHeight(max(PANEL_H, rows * (PANEL_H + GAP)))

    def area(self, place: int) -> QRectF:
        """Where a panel lies."""
        row, column = divmod(place, self.columns)
        width = (self.width() - GAP * (self.columns - 1)) / self.columns
        return QRectF(column * (width + GAP), row * (PANEL_H + GAP), width, PANEL_H)

    def paintEvent(self, event: QPaintEvent) -> None:
        """All panels."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.panels:
            p.setFont(font(9.5))
            p.setPen(self.appearance.theme.color("faint"))
            p.drawText(
                self.rect().adjusted(20, 10, -20, -10),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.nothing,
            )
            return
        for place, panel in enumerate(self.panels):
            area = self.area(place)
            if area.intersects(QRectF(event.rect())):
                self._panel(p, area, panel)

    def _panel(self, p: QPainter, area: QRectF, panel: Panel) -> None:
        theme = self.appearance.theme
        p.fillRect(area, theme.color("sheet"))
        p.setPen(theme.color("edge"))
        p.drawRect(area)
        p.setFont(font(8.0, bold=True))
        p.setPen(theme.color("ink"))
        head = QRectF(area.left() + 6, area.top() + 2, area.width() - 50, 16)
        p.drawText(head, Qt.AlignmentFlag.AlignVCenter, title_of(panel.one.key))
        p.setFont(font(8.0))
        p.setPen(theme.color("faint"))
        count = QRectF(area.right() - 46, area.top() + 2, 40, 16)
        p.drawText(
            count,
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            f"{len(panel.one.events)} ×",
        )
        scale = _Scale(area, _range_of(panel))
        self._axes(p, scale)
        p.save()
        p.setClipRect(scale.plot)
        for measured in panel.one.events:
            _line(p, scale, measured.error_pct, QPen(theme.color("ink", 0.28), 1.0))
        for _, mean in panel.earlier:
            _line(p, scale, mean, QPen(theme.color("faint"), 1.6, Qt.PenStyle.DotLine))
        _line(p, scale, panel.one.mean_pct, QPen(theme.color("ink"), 2.2))
        if panel.change is not None:
            _line(p, scale, panel.change.modelled_pct, QPen(theme.color("accent", 0.7), 1.0))
            _line(
                p,
                scale,
                panel.change.expected_pct,
                QPen(theme.color("accent"), 1.8, Qt.PenStyle.DashLine),
            )
        p.restore()

    def _axes(self, p: QPainter, scale: _Scale) -> None:
        theme = self.appearance.theme
        band = QRectF(
            scale.plot.left(),
            scale.y(SETTLED_PCT),
            scale.plot.width(),
            scale.y(-SETTLED_PCT) - scale.y(SETTLED_PCT),
        )
        p.fillRect(band, theme.color("edge", 0.25))
        p.setFont(font(7.0))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        step = next((s for s in STEPS_PCT if scale.most / s <= 2.6), STEPS_PCT[-1])
        for number in range(-int(scale.most // step), int(scale.most // step) + 1):
            y = scale.y(number * step)
            p.setPen(QPen(theme.color("edge", 1.0 if number == 0 else 0.4), 1.0))
            p.drawLine(QPointF(scale.plot.left(), y), QPointF(scale.plot.right(), y))
            p.setPen(theme.color("faint"))
            text = "0" if number == 0 else f"{signed(number * step, 0)} %"
            p.drawText(QRectF(scale.area.left(), y - 7, LEFT - 4, 14), right, text)
        for second in range(int(AFTER_S) + 1):
            x = scale.x(float(second))
            p.setPen(QPen(theme.color("edge", 0.7 if second == 0 else 0.3), 1.0))
            p.drawLine(QPointF(x, scale.plot.top()), QPointF(x, scale.plot.bottom()))
            p.setPen(theme.color("faint"))
            text = f"{second} s" if second else "edge"
            p.drawText(
                QRectF(x - 20, scale.plot.bottom() + 2, 40, 14), Qt.AlignmentFlag.AlignCenter, text
            )

    def event_at(self, point: QPoint) -> Transient | None:
        """The change whose trace passes nearest below the pointer, None if none is near."""
        for place, panel in enumerate(self.panels):
            area = self.area(place)
            if not area.contains(QPointF(point)):
                continue
            scale = _Scale(area, _range_of(panel))
            at = scale.seconds(point.x())
            heights = [scale.y(float(np.interp(at, GRID, m.error_pct))) for m in panel.one.events]
            away = [abs(h - point.y()) if math.isfinite(h) else math.inf for h in heights]
            nearest = int(np.argmin(away))
            return panel.one.events[nearest].event if away[nearest] <= NEAR_PX else None
        return None

    def hint_at(self, point: QPoint) -> str:
        """What stands under the pointer."""
        event = self.event_at(point)
        if event is not None:
            return f"At {clock(event.edge_s)}, {event.rpm:.0f} rpm. A click shows it on the tape."
        for place, panel in enumerate(self.panels):
            if self.area(place).contains(QPointF(point)):
                return _words(panel)
        return ""

    def event(self, event: QEvent) -> bool:
        """Hints are tooltips."""
        return show_hint(self, event, self.hint_at) or super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose the change under the pointer."""
        found = self.event_at(event.position().toPoint())
        if found is not None:
            self.chosen.emit(found)


def _words(panel: Panel) -> str:
    lean = panel.one.mean_of("lean_pct")[0]
    rich = panel.one.mean_of("rich_pct")[0]
    settles = panel.one.mean_of("settles_s")[0]
    said = (
        f"{title_of(panel.one.key)}: {lean:.1f} % lean and {rich:.1f} % rich at most, settled "
        f"after {settles:.1f} s. Thin: single changes; thick: their mean"
    )
    if panel.change is not None:
        said += "; fine: as film, pipe and sensor explain it; dashed: expected once the proposal is written"
    if panel.earlier:
        said += f"; dotted: round {', '.join(str(n) for n, _ in panel.earlier)}"
    return f"{said}. The band is ±{SETTLED_PCT:.0f} %."


def _range_of(panel: Panel) -> float:
    known = panel.one.mean_pct[np.isfinite(panel.one.mean_pct)]
    most = float(np.abs(known).max()) if len(known) else 0.0
    return float(np.clip(1.25 * most, LEAST_PCT, MOST_PCT))


def _line(p: QPainter, scale: _Scale, values: Floats, pen: QPen) -> None:
    p.setPen(pen)
    known = np.flatnonzero(np.isfinite(values))
    # A trace with a hole is drawn in pieces.
    for piece in np.split(known, np.flatnonzero(np.diff(known) > 1) + 1):
        p.drawPolyline(
            QPolygonF([QPointF(scale.x(float(GRID[i])), scale.y(float(values[i]))) for i in piece])
        )


class _Scale:
    """Where times and errors lie in a panel."""

    def __init__(self, area: QRectF, most: float) -> None:
        self.area = area
        self.most = most
        self.plot = area.adjusted(LEFT, TOP, -RIGHT, -BOTTOM)

    def x(self, seconds: float) -> float:
        return self.plot.left() + (seconds + BEFORE_S) / (AFTER_S + BEFORE_S) * self.plot.width()

    def seconds(self, x: float) -> float:
        return (x - self.plot.left()) / self.plot.width() * (AFTER_S + BEFORE_S) - BEFORE_S

    def y(self, percent: float) -> float:
        # Lean is up, as on the tape.
        return self.plot.center().y() - percent / self.most * self.plot.height() / 2.0


def panels_of(
    classes: Sequence[TransientClass],
    changes: Sequence[Change],
    earlier: Mapping[ClassKey, tuple[tuple[int, TransientClass], ...]],
) -> tuple[Panel, ...]:
    """Panels for classes of which more than one change was seen, those with a proposal first.

    Returns in the order they are shown.
    """
    by_class = {id(c.of): c for c in changes}
    often = [c for c in classes if len(c.events) > 1]
    often.sort(key=lambda c: id(c) not in by_class)
    return tuple(
        Panel(c, by_class.get(id(c)), tuple((n, e.mean_pct) for n, e in earlier.get(c.key, ())))
        for c in often
    )
