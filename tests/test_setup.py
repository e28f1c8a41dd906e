"""``./demo`` after ``./check`` installs nothing again, and a changed lock installs anew."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


def set_up(folder: Path, what: str) -> str:
    """What the set-up says in a folder whose Python is a stand-in."""
    script = f". ./tools/setup.sh; setup_python {what}"
    run = subprocess.run(
        ["sh", "-eu", "-c", script], cwd=folder, capture_output=True, text=True, check=True
    )
    return run.stdout


def test_the_demo_after_the_check_installs_nothing(tmp_path: Path) -> None:
    shutil.copytree(ROOT / "tools", tmp_path / "tools")
    shutil.copy2(ROOT / "pyproject.toml", tmp_path)
    fake = tmp_path / ".venv" / "bin" / "python"
    fake.parent.mkdir(parents=True)
    fake.write_text("#!/bin/sh\nexit 0\n")
    fake.chmod(0o755)
    assert "Installing" in set_up(tmp_path, "check")
    assert set_up(tmp_path, "check") == ""
    assert set_up(tmp_path, "runtime") == ""
    lock = tmp_path / "tools" / "lock-runtime.txt"
    lock.write_text(lock.read_text() + "# another\n")
    assert "Installing" in set_up(tmp_path, "runtime")
