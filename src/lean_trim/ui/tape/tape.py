"""The log as a paper strip: lanes, regime bands, hatching over what is left out, selection."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, Signal
from PySide6.QtGui import (
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPixmap,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.data.joining import join_logs
from lean_trim.core.data.log import Log
from lean_trim.core.explore.events import Event, EventKind, next_event, previous_event
from lean_trim.core.explore.linking import cells_of_span, samples_of_cells
from lean_trim.core.text import clock
from lean_trim.ui.session import Session
from lean_trim.ui.tape.lane_sets import LaneSets
from lean_trim.ui.tape.tape_data import TapeData, counted, describe_at, lanes_text, make_tape
from lean_trim.ui.tape.tape_keys import press
from lean_trim.ui.tape.tape_paint import BAND_H, LEFT, RIGHT, TapePainter, axis_height
from lean_trim.ui.tape.tape_words import (
    AXIS_HINT,
    REGIME_HINT,
    lane_hint,
    mark_hint,
    regime_hint,
    sample_hint,
)
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.picture import offer_picture

RIBBON_H = 44
"""Height of a folded tape: the regimes and one lane, px."""
RIBBON_HINT = "The tape is folded: F7 or a double click opens it."
OPEN_H = 112
"""Least height of an open one, px."""
SHORTEST_S = 0.5
AHEAD = 0.1
"""Where on the strip a spot that has left it comes to stand, as a share of its width."""
NEAR_PX = 6.0
"""How near the pointer has to be to a flag or a joint."""


class Tape(QWidget):
    """Wheel zooms, drag selects, Shift+drag or middle button pans.

    Arrows move the spot, Shift+arrows choose a stretch, Up and Down zoom, Home shows everything.
    """

    hovered = Signal(str)
    unfold_wanted = Signal()
    """A folded tape was clicked, or moved along by keys."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.lane_sets = LaneSets(session, self)
        self.data: TapeData | None = None
        self.start_s = 0.0
        self.end_s = 1.0
        self.lit: NDArray[np.int64] | None = None
        self.cursor_s: float | None = None
        self.spot_s: float | None = None
        self.anchor_s: float | None = None
        self._place: tuple[object, ...] = ()
        self.events: tuple[Event, ...] = ()
        self.gutter: tuple[object, QPixmap] | None = None
        self.is_ribbon = False
        self._driving = False
        self._drag_from: float | None = None
        self._pan_from: tuple[float, float, float] | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(OPEN_H)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Log tape")
        session.round_changed.connect(self.show_round)
        session.solved.connect(self.show_round)
        session.driving.connect(self.show_drive)
        session.idle.connect(self._drive_over)
        self.lane_sets.lanes_changed.connect(self.show_round)
        session.marks_changed.connect(self.update)
        session.selection.changing.connect(self.light_up)
        session.selection.changed.connect(self.light_up)
        appearance.changed.connect(self.update)
        appearance.units.changed.connect(self.show_round)
        offer_picture(self, "tape", self.numbers, menu=False)

    def numbers(self) -> str:
        """The lanes that are shown, of the stretch that is seen, with every sample."""
        return lanes_text(self.data, self.start_s, self.end_s) if self.data is not None else ""

    def show_round(self) -> None:
        """Show the current round's log, keeping the zoom if it is the same log."""
        self._driving = False
        current = self.session.round
        vehicle = self.session.vehicle
        # What is kept of a round comes in a moment, with the log as it was seen.
        waits = self.session.solver.is_restoring
        if current is None or vehicle is None or not current.logs or waits:
            self.data = None
            self.lit = None
            self.events = ()
            self.update()
            return
        solution = self.session.solution
        prepared = self.session.prepared
        log = prepared.frame.log if prepared is not None else join_logs(current.logs)
        # A threshold turned must not throw the user back to the whole log.
        place = (
            self.session.open.number,
            current.id,
            tuple(i.id for i in current.log_infos),
            len(log),
        )
        same = self.data is not None and place == self._place
        self._place = place
        names = (
            tuple(p.name for p in prepared.frame.pieces)
            if prepared is not None
            else tuple(x.name for x in current.logs)
        )
        sifted = self.session.sifted
        self.data = make_tape(
            log,
            vehicle,
            self.lane_sets.lanes,
            solution=solution,
            names=names,
            before=self.data,
            sifted=sifted,
            shown_in=self.appearance.units.of,
        )
        self.events = self.session.events if solution is not None else ()
        if not same:
            self.spot_s = None
            self.anchor_s = None
            self.hovered.emit("")
            self.show_all()
        self.light_up()

    def show_drive(self, log: Log) -> None:
        """Show a drive that is still going on."""
        if self.session.vehicle is None:
            return
        self._driving = True
        lanes = self.lane_sets.lanes
        self.data = make_tape(log, self.session.vehicle, lanes, shown_in=self.appearance.units.of)
        self.lit = None
        self.start_s = self.data.start_s
        # The whole drive from its first second, so that the strip fills instead of shrinking.
        self.end_s = max(self.data.end_s, 60.0 * self.session.rounds.drive_minutes)
        self.update()

    def _drive_over(self) -> None:
        """A drive ended, perhaps without a log: stand as the round says."""
        if self._driving:
            self.show_round()

    def all_events(self) -> tuple[Event, ...]:
        """Events of the drive and the user's bookmarks, in time order."""
        current = self.session.round
        marks = current.marks if current is not None else ()
        own = [Event(EventKind.MARK, m.time_s, m.time_s, m.text or "bookmark") for m in marks]
        return tuple(sorted((*self.events, *own), key=lambda e: e.start_s))

    def jump(self, forward: bool, kinds: frozenset[EventKind] | None = None) -> Event | None:
        """Move to the next or previous event; the strip shows it in its middle, marked."""
        if self.data is None:
            return None
        at = self.spot_s if self.spot_s is not None else (self.start_s if forward else self.end_s)
        event = (next_event if forward else previous_event)(self.all_events(), at, kinds)
        if event is None:
            self.hovered.emit(f"No {'later' if forward else 'earlier'} event of this kind.")
            return None
        self.spot_s = event.start_s
        # Wide enough to see what led to it, near enough to see it.
        width = min(max(30.0, 2.5 * (event.end_s - event.start_s)), 180.0)
        middle = (event.start_s + min(event.end_s, event.start_s + width)) / 2
        self.look_at(middle - width / 2, middle + width / 2)
        self.hovered.emit(f"{clock(event.start_s)} min: {event.kind} – {event.text}")
        return event

    def show_all(self) -> None:
        """Zoom out to the whole log."""
        if self.data is not None:
            self.look_at(self.data.start_s, self.data.end_s)

    def look_at(self, start_s: float, end_s: float) -> None:
        """Show a stretch, kept within the log."""
        if self.data is None:
            return
        width = min(max(end_s - start_s, SHORTEST_S), self.data.end_s - self.data.start_s)
        start = min(max(start_s, self.data.start_s), self.data.end_s - width)
        self.start_s = start
        self.end_s = start + width
        self.update()

    def show_ribbon(self, on: bool) -> None:
        """Fold to the regimes and the first lane, or open.

        Parameters
        ----------
        on : True to fold.
        """
        self.is_ribbon = on
        self.setMinimumHeight(RIBBON_H if on else OPEN_H)
        self.gutter = None
        self.updateGeometry()
        self.update()

    def light_up(self) -> None:
        """Mark the seconds behind the chosen cells, or those that show a finding."""
        selection = self.session.selection
        solution = self.session.solution
        self.lit = None
        if solution is not None and selection.cells and not selection.by_time:
            self.lit = counted(samples_of_cells(solution, selection.cells))
        elif solution is not None and selection.evidence is not None:
            self.lit = counted(selection.evidence)
        self.update()

    def time_at(self, x: float) -> float:
        """Time under a horizontal position."""
        share = (x - LEFT) / max(self.width() - LEFT - RIGHT, 1)
        return self.start_s + share * (self.end_s - self.start_s)

    def x_of(self, time_s: float) -> float:
        """Horizontal position of a time."""
        share = (time_s - self.start_s) / (self.end_s - self.start_s)
        return LEFT + share * (self.width() - LEFT - RIGHT)

    def paintEvent(self, event: QPaintEvent) -> None:
        """The strip as it is now."""
        painter = QPainter(self)
        theme = self.appearance.theme
        painter.fillRect(self.rect(), theme.color("sheet"))
        if self.data is None:
            painter.setPen(theme.color("faint"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._empty_text())
            return
        TapePainter(painter, self, theme).paint()

    def _empty_text(self) -> str:
        if self.session.job is None:
            return "The log of a drive appears here as a strip."
        if self.session.job.car:
            return "No drive in this round yet. Press “Drive the simulated car” (F5)."
        return "No log in this round yet. Drop a log file here, or use Round ▸ Add logs."

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the pointer."""
        if self.data is None:
            return
        # Shift turns a wheel sideways on some desktops.
        turn = event.angleDelta().y() or event.angleDelta().x()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            shift = -turn / 120.0 * 0.1 * (self.end_s - self.start_s)
            self.look_at(self.start_s + shift, self.end_s + shift)
            return
        at = self.time_at(event.position().x())
        factor = 0.8 ** (turn / 120.0)
        self.look_at(at - (at - self.start_s) * factor, at + (self.end_s - at) * factor)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to choose a stretch, or to pan."""
        x = event.position().x()
        shifted = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.button() == Qt.MouseButton.MiddleButton or (
            event.button() == Qt.MouseButton.LeftButton and shifted
        ):
            self._pan_from = (x, self.start_s, self.end_s)
        elif event.button() == Qt.MouseButton.LeftButton:
            self._drag_from = self.time_at(x)
            self.anchor_s = None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Choose or pan on; describe the sample under the pointer."""
        if self.data is None:
            return
        self.cursor_s = self.time_at(event.position().x())
        if self._pan_from is not None:
            x, start, end = self._pan_from
            shift = (x - event.position().x()) / max(self.width() - LEFT - RIGHT, 1) * (end - start)
            self.look_at(start + shift, end + shift)
        elif self._drag_from is not None:
            self._select(self._drag_from, self.cursor_s, done=False)
        self.hovered.emit(describe_at(self.data, self.cursor_s))
        self.session.selection.stand_at(self.cursor_s)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """A ribbon opens."""
        if self.is_ribbon:
            self.unfold_wanted.emit()
        else:
            super().mouseDoubleClickEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The stretch is chosen."""
        start = self._drag_from
        self._drag_from = None
        self._pan_from = None
        if start is None or self.data is None:
            return
        end = self.time_at(event.position().x())
        # A hand that trembles while it clicks does not choose a stretch.
        if abs(self.x_of(end) - self.x_of(start)) < 3:
            self.spot_s = end
            self.session.selection.clear()
            self.session.selection.stand_at(end)
        else:
            self._select(start, end, done=True)

    def _select(self, start: float, end: float, done: bool) -> None:
        solution = self.session.solution
        (a, b) = sorted((start, end))
        cells = cells_of_span(solution, a, b) if solution is not None else frozenset()
        self.session.selection.set_span(a, b, cells, done)

    def leaveEvent(self, event: object) -> None:
        """The pointer is gone."""
        self.cursor_s = None
        self.hovered.emit("")
        self.session.selection.stand_at(self.spot_s)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Move, choose, zoom, show everything, drop the choice."""
        if not press(self, event):
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """The spot the keyboard moves is shown."""
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """The frame goes with the focus."""
        super().focusOutEvent(event)
        self.update()

    def choose(self, start_s: float, end_s: float) -> None:
        """Choose a stretch, and the cells it fed."""
        self._select(start_s, end_s, done=True)

    def tell_spot(self) -> None:
        """Say in the status line what stands at the keyboard's spot."""
        if self.data is not None and self.spot_s is not None:
            self.hovered.emit(describe_at(self.data, self.spot_s))
            self.session.selection.stand_at(self.spot_s)

    def go_to(self, at_s: float) -> None:
        """Stand at a moment, with the strip moved along where it would leave it."""
        self.spot_s = at_s
        if not self.start_s <= at_s <= self.end_s:
            width = self.end_s - self.start_s
            self.look_at(at_s - AHEAD * width, at_s + (1.0 - AHEAD) * width)
        self.tell_spot()
        self.update()

    def forget(self) -> None:
        """Nothing of a job that is closed: no spot, no cursor, no zoom."""
        self.spot_s = None
        self.cursor_s = None
        self.anchor_s = None
        self.data = None
        self.session.selection.stand_at(None)
        self.update()

    def hint_at(self, point: QPoint) -> str:
        """What is painted under a point, in words."""
        data = self.data
        if data is None:
            return ""
        body = self.height() - axis_height(self.is_ribbon) - BAND_H - 2
        if point.y() > body + BAND_H:
            return AXIS_HINT
        time_s = self.time_at(point.x())
        if point.y() > body:
            return regime_hint(data, time_s) if point.x() >= LEFT else REGIME_HINT
        if point.x() < LEFT:
            lanes = data.lanes[:1] if self.is_ribbon else data.lanes
            lane = int(point.y() / body * len(lanes)) if lanes else 0
            hint = lane_hint(lanes[min(lane, len(lanes) - 1)]) if lanes else ""
            return f"{hint}\n{RIBBON_HINT}" if self.is_ribbon else hint
        current = self.session.round
        for mark in current.marks if current is not None else ():
            if abs(self.x_of(mark.time_s) - point.x()) < NEAR_PX:
                return mark_hint(mark)
        for joint_s, name in data.joints:
            if abs(self.x_of(joint_s) - point.x()) < NEAR_PX:
                return (
                    f"Here another recording begins: {name or 'the same log goes on after a gap'}"
                )
        return sample_hint(data, time_s)

    def event(self, event: QEvent) -> bool:
        """Explain what is under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)

    def point(self, time_s: float, y: float) -> QPointF:
        """A point of the strip, for tests and painters."""
        return QPointF(self.x_of(time_s), y)
