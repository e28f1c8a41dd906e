"""By region: off before, expected and observed on one scale, and how much of the step is in the ECU."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.proving.outcome import Outcome
from lean_trim.core.proving.proof import REGION_WORDS, Proof
from lean_trim.ui.theme import Appearance, Theme, font
from lean_trim.ui.widgets.curve_scale import ticks
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.picture import columns_text, offer_picture

NAME_W = 96.0
WORD_W = 240.0
TOP = 44.0
BOTTOM = 34.0
LEAST_ROW_PX = 30.0
MOST_ROW_PX = 46.0
ROWS = 5
LEAST_SPAN_PCT = 2.0
JUDGED = ("better", "as predicted", "worse")
TAKEN_SURE = 0.3
"""Standard error of a share above which it is not told."""


class RegionMarks(QWidget):
    """Paints the outcomes of a proof; nothing is chosen here."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.proof: Proof | None = None
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self._fit(ROWS)
        self.setAccessibleName("Expected and observed error by region")
        appearance.changed.connect(self.update)
        offer_picture(self, "proof", self.numbers)

    def show_proof(self, proof: Proof | None) -> None:
        """Show a proof, or nothing."""
        self.proof = proof
        self._fit(ROWS if proof is None else len(proof.outcomes))
        self.update()

    def _fit(self, rows: int) -> None:
        self.setMinimumHeight(round(TOP + BOTTOM + rows * LEAST_ROW_PX))
        self.setMaximumHeight(round(TOP + BOTTOM + rows * MOST_ROW_PX))

    def sizeHint(self) -> QSize:
        """As high as it may be."""
        return QSize(600, self.maximumHeight())

    @property
    def _row_px(self) -> float:
        rows = ROWS if self.proof is None else len(self.proof.outcomes)
        return (self.height() - TOP - BOTTOM) / rows

    def numbers(self) -> str:
        """One row a region, all last."""
        if self.proof is None:
            return ""
        of = self.proof.outcomes
        return columns_text(
            {
                "before, % rms": np.array([o.before_pct for o in of]),
                "expected, % rms": np.array([o.expected_pct for o in of]),
                "its std. error, %": np.array([o.expected_error_pct for o in of]),
                "observed, % rms": np.array([o.observed_pct for o in of]),
                "leanest, %": np.array([o.lean_pct for o in of]),
                "s": np.array([o.seconds for o in of]),
            }
        )

    def _area(self) -> QRectF:
        width = max(self.width() - NAME_W - WORD_W, 60.0)
        return QRectF(NAME_W, TOP, width, self.height() - TOP - BOTTOM)

    def _span(self, proof: Proof) -> float:
        shown = [
            value
            for o in proof.outcomes
            for value in (o.before_pct, o.expected_pct + o.expected_error_pct, o.observed_pct)
            if np.isfinite(value)
        ]
        return 1.08 * max([*shown, LEAST_SPAN_PCT])

    def _x(self, proof: Proof, pct: float) -> float:
        area = self._area()
        return area.left() + area.width() * pct / self._span(proof)

    def paintEvent(self, event: QPaintEvent) -> None:
        """A row a region."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.color("sheet"))
        proof = self.proof
        if proof is None:
            return
        self._scale(p, proof, theme)
        self._key(p, theme)
        for i, outcome in enumerate(proof.outcomes):
            self._row(p, proof, outcome, TOP + (i + 0.5) * self._row_px, theme)

    def _scale(self, p: QPainter, proof: Proof, theme: Theme) -> None:
        area = self._area()
        p.setFont(font(8))
        for value in ticks(0.0, self._span(proof)):
            x = self._x(proof, value)
            p.setPen(QPen(theme.color("edge", 0.6), 1.0))
            p.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            p.setPen(theme.color("faint"))
            box = QRectF(x - 30, area.bottom() + 2, 60, 14)
            p.drawText(box, Qt.AlignmentFlag.AlignHCenter, f"{value:g}")
        below = QRectF(area.left(), area.bottom() + 16, area.width(), 16)
        p.drawText(below, Qt.AlignmentFlag.AlignRight, "off by, % rms")

    def _row(self, p: QPainter, proof: Proof, o: Outcome, y: float, theme: Theme) -> None:
        p.setFont(font(9.5, bold=not o.name))
        p.setPen(theme.color("ink"))
        centred = int(Qt.AlignmentFlag.AlignLeft) | int(Qt.AlignmentFlag.AlignVCenter)
        p.drawText(QRectF(8, y - 12, NAME_W - 12, 24), centred, REGION_WORDS.get(o.name, "All"))
        if o.word in JUDGED:
            self._marks(p, proof, o, y, theme)
        words = QRectF(self.width() - WORD_W + 12, y - 16, WORD_W - 18, 17)
        p.setFont(font(9.5, bold=o.word == "worse"))
        p.setPen(theme.color("danger" if o.word == "worse" else "ink"))
        p.drawText(words, centred, o.word)
        p.setFont(font(8))
        p.setPen(theme.color("faint"))
        p.drawText(words.translated(0, 15), centred, share_words(proof, o))

    def _marks(self, p: QPainter, proof: Proof, o: Outcome, y: float, theme: Theme) -> None:
        """What was expected as a band, what was before as a bracket, what is now as a dot."""
        low = self._x(proof, max(o.expected_pct - 2.0 * o.expected_error_pct, 0.0))
        high = self._x(proof, o.expected_pct + 2.0 * o.expected_error_pct)
        band = QRectF(low, y - 7, max(high - low, 3.0), 14)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("accent", 0.22))
        p.drawRoundedRect(band, 3, 3)
        x = self._x(proof, o.before_pct)
        now = self._x(proof, o.observed_pct)
        p.setPen(QPen(theme.color("faint"), 1.0, Qt.PenStyle.DotLine))
        p.drawLine(QPointF(x, y), QPointF(now, y))
        p.setPen(QPen(theme.color("faint"), 1.6))
        p.drawLine(QPointF(x, y - 8), QPointF(x, y + 8))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("danger" if o.word == "worse" else "accent"))
        p.drawEllipse(QPointF(now, y), 5.0, 5.0)

    def _key(self, p: QPainter, theme: Theme) -> None:
        p.setFont(font(8))
        x = NAME_W
        p.setPen(QPen(theme.color("faint"), 1.6))
        p.drawLine(QPointF(x + 4, 12), QPointF(x + 4, 26))
        x = self._word(p, theme, x + 12, "before")
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("accent", 0.22))
        p.drawRoundedRect(QRectF(x, 13, 20, 12), 3, 3)
        x = self._word(p, theme, x + 26, "expected, ± two errors")
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("accent"))
        p.drawEllipse(QPointF(x + 5, 19), 5.0, 5.0)
        self._word(p, theme, x + 16, "observed")

    def _word(self, p: QPainter, theme: Theme, x: float, word: str) -> float:
        p.setPen(theme.color("faint"))
        width = p.fontMetrics().horizontalAdvance(word)
        p.drawText(QRectF(x, 10, width + 2, 18), Qt.AlignmentFlag.AlignVCenter, word)
        return x + width + 16

    def hint_at(self, point: QPoint) -> str:
        """A region in words."""
        if self.proof is None:
            return ""
        row = int((point.y() - TOP) // self._row_px)
        if not 0 <= row < len(self.proof.outcomes):
            return ""
        return outcome_words(self.proof, self.proof.outcomes[row])

    def event(self, event: QEvent) -> bool:
        """Explain what is under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)


