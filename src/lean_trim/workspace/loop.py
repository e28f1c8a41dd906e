"""Where the model lives: one thread, to which answers of background work are posted."""

from __future__ import annotations

import queue
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Protocol


class Timer(Protocol):
    """Something that will be called once."""

    def cancel(self) -> None:
        """Do not call it."""


class EventLoop(Protocol):
    """The thread the model lives in; the window's own loop, or one that is turned by hand."""

    def post(self, call: Callable[[], None]) -> None:
        """Have something called in the model's thread, soon; may be asked from any thread."""

    def call_later(self, delay_s: float, call: Callable[[], None]) -> Timer:
        """Have something called in the model's thread after a while; asked from that thread.

        Parameters
        ----------
        delay_s : s, >= 0.
        call : takes nothing and returns nothing.

        Returns
        -------
        A handle to cancel it by.
        """


@dataclass(order=True)
class ManualTimer:
    """A call that waits for its time in a ``ManualLoop``."""

    due: float
    call: Callable[[], None] = field(compare=False)
    cancelled: bool = field(compare=False, default=False)

    def cancel(self) -> None:
        """Do not call it."""
        self.cancelled = True


class ManualLoop:
    """A loop for commands and tests: runs what was posted when it is told to."""

    def __init__(self) -> None:
        self._calls: queue.Queue[Callable[[], None]] = queue.Queue()
        self._timers: list[ManualTimer] = []

    def post(self, call: Callable[[], None]) -> None:
        """Queue a call; from any thread."""
        self._calls.put(call)

    def call_later(self, delay_s: float, call: Callable[[], None]) -> ManualTimer:
        """Queue a call for later.

        Parameters
        ----------
        delay_s : s, >= 0.
        call : takes nothing and returns nothing.

        Returns
        -------
        A handle to cancel it by.
        """
        timer = ManualTimer(time.monotonic() + delay_s, call)
        self._timers.append(timer)
        return timer

    def turn(self, wait_s: float = 0.0) -> None:
        """Run everything that is due; wait a little for the first call if there is none.

        Parameters
        ----------
        wait_s : longest wait for the first call, s.
        """
        try:
            self._calls.get(timeout=wait_s)() if wait_s > 0.0 else self._calls.get_nowait()()
            while True:
                self._calls.get_nowait()()
        except queue.Empty:
            pass
        due = [t for t in sorted(self._timers) if t.due <= time.monotonic()]
        self._timers = [t for t in self._timers if t not in due and not t.cancelled]
        for timer in due:
            if not timer.cancelled:
                timer.call()

    def run_until(self, condition: Callable[[], bool], seconds: float = 60.0) -> None:
        """Turn until a condition holds.

        Raises TimeoutError if it does not in time.
        """
        deadline = time.monotonic() + seconds
        while not condition():
            if time.monotonic() > deadline:
                raise TimeoutError(f"not in {seconds:g} s")
            self.turn(wait_s=0.01)
