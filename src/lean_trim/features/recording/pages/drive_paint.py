"""How a running drive is painted: figures that can be read from three metres, alarms that fill the screen.

Lengths are in hundredths of the view's height, so that everything grows with the screen.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QPainter, QPen, QPolygonF

from lean_trim.core.data.channels import Role
from lean_trim.features.recording.hearing import Now
from lean_trim.features.recording.understood import KNOWN_PCT, SolvedSoFar
from lean_trim.live.watch.watch import WatchState
from lean_trim.ui.theme import FAMILY, NIGHT

LEFT = Qt.AlignmentFlag.AlignLeft
RIGHT = Qt.AlignmentFlag.AlignRight
MIDDLE = Qt.AlignmentFlag.AlignVCenter
CENTRE = Qt.AlignmentFlag.AlignCenter
BAR_SPAN = 0.15
"""How far from the wanted λ the bar reaches, as a share of it."""
DANGER_PAPER = QColor("#b3150c")
DANGER_INK = QColor("#ffffff")
OFF_PAPER = QColor("#f2efe6")
OFF_INK = QColor("#101316")
STRIPE = 6.0
CELLS_Y = 77.0
CELLS_H = 16.0
DRIVEN_S = 1.0
CAUTION = "For a passenger or a dynamometer's screen. The driver never reads this."


@dataclass(frozen=True)
class Alarm:
    """What fills the screen until it is acknowledged.

    Attributes
    ----------
    is_off : a watch that sees nothing; else a danger.
    title : largest.
    lines : below it.
    """

    is_off: bool
    title: str
    lines: tuple[str, ...] = ()


class Canvas:
    """A painter with a unit of its own.

    Parameters
    ----------
    painter : that is painted with.
    width, height : of the view, pixels.
    """

    def __init__(self, painter: QPainter, width: float, height: float) -> None:
        self.painter = painter
        self.unit = height / 100.0
        self.width = width / self.unit
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    def rect(self, x: float, y: float, w: float, h: float) -> QRectF:
        """A rectangle in units."""
        u = self.unit
        return QRectF(x * u, y * u, w * u, h * u)

    def text(
        self,
        where: QRectF,
        words: str,
        size: float,
        color: QColor,
        align: Qt.AlignmentFlag = CENTRE,
        bold: bool = True,
    ) -> None:
        """Write on one line, as large as is asked or as fits."""
        font = QFont(FAMILY)
        font.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
        font.setFeature(QFont.Tag("tnum"), 1)
        font.setPixelSize(max(6, round(size * self.unit)))
        self.painter.setFont(font)
        wide = self.painter.fontMetrics().horizontalAdvance(words)
        if wide > where.width() > 0.0:
            font.setPixelSize(max(6, int(font.pixelSize() * where.width() / wide)))
            self.painter.setFont(font)
        self.painter.setPen(color)
        self.painter.drawText(where, align | MIDDLE, words)


def paint_drive(canvas: Canvas, now: Now, solved: SolvedSoFar | None) -> None:
    """The view while nothing is wrong.

    Parameters
    ----------
    canvas : to paint on.
    now : how the drive stands.
    solved : the table so far, None before it was solved.
    """
    theme = NIGHT
    canvas.painter.fillRect(canvas.rect(0, 0, canvas.width, 100), theme.color("paper"))
    _watches(canvas, now.watches)
    _lambda(canvas, now, canvas.width * 0.56)
    _next(canvas, now, canvas.width * 0.6)
    _foot(canvas, now, solved, canvas.width * 0.57)
    _cells(canvas, now, solved, canvas.width * 0.6)


def _watches(canvas: Canvas, watches: Sequence[WatchState]) -> None:
    theme = NIGHT
    each = (canvas.width - 4.0) / max(len(watches), 1)
    for place, watch in enumerate(watches):
        x = 2.0 + place * each
        box = canvas.rect(x + 0.5, 2.0, each - 1.0, 12.0)
        if watch.off is not None:
            # Light on a dark screen: what is not watched has to be seen first.
            canvas.painter.fillRect(box, OFF_PAPER)
            canvas.text(canvas.rect(x + 1, 2.4, each - 2, 4.6), watch.title, 3.4, OFF_INK)
            canvas.text(canvas.rect(x + 1, 6.6, each - 2, 7.0), "OFF", 6.4, OFF_INK)
            continue
        canvas.painter.setPen(QPen(theme.color("edge"), canvas.unit * 0.3))
        canvas.painter.setBrush(Qt.BrushStyle.NoBrush)
        canvas.painter.drawRect(box)
        canvas.text(canvas.rect(x + 1, 2.4, each - 2, 4.6), watch.title, 3.4, theme.color("faint"))
        canvas.text(canvas.rect(x + 1, 6.6, each - 2, 7.0), "on", 5.0, theme.color("ink"))


def _lambda(canvas: Canvas, now: Now, width: float) -> None:
    theme = NIGHT
    value = now.values.get(Role.LAMBDA, math.nan)
    words = f"{value:.2f}" if math.isfinite(value) else "–"
    canvas.text(canvas.rect(3, 16, 12, 8), "λ", 7.0, theme.color("faint"), LEFT)
    if now.two_banks:
        canvas.text(canvas.rect(9, 17, 30, 7), "leaner bank", 4.2, theme.color("faint"), LEFT)
    canvas.text(canvas.rect(3, 18, width - 4, 36), words, 36.0, theme.color("ink"))
    wanted = f"wanted {now.target:.2f}"
    canvas.text(canvas.rect(3, 53, width - 4, 8), wanted, 6.5, theme.color("faint"))
    bar = canvas.rect(6, 63, width - 10, 7)
    canvas.painter.setPen(QPen(theme.color("edge"), canvas.unit * 0.4))
    canvas.painter.setBrush(theme.color("sheet"))
    canvas.painter.drawRect(bar)
    middle = bar.center().x()
    canvas.painter.setPen(QPen(theme.color("ink"), canvas.unit * 0.5))
    canvas.painter.drawLine(QPointF(middle, bar.top() - canvas.unit), QPointF(middle, bar.bottom()))
    canvas.text(canvas.rect(6, 71, 20, 4), "rich", 3.6, theme.color("faint"), LEFT)
    canvas.text(canvas.rect(width - 24, 71, 20, 4), "lean", 3.6, theme.color("faint"), RIGHT)
    if math.isfinite(value) and now.target > 0.0:
        off = max(-1.0, min(1.0, (value / now.target - 1.0) / BAR_SPAN))
        x = middle + off * 0.5 * bar.width()
        half = 2.6 * canvas.unit
        marker = QPolygonF(
            [
                QPointF(x, bar.bottom() - 1.0 * canvas.unit),
                QPointF(x - half, bar.top() - 0.4 * canvas.unit),
                QPointF(x + half, bar.top() - 0.4 * canvas.unit),
            ]
        )
        canvas.painter.setPen(Qt.PenStyle.NoPen)
        canvas.painter.setBrush(theme.color("add" if off > 0.0 else "remove"))
        canvas.painter.drawPolygon(marker)


def _next(canvas: Canvas, now: Now, x: float) -> None:
    """What to hold, where the engine is, and how much of the seconds is done."""
    theme = NIGHT
    width = canvas.width - x - 3.0
    ink = theme.color("ink")
    faint = theme.color("faint")
    rpm = now.values.get(Role.RPM, math.nan)
    kpa = now.values.get(Role.MAP, math.nan)
    here = f"now {rpm:.0f} rpm, {kpa:.0f} kPa" if math.isfinite(rpm + kpa) else "now –"
    state = now.next.state
    if now.listens:
        canvas.text(canvas.rect(x, 22, width, 12), "listening", 9.0, ink, LEFT)
        words = "not started: see the Record page"
        canvas.text(canvas.rect(x, 36, width, 6), words, 4.2, faint, LEFT, bold=False)
        canvas.text(canvas.rect(x, 54, width, 6), here, 5.0, faint, LEFT, bold=False)
        return
    if state is None:
        done = now.next.count > 0
        title = "plan done" if done else "no plan"
        canvas.text(canvas.rect(x, 22, width, 12), title, 9.0, ink, LEFT)
        canvas.text(canvas.rect(x, 54, width, 6), here, 5.0, faint, LEFT, bold=False)
        return
    hold = f"hold {state.seconds:.0f} s, {now.next.place + 1} of {now.next.count}"
    canvas.text(canvas.rect(x, 16, width, 7), hold, 5.0, faint, LEFT)
    # On a dynamometer the gear is the operator's affair.
    gear = f"   gear {state.gear}" if state.gear and math.isfinite(state.grade) else ""
    canvas.text(canvas.rect(x, 23, width, 15), f"{state.rpm:.0f} rpm{gear}", 13.0, ink, LEFT)
    canvas.text(canvas.rect(x, 38, width, 15), f"{state.map_kpa:.0f} kPa", 13.0, ink, LEFT)
    canvas.text(canvas.rect(x, 54, width, 6), here, 5.0, faint, LEFT, bold=False)
    bar = canvas.rect(x, 63, width, 7)
    canvas.painter.setPen(
        QPen(theme.color("accent" if now.next.is_there else "edge"), canvas.unit * 0.5)
    )
    canvas.painter.setBrush(theme.color("sheet"))
    canvas.painter.drawRect(bar)
    done_bar = QRectF(bar)
    done_bar.setWidth(bar.width() * now.next.share)
    canvas.painter.fillRect(done_bar, theme.color("accent"))
    words = "there: hold it" if now.next.is_there else "go there"
    canvas.text(canvas.rect(x, 71, width, 5), words, 4.2, faint, LEFT)


def _cells(canvas: Canvas, now: Now, solved: SolvedSoFar | None, x: float) -> None:
    """The table's cells: full where known, pale where driven, a frame where the engine is."""
    theme = NIGHT
    seconds = np.atleast_2d(now.seconds_by_cell)
    shape = now.seconds_by_cell.shape
    error = np.full(shape, np.nan) if solved is None else solved.error_pct
    known = np.atleast_2d(error < KNOWN_PCT)
    here = None if now.here is None else (0, *now.here)[-2:]
    rows, columns = seconds.shape
    wide = (canvas.width - x - 3.0) / columns
    high = min(CELLS_H / rows, 4.0)
    for row in range(rows):
        # More load is higher up.
        y = CELLS_Y + CELLS_H - high * (row + 1)
        for column in range(columns):
            box = canvas.rect(x + wide * column + 0.1, y + 0.08, wide - 0.2, high - 0.16)
            shade = theme.color("sheet")
            if known[row, column]:
                shade = theme.color("accent")
            elif seconds[row, column] >= DRIVEN_S:
                shade = theme.color("accent", 0.4)
            canvas.painter.fillRect(box, shade)
    if here is not None:
        y = CELLS_Y + CELLS_H - high * (here[0] + 1)
        canvas.painter.setPen(QPen(theme.color("ink"), canvas.unit * 0.5))
        canvas.painter.setBrush(Qt.BrushStyle.NoBrush)
        canvas.painter.drawRect(canvas.rect(x + wide * here[1], y, wide, high))


