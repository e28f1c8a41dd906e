"""A log that does not fit the vehicle: the reason first and large, never "drive longer"."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.job.blobs import store_log
from lean_trim.job.store import JobStore
from lean_trim.simcar.drive import simulate
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.steps import State, steps_of
from lean_trim.workspace.additions import AddLogs
from tests.ui.conftest import evidence_page, sieve_page

Until = Callable[..., None]
pytestmark = pytest.mark.slow


@pytest.fixture
def wrong_sheet(
    window: MainWindow, tmp_path: Path, heron_vehicle: Vehicle, short_log: Log, until: Until
) -> MainWindow:
    """Heron's log on a sheet whose injectors are said to be half as large again."""
    injectors = heron_vehicle.injectors
    flow = 1.5 * injectors.flow_g_per_s
    other = replace(heron_vehicle, injectors=replace(injectors, flow_g_per_s=flow))
    path = tmp_path / "wrong.leantrim"
    store = JobStore.create(path, other)
    store.add_logs(store.load().rounds[0].id, [store_log(short_log)])
    store.close()
    window.opening.open_job(path)
    until(lambda: bool(window.session.solver.failure) and not window.session.is_busy)
    QApplication.processEvents()
    return window


def test_the_ratio_and_what_to_check_stand_first_and_large(wrong_sheet: MainWindow) -> None:
    strip = table_desk(wrong_sheet).reason
    assert strip.isVisible()
    assert "does not fit this vehicle: 1.5" in strip.title.text()
    assert strip.title.font().pointSizeF() >= 12.0
    assert "injector flow" in strip.advice.text() and "displacement" in strip.advice.text()
    everything = strip.title.text() + strip.advice.text() + wrong_sheet.messages.text.text()
    for phrase in ("0 samples", "rive longer", "samples are left"):
        assert phrase not in everything


def test_the_header_does_not_go_on_working(wrong_sheet: MainWindow) -> None:
    assert "Working" not in table_desk(wrong_sheet).header.text
    assert "Not worked out" in table_desk(wrong_sheet).header.text
    assert steps_of(wrong_sheet.session)[1].state is State.FAILED
    assert not table_desk(wrong_sheet).bar.accept.isEnabled()


def test_the_sieve_shows_what_it_did(wrong_sheet: MainWindow) -> None:
    wrong_sheet.margin.show_page("sieve")
    page = sieve_page(wrong_sheet)
    assert page.summary.text().startswith("0 of 360 s used")
    assert page.rows["enrichment"].count.text() != "–"
    data = wrong_sheet.tape.data
    assert data is not None and data.bits is not None and (data.bits != 0).all()
    assert "Unknown enrichment" in evidence_page(wrong_sheet).spent.text()
    assert "left out" in wrong_sheet.tape.hint_at(wrong_sheet.tape.point(500.0, 20.0).toPoint())


def test_a_solve_that_was_stopped_says_so(driven: MainWindow, until: Until) -> None:
    driven.session.show_round(0)
    driven.session.cancel()
    until(lambda: not driven.session.is_busy)
    QApplication.processEvents()
    if driven.session.solution is None:
        assert "it was stopped" in table_desk(driven).header.text
        driven.actions_["solve"].trigger()
    until(lambda: driven.session.solution is not None)
    assert "Off by" in table_desk(driven).header.text


def test_an_implausible_answer_warns_before_it_is_accepted(driven: MainWindow) -> None:
    solution = driven.session.solution
    assert solution is not None
    far_off = replace(solution, residual=replace(solution.residual, rms=137.0))
    driven.session.solver.solution = far_off
    driven.session.solved.emit()
    QApplication.processEvents()
    assert "Off by 137 % rms" in table_desk(driven).reason.title.text()
    assert "Accept nothing from it" in table_desk(driven).bar.caution.text()
    driven.session.solver.solution = replace(
        solution, residual=replace(solution.residual, rms=np.nan)
    )
    driven.session.solved.emit()
    assert not table_desk(driven).reason.isVisible()


def test_beside_logs_that_fit_the_log_is_doubted_and_not_the_sheet(
    driven: MainWindow, until: Until, heron_vehicle: Vehicle
) -> None:
    other = simulate(
        replace(heron_vehicle, displacement_l=2.6), seed=5, minutes=2.5, name="strange"
    )
    session = driven.session
    assert session.round is not None
    AddLogs(session.open, session.navigation, session.round.id, (store_log(other),)).apply()
    until(
        lambda: (
            session.solution is not None and len(session.solution.logs) == 2 and not session.is_busy
        )
    )
    QApplication.processEvents()
    assert table_desk(driven).reason.title.text().startswith("strange does not fit this vehicle")
    assert "most likely driven with another car" in table_desk(driven).reason.advice.text()
    assert "displacement" not in table_desk(driven).reason.advice.text()
