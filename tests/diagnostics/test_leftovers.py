"""What a killed process left is cleaned up; what belongs to a living one is not."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from lean_trim.diagnostics.leftovers import clean


def gone() -> int:
    """Number of a process that has ended."""
    child = subprocess.Popen([sys.executable, "-c", ""])
    child.wait()
    return child.pid


def test_what_is_left_of_dead_processes_goes_and_an_old_file_gets_its_name_back(
    tmp_path: Path,
) -> None:
    dead = gone()
    temporary = tmp_path / "tmp"
    folder = tmp_path / "work"
    for made in (temporary, folder):
        made.mkdir()
    (temporary / f"lean-trim-{dead}-abc").mkdir()
    (temporary / f"lean-trim-{dead}-abc" / "sheet.json").write_text("x")
    (temporary / f"lean-trim-{os.getpid()}-abc").mkdir()
    (temporary / "lean-trim-notes").mkdir()
    (folder / f"table.csv.{dead}-0123abcd.part").write_text("half")
    (folder / f"table.csv.{dead}-0123abcd.before").write_text("whole")
    (folder / f"job.leantrim.{dead}-0123abcd.part-journal").write_text("")
    (folder / f"kept.csv.{os.getpid()}-0123abcd.part").write_text("being written")
    (folder / "theirs.part").write_text("not ours")
    removed = clean([folder, tmp_path / "not there"], temporary)
    assert len(removed) == 4
    assert sorted(p.name for p in temporary.iterdir()) == sorted(
        [f"lean-trim-{os.getpid()}-abc", "lean-trim-notes"]
    )
    assert sorted(p.name for p in folder.iterdir()) == sorted(
        [f"kept.csv.{os.getpid()}-0123abcd.part", "table.csv", "theirs.part"]
    )
    assert (folder / "table.csv").read_text() == "whole"
