"""Drive the simulated car in a process of its own, as a real logger would run beside the window."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, concatenate
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import CancelledError, LogError
from lean_trim.formats.logs import LABEL_ROLES, parse_rows
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.ui.task import Report

ROWS_PER_PIECE = 500


def drive_apart(vehicle: Vehicle, seed: int, minutes: float, report: Report) -> Log:
    """Run ``lean-trim simulate`` and follow its output.

    Raises
    ------
    CancelledError
        If ``report`` says so; the process is ended first.
    LogError
        If the simulator ended with an error.
    """
    with tempfile.TemporaryDirectory(prefix="lean-trim-") as folder:
        sheet = write_vehicle(vehicle, Path(folder))
        command = [sys.executable, "-m", "lean_trim", "simulate", "--vehicle", str(sheet), "--out", "-"]
        command += ["--seed", str(seed), "--minutes", f"{minutes:g}"]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as process:
            try:
                return _follow(process, f"simulated drive {seed}", minutes, report)
            finally:
                process.kill()


def _follow(process: subprocess.Popen[str], name: str, minutes: float, report: Report) -> Log:
    pieces: list[Log] = []
    for piece in _pieces(process, name):
        pieces.append(piece)
        if not report(min(1.0, piece.time_s[-1] / (60.0 * minutes)), concatenate(pieces, name)):
            raise CancelledError("the drive was cancelled; nothing was changed")
    if process.wait() != 0 or not pieces:
        words = process.stderr.read().strip() if process.stderr else ""
        raise LogError(f"the simulated car stopped early: {words or 'no reason given'}")
    return concatenate(pieces, name)


def _pieces(process: subprocess.Popen[str], name: str) -> Iterator[Log]:
    assert process.stdout is not None
    roles: list[Role] = [LABEL_ROLES[n] for n in process.stdout.readline().strip().split(",")[1:] if n in LABEL_ROLES]
    process.stdout.readline()
    rows: list[str] = []
    for line in process.stdout:
        rows.append(line)
        if len(rows) >= ROWS_PER_PIECE:
            yield parse_rows(roles, rows, name)
            rows = []
    if len(rows) > 1:
        yield parse_rows(roles, rows, name)
