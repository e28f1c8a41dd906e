"""The Plan desk in the real window: planned when shown, for what would be written, read aloud, written."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.channels import Role
from lean_trim.features.planning.control import PlanControl
from lean_trim.features.planning.desk.desk import PlanDesk
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from lean_trim.ui.window.main_window import MainWindow
from tests.deciding import accept_knowingly

pytestmark = pytest.mark.slow
LEFT = Qt.MouseButton.LeftButton
Until = Callable[[Callable[[], bool]], None]


def desk_of(window: MainWindow) -> PlanDesk:
    desk = window.desk("plan")
    assert isinstance(desk, PlanDesk)
    return desk


@pytest.fixture
def planned(driven: MainWindow, until: Until) -> PlanDesk:
    driven.show_desk("plan")
    desk = desk_of(driven)
    until(lambda: desk.control.planned is not None)
    QApplication.processEvents()
    return desk


def test_a_drive_is_planned_when_the_desk_is_shown(planned: PlanDesk) -> None:
    found = planned.control.planned
    assert found is not None and found.plan.held and not found.of_decided
    assert planned.map.plan is found.plan and planned.card.lines == found.card
    assert "as proposed" in planned.summary.text()
    assert "Stop at once" in planned.card.accessibleName()
    # A state says what is known there, and its place in the plan; one that is not offered why.
    first = found.plan.held[0]
    point = planned.map._point(found.plan, first.rpm, first.map_kpa).toPoint()
    assert "Number 1 of the plan" in planned.map.hint_at(point)
    crossed = next(i for i in range(len(found.plan.known)) if not found.plan.offered[i])
    at = planned.map._point(
        found.plan, float(found.plan.known.rpm[crossed]), float(found.plan.known.map_kpa[crossed])
    )
    assert "Not offered" in planned.map.hint_at(at.toPoint())
    assert len(planned.map.numbers().splitlines()) == 1 + len(found.plan.held)


def test_it_follows_what_is_decided_the_time_and_the_road(
    driven: MainWindow, planned: PlanDesk, until: Until
) -> None:
    before = planned.control.planned
    assert accept_knowingly(driven.session.deciding)
    until(lambda: planned.control.planned is not None and planned.control.planned.of_decided)
    assert "as decided" in planned.summary.text()
    QTest.mouseClick(planned.wheres.button(1), LEFT)
    until(lambda: _plan_is(planned, lambda plan: plan.where == "road"))
    road = planned.control.planned
    assert road is not None and all(h.gear >= 2 for h in road.plan.held)
    planned.minutes.setValue(5.0)
    planned.minutes.editingFinished.emit()
    until(lambda: _plan_is(planned, lambda plan: plan.seconds <= 300.0))
    after = planned.control.planned
    assert before is not None and after is not None
    assert len(after.plan.held) < len(road.plan.held)
    # Kept with the job.
    job = driven.session.job
    assert job is not None
    assert driven.session.open.setting("plan_where") == "road"


def _plan_is(desk: PlanDesk, holds: Callable[..., bool]) -> bool:
    found = desk.control.planned
    return found is not None and holds(found.plan) and not desk.control.lookup.is_looking


def test_the_card_is_copied_and_the_plan_written(
    driven: MainWindow, planned: PlanDesk, tmp_path: Path
) -> None:
    QTest.mouseClick(planned.copy, LEFT)
    assert QGuiApplication.clipboard().text() == "\n".join(planned.card.lines)
    planned.card.pictured.copy()
    assert not QGuiApplication.clipboard().image().isNull()
    from lean_trim.features.planning.feature import PLANNING

    (output,) = PLANNING.outputs
    output.prepare(driven.session.parts)(tmp_path / "plan.json")
    told = json.loads((tmp_path / "plan.json").read_text())
    assert len(told["plan"]) == len(planned.control.shown().plan.held)


@pytest.mark.drives
def test_the_simulated_driver_drives_the_plan_in_the_next_round(
    driven: MainWindow, planned: PlanDesk, until: Until
) -> None:
    session = driven.session
    assert planned.drive.isVisible() and not planned.drive.isEnabled()
    assert "Decide first" in planned.drive.toolTip()
    assert accept_knowingly(session.deciding)
    planned.minutes.setValue(4.0)
    planned.minutes.editingFinished.emit()
    until(
        lambda: _plan_is(planned, lambda plan: plan.seconds <= 240.0 and planned.drive.isEnabled())
    )
    found = planned.control.planned
    assert found is not None
    QTest.mouseClick(planned.drive, LEFT)
    until(lambda: session.round is not None and session.round.number == 2 and not session.is_busy)
    current = session.round
    assert current is not None and current.logs
    (log,) = current.logs
    held = [
        h
        for h in found.plan.held
        if log.durations_s[
            (np.abs(log[Role.RPM] - h.rpm) < 120.0) & (np.abs(log[Role.MAP] - h.map_kpa) < 6.0)
        ].sum()
        > 2.0
    ]
    assert len(held) > 0.8 * len(found.plan.held)


def test_without_a_drive_it_says_what_a_plan_needs(
    window: MainWindow, tmp_path: Path, until: Until
) -> None:
    path = tmp_path / "undriven.leantrim"
    JobStore.create(path, heron()).close()
    window.opening.open_job(path)
    until(lambda: window.session.job is not None and not window.session.is_busy)
    window.show_desk("plan")
    desk = desk_of(window)
    assert "needs one drive" in desk.summary.text() and not desk.copy.isEnabled()
    assert window.session.part(PlanControl).planned is None