def share_words(proof: Proof, outcome: Outcome) -> str:
    """How much of what was written is in the ECU, and how much was driven.

    Parameters
    ----------
    proof : of a round.
    outcome : of one of its regions.

    Returns
    -------
    A few words.
    """
    driven = f"{outcome.seconds:.0f} s, {outcome.places} places"
    share = (proof.transfer.taken or {}).get(outcome.name)
    if share is None:
        return driven
    taken, error = share
    if error > TAKEN_SURE:
        return driven
    return f"in the ECU: {100.0 * taken:.0f} ± {100.0 * error:.0f} %; {driven}"


def outcome_words(proof: Proof, o: Outcome) -> str:
    """A region, in full.

    Parameters
    ----------
    proof : of a round.
    o : one of its regions.

    Returns
    -------
    A few lines.
    """
    lines = [f"{REGION_WORDS.get(o.name, 'The whole drive')}: {o.word}"]
    if o.word in JUDGED:
        lines += [
            f"off by {o.before_pct:.1f} % rms before, {o.observed_pct:.1f} ± {o.observed_error_pct:.1f} % "
            f"now; {o.expected_pct:.1f} ± {o.expected_error_pct:.1f} % was expected",
            f"on average {o.shift_pct:+.1f} % beside what was expected",
        ]
    if np.isfinite(o.lean_pct):
        lines.append(f"leanest place driven for 3 s: {o.lean_pct:+.1f} %")
    return "\n".join([*lines, share_words(proof, o)])
