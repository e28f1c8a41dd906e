"""A pseudo-terminal that somebody answers on, as a device on a cable."""

from __future__ import annotations

import os
import select
import threading
import tty
from abc import ABC, abstractmethod
from contextlib import suppress
from pathlib import Path

LOOK_S = 0.02
CHUNK = 4096


class Terminal(ABC):
    """A device; ``path`` is what a program opens. Used as a context.

    Pulling the cable closes the device for whoever has it open; plugging it in again gives it another path.
    ``link`` leads to it.
    """

    def __init__(self, link: Path) -> None:
        self.link = link
        self._master = -1
        self._slave = -1
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    def __enter__(self) -> Terminal:
        self.plug()
        return self

    def __exit__(self, *_: object) -> None:
        self.pull()

    def plug(self) -> None:
        """Put the cable in."""
        self._master, slave = os.openpty()
        tty.setraw(slave)
        tty.setraw(self._master)
        os.set_blocking(self._master, False)
        name = os.ttyname(slave)
        # Open on this side until somebody opens it: a terminal nobody has open reads as gone.
        self._slave = slave
        self.link.unlink(missing_ok=True)
        self.link.symlink_to(name)
        self._stop.clear()
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def pull(self) -> None:
        """Pull the cable out."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join()
            self._thread = None
        self.link.unlink(missing_ok=True)
        for end in (self._master, self._slave):
            if end >= 0:
                os.close(end)
        self._master = self._slave = -1

    def send(self, data: bytes) -> None:
        """Send bytes to whoever has the device open; what finds no room is lost, as on a cable."""
        with suppress(BlockingIOError):
            os.write(self._master, data)

    def _serve(self) -> None:
        while not self._stop.is_set():
            self.idle()
            ready, _, _ = select.select([self._master], [], [], LOOK_S)
            if ready:
                try:
                    data = os.read(self._master, CHUNK)
                except OSError:
                    return
                self.take(data)

    @abstractmethod
    def take(self, data: bytes) -> None:
        """Bytes have come."""

    def idle(self) -> None:
        """Called again and again, also when nothing comes."""
        return
