"""Children that have their reader's code loaded, one a kind of file, kept from one file to the next.

Loading it takes a second or two, reading a log a tenth of that; and a log is read again with every
answer about it.
"""

from __future__ import annotations

import json
import os
import select
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import Any, BinaryIO

from lean_trim.formats.decode.apart.protocol import DATAGRAM

START_S = 60.0
"""Time to load the reader's code, on a busy machine."""
LOOK_S = 0.1
"""How often ``waiting`` is asked."""


class GoneError(Exception):
    """The child is not there any more, or was never able to start."""


Waiting = Callable[[], None]


@dataclass(frozen=True)
class Conversation:
    """Pipes to and from whoever reads one file."""

    words: BinaryIO
    answers: BinaryIO


class LoadedReader:
    """One child and the socket it is told by; its methods may be called from any thread."""

    def __init__(self, kind: str) -> None:
        self.lock = threading.Lock()
        self.control, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        module = "lean_trim.formats.decode.apart.child"
        with theirs:
            self.child = subprocess.Popen(
                [sys.executable, "-m", module, kind, str(theirs.fileno())],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                pass_fds=[theirs.fileno()],
                env={**os.environ, "OPENBLAS_NUM_THREADS": "1", "NUMEXPR_NUM_THREADS": "1"},
            )
        self.ready = False

    def alive(self) -> bool:
        """Whether it can be told anything."""
        return self.child.poll() is None

    def begin(
        self, path: str, options: Mapping[str, str], seconds: float, waiting: Waiting
    ) -> tuple[int, Conversation]:
        """Have it fork for a file; GoneError if it cannot.

        Parameters
        ----------
        path : of the file, absolute.
        options : the reader's.
        seconds : of the processor, most that reading may take.
        waiting : called now and then until it is ready; may raise.

        Returns
        -------
        What to end it by, and the pipes.
        """
        with self.lock:
            if not self.ready:
                self._hear_ready(waiting)
            their_words, words = os.pipe()
            answers, their_answers = os.pipe()
            told = {"path": path, "options": dict(options), "seconds": max(1, round(seconds))}
            try:
                socket.send_fds(
                    self.control, [json.dumps(told).encode()], [their_words, their_answers]
                )
                pid = int(self._heard()["pid"])
            except (OSError, GoneError) as error:
                os.close(words)
                os.close(answers)
                raise GoneError from error
            finally:
                os.close(their_words)
                os.close(their_answers)
            return pid, Conversation(os.fdopen(words, "wb"), os.fdopen(answers, "rb"))

    def end(self, pid: int) -> None:
        """End a conversation, whatever its child does; that it is gone already is no error."""
        with self.lock:
            try:
                self.control.send(json.dumps({"end": pid}).encode())
                self._heard()
            # It ends what it has begun when it goes itself.
            except (OSError, GoneError):
                return

    def close(self) -> None:
        """Let it go."""
        self.control.close()
        self.child.kill()
        self.child.wait()

    def _hear_ready(self, waiting: Waiting) -> None:
        until = time.monotonic() + START_S
        while not select.select([self.control], [], [], LOOK_S)[0]:
            waiting()
            if time.monotonic() > until:
                raise GoneError
        self._heard()
        self.ready = True

    def _heard(self) -> dict[str, Any]:
        try:
            data = self.control.recv(DATAGRAM)
        except OSError as error:
            raise GoneError from error
        if not data:
            raise GoneError
        heard: dict[str, Any] = json.loads(data)
        return heard


_kept: dict[str, LoadedReader] = {}
_keeping = threading.Lock()


def _reader(kind: str) -> LoadedReader:
    with _keeping:
        found = _kept.get(kind)
        if found is None or not found.alive():
            if found is not None:
                found.close()
            found = _kept[kind] = LoadedReader(kind)
        return found


def _forget(kind: str, reader: LoadedReader) -> None:
    with _keeping:
        if _kept.get(kind) is reader:
            del _kept[kind]
    reader.close()


def forget_all() -> None:
    """Let every child go."""
    with _keeping:
        gone = list(_kept.values())
        _kept.clear()
    for reader in gone:
        reader.close()


@contextmanager
def conversation(
    kind: str, path: str, options: Mapping[str, str], seconds: float, waiting: Waiting
) -> Iterator[Conversation]:
    """A conversation about a file with a child that reads its kind, ended with the context.

    Parameters
    ----------
    kind : which reader.
    path, options, seconds, waiting : as for ``LoadedReader.begin``.

    Raises
    ------
    GoneError
        If the child cannot be started.
    """
    reader = _reader(kind)
    try:
        pid, talk = reader.begin(path, options, seconds, waiting)
    except GoneError:
        # It may have gone for want of work at this moment; one that cannot start is told.
        _forget(kind, reader)
        reader = _reader(kind)
        try:
            pid, talk = reader.begin(path, options, seconds, waiting)
        except GoneError:
            _forget(kind, reader)
            raise
    try:
        yield talk
    finally:
        reader.end(pid)
        talk.answers.close()
        # What was not read of it is of no use to anybody.
        with suppress(BrokenPipeError):
            talk.words.close()
