"""What stands above and below the tiles.

Which table this is, how far off the drive was, which number the tiles show, what the marks mean.
"""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.log import Log
from lean_trim.core.decision.verdict import verdict_sentence
from lean_trim.ui.desks.table.tile_view import FIGURE_TEXT, Figure
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font

LEGEND = {
    "remove": "less fuel",
    "add": "more fuel",
    "whisker": "± 1 std. error",
    "hatch": "not visited",
    "accepted": "accepted",
    "hand": "by hand",
    "pin": "pinned",
}
SHORT_LEGEND = ("less", "more fuel", "±1 std. err.", "no visit", "accepted", "by hand", "pinned")
LEGEND_LEFT = 8.0
WIDE_STEP = (24, 10)
"""From a mark to its word, and from a word to the next mark, in pixels."""
NARROW_STEP = (20, 6)


class TableHeader(QWidget):
    """Title, figures of the round, and the choice of the tiles' number."""

    figure_chosen = Signal(object)

    def __init__(self, session: Session, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.show_truth = False
        self.title = QLabel(self)
        self.figures = QLabel(self)
        self.title.setFont(font(12, bold=True))
        self.figures.setFont(font(9))
        self.figures.setTextFormat(Qt.TextFormat.PlainText)
        self.figures.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        row = QHBoxLayout()
        row.setSpacing(0)
        row.addWidget(self.title, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 6, 2)
        column.setSpacing(2)
        column.addLayout(row)
        column.addWidget(self.figures)
        self.group = QButtonGroup(self)
        for figure in Figure:
            text, tip = FIGURE_TEXT[figure]
            button = QToolButton(self)
            button.setText(text)
            button.setToolTip(f"Tiles show {tip}")
            button.setCheckable(True)
            button.setChecked(figure is Figure.VALUE)
            self.group.addButton(button, list(Figure).index(figure))
            row.addWidget(button)
        self.group.idClicked.connect(lambda i: self.figure_chosen.emit(list(Figure)[i]))
        for signal in (session.round_changed, session.solved, session.decided, session.job_changed):
            signal.connect(self.refresh)
        session.solve_failed.connect(self.refresh)
        session.idle.connect(self.refresh)
        session.driving.connect(self._drive)

    def _drive(self, log: Log) -> None:
        minutes = log.duration_s / 60.0
        self.figures.setText(
            f"Driving: {minutes:.1f} of {self.session.rounds.drive_minutes:g} min.\nThe tiles show the "
            "seconds driven in each cell so far."
        )

    def refresh(self) -> None:
        """Show the current round's figures."""
        session = self.session
        if session.round is None or session.job is None:
            self.title.setText("")
            self.figures.setText("")
            return
        table = session.round.table
        kind = "VE table" if session.job.vehicle.airflow == "ve" else "MAF curve"
        self.title.setText(f"{kind}, {table.unit} · round {session.round.number}")
        self.figures.setText(self._figures())

    def _figures(self) -> str:
        session = self.session
        assert session.round is not None and session.job is not None
        solution = session.solution
        if solution is None:
            if not session.round.logs:
                return "Waiting for a log\n"
            failure = session.solver.failure
            return f"Not worked out: {failure}" if failure else "Working out the correction …\n"
        r = solution.residual
        used = solution.observations.seconds.sum() / 60.0
        parts = [f"Off by {r.rms:.1f} % rms over {r.cells} cells", f"{r.within_3:.0f} % within ±3 %"]
        if math.isfinite(r.trim_rms):
            parts.append(f"trims {r.trim_rms:.1f} % rms")
        parts.append(f"{used:.1f} of {solution.frame.log.duration_s / 60:.1f} min used")
        text = "  ·  ".join(parts)
        return text + "\n" + (self._truth() if self.show_truth and session.job.car else self._advice())

    def _advice(self) -> str:
        session = self.session
        assert session.job is not None
        current = session.round
        assert current is not None
        before = session.job.round_before(current)
        if before is None:
            return "First drive: the bars show what it asks for. Accept, hand over, drive again."
        if before.verdict is None or current.verdict is None:
            return ""
        verdict = verdict_sentence(before.verdict.residual_rms, current.verdict.residual_rms)
        expected = before.prediction
        if expected is None:
            return verdict
        return f"{verdict} Foretold were {expected.residual_rms:.1f} ± {expected.std_error:.1f} %."

    def _truth(self) -> str:
        from lean_trim.simcar.judge import rms_where_driven
        from lean_trim.simcar.truth import truth_for

        session = self.session
        assert session.vehicle is not None and session.solution is not None and session.round is not None
        truth = truth_for(session.vehicle)
        driven = rms_where_driven(session.round.table, session.solution, truth)
        decided = rms_where_driven(session.round.result, session.solution, truth)
        return (
            f"Truth of the simulated car, where driven: driven table {driven:.2f} % off, decided table "
            f"{decided:.2f} % off (rms)"
        )


class Legend(QWidget):
    """One line that explains every mark on the tiles."""

    def __init__(
        self, session: Session, appearance: Appearance, scale: object, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.scale = scale
        self.setFixedHeight(20)
        self.setAccessibleName("Legend of the tiles")
        for signal in (session.round_changed, session.solved, session.decided, appearance.changed):
            signal.connect(self.update)

    def sizeHint(self) -> QSize:
        """One line."""
        return QSize(600, 20)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Every mark with its word."""
        if self.session.round is None:
            return
        p = QPainter(self)
        theme = self.appearance.theme
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(font(8))
        scale = self.scale() if callable(self.scale) else 0.0
        ending = f"bar ±{scale:g} %, hollow: not driven"
        words = list(LEGEND.values())
        indent, gap = WIDE_STEP
        width = p.fontMetrics().horizontalAdvance
        if sum(indent + gap + width(word) for word in words) + width(ending) > self.width() - LEGEND_LEFT:
            words = list(SHORT_LEGEND)
            indent, gap = NARROW_STEP
            ending = f"bar ±{scale:g} %, hollow: no visit"
        x = LEGEND_LEFT
        for kind, text in zip(LEGEND, words, strict=True):
            self._mark(p, kind, x)
            p.setPen(theme.color("faint"))
            p.drawText(QRectF(x + indent, 0, 120, 18), Qt.AlignmentFlag.AlignVCenter, text)
            x += indent + gap + width(text)
        p.drawText(QRectF(x, 0, 260, 18), Qt.AlignmentFlag.AlignVCenter, ending)

    def _mark(self, p: QPainter, kind: str, x: float) -> None:
        theme = self.appearance.theme
        if kind in ("add", "remove"):
            middle = x + 10
            p.fillRect(QRectF(middle if kind == "add" else x + 1, 6, 9, 7), theme.color(kind))
            p.setPen(QPen(theme.color("faint"), 1))
            p.drawLine(QPointF(middle, 3), QPointF(middle, 16))
        elif kind == "whisker":
            p.setPen(QPen(theme.color("ink"), 1))
            p.drawLine(QPointF(x + 2, 9.5), QPointF(x + 19, 9.5))
        elif kind == "hatch":
            p.fillRect(
                QRectF(x + 2, 3, 17, 13), QBrush(theme.color("faint", 0.5), Qt.BrushStyle.BDiagPattern)
            )
        elif kind == "accepted":
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color("accent"))
            p.drawPolygon(QPolygonF([QPointF(x + 8, 5), QPointF(x + 17, 5), QPointF(x + 8, 14)]))
        elif kind == "hand":
            p.setPen(QPen(theme.color("accent"), 1.4))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPolygon(
                QPolygonF([QPointF(x + 13, 4), QPointF(x + 18, 9), QPointF(x + 13, 14), QPointF(x + 8, 9)])
            )
        else:
            p.setPen(QPen(theme.color("ink"), 1.2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawArc(QRectF(x + 11, 3, 6, 8), 0, 180 * 16)
            p.fillRect(QRectF(x + 10, 8, 8, 6), theme.color("ink"))
