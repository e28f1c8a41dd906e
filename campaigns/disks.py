"""Real disks that refuse: a full one of 2 MB, one mounted read-only, a file moved away, a file locked.

Needs to be root, for mounting.

Each trial decides, turns a setting and adds a log on such a disk, looks whether sentence, memory
and file agree, then saves elsewhere.
"""

from __future__ import annotations

import contextlib
import sqlite3
import subprocess
from collections.abc import Iterator, Sequence
from pathlib import Path

from campaigns.jobs import driven_job
from campaigns.runner import Campaign, Trial
from lean_trim.features.feature import parts_of
from lean_trim.features.registry import FEATURES
from lean_trim.job.blobs import store_log
from lean_trim.job.loading import load_job, open_job
from lean_trim.workspace.additions import AddLogs
from lean_trim.workspace.changes import Notice
from lean_trim.workspace.loop import ManualLoop
from lean_trim.workspace.workspace import Workspace

JOB = "whole.leantrim"
KINDS = {
    "full": "the disk is full",
    "read-only": "cannot be written|read-only|cannot be opened",
    "moved": "was moved, renamed or deleted",
    "locked": "another program holds the file",
}


@contextlib.contextmanager
def small_disk(place: Path) -> Iterator[None]:
    """A 2 MB disk in memory."""
    place.mkdir(exist_ok=True)
    subprocess.run(["mount", "-t", "tmpfs", "-o", "size=2m", "tmpfs", str(place)], check=True)
    try:
        yield
    finally:
        subprocess.run(["umount", "-l", str(place)], check=True)


@contextlib.contextmanager
def refusing(kind: str, place: Path, path: Path) -> Iterator[None]:
    """Make the disk or file refuse from here on."""
    if kind == "full":
        filler = place / "filler"
        with filler.open("wb", buffering=0) as f, contextlib.suppress(OSError):
            while True:
                f.write(bytes(1024))
        yield
        filler.unlink()
    elif kind == "read-only":
        # A disk in use cannot be made read-only under the program, so that this one is before the
        # job is opened.
        yield
    elif kind == "moved":
        path.rename(place / "aside")
        yield
        (place / "aside").rename(path)
    else:
        other = sqlite3.connect(path, isolation_level=None)
        other.execute("BEGIN EXCLUSIVE")
        yield
        other.execute("ROLLBACK")
        other.close()


def _trial(folder: Path, seed: int) -> Trial:
    kind = list(KINDS)[seed % len(KINDS)]
    place = folder / f"disk-{seed}"
    elsewhere = folder / f"elsewhere-{seed}.leantrim"
    elsewhere.unlink(missing_ok=True)
    with small_disk(place):
        path = place / "job.leantrim"
        path.write_bytes((folder / JOB).read_bytes())
        if kind == "read-only":
            subprocess.run(["mount", "-o", "remount,ro", str(place)], check=True)
        wrong = _work(kind, place, path, elsewhere)
    elsewhere.unlink(missing_ok=True)
    return {"kind": kind, "wrong": wrong}


def _work(kind: str, place: Path, path: Path, elsewhere: Path) -> list[str]:
    """What was not as it should be."""
    loop = ManualLoop()
    said = []
    workspace = Workspace(loop, parts_of(FEATURES))
    workspace.hub.subscribe(Notice, lambda n: said.append(n.text))
    workspace.opening.take_job(path, *open_job(path))
    loop.run_until(lambda: not workspace.tasks.running)
    base = 0 if kind == "read-only" else 1
    if base:
        workspace.deciding.type_in("=50", frozenset({0}))
        workspace.deciding.confirm()
    assert workspace.open.round is not None
    wrong: list[str] = []
    log = workspace.open.round.logs[0]
    with refusing(kind, place, path):
        workspace.deciding.type_in("=60", frozenset(range(100)))
        workspace.deciding.confirm()
        workspace.tuning.turn("sieve", "tip.after_s", 0.5)
        workspace.tuning.rest()
        addition = AddLogs(
            workspace.open, workspace.navigation, workspace.open.round.id, (store_log(log),)
        )
        workspace.saving.attempt(addition.apply, addition)
        told = [text for text in said if any(words in text for words in KINDS[kind].split("|"))]
        if len(told) < 3:
            wrong.append(f"told {len(told)} of 3: {said}")
        now = workspace.open.round
        if now.decided.changed != base or now.tuning.solve.sieve.changes or len(now.logs) != 1:
            wrong.append("memory took what the file refused")
        workspace.saving.save_elsewhere(elsewhere)
        loop.run_until(lambda: workspace.open.path == elsewhere and not workspace.tasks.running)
    kept = load_job(path).rounds[0]
    if kept.decided.changed != base or len(kept.logs) != 1:
        wrong.append("the old file changed")
    workspace.opening.close_job()
    copy = load_job(elsewhere).rounds[0]
    if copy.decided.changed != 100 or len(copy.logs) != 2 or not copy.tuning.solve.sieve.changes:
        wrong.append("something is missing elsewhere")
    return wrong


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if r["wrong"]]


def _table(results: Sequence[Trial]) -> list[str]:
    lines = [
        "On each such disk a decision, a setting and a log are saved: all three have to be "
        "refused with the cause, memory has to",
        "equal the file, and all three have to be in the file the job is saved to elsewhere.",
        "",
        "| disk or file | trials | not as it should be |",
        "|---|---|---|",
    ]
    for kind in KINDS:
        of = [r for r in results if r["kind"] == kind]
        lines.append(f"| {kind} | {len(of)} | {sum(bool(r['wrong']) for r in of)} |")
    return lines


CAMPAIGN = Campaign(
    title="Disks that refuse",
    count=8,
    prepare=lambda folder: driven_job(folder / JOB) and None,
    trial=_trial,
    table=_table,
    failed=_failed,
)
