"""A tab with room kept for what it has to say, so that its neighbours stay where they are."""

from __future__ import annotations

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QFont, QFontMetrics, QPaintEvent, QPalette
from PySide6.QtWidgets import QStyle, QStyleOptionToolButton, QStylePainter, QToolButton, QWidget

GAP_PX = 5


class MarkedTab(QToolButton):
    """Title and mark in a fixed width; a mark that does not fit is cut, and whole in the tooltip.

    Parameters
    ----------
    title : of the desk or page.
    between : what stands between title and mark in the text that is read aloud.
    widest : a mark as wide as any; "" keeps no room.
    shown_font : of the title; the mark is a little smaller.
    beside_px : room on either side of the text.
    """

    def __init__(
        self,
        title: str,
        between: str,
        widest: str,
        shown_font: QFont,
        beside_px: int,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.title = title
        self.between = between
        self.mark = ""
        self.beside_px = beside_px
        self.setObjectName("tab")
        self.setFont(shown_font)
        self.setCheckable(True)
        self.setText(title)
        self._small = QFont(shown_font)
        self._small.setWeight(QFont.Weight.Normal)
        self._small.setPointSizeF(shown_font.pointSizeF() - 0.5)
        room = QFontMetrics(self._small).horizontalAdvance(widest) + GAP_PX if widest else 0
        self.setFixedWidth(2 * beside_px + self._title_w + room)

    @property
    def _title_w(self) -> int:
        return self.fontMetrics().horizontalAdvance(self.title) + 1

    def show_mark(self, mark: str) -> None:
        """Say something beside the title.

        Parameters
        ----------
        mark : "" for nothing.
        """
        self.mark = mark
        self.setText(f"{self.title}{self.between}{mark}" if mark else self.title)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The tab, its title at the left, its mark behind."""
        option = QStyleOptionToolButton()
        self.initStyleOption(option)
        option.text = ""  # type: ignore[attr-defined]
        p = QStylePainter(self)
        p.drawComplexControl(QStyle.ComplexControl.CC_ToolButton, option)
        # As the rules of the style have it: where the keyboard or the pointer is, in the accent.
        pointed = self.underMouse() or self.hasFocus()
        role = QPalette.ColorRole.Highlight if pointed else QPalette.ColorRole.WindowText
        p.setPen(self.palette().color(QPalette.ColorGroup.Active, role))
        p.setFont(self.font())
        line = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        area = self.rect().adjusted(self.beside_px, 0, -self.beside_px, 0)
        p.setOpacity(1.0 if pointed or self.isChecked() else 0.85)
        p.drawText(area, line, self.title)
        if not self.mark:
            return
        left = area.left() + self._title_w + GAP_PX
        room = QRect(left, area.top(), self.width() - left, area.height())
        p.setFont(self._small)
        cut = p.fontMetrics().elidedText(self.mark, Qt.TextElideMode.ElideRight, room.width())
        p.drawText(room, line, cut)
