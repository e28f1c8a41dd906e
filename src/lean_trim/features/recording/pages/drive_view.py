"""The view while a drive is recorded: one screen, one key, alarms until they are seen."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from lean_trim.features.recording.live_drive import DangerMet, LiveChanged, LiveDrive
from lean_trim.features.recording.pages.drive_paint import Alarm, Canvas, paint_alarm, paint_drive
from lean_trim.features.recording.pages.tone import Tone
from lean_trim.live.watch.rules import TITLES
from lean_trim.live.watch.watch import Danger, WatchState

LOOK_MS = 100
LEAST = (640, 360)


class DriveView(QWidget):
    """A window of its own, for a passenger or a dynamometer's screen; it hears the drive also while hidden.

    Parameters
    ----------
    live : the drive.
    tone : that alarms sound by.
    """

    def __init__(self, live: LiveDrive, tone: Tone | None = None) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self.live = live
        self.tone = tone or Tone()
        self.alarms: list[Alarm] = []
        self._off: frozenset[str] | None = None
        self._place = -1
        self._keep: list[object] = []
        self.setWindowTitle("Lean Trim: drive")
        self.setMinimumSize(*LEAST)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Drive view")
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)
        hub = live.open.hub
        hub.subscribe(DangerMet, lambda met: self.take(met.danger))
        hub.subscribe(LiveChanged, lambda _: self._changed())

    def _changed(self) -> None:
        """A recording began, ended, or is understood otherwise."""
        if self.live.is_running and not self._timer.isActive():
            self.alarms.clear()
            self._off = None
            self._place = -1
            self.tone.prepare()
            self._timer.start()
        elif not self.live.is_running and self._timer.isActive():
            self._timer.stop()
            self.alarms.clear()
            self.tone.stop()
            self.close()
        self.update()

    def take(self, danger: Danger) -> None:
        """A danger: shown at once, over everything, whatever was open."""
        # One that was on its way as the recording was ended is in the recording.
        if not self.live.is_running:
            return
        self._alarm(Alarm(False, str(danger.said), (TITLES.get(danger.rule, danger.rule),)))

    def look(self) -> None:
        """See how the drive stands."""
        now = self.live.now()
        if now is None:
            return
        self._watch_watches(now.watches)
        if now.next.place != self._place:
            self._place = now.next.place
            state = now.next.state
            if state is not None:
                self.tone.say(f"{state.rpm:.0f} rpm, {state.map_kpa:.0f} kilopascal")
        if self.alarms:
            self.tone.go_on()
        if self.isVisible():
            self.update()

    def _watch_watches(self, watches: tuple[WatchState, ...]) -> None:
        """A watch that goes off is as loud as a danger; those that are off from the start are said once."""
        off = {w.rule: w for w in watches if w.off is not None}
        if self._off is None:
            # Nothing is on before the channels are understood, and nobody drives before the start.
            if self.live.listens:
                return
            gone = list(off.values())
        else:
            gone = [w for rule, w in off.items() if rule not in self._off]
        self._off = frozenset(off)
        if gone:
            title = f"OFF: {gone[0].title}" if len(gone) == 1 else f"OFF: {len(gone)} watches"
            self._alarm(Alarm(True, title, tuple(f"{w.title}: {w.off}" for w in gone)))

    def _alarm(self, alarm: Alarm) -> None:
        # A danger goes before watches that are off.
        place = len(self.alarms) if alarm.is_off else sum(not a.is_off for a in self.alarms)
        self.alarms.insert(place, alarm)
        self.tone.go_on()
        self.tone.say(alarm.title)
        if not self.isVisible():
            self.open()
        self.repaint()

    def open(self) -> None:
        """Fill the screen."""
        self.showFullScreen()
        self.raise_()
        self.activateWindow()

    def acknowledge(self) -> None:
        """The alarm was seen; without one, a bookmark is set."""
        if self.alarms:
            self.alarms.pop(0)
            if not self.alarms:
                self.tone.stop()
        elif self.live.recorder is not None:
            self.live.recorder.mark({"note": "bookmark"})
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """One key does the work; Esc leaves, and the recording goes on."""
        if event.key() == Qt.Key.Key_Space:
            self.acknowledge()
        elif event.key() == Qt.Key.Key_Right:
            self.live.skip()
        elif event.key() == Qt.Key.Key_Escape and not self.alarms:
            self.close()
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A touch anywhere is the key."""
        self.acknowledge()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the alarm, or the drive."""
        painter = QPainter(self)
        canvas = Canvas(painter, self.width(), self.height())
        now = self.live.now()
        if self.alarms:
            paint_alarm(canvas, self.alarms[0], len(self.alarms) - 1)
        elif now is not None:
            paint_drive(canvas, now, self.live.solved)
        else:
            painter.fillRect(self.rect(), Qt.GlobalColor.black)
