"""Files are there whole, together, or not at all; nothing planted is followed, nothing is left behind."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from lean_trim.formats import whole_files
from lean_trim.formats.whole_files import Replacing, write_whole


def names(folder: Path) -> list[str]:
    return sorted(p.name for p in folder.iterdir())


def test_a_file_is_replaced_whole(tmp_path: Path) -> None:
    path = tmp_path / "table.csv"
    write_whole(path, "first")
    write_whole(path, "second µ")
    assert path.read_text(encoding="utf-8") == "second µ" and names(tmp_path) == ["table.csv"]


def test_a_full_disk_leaves_the_old_file_and_nothing_beside(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "table.csv"
    path.write_text("old")

    def full(handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(whole_files.os, "fsync", full)
    with pytest.raises(OSError, match="No space"):
        write_whole(path, "new")
    assert path.read_text() == "old" and names(tmp_path) == ["table.csv"]


def test_several_files_are_taken_back_together(tmp_path: Path) -> None:
    old = tmp_path / "old.csv"
    new = tmp_path / "new.csv"
    old.write_text("as it was")
    with Replacing({old: "a", new: "b"}) as files:
        files.put()
        assert old.read_text() == "a" and new.read_text() == "b"
        files.undo()
    assert old.read_text() == "as it was" and names(tmp_path) == ["old.csv"]


def test_one_that_cannot_be_put_takes_the_others_back(tmp_path: Path) -> None:
    old = tmp_path / "old.csv"
    folder = tmp_path / "there"
    old.write_text("as it was")
    with pytest.raises(OSError), Replacing({old: "a", folder / "none.csv": "b"}):
        raise AssertionError("a folder that is not there takes no file")
    assert old.read_text() == "as it was" and names(tmp_path) == ["old.csv"]


def test_a_planted_link_is_not_followed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Another's link of the name we would write to once led out of the folder."""
    victim = tmp_path / "victim"
    victim.write_text("theirs")
    monkeypatch.setattr(whole_files, "_token", lambda: "00000000")
    (tmp_path / f"out.csv.{os.getpid()}-00000000.part").symlink_to(victim)
    (tmp_path / "out.csv.part").symlink_to(victim)
    with pytest.raises(FileExistsError):
        write_whole(tmp_path / "out.csv", "ours")
    assert victim.read_text() == "theirs"
