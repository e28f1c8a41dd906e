"""Plays the log: the tape's spot runs along, from true pace to sixty times as fast."""

from __future__ import annotations

import time

from PySide6.QtCore import QObject, QTimer, Signal

from lean_trim.ui.tape.tape import Tape

RATES = (1, 2, 5, 10, 30, 60)
FRAME_MS = 40


class Player(QObject):
    """Moves the spot of a tape; stops at its end, and when the log is another one."""

    changed = Signal()
    """Plays or stands, or at another pace."""

    def __init__(self, tape: Tape, parent: QObject) -> None:
        super().__init__(parent)
        self.tape = tape
        self.rate = 10
        self._timer = QTimer(self)
        self._timer.setInterval(FRAME_MS)
        self._timer.timeout.connect(self._step)
        self._before = 0.0
        tape.session.round_changed.connect(self.stop)
        tape.session.job_closed.connect(self.stop)

    @property
    def plays(self) -> bool:
        """Whether it runs."""
        return self._timer.isActive()

    def toggle(self) -> None:
        """Play, or stop."""
        if self.plays:
            self.stop()
        elif self.tape.data is not None:
            tape = self.tape
            data = self.tape.data
            at = tape.spot_s if tape.spot_s is not None else tape.start_s
            if at >= data.end_s - 1e-6:
                at = data.start_s
            tape.go_to(at)
            self._before = time.monotonic()
            self._timer.start()
            self.changed.emit()

    def stop(self) -> None:
        """Stand still."""
        if self.plays:
            self._timer.stop()
            self.changed.emit()

    def use(self, rate: int) -> None:
        """Another pace.

        Parameters
        ----------
        rate : one of ``RATES``, times the true one.
        """
        self.rate = rate
        self.changed.emit()

    def _step(self) -> None:
        data = self.tape.data
        now = time.monotonic()
        passed = now - self._before
        self._before = now
        if data is None or self.tape.spot_s is None:
            self.stop()
            return
        at = self.tape.spot_s + passed * self.rate
        self.tape.go_to(min(at, data.end_s))
        if at >= data.end_s:
            self.stop()
