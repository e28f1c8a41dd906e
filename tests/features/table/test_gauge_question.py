"""A lambda gauge that the loop beside it contradicts: nothing is accepted before one says which is off."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from lean_trim.features.table.desk.desk import table_desk
from lean_trim.job.store import JobStore
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.steps import State, steps_of
from tests.builders import small_vehicle
from tests.core.drive.test_gauge import beside
from tests.deciding import accept_knowingly
from tests.jobs import job_bytes
from tests.ui.conftest import fit_page


@pytest.fixture
def opened(window: MainWindow, tmp_path: Path, until: Callable[..., None]) -> MainWindow:
    """A job whose wideband reads 7 % leaner than the loop beside it holds."""
    path = tmp_path / "gauge.leantrim"
    path.write_bytes(
        job_bytes(tmp_path / "made.leantrim", small_vehicle(feedback="narrowband"), beside(1.07))
    )
    window.opening.open_job(path)
    until(lambda: looked_through(window, "unsaid"))
    return window


def looked_through(window: MainWindow, word: str) -> bool:
    solution = window.session.solution
    if solution is None or window.session.is_busy:
        return False
    return solution.seen.done and solution.frame.gauge.word == word


def test_accept_is_off_until_the_gauge_is_spoken_of(
    opened: MainWindow, until: Callable[..., None], tmp_path: Path
) -> None:
    session = opened.session
    bar = table_desk(opened).bar
    assert not bar.accept.isEnabled()
    tip = bar.accept.toolTip().replace("\n", " ")
    assert "whether the gauge or the loop is off" in tip
    # What keeps the button off stands beside it, not in a tooltip alone.
    assert "7.0 % lean" in bar.caution.text()
    # And no other place advises what is off.
    assert [s.tip for s in steps_of(session) if s.state is State.NOW] == [tip]
    assert "Accept" not in table_desk(opened).header.advice.text()
    accept_knowingly(session.deciding)
    assert session.decision is not None and not session.decision.changed
    opened.margin.show_page("fit")
    page = fit_page(opened)
    assert page.gauge.isVisible() and page.gauge.currentIndex() == 0
    assert "7.0 % lean" in page.gauge_facts.text()
    assert session.proposal is not None
    asked = float(np.median(session.proposal.step_pct))
    page.gauge.setCurrentIndex(2)
    page.gauge.activated.emit(2)
    until(lambda: looked_through(opened, "right"))
    assert session.settings.gauge == "right" and session.proposal is not None
    assert float(np.median(session.proposal.step_pct)) == pytest.approx(asked + 7.0, abs=1.0)
    assert bar.accept.isEnabled() and "You said that the gauge is right" in page.gauge_facts.text()
    # It is kept with the round, and taking it back asks again.
    assert session.open.job is not None
    store = JobStore(tmp_path / "gauge.leantrim", take=False)
    assert store.load().rounds[0].tuning.solve.gauge == "right"
    store.close()
    session.history.undo()
    until(lambda: looked_through(opened, "unsaid"))
    assert session.settings.gauge == "unsaid" and not bar.accept.isEnabled()


def test_where_nothing_is_asked_nothing_is_shown(driven: MainWindow) -> None:
    driven.margin.show_page("fit")
    assert not fit_page(driven).gauge.isVisible()
