"""One long piece of work at a time, with progress and cancel, its answer in the window's thread."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject

from lean_trim.core.data.log import Log
from lean_trim.ui.task import Report, Task

if TYPE_CHECKING:
    from lean_trim.ui.session import Session


class Worker(QObject):
    """Runs tasks for the session and tells through its signals."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.task: Task | None = None

    def start(self, title: str, work: Callable[[Report], Any], done: Callable[[Any], None]) -> Task | None:
        """Run long work; only one at a time."""
        if self.task is not None:
            self.session.message.emit("note", f"{self.task.title} is still running; wait for it or cancel it first.")
            return None
        task = Task(work, title, self)
        self.task = task
        task.done.connect(lambda answer: self._finish(task, lambda: done(answer)))
        task.failed.connect(lambda text: self._finish(task, lambda: self.session.message.emit("error", text)))
        task.cancelled.connect(lambda: self._finish(task, lambda: self._was_cancelled(title)))
        task.progress.connect(self._progress)
        self.session.busy.emit(title, 0.0)
        task.start()
        return task

    def _was_cancelled(self, title: str) -> None:
        self.session.message.emit("note", f"{title} was cancelled; nothing was changed.")
        self.session.round_changed.emit()

    def _finish(self, task: Task, then: Callable[[], None]) -> None:
        if task is not self.task:
            return
        self.task = None
        self.session.idle.emit()
        then()
        task.deleteLater()

    def _progress(self, share: float, detail: object) -> None:
        if self.task is None:
            return
        if isinstance(detail, Log):
            self.session.driving.emit(detail)
        self.session.busy.emit(detail if isinstance(detail, str) else self.task.title, share)

    def cancel(self, wait: bool = False) -> None:
        """Stop what is running."""
        if self.task is not None:
            self.task.cancel()
            if wait:
                task, self.task = self.task, None
                task.wait()
                self.session.idle.emit()
