"""A log is looked at without a job, and a job is made of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.formats.logs import write_log_csv
from lean_trim.ui.window.look_page import LookPage
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.vehicle.looking import read_look

pytestmark = pytest.mark.slow
LEFT = Qt.MouseButton.LeftButton


def quiet(share: float, what: str) -> bool:
    """Nobody listens, and nobody stops it."""
    return True


Until = Callable[[Callable[[], bool]], None]


@pytest.fixture
def csv(short_log: Log, tmp_path: Path) -> Path:
    path = tmp_path / "drive.csv"
    write_log_csv(short_log, path)
    return path


def test_what_is_told_is_what_the_log_holds(short_log: Log, csv: Path) -> None:
    look = read_look(csv, quiet)  # type: ignore[arg-type]
    log = look.log
    spent = look.spent
    assert spent is not None and spent.unit == "kPa"
    running = np.isfinite(log[Role.RPM]) & np.isfinite(log[Role.MAP]) & (log[Role.RPM] > 0)
    assert spent.seconds.sum() == pytest.approx(log.durations_s[running].sum(), rel=0.002)
    # By hand: one cell of the grid.
    i, j = np.unravel_index(int(spent.seconds.argmax()), spent.seconds.shape)
    rpm, load = log[Role.RPM], log[Role.MAP]
    inside = (rpm >= spent.rpm[j]) & (rpm < spent.rpm[j + 1])
    inside &= (load >= spent.load[i]) & (load < spent.load[i + 1])
    assert spent.seconds[i, j] == pytest.approx(log.durations_s[inside].sum())
    assert sum(r.seconds for r in look.regimes) == pytest.approx(log.durations_s.sum())
    names = {c.name for c in look.channels}
    assert {"Engine speed", "Manifold pressure"} <= names or len(names) >= 8
    for run in look.runs:
        at = int(np.searchsorted(log.time_s, run.start_s + run.seconds / 2))
        assert log[Role.THROTTLE][at] > 80.0


def test_a_log_is_looked_at_and_a_job_is_made_of_it(
    window: MainWindow, csv: Path, until: Until
) -> None:
    window.look_at_log(csv)
    page = window.look_page
    assert isinstance(page, LookPage)
    until(lambda: page.look is not None)
    assert page.title.text() == "drive.csv" and window.session.job is None
    assert page.channels.rowCount() >= 8 and page.regimes.rowCount() >= 4
    assert "rpm" in page.grid.hint_at(QPoint(page.grid.width() // 2, page.grid.height() // 2))
    page.strip.grab()
    page.grid.grab()
    whole = page.strip.end_s - page.strip.start_s
    page.strip.look_at(20.0, 40.0)
    assert page.strip.end_s - page.strip.start_s == pytest.approx(20.0)
    assert page.strip.numbers().splitlines()[0].startswith("time, s\t")
    QTest.mouseDClick(page.strip, LEFT, pos=QPoint(300, 20))
    assert page.strip.end_s - page.strip.start_s == pytest.approx(whole)
    QTest.mouseClick(page.make, LEFT)
    assert window.new_job is not None and window.pages.currentWidget() is window.new_job
    until(lambda: window.new_job.draft.told.path == csv)  # type: ignore[union-attr]


def test_back_leads_where_one_came_from(driven: MainWindow, csv: Path, until: Until) -> None:
    driven.look_at_log(csv)
    page = driven.look_page
    assert page is not None
    until(lambda: page.look is not None and not driven.session.is_busy)
    QTest.mouseClick(page.back, LEFT)
    assert driven.pages.currentWidget() is driven.splitter
    # Nothing of it came into the job.
    assert driven.session.round is not None and len(driven.session.round.logs) == 1


def test_a_file_that_is_no_log_is_told(window: MainWindow, tmp_path: Path, until: Until) -> None:
    wrong = tmp_path / "letter.txt"
    wrong.write_text("Dear tuner,\nhow are you?\n", encoding="utf-8")
    window.look_at_log(wrong)
    until(lambda: window.messages.isVisible())
    assert window.look_page is not None and window.look_page.look is None


def test_a_log_without_speed_or_mixture_shows_what_there_is(
    short_log: Log, tmp_path: Path, window: MainWindow
) -> None:
    kept = {r: short_log[r] for r in (Role.THROTTLE, Role.COOLANT)}
    path = tmp_path / "bare.csv"
    write_log_csv(Log(short_log.time_s, kept, "bare"), path)
    look = read_look(path, quiet)  # type: ignore[arg-type]
    assert look.spent is None and look.regimes == () and look.runs == ()
    page = LookPage(window.session, window.appearance)
    page.show_look(look)
    assert "no engine speed" in page.doubts.text()
    page.grid.grab()
