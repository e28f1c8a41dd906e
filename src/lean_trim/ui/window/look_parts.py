"""Pictures of a log that is only looked at: time over speed and load, and its channels over time."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.explore.pyramid import Pyramid
from lean_trim.core.text import clock
from lean_trim.ui.tape.trace_image import trace_image
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.picture import columns_text, offer_picture
from lean_trim.workspace.vehicle.looking import TimeSpent

LEFT = 64.0
TOP = 6.0
BOTTOM = 30.0
LANE_LEFT = 124
LANE_H = 46
FOOT_H = 16
LANES = (Role.RPM, Role.MAP, Role.THROTTLE, Role.MAF_FLOW, Role.LAMBDA, Role.STFT, Role.LTFT)
MOST_LANES = 6
ZOOM = 1.3
SHORTEST_S = 1.0


class TimeGrid(QWidget):
    """Where the time went: the darker, the more of it, on a scale of its logarithm."""

    def __init__(self, appearance: Appearance) -> None:
        super().__init__()
        self.appearance = appearance
        self.spent: TimeSpent | None = None
        self.setMouseTracking(True)
        self.setMinimumSize(300, 180)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Time by engine speed and load")
        appearance.changed.connect(self.update)
        offer_picture(self, "time", self.numbers)

    def show_spent(self, spent: TimeSpent | None) -> None:
        """Show another log's."""
        self.spent = spent
        self.update()

    def numbers(self) -> str:
        """Seconds by speed and load."""
        s = self.spent
        if s is None:
            return ""
        columns = {f"{s.what} from, {s.unit}": s.load[:-1]}
        columns |= {f"{rpm:g} rpm on, s": s.seconds[:, i] for i, rpm in enumerate(s.rpm[:-1])}
        return columns_text(columns)

    def _cell(self, s: TimeSpent) -> tuple[float, float]:
        rows, columns = s.seconds.shape
        return (self.width() - LEFT - 6) / columns, (self.height() - TOP - BOTTOM) / rows

    def paintEvent(self, event: QPaintEvent) -> None:
        """Cells, axes."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.fillRect(self.rect(), theme.color("sheet"))
        s = self.spent
        p.setFont(font(8))
        p.setPen(theme.color("faint"))
        if s is None:
            said = "Nothing tells speed and load"
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, said)
            return
        w, h = self._cell(s)
        rows, columns = s.seconds.shape
        most = np.log1p(s.seconds.max()) or 1.0
        for i in range(rows):
            for j in range(columns):
                y = TOP + (rows - 1 - i) * h
                share = float(np.log1p(s.seconds[i, j]) / most)
                if share > 0.0:
                    ink = theme.color("accent", 0.08 + 0.9 * share)
                    p.fillRect(QRectF(LEFT + j * w, y, w - 1, h - 1), ink)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for i in range(0, rows + 1, 3):
            y = TOP + (rows - i) * h
            p.drawText(QRectF(0, y - 8, LEFT - 6, 16), right, f"{s.load[i]:.4g}")
        # The last edge would stand half outside.
        for j in range(0, columns, 2):
            box = QRectF(LEFT + j * w - 30, self.height() - BOTTOM + 2, 60, 12)
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{s.rpm[j]:.0f}")
        below = QRectF(LEFT, self.height() - 14, self.width() - LEFT - 6, 13)
        p.drawText(below, Qt.AlignmentFlag.AlignRight, f"rpm; upwards {s.what}, {s.unit}")

    def hint_at(self, point: QPoint) -> str:
        """Seconds in the cell under a point."""
        s = self.spent
        if s is None:
            return ""
        w, h = self._cell(s)
        rows, columns = s.seconds.shape
        j = int((point.x() - LEFT) // w)
        i = rows - 1 - int((point.y() - TOP) // h)
        if not (0 <= i < rows and 0 <= j < columns):
            return ""
        return (
            f"{s.rpm[j]:.0f} to {s.rpm[j + 1]:.0f} rpm, {s.load[i]:.4g} to {s.load[i + 1]:.4g} "
            f"{s.unit}: {s.seconds[i, j]:.1f} s"
        )

    def event(self, event: QEvent) -> bool:
        """Explain the cell under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)


