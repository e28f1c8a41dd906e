"""The marks on the tiles explained in a line over their foot; each says more when pointed at."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from lean_trim.core.decision.decision import Origin
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, Theme, font
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.tile_view import TileView

HEIGHT = 22
LEFT = 8.0
MARK_W = 22.0
"""Room of a mark before its word, px."""
GAPS = (14.0, 10.0, 6.0)
"""From a word to the next mark, px: as wide as fits."""


@dataclass(frozen=True)
class Entry:
    """One mark of the legend: its kind, its word, a shorter one, and what it means."""

    kind: str
    word: str
    short: str
    tip: str


@dataclass(frozen=True, eq=False)
class Laid:
    """A mark with its word and its place in the legend; the last is the scale, without a mark."""

    kind: str
    word: str
    tip: str
    area: QRectF
    line: int


def entries_for(view: TileView) -> tuple[Entry, ...]:
    """The marks that are on the tiles now; those that are not need no word.

    Parameters
    ----------
    view : what the tiles show.

    Returns
    -------
    At most ten.
    """
    full = f"A bar that reaches the edge of its tile stands for {view.scale_pct:g} %"
    found = [
        Entry("remove", "less fuel", "less", f"Violet, to the left: fuel to take out. {full}."),
        Entry("add", "more fuel", "more", f"Ochre, to the right: fuel to add. {full}."),
        Entry(
            "pale",
            "pale: few seconds",
            "few s",
            "The paler the bar, the fewer seconds of used driving stand behind it; full ink from "
            "20 s.",
        ),
        Entry(
            "whisker",
            "±1 std. error",
            "±1 err.",
            "The thin line spans one standard error to either side: two times out of three the "
            "true correction lies within it.",
        ),
    ]
    if not view.is_seen.all():
        tip = "Hatched: no used driving came near this cell; nothing of its own says what it should hold."
        found.append(Entry("hatch", "not visited", "no visit", tip))
    if (view.is_hollow & view.filled).any():
        tip = (
            "Dashed: nobody drove here; filled with what the surface through the driven cells "
            "says, where that adds fuel. It is no evidence; the button above the table keeps the "
            "old values instead."
        )
        found.append(Entry("hollow", "filled", "filled", tip))
    elif view.is_hollow.any():
        tip = "Dashed: a change carried into a cell nobody drove, by the policy of the Write page."
        found.append(Entry("hollow", "carried", "carried", tip))
    if (view.origin == Origin.ACCEPTED).any():
        found.append(
            Entry("accepted", "accepted", "accepted", "The proposal was accepted for this cell.")
        )
    if (view.origin == Origin.BY_HAND).any():
        found.append(Entry("hand", "by hand", "by hand", "The value was typed in."))
    if view.pinned.any():
        found.append(
            Entry("pin", "pinned", "pinned", "Kept at the value it was driven on, until released.")
        )
    if view.warned.any():
        tip = (
            "Red corner: leaner above atmospheric pressure, beyond a limit, where knock or a fault "
            "was seen, or outside the evidence. Accepting it needs your word; the tile says which."
        )
        found.append(Entry("warned", "needs your word", "your word", tip))
    return tuple(found)


class Legend(QWidget):
    """Explains the marks; ``show_view`` is told what the tiles show."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.view: TileView | None = None
        self.areas: list[tuple[QRectF, str]] = []
        self.setFixedHeight(HEIGHT)
        self.hide()
        self.setAccessibleName("Legend of the tiles")
        appearance.changed.connect(self.update)

    def show_view(self, view: TileView | None) -> None:
        """Explain what the tiles show now."""
        self.view = view
        self.lie_at_foot()
        self.update()

    @property
    def has_marks(self) -> bool:
        """Whether there is anything on the tiles to explain."""
        return self.view is not None and bool(np.isfinite(self.view.bar_pct).any())

    def lie_at_foot(self) -> None:
        """Lie over the lower edge of the tiles, in as many lines as the marks need."""
        above = self.parentWidget()
        if above is not None:
            self.setFixedHeight(HEIGHT * self._laid(above.width())[-1].line + HEIGHT)
            self.setGeometry(0, above.height() - self.height(), above.width(), self.height())
            self.raise_()

    def sizeHint(self) -> QSize:
        """One line."""
        return QSize(600, HEIGHT)

    def hint_at(self, point: QPoint) -> str:
        """What the mark under a point means."""
        return next((tip for area, tip in self.areas if area.contains(QPointF(point))), "")

    def event(self, event: QEvent) -> bool:
        """Explain the mark under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Every mark with its word."""
        self.areas = []
        if self.view is None:
            return
        p = QPainter(self)
        theme = self.appearance.theme
        p.fillRect(self.rect(), theme.color("paper"))
        p.setPen(QPen(theme.color("edge"), 1.0))
        p.drawLine(0, 0, self.width(), 0)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(8))
        for laid in self._laid(self.width()):
            top = laid.line * HEIGHT
            p.save()
            p.translate(0, top)
            if laid.kind:
                paint_mark(p, theme, laid.kind, laid.area.left())
            p.setPen(theme.color("faint"))
            text = QRectF(laid.area).adjusted(MARK_W if laid.kind else 0.0, 0.0, 4.0, 0.0)
            p.drawText(text.translated(0, -top), Qt.AlignmentFlag.AlignVCenter, laid.word)
            p.restore()
            self.areas.append((laid.area, laid.tip))

    def _laid(self, width: int) -> list[Laid]:
        """Where every mark goes in so much width, px: in a line where they fit, by short words."""
        if self.view is None:
            return [Laid("", "", "", QRectF(), 0)]
        entries = entries_for(self.view)
        words, gap, ending = self._fit(entries, self.view.scale_pct, width)
        parts = [(e.kind, word, e.tip) for e, word in zip(entries, words, strict=True)]
        parts.append(("", ending, scale_tip(self.view.scale_pct)))
        measured = QFontMetricsF(font(8)).horizontalAdvance
        out: list[Laid] = []
        x, line = LEFT, 0
        for kind, word, tip in parts:
            taken = (MARK_W if kind else 0.0) + measured(word)
            if x + taken > width and x > LEFT:
                x, line = LEFT, line + 1
            out.append(Laid(kind, word, tip, QRectF(x, line * HEIGHT, taken, 18), line))
            x += taken + gap
        return out

    def _fit(
        self, entries: tuple[Entry, ...], scale_pct: float, room: int
    ) -> tuple[list[str], float, str]:
        """The widest words, gaps and ending that fit one line; the shortest where none does."""
        width = QFontMetricsF(font(8)).horizontalAdvance
        long = [e.word for e in entries], f"full bar = {scale_pct:g} %"
        short = [e.short for e in entries], f"full {scale_pct:g} %"
        for words, ending in (long, short):
            for gap in GAPS:
                taken = sum(MARK_W + gap + width(w) for w in words) + width(ending)
                if taken <= room - LEFT:
                    return words, gap, ending
        return short[0], GAPS[-1], short[1]


