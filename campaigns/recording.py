"""Recordings killed at random moments: what is lost, and whether the file opens."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from campaigns.runner import Campaign, Trial
from lean_trim.core.errors import LeanTrimError
from lean_trim.formats.logs import open_log
from lean_trim.formats.recording.reading import read_recording
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.heron import heron

COUNT = 50
MOST_LOST_S = 1.0
SHORTEST_S = 0.2
LONGEST_S = 6.0
START_S = 60.0
SHEET = "vehicle.json"


def _prepare(folder: Path) -> object:
    write_vehicle(heron(), folder)
    return None


def killed(folder: Path, seed: int) -> Trial:
    """Record the simulated car by the command, and kill that at a moment nobody chose."""
    after_s = random.Random(seed).uniform(SHORTEST_S, LONGEST_S)
    out = folder / f"{seed}.mf4"
    kept = folder / f"{seed}.mf4.ltrec"
    kept.unlink(missing_ok=True)
    command = [sys.executable, "-m", "lean_trim", "record", "--source", f"sim:?seed={seed}"]
    command += ["--vehicle", str(folder / SHEET), "--out", str(out), "--quiet"]
    process = subprocess.Popen(command)
    until = time.monotonic() + START_S
    # From the first reading on there is something to lose.
    while not (kept.exists() and read_recording(kept).rows):
        assert time.monotonic() < until and process.poll() is None, "it never began"
        time.sleep(0.05)
    time.sleep(after_s)
    process.send_signal(signal.SIGKILL)
    at = time.time()
    process.wait()
    recorded = read_recording(kept)
    began = datetime.fromisoformat(str(recorded.start["began"])).timestamp()
    lost_s = (at - began) - (recorded.end_s - float(recorded.start["zero_s"]))
    try:
        rows = len(open_log(kept, heron().stoich_afr).log)
    except LeanTrimError as error:
        return {"after_s": after_s, "lost_s": lost_s, "opens": False, "why": str(error)}
    finally:
        os.unlink(kept)
        kept.with_name(kept.name + ".room").unlink(missing_ok=True)
    return {"after_s": after_s, "lost_s": lost_s, "opens": True, "rows": rows}


def _table(results: Sequence[Trial]) -> list[str]:
    lost = sorted(float(r["lost_s"]) for r in results)
    opens = sum(bool(r["opens"]) for r in results)
    return [
        "`lean-trim record` of the simulated car in real time, killed with signal 9 at a random moment, "
        f"{SHORTEST_S:g} to {LONGEST_S:g} s after its first reading.",
        "",
        "| killed | opens as a log | lost, median | lost, most | wanted |",
        "|---|---|---|---|---|",
        f"| {len(results)} | {opens} | {lost[len(lost) // 2]:.2f} s | {lost[-1]:.2f} s | {MOST_LOST_S:g} s |",
    ]


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if not r["opens"] or float(r["lost_s"]) > MOST_LOST_S]


CAMPAIGN = Campaign(
    title="Recordings that were killed",
    count=COUNT,
    prepare=_prepare,
    trial=killed,
    table=_table,
    failed=_failed,
)
