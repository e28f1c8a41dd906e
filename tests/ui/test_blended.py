"""A blended ECU in the real window: both tables decided, one at a time, handed over together, kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest

from lean_trim.core.data.calibration import ScaleAt
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.tables import table_text
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.dunlin import dunlin
from lean_trim.simcar.godwit import godwit, godwit_truth
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.round_rail import round_lines
from lean_trim.workspace.scale_moves import ScaleMoves
from lean_trim.workspace.vehicle.draft import draft_of
from tests.deciding import accept_knowingly

pytestmark = pytest.mark.slow
Until = Callable[[Callable[[], bool]], None]
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def job(tmp_path: Path) -> Path:
    path = tmp_path / "dunlin.leantrim"
    JobStore.create(path, dunlin()).close()
    return path


@pytest.fixture
def blended(window: MainWindow, job: Path, tmp_path: Path, until: Until) -> MainWindow:
    window.opening.open_job(job)
    until(lambda: window.session.job is not None and not window.session.is_busy)
    drive = tmp_path / "drive.csv"
    write_log_csv(simulate(dunlin(), seed=3, minutes=8.0), drive)
    window.session.imports.add([drive])
    until(lambda: looked(window))
    return window


def looked(window: MainWindow) -> bool:
    return window.session.solver.has_looked and not window.session.is_busy


def test_both_are_decided_in_turn_handed_over_together_and_kept(
    blended: MainWindow, job: Path, tmp_path: Path, until: Until
) -> None:
    session = blended.session
    switch = table_desk(blended).switch
    assert switch.isVisible() and session.round is not None and session.round.subject == "maf"
    assert "In this order, then a drive with all" in switch.said.text()
    assert accept_knowingly(session.deciding)
    maf = session.round.decisions["maf"]
    assert "✓" in switch.buttons[0].text() and "✓" not in switch.buttons[1].text()
    QTest.mouseClick(switch.buttons[1], LEFT)
    until(lambda: looked(blended))
    assert session.round.subject == "ve" and session.vehicle is not None
    assert session.vehicle.airflow == "ve" and len(session.round.table.axes) == 2
    assert session.round.decisions["maf"] is maf
    assert session.job is not None
    assert "cells in the other table" in round_lines(session.job, 0)[2]
    assert accept_knowingly(session.deciding)
    changed = session.round.decisions["ve"].values != session.round.table.values
    # Above 1900 rpm the VE table is in force while the pressure moves only.
    assert changed.any() and not changed[:, session.round.table.axes[1].points > 2300].any()
    out = tmp_path / "out.csv"
    assert session.rounds.hand_over(out)
    assert out.exists() and (tmp_path / "out-maf.csv").exists()
    kept = load_job(job)
    assert kept.rounds[0].subject == "ve" and kept.vehicle.airflow == "ve"
    assert kept.vehicle.other is not None and set(kept.rounds[0].decisions) == {"maf", "ve"}
    assert set(kept.rounds[0].verdicts) == {"maf", "ve"} == set(kept.rounds[0].handed)
    # The next drive is on both.
    following = kept.rounds[0].resulting_calibration
    assert np.array_equal(following["maf"].values, maf.values)


def test_undo_after_turning_over_is_of_the_table_that_is_seen(
    blended: MainWindow, until: Until
) -> None:
    session = blended.session
    assert accept_knowingly(session.deciding)
    blended.actions_["other_airflow_table"].trigger()
    until(lambda: looked(blended))
    assert session.history.undo_text == "" or "Accept" not in session.history.undo_text
    blended.actions_["other_airflow_table"].trigger()
    until(lambda: looked(blended))
    session.navigation.undo()
    assert session.round is not None and session.round.decided.changed == 0


def test_the_car_can_be_changed_and_keeps_both_tables(blended: MainWindow, until: Until) -> None:
    session = blended.session
    assert session.job is not None
    draft = replace(draft_of(session.job.vehicle), name="Dunlin again")
    assert session.vehicles.change(draft, session.open.number)
    until(lambda: looked(blended))
    assert session.job.vehicle.name == "Dunlin again" and session.job.vehicle.other is not None


def test_a_car_with_one_table_has_nothing_to_turn_to(driven: MainWindow) -> None:
    assert not table_desk(driven).switch.isVisible()
    before = driven.session.round
    assert not driven.session.airflow_tables.turn_over()
    assert driven.session.round is before


def test_a_job_of_two_tables_is_made_from_what_is_pasted(
    window: MainWindow, tmp_path: Path, until: Until
) -> None:
    window.actions_["new_job"].trigger()
    page = window.new_job
    assert page is not None
    car = dunlin()
    page.fill_from(replace(car.seen_by("ve"), other=None))
    assert page.draft.other is None and "complete" not in page.lacks.text()
    page.tables.turn_to(2)
    grid = table_text(car.seen_by("ve").table, "\t")
    QGuiApplication.clipboard().setText(grid)
    page.paste_table()
    assert page.draft.other is None, "a second VE table is no blended ECU"
    QGuiApplication.clipboard().setText(table_text(car.table, "\t"))
    page.paste_table()
    assert page.draft.other is not None and page.draft.other.airflow == "maf"
    made: list[object] = []
    page.wanted.disconnect()
    page.wanted.connect(lambda vehicle, _: made.append(vehicle))
    page.make.click()
    (vehicle,) = made
    assert isinstance(vehicle, Vehicle) and vehicle.airflow == "maf" and vehicle.other is not None
    assert np.array_equal(vehicle.table.values, car.table.values)
    assert vehicle.other.table.same_axes(car.seen_by("ve").table)


@pytest.fixture
def turning(window: MainWindow, tmp_path: Path, until: Until) -> MainWindow:
    """Godwit, whose cam turns, with a drive that was worked out."""
    path = tmp_path / "godwit.leantrim"
    JobStore.create(path, godwit()).close()
    window.opening.open_job(path)
    until(lambda: window.session.job is not None and not window.session.is_busy)
    drive = tmp_path / "drive.csv"
    truth = godwit_truth(godwit())
    write_log_csv(simulate(godwit(), seed=3, minutes=10.0, truth=truth), drive)
    window.session.imports.add([drive])
    until(lambda: looked(window))
    return window


def test_each_table_of_a_cam_is_decided_and_all_are_handed_over_and_kept(
    turning: MainWindow, tmp_path: Path, until: Until
) -> None:
    session = turning.session
    switch = table_desk(turning).switch
    shown = [button for button in switch.buttons if button.isVisible()]
    assert [b.text() for b in shown] == ["1  VE table at 0", "2  VE table at 40"]
    assert "between them" in switch.said.text()
    assert accept_knowingly(session.deciding)
    QTest.mouseClick(shown[1], LEFT)
    until(lambda: looked(turning))
    assert session.round is not None and session.round.subject == "ve_2"
    assert accept_knowingly(session.deciding)
    out = tmp_path / "out.csv"
    assert session.rounds.hand_over(out)
    assert out.exists() and (tmp_path / "out-ve.csv").exists()
    kept = load_job(tmp_path / "godwit.leantrim")
    assert kept.vehicle.table_name == "ve_2" and kept.vehicle.airflow_tables == ("ve", "ve_2")
    assert set(kept.rounds[0].decisions) == {"ve", "ve_2"} == set(kept.rounds[0].handed)
    # One engine size stands behind both: the scale of one alone is not moved.
    before = session.round
    assert not session.part(ScaleMoves).move(ScaleAt.DISPLACEMENT, 1.1)
    assert session.round is before


def test_a_job_of_several_ve_tables_is_made_from_what_is_pasted(window: MainWindow) -> None:
    window.actions_["new_job"].trigger()
    page = window.new_job
    assert page is not None
    car = godwit()
    page.fill_from(replace(car, layered=None))
    page.tables.turn_to(3)
    layers = page.layers
    QGuiApplication.clipboard().setText(table_text(car.seen_by("ve_2").table, "\t"))
    page.paste_table()
    assert not layers.add.isEnabled() and "Say at which position" in layers.add.toolTip()
    layers.at.setText("0")
    assert "already" in layers.add.toolTip()
    layers.at.setText("40")
    page.make.click()
    assert page.layers.layered is None and page.isVisible(), (
        "what was pasted is not dropped silently"
    )
    QTest.mouseClick(layers.add, LEFT)
    layers.channel.setText("Intake cam")
    layers.channel.editingFinished.emit()
    made: list[object] = []
    page.wanted.disconnect()
    page.wanted.connect(lambda vehicle, _: made.append(vehicle))
    page.make.click()
    (vehicle,) = made
    assert isinstance(vehicle, Vehicle) and vehicle.airflow_tables == ("ve", "ve_2")
    assert vehicle.layered is not None and vehicle.layered.channel == "Intake cam"
    far = vehicle.seen_by("ve_2")
    assert far.own_layer.at == 40.0
    assert np.array_equal(far.table.values, car.seen_by("ve_2").table.values)
    # A MAF curve beside them is no such ECU, and that is said.
    page.tables.turn_to(2)
    QGuiApplication.clipboard().setText(table_text(dunlin().table, "\t"))
    page.paste_table()
    assert "Several tables over cam or flap" in page.lacks.text()
    page.afresh.click()
    assert page.layers.layered is None
