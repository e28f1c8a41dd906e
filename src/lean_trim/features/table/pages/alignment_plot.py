"""Lambda around the quick changes, before and after alignment, one strip above the other."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.explore.alignment import SHOWN, Alignment, Kind
from lean_trim.core.types import Floats
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.picture import columns_text, offer_picture

LEFT = 30.0
RIGHT = 6.0
TITLE = 30.0
FOOT = 16.0
FEW = 14
NO_CHANGE = "No quick change of this kind in the log: the delay cannot be read from it."


class AlignmentPlot(QWidget):
    """Above, lambda as injected and as measured; below, as it should show with the delay, and as measured."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.alignment: Alignment | None = None
        self.kind = Kind.BACK
        self.why = ""
        self.setMinimumHeight(250)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Lambda before and after alignment")
        appearance.changed.connect(self.update)
        offer_picture(self, "alignment", self.numbers)

    def numbers(self) -> str:
        """Mean lambda over the time from the change, of the moments that are shown."""
        if self.alignment is None or not self.chosen.any():
            return ""
        a = self.alignment
        which = self.chosen
        return columns_text(
            {
                "s from the change": a.grid_s,
                "lambda as injected": np.nanmean(a.cylinder[which], axis=0),
                "lambda as it should show": np.nanmean(a.expected[which], axis=0),
                "lambda as measured": np.nanmean(a.measured[which], axis=0),
            }
        )

    def show_alignment(self, alignment: Alignment | None, kind: Kind, why: str = "") -> None:
        """Show the changes of one kind.

        Parameters
        ----------
        alignment : None where nothing is worked out yet.
        kind : of change.
        why : what the work is at, where nothing is worked out yet.
        """
        self.alignment = alignment
        self.kind = kind
        self.why = why
        self.update()

    @property
    def chosen(self) -> np.ndarray:
        """Which of the moments are shown, (moments,)."""
        assert self.alignment is not None
        return self.alignment.of(self.kind)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Injected and measured mixture, before and after alignment."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.appearance.theme
        if self.alignment is None or not self.chosen.any():
            painter.setPen(theme.color("faint"))
            painter.setFont(font(9))
            text = self.why or NO_CHANGE
            painter.drawText(
                QRectF(self.rect()).adjusted(8, 8, -8, -8),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                text,
            )
            return
        a = self.alignment
        which = self.chosen
        half = (self.height() - FOOT) / 2
        for top, title, gap, model in (
            (0.0, "Before alignment: as injected", a.gap_before[which].mean(), a.cylinder),
            (half, "After: as it should show", a.gap_after[which].mean(), a.expected),
        ):
            self._strip(
                painter,
                QRectF(LEFT, top + TITLE, self.width() - LEFT - RIGHT, half - TITLE - 6),
                model,
            )
            painter.setFont(font(8.5))
            painter.setPen(theme.color("accent"))
            painter.drawText(QPointF(2, top + 12), title)
            painter.setPen(theme.color("add"))
            painter.drawText(QPointF(2, top + 25), f"and as measured; mean difference λ {gap:.3f}")
        self._foot(painter)

    def _strip(self, painter: QPainter, area: QRectF, model: Floats) -> None:
        assert self.alignment is not None
        theme = self.appearance.theme
        a = self.alignment
        painter.fillRect(area, theme.color("sheet"))
        painter.setPen(QPen(theme.color("edge"), 1))
        painter.drawRect(area)
        painter.setFont(font(8))
        for level in (0.8, 1.0, 1.2):
            y = _y(area, level)
            painter.setPen(QPen(theme.color("edge"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(theme.color("faint"))
            painter.drawText(
                QRectF(0, y - 8, LEFT - 4, 16), Qt.AlignmentFlag.AlignRight, f"{level:.1f}"
            )
        zero = _x(area, a.grid_s, 0.0)
        painter.setPen(QPen(theme.color("faint"), 1))
        painter.drawLine(QPointF(zero, area.top()), QPointF(zero, area.bottom()))
        painter.setClipRect(area)
        which = np.flatnonzero(self.chosen)
        few = which[np.linspace(0, len(which) - 1, min(FEW, len(which))).astype(int)]
        for values, purpose in ((model, "accent"), (a.measured, "add")):
            for i in few:
                self._line(painter, area, values[i], theme.color(purpose, 0.22), 1.0)
            self._line(painter, area, values[which].mean(axis=0), theme.color(purpose), 2.0)
        painter.setClipping(False)

    def _line(
        self, painter: QPainter, area: QRectF, values: Floats, color: QColor, width: float
    ) -> None:
        assert self.alignment is not None
        grid = self.alignment.grid_s
        painter.setPen(QPen(color, width))
        points = [
            QPointF(_x(area, grid, t), _y(area, v))
            for t, v in zip(grid.tolist(), values.tolist(), strict=True)
        ]
        painter.drawPolyline(QPolygonF(points))

    def _foot(self, painter: QPainter) -> None:
        assert self.alignment is not None
        grid = self.alignment.grid_s
        area = QRectF(LEFT, 0, self.width() - LEFT - RIGHT, self.height())
        painter.setPen(self.appearance.theme.color("faint"))
        painter.setFont(font(8))
        for t in (0.0, 0.5, 1.0):
            x = _x(area, grid, t)
            painter.drawText(
                QRectF(x - 24, self.height() - FOOT, 48, FOOT),
                Qt.AlignmentFlag.AlignCenter,
                f"{t:.1f} s",
            )


def _x(area: QRectF, grid: Floats, t: float) -> float:
    return area.left() + area.width() * (t - float(grid[0])) / float(grid[-1] - grid[0])


def _y(area: QRectF, lam: float) -> float:
    low = SHOWN[0] - 0.04
    high = SHOWN[1] + 0.04
    return area.bottom() - area.height() * (lam - low) / (high - low)
