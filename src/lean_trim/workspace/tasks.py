"""Long work off the model's thread: a pure function, progress, cancel, exactly one answer.

Whatever happens in a task ends in one answer and a free lane, also what is no ``Exception`` (a
panic in a compiled library). Cancelling frees the lane at once and drops the answer; a thread that
cannot be stopped runs out on its own, and what it returns then is handed to ``discard``. Tasks
prepare and never save into the open job, so that "nothing was changed" is never wrong.
"""

from __future__ import annotations

import itertools
import logging
import threading
import time
from collections.abc import Callable
from typing import Any, ClassVar

from lean_trim.core.errors import CancelledError, LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.workspace.changes import Hub, Notice, WorkEnded, WorkMoved, WorkStarted
from lean_trim.workspace.loop import EventLoop

LOGGER = logging.getLogger(__name__)


class Lane:
    """One task at a time; lanes do not block one another. A lookup has a lane of its own.

    Parameters
    ----------
    name : for whoever reads the program's log.
    """

    READING: ClassVar[Lane]
    REREADING: ClassVar[Lane]
    SOLVING: ClassVar[Lane]
    LOOKING: ClassVar[Lane]
    REFITTING: ClassVar[Lane]
    STUDY: ClassVar[Lane]
    TRYING: ClassVar[Lane]

    def __init__(self, name: str) -> None:
        self.name = name

    def __repr__(self) -> str:
        return f"Lane({self.name!r})"


Lane.READING = Lane("reading")
Lane.REREADING = Lane("reading again")
Lane.SOLVING = Lane("solving")
Lane.LOOKING = Lane("looking")
Lane.REFITTING = Lane("refitting")
Lane.STUDY = Lane("study")
Lane.TRYING = Lane("trying without")
WAITED_FOR = (Lane.READING, Lane.REREADING, Lane.SOLVING, Lane.LOOKING)
"""What people wait for, in the order in which it is shown and stopped."""


class Say:
    """What tasks say."""

    STILL_RUNNING = Message(
        "tasks.still_running", "{title} is still running; wait for it or cancel it first."
    )
    CANCELLED = Message("tasks.cancelled", "{title} was cancelled; nothing was changed.")
    FAILED = Message("tasks.failed", "{reason}")
    UNEXPECTED = Message(
        "tasks.unexpected",
        "{title} stopped on an unexpected error ({kind}: {reason}). Nothing was changed; the log "
        "for support holds the details.",
    )


class Report:
    """How a task tells of itself.

    Called with the share done and what it is at, it returns False once it was cancelled.
    """

    def __init__(self, task: Task) -> None:
        self._task = task

    def __call__(self, share: float, detail: Any) -> bool:
        """Tell how far the work is; False once it was cancelled."""
        self._task.moved(share, detail)
        return not self._task.stopped.is_set()

    @property
    def cancelled(self) -> bool:
        """True once the task was cancelled."""
        return self._task.stopped.is_set()

    def on_cancel(self, call: Callable[[], None]) -> None:
        """Have something done when the task is cancelled, such as ending a child process.

        At once if it was already.
        """
        self._task.on_cancel(call)


