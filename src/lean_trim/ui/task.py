"""Long work off the window's thread: a pure function, progress, cancel, one answer."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal

from lean_trim.core.errors import CancelledError, LeanTrimError

Report = Callable[[float, Any], bool]


class Task(QObject):
    """Runs ``work(report)`` in a thread. ``report(share, detail)`` returns False once the user cancelled.

    Exactly one of ``done``, ``failed`` and ``cancelled`` is sent, always in the window's thread.
    """

    progress = Signal(float, object)
    done = Signal(object)
    failed = Signal(str)
    cancelled = Signal()
    _answer = Signal(str, object)

    def __init__(self, work: Callable[[Report], Any], title: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.title = title
        self._work = work
        self._stop = threading.Event()
        self._answer.connect(self._deliver, Qt.ConnectionType.QueuedConnection)
        self._thread = threading.Thread(target=self._run, name=title, daemon=True)

    def start(self) -> None:
        """Begin the work."""
        self._thread.start()

    def cancel(self) -> None:
        """Ask the work to stop at its next report."""
        self._stop.set()

    def wait(self, seconds: float = 30.0) -> None:
        """Block until the thread has ended; used when the window closes."""
        self._thread.join(seconds)

    def _report(self, share: float, detail: Any) -> bool:
        self.progress.emit(share, detail)
        return not self._stop.is_set()

    def _run(self) -> None:
        try:
            kind, answer = "done", self._work(self._report)
        except CancelledError:
            kind, answer = "cancelled", None
        except (LeanTrimError, OSError) as error:
            kind, answer = "failed", str(error)
        except Exception as error:
            kind, answer = "failed", f"{self.title} stopped on an unexpected error ({type(error).__name__}: {error})"
        self._answer.emit(kind, answer)

    def _deliver(self, kind: str, answer: object) -> None:
        if kind == "done":
            self.done.emit(answer)
        elif kind == "failed":
            self.failed.emit(str(answer))
        else:
            self.cancelled.emit()
