"""Rail, header, steps, cautions and desks say the same of how the work stands."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtGui import QGuiApplication

from lean_trim.features.table.desk.desk import table_desk
from lean_trim.features.table.pages.fit_page import FitPage
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace import solving
from lean_trim.workspace.work_state import Stage

Until = Callable[[Callable[[], bool]], None]


@pytest.fixture
def go(monkeypatch: pytest.MonkeyPatch, first_solve: None) -> Iterator[threading.Event]:
    """Lets the look for faults go on."""
    event = threading.Event()
    real = solving.looked_at

    def slow(*args: object) -> object:
        assert event.wait(30.0)
        return real(*args)  # type: ignore[arg-type]

    monkeypatch.setattr(solving, "looked_at", slow)
    yield event
    event.set()


def test_every_view_says_the_same_while_a_drive_is_worked_out(
    window: MainWindow, until: Until
) -> None:
    """Fit once said that the delay cannot be read while the car was still being driven."""
    window.margin.show_page("fit")
    page = window.margin.page("fit")
    assert isinstance(page, FitPage)
    said: dict[Stage, set[str]] = {}

    def note() -> None:
        stage = window.session.work.state.stage
        shown = page.plot.why if page.plot.alignment is None else ""
        said.setdefault(stage, set()).add(f"{shown}\n{everything_said(window)}")

    window.session.work_changed.connect(note)
    window.opening.open_demo()
    until(lambda: window.session.solution is not None and not window.session.is_busy)
    assert {Stage.DRIVING, Stage.WORKING_OUT, Stage.LOOKING} <= set(said)
    for stage, texts in said.items():
        for text in texts if stage is not Stage.NO_LOG else ():
            assert "stopped" not in text and "A log is needed" not in text, (stage, text)
            assert "cannot be read" not in text, (stage, text)
    driving = next(iter(said[Stage.DRIVING]))
    assert driving.startswith("Driving the simulated car")


def everything_said(window: MainWindow) -> str:
    """Header, steps, caution and the desks that wait for a solution."""
    steps = "\n".join(text.text() for _, text in window.rail.steps.lines)
    parts = [table_desk(window).header.text, steps, table_desk(window).bar.caution.text()]
    return "\n".join(parts)


def test_what_is_said_while_faults_are_looked_for(
    window: MainWindow, job_path: Path, until: Until, go: threading.Event
) -> None:
    """ "Not worked out: it was stopped" and "A log is needed" once stood beside "Looking for faults 95 %"."""
    window.opening.open_job(job_path)
    until(lambda: window.session.work.state.stage is Stage.LOOKING)
    said = everything_said(window)
    assert "Looking for faults" in said and "Off by" in said
    assert "stopped" not in said and "log is needed" not in said
    bar = table_desk(window).bar
    assert not bar.accept.isEnabled() and "Faults are being looked for" in bar.accept.toolTip()
    assert not window.rail.steps.hand_over.isEnabled()
    assert table_desk(window).table.view is not None
    # Bars show what was measured; which of it is to be written comes with the findings.
    assert abs(table_desk(window).table.view.bar_pct[100]) > 0.0
    clipboard = QGuiApplication.clipboard()
    clipboard.setText("before")
    for name in ("accept_all", "hand_over", "copy"):
        window.actions_[name].trigger()
    assert clipboard.text() == "before" and window.messages.isVisible()
    window.desks.show_desk("transients")
    window.desks.show_desk("injectors")
    go.set()
    until(lambda: not window.session.is_busy)
    current = window.session.round
    assert current is not None and current.decided.changed == 0 and not current.handed_over
    assert bar.accept.isEnabled() and "Looking" not in everything_said(window)


def test_what_is_said_after_it_was_stopped(
    window: MainWindow, job_path: Path, until: Until, go: threading.Event
) -> None:
    window.opening.open_job(job_path)
    until(lambda: window.session.work.state.stage is Stage.LOOKING)
    window.session.cancel()
    said = everything_said(window)
    assert "stopped" in said and "F9" in said and "Looking for faults:" not in said
    assert not table_desk(window).bar.accept.isEnabled()
    go.set()
    window.actions_["solve"].trigger()
    until(lambda: not window.session.is_busy)
    assert "stopped" not in everything_said(window)