class LogStrip(QWidget):
    """Channels over time; the wheel zooms, dragging moves, a double click shows all."""

    hovered = Signal(str)

    def __init__(self, appearance: Appearance) -> None:
        super().__init__()
        self.appearance = appearance
        self.log: Log | None = None
        self.lanes: list[tuple[Role, Pyramid]] = []
        self.start_s = 0.0
        self.end_s = 1.0
        self._grab: tuple[float, float, float] | None = None
        self.setMouseTracking(True)
        self.setAccessibleName("The log over time")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        appearance.changed.connect(self.update)
        offer_picture(self, "log", self.numbers)

    def show_log(self, log: Log) -> None:
        """Show another log, whole."""
        self.log = log
        present = [r for r in LANES if r in log and np.isfinite(log[r]).any()][:MOST_LANES]
        self.lanes = [(role, Pyramid(log.time_s, log[role])) for role in present]
        self.setFixedHeight(max(len(self.lanes), 1) * LANE_H + FOOT_H)
        self.look_at(float(log.time_s[0]), float(log.time_s[-1]))

    def look_at(self, start_s: float, end_s: float) -> None:
        """Show a stretch, inside the log."""
        if self.log is None:
            return
        first, last = float(self.log.time_s[0]), float(self.log.time_s[-1])
        width = min(max(end_s - start_s, SHORTEST_S), max(last - first, SHORTEST_S))
        self.start_s = min(max(start_s, first), max(last - width, first))
        self.end_s = self.start_s + width
        self.update()

    def numbers(self) -> str:
        """What is seen, with every sample."""
        if self.log is None:
            return ""
        part = slice(*np.searchsorted(self.log.time_s, [self.start_s, self.end_s]).tolist())
        columns = {"time, s": self.log.time_s[part]}
        for role, _ in self.lanes:
            label, unit = LABELS[role]
            columns[f"{label}, {unit}"] = self.log[role][part]
        return columns_text(columns)

    @property
    def _wide(self) -> int:
        return max(self.width() - LANE_LEFT - 6, 1)

    def time_at(self, x: float) -> float:
        """The time under a point."""
        return self.start_s + (x - LANE_LEFT) / self._wide * (self.end_s - self.start_s)

    def paintEvent(self, event: QPaintEvent) -> None:
        """A lane a channel, and the time below."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.fillRect(self.rect(), theme.color("sheet"))
        p.setFont(font(8))
        for place, (role, pyramid) in enumerate(self.lanes):
            top = place * LANE_H
            label, unit = LABELS[role]
            low, high = pyramid.range
            span = (high - low) or 1.0
            p.setPen(theme.color("ink"))
            p.drawText(QRectF(6, top + 4, LANE_LEFT - 10, 14), Qt.AlignmentFlag.AlignLeft, label)
            p.setPen(theme.color("faint"))
            said = f"{low:.4g} to {high:.4g} {unit}"
            p.drawText(QRectF(6, top + 18, LANE_LEFT - 10, 14), Qt.AlignmentFlag.AlignLeft, said)
            lows, highs = pyramid.columns(self.start_s, self.end_s, self._wide)
            ink = theme.color("accent")
            edge = 0.05 * span
            image = trace_image(lows, highs, low - edge, high + edge, LANE_H - 4, ink)
            p.drawImage(LANE_LEFT, top + 2, image)
            p.setPen(theme.color("edge", 0.7))
            p.drawLine(0, top + LANE_H, self.width(), top + LANE_H)
        foot = QRectF(LANE_LEFT, len(self.lanes) * LANE_H + 1, self._wide, FOOT_H - 2)
        p.setPen(theme.color("faint"))
        p.drawText(foot, Qt.AlignmentFlag.AlignLeft, f"{clock(self.start_s)} min")
        p.drawText(foot, Qt.AlignmentFlag.AlignRight, f"{clock(self.end_s)} min")

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the pointer."""
        if not event.angleDelta().y():
            return
        event.accept()
        at = self.time_at(event.position().x())
        factor = 1.0 / ZOOM if event.angleDelta().y() > 0 else ZOOM
        self.look_at(at + (self.start_s - at) * factor, at + (self.end_s - at) * factor)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold."""
        if event.button() is Qt.MouseButton.LeftButton:
            self._grab = (event.position().x(), self.start_s, self.end_s)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the strip."""
        if self._grab is not None:
            x, start, end = self._grab
            shift = (x - event.position().x()) / self._wide * (end - start)
            self.look_at(start + shift, end + shift)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        self._grab = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Show all."""
        if self.log is not None:
            self.look_at(float(self.log.time_s[0]), float(self.log.time_s[-1]))

    def hint_at(self, point: QPoint) -> str:
        """Readings under a point."""
        log = self.log
        if log is None or point.x() < LANE_LEFT:
            return ""
        at = self.time_at(point.x())
        sample = min(int(np.searchsorted(log.time_s, at)), len(log) - 1)
        parts = [f"{clock(float(log.time_s[sample]))} min"]
        for role, _ in self.lanes:
            label, unit = LABELS[role]
            value = float(log[role][sample])
            if np.isfinite(value):
                parts.append(f"{label} {value:.4g} {unit}")
        return ", ".join(parts)

    def event(self, event: QEvent) -> bool:
        """Say what stands under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)
