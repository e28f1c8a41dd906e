"""Kill the program at any moment, creation included.

What it acknowledged is in the file, and the file is never refused.

A child process works on a job through the workspace as the window does and prints a line for every
change that was acknowledged; it is killed (SIGKILL) after a random time, and its file is opened
again.
"""

from __future__ import annotations

import random
import signal
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path

from campaigns.jobs import driven_job
from campaigns.runner import Campaign, Trial
from lean_trim.core.errors import LeanTrimError
from lean_trim.job.loading import load_job

JOB = "whole.leantrim"
CREATE = "create"
DECIDE = "decide"
LONGEST_S = {CREATE: 0.15, DECIDE: 0.8}
"""Kills fall within this time of the child's first word.

Creating takes about 0.03 s each, deciding goes on for ever.
"""

WORKER = """
import sys
from pathlib import Path
from lean_trim.job.blobs import store_log
from lean_trim.job.loading import open_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from lean_trim.workspace.loop import ManualLoop
from lean_trim.workspace.additions import AddLogs
from lean_trim.workspace.workspace import Workspace
from lean_trim.features.feature import parts_of
from lean_trim.features.registry import FEATURES

def say(*words):
    sys.stdout.write(" ".join(str(w) for w in words) + "\\n")
    sys.stdout.flush()

kind, path = sys.argv[1], Path(sys.argv[2])
vehicle = heron()
if kind == "create":
    say("ready")
    for number in range(1000):
        target = path.with_name(f"{path.stem}-{number}.leantrim")
        JobStore.create(target, vehicle).close()
        say("created", target)
store, job = open_job(path)
workspace = Workspace(ManualLoop(), parts_of(FEATURES))
workspace.opening.take_job(path, store, job)
workspace.tasks.drop_all()
say("ready")
value = 10
while True:
    value += 1
    cell = value % 200
    done = workspace.deciding.type_in(f"={value % 200 + 10}", frozenset({cell}))
    if done or workspace.deciding.confirm():
        say("decided", workspace.open.round.number, cell, value % 200 + 10)
    if value % 7 == 0:
        first = workspace.open.job.rounds[0]
        more = (store_log(first.logs[0]),)
        AddLogs(workspace.open, workspace.navigation, workspace.open.round.id, more).apply()
        workspace.tasks.drop_all()
        say("log", workspace.open.round.number, len(workspace.open.round.logs))
    if value % 11 == 0:
        workspace.rounds.begin_round()
        workspace.tasks.drop_all()
        say("round", len(workspace.open.job.rounds))
"""


def work_and_kill(folder: Path, kind: str, seed: int) -> tuple[Path, list[list[str]]]:
    """Let a child work, kill it, and return its job and what it had acknowledged."""
    path = folder / f"killed-{seed}.leantrim"
    if kind == DECIDE:
        path.write_bytes((folder / JOB).read_bytes())
    words = [sys.executable, "-c", WORKER, kind, str(path)]
    with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as child:
        assert child.stdout is not None
        child.stdout.readline()
        time.sleep(random.Random(seed).uniform(0.0, LONGEST_S[kind]))
        child.send_signal(signal.SIGKILL)
        lines = [line.split() for line in child.stdout if line.endswith("\n")]
    return path, lines


def lost_in(path: Path, acknowledged: list[list[str]]) -> list[str]:
    """What was acknowledged and is not in the file."""
    job = load_job(path)
    lost = []
    newest = {(w[1], w[2]): w[3] for w in acknowledged if w[0] == "decided"}
    for (number, cell), value in newest.items():
        found = next((r for r in job.rounds if r.number == int(number)), None)
        if found is None or found.decided.values.ravel()[int(cell)] != float(value):
            # The next change of the same cell may have been saved and not yet acknowledged.
            lost.append(f"cell {cell} of round {number}")
    for words in acknowledged:
        if words[0] == "log" and len(job.rounds[int(words[1]) - 1].logs) < int(words[2]):
            lost.append(f"log {words[2]} of round {words[1]}")
        if words[0] == "round" and len(job.rounds) < int(words[1]):
            lost.append(f"round {words[1]}")
    return lost


def _trial(folder: Path, seed: int) -> Trial:
    kind = CREATE if seed % 2 else DECIDE
    path, lines = work_and_kill(folder, kind, seed)
    lost: list[str] = []
    refused = ""
    files = [path] if kind == DECIDE else sorted(folder.glob(f"killed-{seed}-*.leantrim"))
    try:
        if kind == DECIDE:
            lost = lost_in(path, lines)
        else:
            lost = [words[1] for words in lines if not Path(words[1]).exists()]
            for made in files:
                load_job(made)
    except LeanTrimError as error:
        refused = str(error)
    for left in folder.glob(f"killed-{seed}[-.]*"):
        left.unlink()
    return {
        "kind": kind,
        "acknowledged": len(lines),
        "files": len(files),
        "lost": lost,
        "refused": refused,
    }


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if r["lost"] or r["refused"]]


def _table(results: Sequence[Trial]) -> list[str]:
    lines = [
        "The program is killed (SIGKILL) at a random moment while it makes jobs, or while it "
        "decides cells, adds logs and begins",
        "rounds; then the files are opened again.",
        "",
        "| killed while | kills | changes acknowledged | lost | files opened again | files "
        "refused |",
        "|---|---|---|---|---|---|",
    ]
    for kind, text in ((CREATE, "making jobs"), (DECIDE, "working on a job")):
        of = [r for r in results if r["kind"] == kind]
        figures = [
            sum(int(r["acknowledged"]) for r in of),
            sum(len(r["lost"]) for r in of),
            sum(int(r["files"]) for r in of),
        ]
        lines.append(
            f"| {text} | {len(of)} | {figures[0]} | {figures[1]} | {figures[2]} | "
            f"{sum(bool(r['refused']) for r in of)} |"
        )
    return lines


CAMPAIGN = Campaign(
    title="Killed at any moment",
    count=200,
    prepare=lambda folder: driven_job(folder / JOB) and None,
    trial=_trial,
    table=_table,
    failed=_failed,
)
