"""Above the tape: what the hatchings and the shade over the lanes mean."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.ui.tape.tape_words import LEGEND
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.hints import show_hint

HEIGHT = 20
MARK_W = 22.0
GAP = 12.0


class TapeLegend(QWidget):
    """Shows as many marks as there is room for; each says more when pointed at."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.areas: list[tuple[QRectF, str]] = []
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Legend of the tape")
        appearance.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        """All marks in one line."""
        return QSize(270, HEIGHT)

    def hint_at(self, point: QPoint) -> str:
        """What the mark under a point means."""
        return next((tip for area, tip in self.areas if area.contains(QPointF(point))), "")

    def event(self, event: QEvent) -> bool:
        """Explain the mark under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Every mark with its word."""
        p = QPainter(self)
        p.setFont(font(8))
        theme = self.appearance.theme
        brushes = {
            "out": QBrush(theme.color("faint", 0.8), Qt.BrushStyle.FDiagPattern),
            "hand": QBrush(theme.color("select"), Qt.BrushStyle.DiagCrossPattern),
            "lit": QBrush(theme.color("select", 0.28)),
        }
        self.areas = []
        x = 8.0
        for kind, word, tip in LEGEND:
            width = p.fontMetrics().horizontalAdvance(word)
            if x + MARK_W + width > self.width():
                break
            p.fillRect(QRectF(x, 4, 16, 12), brushes[kind])
            p.setPen(theme.color("faint"))
            p.drawText(
                QRectF(x + MARK_W, 0, width + 4, HEIGHT), Qt.AlignmentFlag.AlignVCenter, word
            )
            self.areas.append((QRectF(x, 0, MARK_W + width + GAP, HEIGHT), tip))
            x += MARK_W + width + GAP