def scale_tip(scale_pct: float) -> str:
    """Why a full bar stands for so much.

    Parameters
    ----------
    scale_pct : what it stands for, percent.

    Returns
    -------
    A sentence.
    """
    return (
        f"A bar from the middle to the edge of its tile is {scale_pct:g} %. The scale is the same "
        "in every round of this job, so that bars can be compared; it grows only where a round "
        "needs more."
    )


def paint_mark(p: QPainter, theme: Theme, kind: str, x: float) -> None:
    """One mark as it is on the tiles, at a place of the legend's line."""
    if kind in ("add", "remove"):
        middle = x + 10
        p.fillRect(QRectF(middle if kind == "add" else x + 1, 6, 9, 7), theme.color(kind))
        p.setPen(QPen(theme.color("faint"), 1))
        p.drawLine(QPointF(middle, 3), QPointF(middle, 16))
    elif kind == "pale":
        p.fillRect(QRectF(x + 3, 6, 8, 7), theme.color("add", 0.35))
        p.fillRect(QRectF(x + 11, 6, 8, 7), theme.color("add"))
    elif kind == "whisker":
        p.setPen(QPen(theme.color("ink"), 1))
        p.drawLine(QPointF(x + 2, 9.5), QPointF(x + 19, 9.5))
    elif kind == "hatch":
        p.fillRect(
            QRectF(x + 2, 3, 17, 13), QBrush(theme.color("faint", 0.5), Qt.BrushStyle.BDiagPattern)
        )
    elif kind == "hollow":
        p.setPen(QPen(theme.color("add"), 1.0, Qt.PenStyle.DashLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(QRectF(x + 3, 5.5, 15, 8))
    elif kind == "accepted":
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("accent"))
        p.drawPolygon(QPolygonF([QPointF(x + 8, 5), QPointF(x + 17, 5), QPointF(x + 8, 14)]))
    elif kind == "warned":
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("danger"))
        p.drawPolygon(QPolygonF([QPointF(x + 17, 5), QPointF(x + 17, 14), QPointF(x + 8, 14)]))
    elif kind == "hand":
        p.setPen(QPen(theme.color("accent"), 1.4))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolygon(
            QPolygonF(
                [QPointF(x + 13, 4), QPointF(x + 18, 9), QPointF(x + 13, 14), QPointF(x + 8, 9)]
            )
        )
    else:
        p.setPen(QPen(theme.color("ink"), 1.2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawArc(QRectF(x + 11, 3, 6, 8), 0, 180 * 16)
        p.fillRect(QRectF(x + 10, 8, 8, 6), theme.color("ink"))
