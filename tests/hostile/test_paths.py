"""Names and places that are odd, forbidden or dead."""

from __future__ import annotations

import json
import os
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest

from lean_trim.core.errors import BadInputError
from lean_trim.diagnostics.support import prepare_report, write_report
from lean_trim.features.registry import FEATURES
from lean_trim.formats.vehicle_sheet import read_vehicle, write_vehicle
from lean_trim.job.database import Database
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from lean_trim.ui.window import recent
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.recent import Recent
from tests.deciding import accept_knowingly
from tests.race.conftest import Bench, bench, driven, driven_bench

__all__ = ["bench", "driven", "driven_bench"]
ODD = ["what?.leantrim", "a#b%20.leantrim", "; rm.leantrim", os.fsdecode(b"\xff\xfe.leantrim")]


@pytest.mark.parametrize("name", ODD)
def test_a_job_may_have_any_name(tmp_path: Path, name: str) -> None:
    """One with a question mark once opened, and made, another file in the support report."""
    path = tmp_path / name
    store = JobStore.create(path, heron())
    store.save_setting("a", "b")
    store.close()
    assert load_job(path).vehicle.name == "Heron"
    write_report(tmp_path / "report.zip", prepare_report(tmp_path, {}, job=path))
    assert "job.leantrim" in zipfile.ZipFile(tmp_path / "report.zip").namelist()
    assert len(list(tmp_path.iterdir())) == 2
    jobs = Recent(tmp_path / "data")
    jobs.add(path)
    assert jobs.paths() == [path.resolve()]


def test_places_that_cannot_be_looked_at_do_not_stop_the_start(
    qtbot: object, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A start with an unreadable folder among the recent jobs once ended with nothing on the screen."""
    data = tmp_path / "data"
    data.mkdir()
    listed = [str(tmp_path / "closed" / "a.leantrim"), "/" + "x" * 5000, "a\0b", str(tmp_path)]
    (data / "recent.json").write_text(json.dumps(listed))
    is_file = Path.is_file

    def forbidden(path: Path) -> bool:
        if "closed" in str(path):
            raise PermissionError(13, "Permission denied")
        return is_file(path)

    monkeypatch.setattr(recent.Path, "is_file", forbidden)
    window = make_window(FEATURES, data)
    window.show()
    assert window.start_page.isVisible()
    window.close()


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("[" * 100_000, "nested too deeply"),
        ('{"name": "x", "exhaust_volume_l": 1e309}', "allowed"),
        ("9" * 5000, "object"),
        ("\0", "not valid JSON"),
    ],
)
def test_a_sheet_that_is_none_is_refused_in_words(tmp_path: Path, text: str, said: str) -> None:
    path = write_vehicle(heron(), tmp_path)
    if text.startswith("{"):
        text = json.dumps(json.loads(path.read_text()) | json.loads(text))
    path.write_text(text)
    with pytest.raises(BadInputError, match=said):
        read_vehicle(path)


@pytest.mark.parametrize("value", ["a\0b", "\ud800", 10**400, float("inf"), [[]], True])
def test_no_value_of_a_sheet_ends_in_a_traceback(tmp_path: Path, value: object) -> None:
    path = write_vehicle(heron(), tmp_path)
    sheet = json.loads(path.read_text())
    for key in ("tables", "engine", "injectors", "table_limits"):
        for inner in sheet[key]:
            path.write_text(json.dumps({**sheet, key: {**sheet[key], inner: value}}))
            with pytest.raises(BadInputError):
                read_vehicle(path)


def test_a_hand_over_the_job_cannot_note_leaves_the_table_file_as_it_was(
    driven: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, refuse: Callable[[], None]
) -> None:
    """ "Nothing was changed" was once said after the file had been replaced."""
    workspace = driven.workspace
    accept_knowingly(workspace.deciding)
    table = tmp_path / "table.csv"
    table.write_text("what is in the ECU")
    refuse()
    assert not workspace.rounds.hand_over(table)
    assert table.read_text() == "what is in the ECU"
    assert [p.name for p in tmp_path.iterdir() if "table" in p.name] == ["table.csv"]
    assert workspace.open.round is not None and not workspace.open.round.handed_over


@pytest.fixture
def refuse(monkeypatch: pytest.MonkeyPatch) -> Callable[[], None]:
    def full(database: Database) -> None:
        raise SaveFailedError(database.path, "no room left on the disk")

    return lambda: monkeypatch.setattr(Database, "_may_write", full)
