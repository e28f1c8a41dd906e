"""Turning knobs in the real window: the sieve, the fit, the logs, the writing."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from statistics import median

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QCheckBox, QLabel

from lean_trim.core.data.channels import Role
from lean_trim.core.data.vehicle import AirflowSourceSettings
from lean_trim.core.decision.proposal import Status
from lean_trim.core.decision.unvisited import UNVISITED
from lean_trim.core.explore.alignment import Kind
from lean_trim.core.pipeline.solve import Solution
from lean_trim.features.logs.pages.earlier_rounds import EarlierRounds
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.features.table.desk.legend import entries_for
from lean_trim.job.blobs import store_log
from lean_trim.ui.session import Session
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.additions import AddLogs
from lean_trim.workspace.tasks import Lane
from tests.deciding import accept_knowingly
from tests.ui.conftest import fit_page, logs_page, sieve_page, write_page

pytestmark = pytest.mark.slow
Until = Callable[..., None]
NEVER_S = 600.0
"""A rest that only the test itself brings about, so that a slow machine does not."""


def solution_of(session: Session) -> Solution:
    assert session.solution is not None
    return session.solution


def settled(session: Session) -> bool:
    return (
        not session.is_busy
        and Lane.REFITTING not in session.tasks.running
        and session.tuning.is_resting
    )


def test_a_threshold_shows_while_it_is_dragged_and_is_one_undoable_change(
    driven: MainWindow, until: Until
) -> None:
    session = driven.session
    row = sieve_page(driven).rows["tip"]
    driven.margin.show_page("sieve")
    row.unfold(True)
    used = solution_of(session).sifted.used.sum()
    slider = row.rows["after_s"].slider
    session.tuning.rest_s = NEVER_S
    seen: list[float] = []
    session.solved.connect(lambda: seen.append(solution_of(session).sifted.seconds["tip"]))
    for place in range(slider.value(), slider.value() + 60, 10):
        slider.setValue(place)
        until(lambda: Lane.REFITTING not in session.tasks.running)
    assert len(seen) >= 5
    assert seen == sorted(seen)
    assert solution_of(session).sifted.used.sum() < used
    assert row.count.text().startswith(f"{solution_of(session).sifted.seconds['tip']:.0f} s")
    session.tuning.rest()
    until(lambda: settled(session))
    assert session.history.count() == 1
    session.navigation.undo()
    until(lambda: settled(session))
    assert solution_of(session).sifted.used.sum() == used
    assert slider.value() == row.rows["after_s"]._place(0.5)


def test_a_full_solve_that_a_turn_overtook_is_never_shown(driven: MainWindow, until: Until) -> None:
    session = driven.session
    session.tuning.rest_s = NEVER_S
    seen: list[float] = []
    session.solved.connect(
        lambda: seen.append(solution_of(session).settings.sieve.changes.get("tip.after_s", 0.0))
    )
    session.tuning.turn("sieve", "tip.after_s", 1.5)
    session.tuning.rest()
    assert session.is_busy
    session.tuning.turn("sieve", "tip.after_s", 2.5)
    until(lambda: not session.is_busy and Lane.REFITTING not in session.tasks.running)
    assert set(seen) <= {1.5, 2.5} and seen == sorted(seen) and seen[-1] == 2.5
    assert session.round is not None and session.round.verdict is not None
    number = session.solver.requests
    session.tuning.rest()
    until(lambda: settled(session))
    assert (
        session.solver.requests == number + 1 and seen[-1] == 2.5 and session.history.count() == 2
    )


def test_a_turn_never_holds_the_window_up(driven: MainWindow, until: Until) -> None:
    """By the window's own work, and by most turns, so that a busy machine does not decide.

    The benchmark takes the clock and the worst.
    """
    session = driven.session
    held: list[float] = []
    slider = sieve_page(driven).rows["tip"].rows["throttle_rate"].slider
    for place in range(40, 120, 8):
        began = time.thread_time()
        slider.setValue(place)
        QApplication.processEvents()
        held.append(time.thread_time() - began)
    until(lambda: settled(session))
    assert median(held) < 0.2


def test_rules_can_be_switched_and_the_job_remembers(
    driven: MainWindow, until: Until, job_path: Path
) -> None:
    session = driven.session
    used = solution_of(session).sifted.used.sum()
    box = sieve_page(driven).rows["tip"].box
    assert box.isChecked()
    box.setChecked(False)
    until(lambda: settled(session))
    assert solution_of(session).sifted.used.sum() > used
    session.tuning.turn("policy", "gain_full", 0.5)
    until(lambda: settled(session))
    driven.session.close_job()
    driven.opening.open_job(job_path)
    until(lambda: session.solution is not None and not session.is_busy)
    assert session.settings.sieve.disabled == {"tip"}
    assert session.policy.gain_full == 0.5
    session.tuning.reset()
    until(lambda: settled(session))
    assert solution_of(session).sifted.used.sum() == used


def test_closing_in_the_middle_of_a_turn_keeps_it(
    driven: MainWindow, until: Until, job_path: Path
) -> None:
    sieve_page(driven).rows["cold"].rows["below_c"].box.setValue(85.0)
    driven.session.close_job()
    driven.opening.open_job(job_path)
    until(lambda: driven.session.solution is not None and not driven.session.is_busy)
    assert driven.session.settings.sieve.changes == {"cold.below_c": 85.0}


def test_a_count_shows_the_next_such_stretch_on_the_tape(driven: MainWindow) -> None:
    row = sieve_page(driven).rows["fuel_cut"]
    row.count.click()
    first = driven.tape.start_s
    assert driven.tape.end_s - first < 60.0
    row.count.click()
    assert driven.tape.start_s > first


def test_too_strict_a_sieve_says_so_and_leaves_the_last_solution(
    driven: MainWindow, until: Until
) -> None:
    session = driven.session
    before = session.solution
    session.tuning.turn("sieve", "settling.minutes", 60.0)
    until(lambda: Lane.REFITTING not in session.tasks.running)
    assert session.solution is before
    assert "The sieve left" in driven.messages.text.text()
    session.tuning.turn("sieve", "settling.minutes", 0.0)
    until(lambda: settled(session))


def test_shares_by_regime_and_carrying_change_the_proposal_at_once(
    driven: MainWindow, until: Until
) -> None:
    session = driven.session
    cells = write_page(driven).table.cells
    assert session.proposal is not None
    write_page(driven).unvisited.activated.emit(UNVISITED.index("keep"))
    boost = np.abs(session.proposal.step_pct[9:]).max()
    more = (session.proposal.step_pct > 0).sum()
    cells["gain_boost"].setValue(0.5)
    assert cells["gain_boost"].font().bold() and not cells["gain_idle"].font().bold()
    assert np.abs(session.proposal.step_pct[9:]).max() == pytest.approx(boost / 2, abs=0.2)
    write_page(driven).unvisited.activated.emit(UNVISITED.index("carry"))
    assert (session.proposal.step_pct > 0).sum() > more + 20
    assert "nearest driven neighbour" in write_page(driven).counts.text()
    cells["gain_boost"].actions()[0].trigger()
    assert session.policy.gain_boost == 1.0 and not cells["gain_boost"].font().bold()
    session.tuning.reset()
    assert "through the driven cells" in write_page(driven).counts.text()
    until(lambda: settled(session))


def test_the_delay_is_shown_with_errors_and_a_picture(driven: MainWindow, until: Until) -> None:
    page = fit_page(driven)
    driven.margin.show_page("fit")
    assert "quick changes" in page.facts.text()
    assert "±" in page.facts.text()
    image = QImage(page.plot.size(), QImage.Format.Format_RGB32)
    page.plot.render(image)
    alignment = page.plot.alignment
    assert alignment is not None
    back = alignment.of(Kind.BACK)
    assert back.sum() >= 3
    assert alignment.gap_after[back].mean() < 0.5 * alignment.gap_before[back].mean()
    page.fit.setChecked(False)
    until(lambda: settled(driven.session) and not solution_of(driven.session).delay.estimated)
    assert "As assumed" in page.facts.text()


def test_the_method_can_be_changed(driven: MainWindow, until: Until) -> None:
    page = fit_page(driven)
    page.method.activated.emit(1)
    until(
        lambda: settled(driven.session) and solution_of(driven.session).estimate.method == "average"
    )
    assert not page.averages["window"].isHidden()
    assert page.surface["huber"].isHidden()


def counted_in(session: Session) -> list[int]:
    """Earlier rounds whose drives count in what is shown."""
    return [c.number for c in solution_of(session).measured.before.counted if c.counts]


def test_drives_of_earlier_rounds_count_until_they_are_left_out_or_the_car_is_another(
    driven: MainWindow, until: Until
) -> None:
    session = driven.session
    session.rounds.drive_minutes = 3.0
    accept_knowingly(session.deciding)
    session.rounds.drive()
    until(
        lambda: (
            session.job is not None
            and len(session.job.rounds) == 2
            and session.solution is not None
        ),
        90,
    )
    until(lambda: settled(session))
    driven.margin.show_page("logs")
    page = logs_page(driven).earlier
    assert counted_in(session) == [1]
    assert "agrees" in texts_of(page)
    with_it = solution_of(session).estimate.supported.sum()
    # The samples are those of the present drive; what was carried stands behind the cells.
    (box,) = page.rows.findChildren(QCheckBox)
    box.click()
    until(lambda: settled(session) and not counted_in(session))
    assert solution_of(session).estimate.supported.sum() < with_it
    assert "left out by you" in texts_of(page)
    page.rows.findChildren(QCheckBox)[-1].click()
    until(lambda: settled(session) and counted_in(session) == [1])
    page.changed.setCurrentIndex(3)
    page.changed.activated.emit(3)
    until(lambda: settled(session) and not counted_in(session))
    assert "another since round 2: fuel" in texts_of(page)
    session.history.undo()
    until(lambda: settled(session) and counted_in(session) == [1])


def texts_of(page: EarlierRounds) -> str:
    """All that is said of the rounds."""
    return " ".join(label.text() for label in page.rows.findChildren(QLabel))


def test_the_airflow_source_can_be_told_by_rule(driven: MainWindow, until: Until) -> None:
    session = driven.session
    session.tuning.use_source(AirflowSourceSettings("rule", ve_below_rpm=3000.0))
    until(lambda: settled(session))
    solution = solution_of(session)
    high = solution.frame.log.channels["rpm"] > 3100.0  # type: ignore[index]
    assert not solution.sifted.used[high].any()
    assert "by the rule" in logs_page(driven).force.text()
    session.tuning.use_source(AirflowSourceSettings("flag"))
    until(lambda: not session.is_busy)
    until(lambda: settled(session))
    assert "no channel for the airflow source" in table_desk(driven).reason.advice.text()


def test_taking_the_hold_off_knocked_cells_warns_beside_the_accept_button(
    driven: MainWindow, until: Until
) -> None:
    session = driven.session
    log = session.round.logs[0]  # type: ignore[union-attr]
    retard = np.where(log.channels["rpm"] < 2500.0, 3.0, 0.0)  # type: ignore[index]
    knocked = replace(log, channels={**log.channels, Role.KNOCK: retard})
    AddLogs(session.open, session.navigation, session.round.id, (store_log(knocked),)).apply()  # type: ignore[union-attr]
    until(lambda: session.solution is not None and not session.is_busy)
    assert session.proposal is not None
    assert (session.proposal.status == "knock").any()
    assert "knock was seen" not in table_desk(driven).bar.caution.text()
    session.tuning.switch("knock", False)
    until(lambda: settled(session))
    assert not (session.proposal.status == "knock").any()
    assert "knock was seen would get less fuel" in table_desk(driven).bar.caution.text()


def test_one_click_keeps_what_was_filled_and_undo_fills_it_again(
    driven: MainWindow, until: Until
) -> None:
    session = driven.session
    button = table_desk(driven).header.keep_filled
    assert session.proposal is not None
    filled = int((session.proposal.status == Status.FILLED).sum())
    assert button.text() == f"{filled} filled, not driven: keep old values"
    legend = {entry.word for entry in entries_for(table_desk(driven).table.view)}
    assert "filled" in legend
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    assert not (session.proposal.status == Status.FILLED).any()
    assert not button.isVisible()
    session.navigation.undo()
    assert (session.proposal.status == Status.FILLED).sum() == filled
    until(lambda: settled(session))
