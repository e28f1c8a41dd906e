"""A job's file looked after from the window: looked through, compacted, copied out and back, repaired."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog

from lean_trim.features.books.care import FileCare
from lean_trim.job.loading import load_job
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.changes import Remedy
from tests.race.conftest import Bench, bench, driven, driven_bench
from tests.ui.conftest import until, window

__all__ = ["bench", "driven", "driven_bench", "until", "window"]


def spoil(path: Path) -> None:
    """Make one bookmark impossible."""
    with closing(sqlite3.connect(path)) as db, db:
        db.execute("INSERT INTO marks SELECT id, 'never', 'x' FROM rounds LIMIT 1")


def test_the_open_file_is_looked_through(driven: Bench) -> None:
    care = driven.workspace.parts[FileCare]
    care.check()
    driven.settle()
    assert "whole. 1 round(s), 1 log(s)" in driven.said


def test_it_is_made_smaller_and_stays_open_where_it_was(driven: Bench, job_path: Path) -> None:
    workspace = driven.workspace
    workspace.rounds.begin_round()
    driven.settle()
    workspace.navigation.show_round(0)
    driven.settle()
    with closing(sqlite3.connect(job_path)) as db, db:
        # Something that is not used any more, as a log that was taken out leaves it.
        db.execute("CREATE TABLE waste AS SELECT randomblob(300000) AS x")
        db.execute("DROP TABLE waste")
    before = job_path.stat().st_size
    workspace.parts[FileCare].compact()
    driven.until(lambda: workspace.open.job is not None and "MB now" in driven.said)
    driven.settle()
    assert workspace.open.index == 0 and workspace.open.path == job_path
    assert job_path.stat().st_size < before - 250_000
    assert workspace.solver.has_looked and not workspace.open.read_only


def test_it_goes_out_as_a_folder_and_comes_back(driven: Bench, tmp_path: Path) -> None:
    care = driven.workspace.parts[FileCare]
    care.export(tmp_path / "out")
    driven.settle()
    assert "README.txt explains" in driven.said and (tmp_path / "out" / "job.json").exists()
    care.export(tmp_path / "out")
    driven.settle()
    assert "is not empty" in driven.said
    care.bring_in(tmp_path / "out", tmp_path / "back.leantrim")
    driven.until(lambda: driven.workspace.open.path == tmp_path / "back.leantrim")
    driven.settle()
    assert "is open" in driven.said
    assert len(load_job(tmp_path / "back.leantrim").rounds[0].logs) == 1


def test_a_damaged_file_offers_to_be_repaired(
    window: MainWindow, job_path: Path, until: Callable[..., None], monkeypatch: pytest.MonkeyPatch
) -> None:
    spoil(job_path)
    window.opening.open_job(job_path)
    button = window.messages.remedies[Remedy.REPAIR]
    until(lambda: window.messages.isVisible() and button.isVisibleTo(window))
    assert "bookmark's time" in window.messages.text.text()
    out = job_path.with_name("mended.leantrim")
    asked: list[str] = []

    def answer(*args: object) -> tuple[str, str]:
        asked.append(str(args[2]))
        return str(out), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", answer)
    button.click()
    until(lambda: window.session.open.path == out and window.session.solution is not None)
    assert asked == [str(job_path.with_name("heron repaired.leantrim"))]
    assert "Lost: bookmarks of round 1" in window.messages.text.text()
    assert window.session.round is not None and len(window.session.round.logs) == 1


def test_a_job_in_no_file_has_none_to_look_after(bench: Bench) -> None:
    care = bench.workspace.parts[FileCare]
    care.check()
    care.compact()
    assert bench.said.count("in no file yet") == 2
