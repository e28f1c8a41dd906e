"""What the Job menu writes of the shown round is what the command without a window writes of its log."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtWidgets import QFileDialog

from lean_trim.cli.main import main
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.features.registry import FEATURES
from lean_trim.features.transients.control import TransientsControl
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.job.database import Database
from lean_trim.ui.window.main_window import MainWindow

Until = Callable[..., None]
OUTPUTS = [
    output.name
    for feature in FEATURES
    for output in feature.outputs
    if output.file_name.endswith(".json")
]
"""Those that have to be looked for; a report says what there is."""


@pytest.fixture
def target(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    path = tmp_path / "written.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    return path


@pytest.fixture
def case(tmp_path: Path, heron_vehicle: Vehicle, short_log: Log) -> tuple[str, ...]:
    """Words of a command about the demo's first drive."""
    write_vehicle(heron_vehicle, tmp_path)
    write_log_csv(short_log, tmp_path / "drive.csv")
    sheet = str(tmp_path / "vehicle.json")
    return ("--vehicle", sheet, "--log", str(tmp_path / "drive.csv"), "--out", str(tmp_path))


def alike(a: Any, b: Any, where: str = "") -> list[str]:
    """Where two documents differ by more than the digits a CSV file keeps of a log."""
    if isinstance(a, dict) and isinstance(b, dict):
        return [x for k in a.keys() | b.keys() for x in alike(a.get(k), b.get(k), f"{where}.{k}")]
    if isinstance(a, list) and isinstance(b, list):
        if len(a) != len(b):
            return [f"{where}: {len(a)} and {len(b)}"]
        return [
            x
            for i, (p, q) in enumerate(zip(a, b, strict=True))
            for x in alike(p, q, f"{where}[{i}]")
        ]
    if isinstance(a, float) and isinstance(b, float | int):
        return [] if a == pytest.approx(b, rel=0.02, abs=0.02) else [f"{where}: {a} and {b}"]
    return [] if a == b else [f"{where}: {a!r} and {b!r}"]


@pytest.mark.parametrize("name", OUTPUTS)
def test_what_was_not_looked_for_is_not_written(
    driven: MainWindow, target: Path, name: str
) -> None:
    driven.actions_[f"write_{name}"].trigger()
    assert not target.exists()
    assert driven.messages.isVisible() and "first" in driven.messages.text.text()


@pytest.mark.slow
def test_pulls_are_those_of_the_command(
    driven: MainWindow, until: Until, target: Path, case: tuple[str, ...], tmp_path: Path
) -> None:
    driven.show_desk("pulls")
    until(lambda: bool(driven.desk("pulls").list.rows))  # type: ignore[attr-defined]
    driven.actions_["write_pulls"].trigger()
    until(lambda: "are in" in driven.messages.text.text())
    assert main(["pulls", "--quiet", *case]) == 0
    written = json.loads(target.read_text())
    assert len(written["pulls"]) > 1
    told = json.loads((tmp_path / "pulls.json").read_text())
    assert alike(written["pulls"], told["pulls"]) == []


@pytest.mark.slow
def test_quick_changes_are_written_with_what_to_write(
    driven: MainWindow, until: Until, target: Path
) -> None:
    driven.show_desk("transients")
    control = driven.session.part(TransientsControl)
    until(lambda: control.report is not None)
    driven.actions_["write_transients"].trigger()
    until(target.exists)
    written = json.loads(target.read_text())
    film = control.shown().film
    assert written["wall_film"]["at_map_kpa"] == pytest.approx(film.map_kpa, abs=0.01)
    assert len(written["classes"]) == len(control.shown().classes)


def test_a_file_that_cannot_be_written_says_so_and_leaves_nothing(
    driven: MainWindow, until: Until, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "no" / "such"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(folder / "x.json"), ""))
    driven.show_desk("pulls")
    until(lambda: bool(driven.desk("pulls").list.rows))  # type: ignore[attr-defined]
    driven.actions_["write_pulls"].trigger()
    until(lambda: driven.messages.isVisible() and driven.messages.kind == "error")
    assert not folder.exists()


def test_writing_a_file_commits_nothing_to_the_job(
    driven: MainWindow, until: Until, target: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    driven.show_desk("pulls")
    until(lambda: bool(driven.desk("pulls").list.rows))  # type: ignore[attr-defined]
    commits: list[str] = []
    monkeypatch.setattr(Database, "_may_write", lambda self: commits.append("wrote"))
    driven.actions_["write_pulls"].trigger()
    until(target.exists)
    assert commits == []
    assert not driven.session.saving.unsaved