def _foot(canvas: Canvas, now: Now, solved: SolvedSoFar | None, width: float) -> None:
    theme = NIGHT
    minutes, seconds = divmod(int(now.seconds), 60)
    time = f"{minutes}:{seconds:02d} min"
    canvas.text(canvas.rect(3, 78, 30, 8), time, 6.0, theme.color("ink"), LEFT)
    driven = int(np.count_nonzero(now.seconds_by_cell >= DRIVEN_S))
    known = 0 if solved is None else solved.known
    off = math.nan if solved is None else solved.error_median_pct
    own = f", ± {off:.1f} %" if math.isfinite(off) else ""
    lines = (
        (theme.color("accent"), f"{known} cells known to {KNOWN_PCT:g} %"),
        (theme.color("accent", 0.4), f"{driven} cells driven{own}"),
    )
    for place, (shade, words) in enumerate(lines):
        y = 77.5 + 5.5 * place
        canvas.painter.fillRect(canvas.rect(33, y + 1.0, 3, 3), shade)
        canvas.text(canvas.rect(37.5, y, width - 40, 5), words, 4.2, theme.color("ink"), LEFT)
    trouble = now.state.trouble
    wrong = [s for s in now.state.sources if s.said is not None]
    if trouble is not None or wrong:
        said = str(trouble) if trouble is not None else f"{wrong[0].address}: {wrong[0].said}"
        canvas.text(canvas.rect(3, 88, width - 5, 6), said, 4.0, theme.color("danger"), LEFT)
    keys = f"{CAUTION}   Space: bookmark.   Esc: leave, recording goes on."
    canvas.text(
        canvas.rect(3, 94, canvas.width - 6, 4.5), keys, 3.2, theme.color("faint"), LEFT, bold=False
    )


