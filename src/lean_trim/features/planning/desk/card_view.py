"""The plan as a card: large enough to be read aloud, printed, or sent to a phone as a picture."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.picture import offer_picture

MARGIN = 12
GAP = 5
POINTS = 9.5
WRAP = int(Qt.TextFlag.TextWordWrap) | int(Qt.AlignmentFlag.AlignLeft)


class CardView(QWidget):
    """Lines below each other, the first as a heading."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.lines: tuple[str, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        appearance.changed.connect(self.update)
        self.pictured = offer_picture(self, "plan-card", lambda: "\n".join(self.lines))

    def show_lines(self, lines: Sequence[str]) -> None:
        """Show other lines."""
        self.lines = tuple(lines)
        self.setAccessibleName("\n".join(self.lines))
        self.updateGeometry()
        self.update()

    def _laid_out(self, width: float) -> list[QRectF]:
        boxes = []
        y = float(MARGIN)
        for place, line in enumerate(self.lines):
            metrics = QFontMetricsF(font(POINTS, bold=place == 0))
            room = QRectF(MARGIN, y, width - 2 * MARGIN, 10_000.0)
            height = metrics.boundingRect(room, WRAP, line).height()
            boxes.append(QRectF(MARGIN, y, width - 2 * MARGIN, height + 1))
            y += height + GAP
        return boxes

    def hasHeightForWidth(self) -> bool:
        """Lines break."""
        return True

    def heightForWidth(self, width: int) -> int:
        """What the lines need."""
        boxes = self._laid_out(float(width))
        return round(boxes[-1].bottom()) + MARGIN if boxes else 2 * MARGIN

    def sizeHint(self) -> QSize:
        """As wide as it is."""
        width = max(self.width(), 300)
        return QSize(width, self.heightForWidth(width))

    def minimumSizeHint(self) -> QSize:
        """Low enough for a small window; the list scrolls around it."""
        return QSize(220, 60)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Ink on a sheet."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.fillRect(self.rect(), theme.color("sheet"))
        p.setPen(theme.color("ink"))
        for place, (line, box) in enumerate(
            zip(self.lines, self._laid_out(float(self.width())), strict=True)
        ):
            p.setFont(font(POINTS, bold=place == 0))
            p.drawText(box, WRAP, line)
