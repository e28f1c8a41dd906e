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


APT = """#!/bin/sh
count=$(cat {count} 2>/dev/null || echo 0)
echo $((count + 1)) > {count}
if [ "$count" -lt {held} ]; then
    echo "E: Could not get lock /var/lib/dpkg/lock-frontend. It is held by process 4711 (unattended-upgr)" >&2
    exit 100
fi
{then}
"""


def with_apt(folder: Path, held: int, then: str) -> subprocess.CompletedProcess[str]:
    """A step of the set-up with a package manager that another program holds for some calls."""
    fake = folder / "apt-get"
    fake.write_text(APT.format(count=folder / "count", held=held, then=then))
    fake.chmod(0o755)
    script = (
        '. ./tools/setup.sh; as_root=""; step "Installing system libraries" apt install -y libegl1'
    )
    path = f"{folder}:/usr/bin:/bin"
    return subprocess.run(
        ["sh", "-eu", "-c", script],
        cwd=ROOT,
        capture_output=True,
        text=True,
        env={"PATH": path, "PAUSE_S": "0.1"},
        check=False,
    )


def test_a_package_manager_that_another_program_holds_is_waited_for(tmp_path: Path) -> None:
    done = with_apt(tmp_path, held=2, then="exit 0")
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "count").read_text().strip() == "3"
    assert done.stdout.startswith("Installing system libraries")


def test_any_other_failure_is_told_at_once(tmp_path: Path) -> None:
    done = with_apt(tmp_path, held=0, then="echo 'E: Unable to locate package libegl1'; exit 100")
    assert done.returncode != 0
    assert (tmp_path / "count").read_text().strip() == "1"
    assert "This failed: Installing system libraries" in done.stderr
    assert "Unable to locate package" in done.stderr