def paint_alarm(canvas: Canvas, alarm: Alarm, waiting: int) -> None:
    """An alarm over the whole screen.

    Parameters
    ----------
    canvas : to paint on.
    alarm : the oldest that was not acknowledged.
    waiting : how many more there are.
    """
    paper = OFF_PAPER if alarm.is_off else DANGER_PAPER
    ink = OFF_INK if alarm.is_off else DANGER_INK
    canvas.painter.fillRect(canvas.rect(0, 0, canvas.width, 100), paper)
    if alarm.is_off:
        _stripes(canvas, ink)
    shape = canvas.rect(canvas.width / 2.0 - 17.0, 9.0, 34.0, 34.0)
    canvas.painter.setPen(QPen(ink, canvas.unit * 2.2))
    canvas.painter.setBrush(QBrush(paper))
    if alarm.is_off:
        # A circle with a stroke: nothing is watched here.
        canvas.painter.drawEllipse(shape)
        reach = 12.0 * canvas.unit
        centre = shape.center()
        canvas.painter.drawLine(centre + QPointF(-reach, reach), centre + QPointF(reach, -reach))
    else:
        canvas.painter.drawPolygon(_octagon(shape))
        canvas.text(shape, "!", 26.0, ink)
    canvas.text(canvas.rect(10, 46, canvas.width - 20, 16), alarm.title, 13.0, ink)
    for place, line in enumerate(alarm.lines[:4]):
        where = canvas.rect(10, 62 + 7 * place, canvas.width - 20, 7)
        canvas.text(where, line, 5.4, ink, bold=False)
    more = f"   {waiting} more" if waiting else ""
    act = "" if alarm.is_off else "Ease off now.   "
    canvas.text(canvas.rect(10, 85, canvas.width - 20, 7), f"{act}Space: seen{more}", 4.6, ink)


def _octagon(where: QRectF) -> QPolygonF:
    turn = math.pi / 8.0
    radius = where.width() / 2.0
    return QPolygonF(
        [
            where.center()
            + QPointF(
                radius * math.cos(turn + i * math.pi / 4.0),
                radius * math.sin(turn + i * math.pi / 4.0),
            )
            for i in range(8)
        ]
    )


def _stripes(canvas: Canvas, ink: QColor) -> None:
    """Slanted bars along the upper and lower edge: another shape than a danger's, also without colour."""
    painter = canvas.painter
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink)
    for y in (0.0, 100.0 - STRIPE):
        x = -STRIPE
        while x < canvas.width:
            u = canvas.unit
            painter.drawPolygon(
                QPolygonF(
                    [
                        QPointF(x * u, (y + STRIPE) * u),
                        QPointF((x + STRIPE) * u, y * u),
                        QPointF((x + 2.0 * STRIPE) * u, y * u),
                        QPointF((x + STRIPE) * u, (y + STRIPE) * u),
                    ]
                )
            )
            x += 2.0 * STRIPE
