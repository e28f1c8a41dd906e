"""The Vehicle desk: changes are saved, undone and worked out anew; a simulated car stays what it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.features.vehicle.desk.desk import VehicleDesk
from lean_trim.formats.vehicle_sheet import read_vehicle
from lean_trim.job.loading import load_job, open_job
from lean_trim.job.store import JobStore
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.vehicle.fields import Key
from tests.deciding import accept_knowingly
from tests.jobs import job_bytes

Until = Callable[..., None]
pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def own_job(
    heron_vehicle: Vehicle, short_log: Log, tmp_path_factory: pytest.TempPathFactory
) -> bytes:
    """Bytes of a job of a vehicle of one's own, its first drive logged."""
    return job_bytes(tmp_path_factory.mktemp("own") / "own.leantrim", heron_vehicle, short_log)


@pytest.fixture
def own(window: MainWindow, until: Until, own_job: bytes, tmp_path: Path) -> MainWindow:
    path = tmp_path / "own.leantrim"
    path.write_bytes(own_job)
    window.opening.open_job(path)
    until(lambda: window.session.solution is not None and not window.session.is_busy)
    window.desks.show_desk("vehicle")
    QApplication.processEvents()
    return window


def desk_of(window: MainWindow) -> VehicleDesk:
    made = window.desks.desk("vehicle")
    assert isinstance(made, VehicleDesk)
    return made


def retype(window: MainWindow, key: Key, text: str) -> None:
    edit = desk_of(window).form.numbers[key].edit
    edit.setFocus()
    edit.selectAll()
    QTest.keyClicks(edit, text)


def flow(window: MainWindow) -> float:
    assert window.session.job is not None
    return window.session.job.vehicle.injectors.flow_g_per_s


def test_a_change_is_kept_when_typing_rests_and_can_be_undone(
    own: MainWindow, until: Until, tmp_path: Path
) -> None:
    before = flow(own)
    solution = own.session.solution
    retype(own, Key.FLOW, "7.7")
    until(lambda: flow(own) == 7.7 and not own.session.is_busy)
    until(lambda: own.session.solution is not None and own.session.solution is not solution)
    assert "injectors" in own.session.history.undo_text
    own.session.navigation.undo()
    until(lambda: not own.session.is_busy)
    assert flow(own) == before
    assert float(desk_of(own).form.numbers[Key.FLOW].edit.text()) == before


def test_what_is_wrong_is_said_and_not_kept(own: MainWindow) -> None:
    before = flow(own)
    retype(own, Key.FLOW, "9000")
    desk_of(own).keep()
    assert flow(own) == before
    assert "Not kept yet" in desk_of(own).state.text()
    assert "allowed are 0.1 to 200 g/s" in desk_of(own).form.numbers[Key.FLOW].note.text()


def test_closing_while_typing_loses_nothing(own: MainWindow, until: Until, tmp_path: Path) -> None:
    retype(own, Key.DISPLACEMENT, "1.9")
    own.actions_["close_job"].trigger()
    store, job = open_job(tmp_path / "own.leantrim")
    store.close()
    assert job.vehicle.displacement_l == 1.9


def test_a_simulated_car_stays_what_it_is(driven: MainWindow) -> None:
    driven.desks.show_desk("vehicle")
    desk = desk_of(driven)
    assert not desk.form.isEnabled()
    assert "simulated" in desk.state.text()


def test_the_sheet_is_exported_with_what_was_decided(
    own: MainWindow, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    accept_knowingly(own.session.deciding)
    folder = tmp_path / "sheet"
    folder.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    own.actions_["export_sheet"].trigger()
    vehicle, warnings = read_vehicle(folder / "vehicle.json")
    assert not warnings and own.session.round is not None
    assert (vehicle.table.values == own.session.round.result.values).all()
    own.actions_["export_sheet"].trigger()
    assert "already" in own.messages.text.text()


def test_a_sheet_that_does_not_fit_the_log_is_said_in_plain_words(
    own: MainWindow, until: Until
) -> None:
    retype(own, Key.FLOW, "9.1")
    until(lambda: flow(own) == 9.1 and not own.session.is_busy)
    until(lambda: bool(own.session.solver.failure))
    said = own.session.solver.failure
    assert "does not fit this vehicle: 1.2" in said and "injector flow" in said


@pytest.fixture
def other(tmp_path: Path, heron_vehicle: Vehicle) -> Path:
    """Another job, of a larger engine."""
    path = tmp_path / "other.leantrim"
    JobStore.create(path, replace(heron_vehicle, name="Car B", displacement_l=3.2)).close()
    return path


@pytest.mark.parametrize("text", ["1.9", "1900"])
def test_what_is_typed_of_one_job_never_reaches_another(
    own: MainWindow, until: Until, tmp_path: Path, other: Path, text: str
) -> None:
    """Car B, 3.2 l, was once saved as Car A, 1.8 l."""
    # Typed, and not at rest yet; the second cannot be kept at all.
    retype(own, Key.DISPLACEMENT, text)
    own.session.open_path(other)
    until(lambda: own.session.job is not None and own.session.job.vehicle.name == "Car B")
    # The typing rests while the other job is open.
    desk_of(own).keep()
    QApplication.processEvents()
    assert own.session.job is not None and own.session.job.vehicle.displacement_l == 3.2
    assert load_job(other).vehicle.displacement_l == 3.2
    kept = load_job(tmp_path / "own.leantrim").vehicle.displacement_l
    assert kept == (1.9 if text == "1.9" else 1.8)
    assert ("not in the job that was closed" in own.messages.text.text()) == (text == "1900")
    assert float(desk_of(own).form.numbers[Key.DISPLACEMENT].edit.text()) == 3.2