class Task:
    """One piece of work in a thread of its own."""

    def __init__(
        self, number: int, lane: Lane, title: str, work: Callable[[Report], Any], tasks: Tasks
    ) -> None:
        self.number = number
        self.lane = lane
        self.title = title
        self.stopped = threading.Event()
        self._work = work
        self._tasks = tasks
        self._lock = threading.Lock()
        self._cancel_calls: list[Callable[[], None]] = []
        self._began = 0.0
        self.what = title
        self.share = 0.0
        self._thread = threading.Thread(target=self._run, name=title, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._began = time.monotonic()
        self._thread.start()

    def cancel(self) -> None:
        """Ask the work to stop."""
        with self._lock:
            self.stopped.set()
            calls = self._cancel_calls
            self._cancel_calls = []
        for call in calls:
            call()

    def on_cancel(self, call: Callable[[], None]) -> None:
        """See ``Report.on_cancel``."""
        with self._lock:
            if not self.stopped.is_set():
                self._cancel_calls.append(call)
                return
        call()

    def moved(self, share: float, detail: Any) -> None:
        """Pass progress on to the model's thread.

        Parameters
        ----------
        share : 0 to 1.
        detail : words, or what the work has so far.
        """
        self._tasks.loop.post(lambda: self._tasks.moved(self, share, detail))

    def _run(self) -> None:
        answer: Any = None
        failure: BaseException | None = None
        try:
            answer = self._work(Report(self))
        # A library may end in what is no Exception (a panic of compiled code); the lane has to come
        # free all the same.
        except BaseException as error:
            failure = error
            if not isinstance(error, LeanTrimError | OSError):
                LOGGER.exception("%s failed", self.title)
        outcome = "done" if failure is None else type(failure).__name__
        LOGGER.info("%s: %s after %.2f s", self.title, outcome, time.monotonic() - self._began)
        self._tasks.loop.post(lambda: self._tasks.ended(self, answer, failure))


class Tasks:
    """The lanes of one open job."""

    def __init__(self, loop: EventLoop, hub: Hub) -> None:
        self.loop = loop
        self.hub = hub
        self.running: dict[Lane, Task] = {}
        self._numbers = itertools.count(1)
        self._done: dict[int, Callable[[Any], None]] = {}
        self._failed: dict[int, Callable[[str], None]] = {}
        self._details: dict[int, Callable[[Any], None]] = {}
        self._stopped: dict[int, Callable[[], None]] = {}
        # Kept beyond the task's place in its lane: a thread that runs out late still returns
        # something.
        self._discard: dict[int, Callable[[Any], None]] = {}

    def start(
        self,
        lane: Lane,
        title: str,
        work: Callable[[Report], Any],
        done: Callable[[Any], None],
        failed: Callable[[str], None] | None = None,
        on_detail: Callable[[Any], None] | None = None,
        replace: bool = False,
        discard: Callable[[Any], None] | None = None,
        stopped: Callable[[], None] | None = None,
    ) -> Task | None:
        """Run work in a lane.

        Parameters
        ----------
        work : called in a thread with a ``Report``.
        done : called in the model's thread with what it returned.
        failed : called there with the reason if it failed; a notice is published if None.
        on_detail : called there with progress that is no text.
        replace : drop what runs in the lane; else it is left alone, the user is told, and None is
            returned.
        stopped : called there if the user stops it.
        discard : called there with what the work returned if nobody wants it any more, so that an
            open file is closed.
        """
        before = self.running.get(lane)
        if before is not None and not replace:
            self.hub.publish(Notice("note", Say.STILL_RUNNING(title=before.title)))
            return None
        if before is not None:
            # Not waited for: the old thread runs out beside the new one, and its answer is dropped.
            before.cancel()
            self._forget(before)
        task = Task(next(self._numbers), lane, title, work, self)
        self.running[lane] = task
        self._done[task.number] = done
        if failed is not None:
            self._failed[task.number] = failed
        if on_detail is not None:
            self._details[task.number] = on_detail
        if discard is not None:
            self._discard[task.number] = discard
        if stopped is not None:
            self._stopped[task.number] = stopped
        self.hub.publish(WorkStarted(task.number, title))
        task.start()
        return task

    def current(self, task: Task) -> bool:
        """True if the task is still the one its lane waits for."""
        return self.running.get(task.lane) is task

    def moved(self, task: Task, share: float, detail: Any) -> None:
        """Progress of a task, in the model's thread; of a dropped one it is not passed on.

        Parameters
        ----------
        task : whose progress it is.
        share : 0 to 1.
        detail : words, or what the work has so far.
        """
        if not self.current(task):
            return
        task.what = detail if isinstance(detail, str) else task.title
        task.share = share
        if not isinstance(detail, str) and task.number in self._details:
            self._details[task.number](detail)
        self.hub.publish(WorkMoved(task.number, task.what, share))

    def ended(self, task: Task, answer: Any, failure: BaseException | None) -> None:
        """The one answer of a task, in the model's thread; of a dropped one it is not passed on.

        Parameters
        ----------
        task : that ended.
        answer : what its work returned.
        failure : what it raised, None if it did not.
        """
        discard = self._discard.pop(task.number, None)
        # A dropped task has no say any more, however it ended.
        if not self.current(task):
            if discard is not None and failure is None:
                discard(answer)
            return
        done = self._done[task.number]
        failed = self._failed.get(task.number)
        self._remove(task)
        try:
            self._take_end(task, done, failed, answer, failure)
        finally:
            # Told last, but told: that nothing runs any more is true of what came of it as well.
            self.hub.publish(WorkEnded(task.number))

    def _take_end(
        self,
        task: Task,
        done: Callable[[Any], None],
        failed: Callable[[str], None] | None,
        answer: Any,
        failure: BaseException | None,
    ) -> None:
        if failure is None:
            done(answer)
        elif isinstance(failure, CancelledError):
            self.hub.publish(Notice("note", Say.CANCELLED(title=task.title)))
        elif isinstance(failure, LeanTrimError | OSError):
            self._tell_failure(failed, Say.FAILED(reason=str(failure)))
        else:
            kind = type(failure).__name__
            reason = str(failure)
            self._tell_failure(failed, Say.UNEXPECTED(title=task.title, kind=kind, reason=reason))

    def _tell_failure(self, failed: Callable[[str], None] | None, said: Any) -> None:
        if failed is not None:
            failed(str(said))
        else:
            self.hub.publish(Notice("error", said))

    def _forget(self, task: Task) -> None:
        self._remove(task)
        self.hub.publish(WorkEnded(task.number))

    def _remove(self, task: Task) -> None:
        self.running.pop(task.lane, None)
        for calls in (self._done, self._failed, self._details, self._stopped):
            calls.pop(task.number, None)  # type: ignore[attr-defined]

    def cancel(self, lane: Lane | None = None) -> None:
        """Stop what the user sees running.

        One lane's task, or the first of those people wait for.

        Parameters
        ----------
        lane : None for the one the user sees.
        """
        lanes = (lane,) if lane is not None else WAITED_FOR
        task = next((self.running[x] for x in lanes if x in self.running), None)
        if task is None:
            return
        stopped = self._stopped.get(task.number)
        task.cancel()
        self._remove(task)
        if stopped is not None:
            stopped()
        self.hub.publish(WorkEnded(task.number))
        self.hub.publish(Notice("note", Say.CANCELLED(title=task.title)))

    def drop(self, lane: Lane) -> None:
        """Stop a lane's task without a word; its answer is not wanted any more."""
        task = self.running.get(lane)
        if task is not None:
            task.cancel()
            self._forget(task)

    def drop_all(self) -> None:
        """Stop everything without a word."""
        for lane in tuple(self.running):
            self.drop(lane)
