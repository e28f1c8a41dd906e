"""Everyday tasks at the table, in the real window: each in four actions at most."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest


@pytest.mark.slow
def test_every_task_takes_four_actions_at_most(tmp_path: Path) -> None:
    root = Path(__file__).parents[2]
    done = subprocess.run(
        [sys.executable, "-m", "tools.thirteen_tasks", str(tmp_path / "pictures")],
        env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
        cwd=root,
        capture_output=True,
        text=True,
        timeout=300,
    )
    assert done.returncode == 0, done.stderr[-2000:]
    counts = [int(n) for n in re.findall(r"(\d+) actions: \d", done.stdout)]
    assert len(counts) == 13 and max(counts) <= 4
