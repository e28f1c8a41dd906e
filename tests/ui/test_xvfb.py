"""The application as a user starts it: a real X11 window on a virtual screen."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

pytestmark = pytest.mark.xvfb


@pytest.fixture
def screen() -> Iterator[dict[str, str]]:
    """Environment of a virtual screen of 1400 × 900; Xvfb picks a free number itself."""
    read, write = os.pipe()
    command = ["Xvfb", "-displayfd", str(write), "-screen", "0", "1400x900x24", "-nolisten", "tcp"]
    server = subprocess.Popen(command, pass_fds=[write], stderr=subprocess.DEVNULL)
    os.close(write)
    with os.fdopen(read) as pipe:
        number = pipe.readline().strip()
    yield {**os.environ, "DISPLAY": f":{number}", "QT_QPA_PLATFORM": "xcb"}
    server.terminate()
    server.wait(10)


@pytest.mark.slow
def test_xvfb_is_there() -> None:
    assert shutil.which("Xvfb"), "Xvfb is missing; ./check installs it"


@pytest.mark.slow
def test_the_demo_opens_drives_and_keeps_its_job(screen: dict[str, str], tmp_path: Path) -> None:
    """Started with --demo, it shows a window, drives the first round and leaves a job file behind."""
    environment = {**screen, "XDG_DATA_HOME": str(tmp_path)}
    process = subprocess.Popen(
        [sys.executable, "-m", "lean_trim", "--demo"],
        env=environment,
        stderr=subprocess.PIPE,
        text=True,
    )
    job = tmp_path / "lean-trim" / "heron-demo.leantrim"
    try:
        deadline = time.monotonic() + 90
        while time.monotonic() < deadline and not _driven(job):
            assert process.poll() is None, process.stderr.read() if process.stderr else ""
            time.sleep(0.3)
        assert _driven(job)
    finally:
        process.terminate()
        process.wait(20)


def _driven(job: Path) -> bool:
    import sqlite3

    if not job.exists():
        return False
    try:
        with sqlite3.connect(f"file:{job}?mode=ro", uri=True) as db:
            return bool(
                db.execute(
                    "SELECT count(*) FROM verdicts WHERE residual_rms IS NOT NULL"
                ).fetchone()[0]
            )
    except sqlite3.OperationalError:
        return False


@pytest.mark.slow
def test_a_car_of_ones_own_takes_fewer_than_25_actions(
    screen: dict[str, str], tmp_path: Path
) -> None:
    """From the start page, with the examples and a table on the clipboard, four clicks in mistakes."""
    root = Path(__file__).parents[2]
    done = subprocess.run(
        [sys.executable, "-m", "tools.own_car", str(tmp_path / "pictures")],
        env=screen,
        cwd=root,
        capture_output=True,
        text=True,
        timeout=200,
    )
    assert done.returncode == 0, done.stderr
    actions, mistakes = (
        int(word) for word in re.findall(r"(\d+) (?:actions|in mistakes)", done.stdout)
    )
    assert actions < 25
    assert mistakes == 4
    assert len(list((tmp_path / "pictures").glob("*.png"))) >= 10
