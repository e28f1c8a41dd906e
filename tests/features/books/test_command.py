"""``lean-trim export`` and ``lean-trim import`` as they are typed."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from lean_trim.cli.main import main
from lean_trim.features.registry import FEATURES
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron


def test_a_job_goes_out_and_comes_back(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    JobStore.create(tmp_path / "a.leantrim", heron()).close()
    out = str(tmp_path / "out")
    assert main(["export", str(tmp_path / "a.leantrim"), "--out", out], FEATURES) == 0
    assert "1 rounds, 0 logs" in capsys.readouterr().out
    assert main(["import", out, "--out", str(tmp_path / "b.leantrim")], FEATURES) == 0
    assert load_job(tmp_path / "b.leantrim").vehicle.name == "Heron"
    assert main(["import", out, "--out", str(tmp_path / "b.leantrim")], FEATURES) == 2
    assert main(["export", str(tmp_path / "none"), "--out", str(tmp_path / "x")], FEATURES) == 2
    assert not (tmp_path / "x").exists()


def test_a_file_is_looked_through_made_smaller_and_repaired(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "a.leantrim"
    JobStore.create(path, heron()).close()
    assert main(["check", str(path)], FEATURES) == 0
    assert "whole. 1 round(s)" in capsys.readouterr().out
    assert main(["compact", str(path)], FEATURES) == 0
    assert "MB now" in capsys.readouterr().out
    with closing(sqlite3.connect(path)) as db, db:
        db.execute("INSERT INTO marks SELECT id, 'never', 'x' FROM rounds LIMIT 1")
    assert main(["check", str(path)], FEATURES) == 2
    assert "bookmark's time" in capsys.readouterr().err
    out = tmp_path / "b.leantrim"
    assert main(["repair", str(path), "--out", str(out)], FEATURES) == 0
    assert "lost: bookmarks of round 1" in capsys.readouterr().out
    assert main(["check", str(out)], FEATURES) == 0
