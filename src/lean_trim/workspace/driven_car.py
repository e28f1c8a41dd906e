"""Drive the simulated car in a process of its own, as a real logger would run beside the window.

A child that says nothing for too long is ended with words; what it writes to its error stream is
drained, so that it never waits for a reader; and cancelling ends it at once.
"""

from __future__ import annotations

import queue
import subprocess
import sys
import threading
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from pathlib import Path
from typing import IO

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, concatenate
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import CancelledError, LogError
from lean_trim.core.messages import Message
from lean_trim.formats.logs import LABEL_ROLES, parse_rows
from lean_trim.formats.own_folder import own_folder
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.workspace.tasks import Report

DRIVE_TITLE = "Driving the simulated car"
ROWS_PER_PIECE = 500
SILENT_S = 30.0
"""How long the child may say nothing.

It drives thousands of times faster than real time and needs about a second to start.
"""
LOOK_S = 0.1
"""How often a cancel is looked for while the child says nothing."""
LAST_WORDS = 20
"""Lines of the error stream that are kept."""


class Say:
    """What driving says."""

    NAME = Message("drive.name", "simulated drive {seed}")
    CANCELLED = Message("drive.cancelled", "the drive was cancelled; nothing was changed")
    STOPPED = Message("drive.stopped", "the simulated car stopped early: {reason}")
    SILENT = Message(
        "drive.silent",
        "the simulated car said nothing for {seconds:.0f} s and was ended; drive again",
    )
    NO_REASON = Message("drive.no_reason", "no reason given")


PLAN_NAME = "plan.json"


def drive_apart(
    vehicle: Vehicle,
    seed: int,
    minutes: float,
    report: Report,
    command: Sequence[str] | None = None,
    silent_s: float = SILENT_S,
    car: str = "",
    plan: str = "",
) -> Log:
    """Run ``lean-trim simulate`` and follow its output.

    Parameters
    ----------
    minutes : length of the drive, > 0.
    command : another program that streams a log, for tests; the simulated car if None.
    silent_s : how long it may say nothing, s.
    car : the demo car behind the sheet, "" for the engine the sheet tells of.
    plan : a plan.json whose states are held, "" for the driver's own way.

    Raises
    ------
    CancelledError
        If ``report`` says so; the process is ended first.
    LogError
        If the process ended with an error or said nothing for too long.
    """
    with own_folder() as folder:
        words = (
            list(command)
            if command is not None
            else _simulate(vehicle, folder, seed, minutes, car, plan)
        )
        pipe = subprocess.PIPE
        # No standard input: a child that asked for something would wait for ever.
        with subprocess.Popen(
            words, stdin=subprocess.DEVNULL, stdout=pipe, stderr=pipe, text=True
        ) as process:
            report.on_cancel(process.kill)
            try:
                return _Follower(process, str(Say.NAME(seed=seed)), silent_s).follow(
                    minutes, report
                )
            finally:
                process.kill()


def _simulate(
    vehicle: Vehicle, folder: Path, seed: int, minutes: float, car: str, plan: str
) -> list[str]:
    sheet = write_vehicle(vehicle, folder)
    words = [sys.executable, "-m", "lean_trim", "simulate", "--vehicle", str(sheet), "--out", "-"]
    if plan:
        (folder / PLAN_NAME).write_text(plan, encoding="utf-8")
        words += ["--plan", str(folder / PLAN_NAME)]
    return [
        *words,
        "--seed",
        str(seed),
        "--minutes",
        f"{minutes:g}",
        *(("--car", car) if car else ()),
    ]


class _Follower:
    """Reads both streams of a child in threads, so that neither blocks it or us."""

    def __init__(self, process: subprocess.Popen[str], name: str, silent_s: float) -> None:
        self.process = process
        self.name = name
        self.silent_s = silent_s
        self.lines: queue.Queue[str | None] = queue.Queue()
        self.ended = False
        self.last_words: deque[str] = deque(maxlen=LAST_WORDS)
        assert process.stdout is not None and process.stderr is not None
        self._start(process.stdout, self.lines.put, lambda: self.lines.put(None))
        self._errors = self._start(process.stderr, self.last_words.append, lambda: None)

    @staticmethod
    def _start(
        stream: IO[str], take: Callable[[str], None], end: Callable[[], None]
    ) -> threading.Thread:
        def read() -> None:
            # A drive that is stopped closes its streams under the reader, and nobody wants the
            # rest.
            with suppress(ValueError):
                for line in stream:
                    take(line)
            end()

        thread = threading.Thread(target=read, daemon=True)
        thread.start()
        return thread

    def follow(self, minutes: float, report: Report) -> Log:
        """The whole drive; every piece is reported with the drive so far."""
        pieces: list[Log] = []
        for piece in self._pieces(report):
            pieces.append(piece)
            share = min(1.0, float(piece.time_s[-1]) / (60.0 * minutes))
            if not report(share, concatenate(pieces, self.name)):
                raise CancelledError(Say.CANCELLED())
        self._errors.join(LOOK_S)
        if self.process.wait() != 0 or not pieces:
            words = "".join(self.last_words).strip()
            raise LogError(Say.STOPPED(reason=words or str(Say.NO_REASON())))
        return concatenate(pieces, self.name)

    def _line(self, report: Report) -> str | None:
        """The next line, None at the end and ever after."""
        if self.ended:
            return None
        waited = 0.0
        while waited < self.silent_s:
            try:
                line = self.lines.get(timeout=LOOK_S)
                self.ended = line is None
                return line
            except queue.Empty:
                waited += LOOK_S
                if report.cancelled:
                    raise CancelledError(Say.CANCELLED()) from None
        raise LogError(Say.SILENT(seconds=self.silent_s))

    def _pieces(self, report: Report) -> Iterator[Log]:
        header = self._line(report) or ""
        roles: list[Role] = [
            LABEL_ROLES[n] for n in header.strip().split(",")[1:] if n in LABEL_ROLES
        ]
        self._line(report)
        rows: list[str] = []
        while (line := self._line(report)) is not None:
            rows.append(line)
            if len(rows) >= ROWS_PER_PIECE:
                yield parse_rows(roles, rows, self.name)
                rows = []
        if len(rows) > 1:
            yield parse_rows(roles, rows, self.name)
