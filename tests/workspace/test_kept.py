"""What was worked out of a round is shown when it is looked at again, and nothing is worked out for it."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

import pytest

from lean_trim.features.pulls import control as pulls_control
from lean_trim.features.pulls.control import PullsControl
from lean_trim.features.transients.control import TransientsControl
from lean_trim.job.results import digest
from lean_trim.workspace import kept, solving
from lean_trim.workspace.changes import SolutionShown
from lean_trim.workspace.work_state import Stage
from tests.race.conftest import Bench


class Counted:
    """How often something was called."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, module: object, name: str) -> None:
        self.calls = 0
        real: Callable[..., object] = getattr(module, name)

        def counted(*args: object, **more: object) -> object:
            self.calls += 1
            return real(*args, **more)

        monkeypatch.setattr(module, name, counted)


@pytest.fixture
def measured(monkeypatch: pytest.MonkeyPatch) -> Counted:
    return Counted(monkeypatch, solving, "measure")


def again(bench: Bench, path: Path) -> None:
    """Close the job and open it again."""
    bench.workspace.opening.close_job()
    bench.open(path)


def change(path: Path, sql: str, *values: object) -> int:
    with closing(sqlite3.connect(path)) as db, db:
        return db.execute(sql, values).rowcount


def test_a_job_opens_with_what_was_worked_out(
    driven: Bench, measured: Counted, job_path: Path
) -> None:
    solver = driven.workspace.solver
    before = (digest(driven.solution.estimate), driven.solution.findings, solver.events)
    proposal = digest(solver.proposal)
    again(driven, job_path)
    assert measured.calls == 0
    assert (digest(driven.solution.estimate), driven.solution.findings, solver.events) == before
    assert digest(solver.proposal) == proposal and solver.tip_in is not None
    assert driven.workspace.work.state.stage is Stage.WORKED_OUT
    assert driven.workspace.work.state.holds_writing is None


def test_the_user_has_it_worked_out_again(driven: Bench, measured: Counted, job_path: Path) -> None:
    again(driven, job_path)
    driven.workspace.solver.solve()
    driven.settle()
    assert measured.calls == 1


def test_what_is_stale_stands_and_says_so_until_it_is_renewed(
    driven: Bench, measured: Counted, job_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    workspace = driven.workspace
    workspace.opening.close_job()
    monkeypatch.setattr(kept, "program_mark", lambda: "0.0.1-another")
    monkeypatch.setattr("lean_trim.workspace.kept_solution.program_mark", lambda: "0.0.1-another")
    shown: list[tuple[str, Stage, str]] = []
    workspace.hub.subscribe(
        SolutionShown,
        lambda _: shown.append(
            (workspace.solver.shown_of, workspace.work.state.stage, workspace.work.state.said)
        ),
    )
    driven.open(job_path)
    (made, stage, said), *_, (last, end, _) = shown
    assert made and stage is Stage.WORKING_OUT and "worked out anew" in said
    assert made[:10] in said
    assert not last and end is Stage.WORKED_OUT and measured.calls == 1
    again(driven, job_path)
    assert measured.calls == 1


def test_nothing_may_be_written_by_what_is_stale(
    driven: Bench, job_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    workspace = driven.workspace
    workspace.opening.close_job()
    monkeypatch.setattr("lean_trim.workspace.kept_solution.program_mark", lambda: "0.0.1-another")
    held: list[object] = []
    workspace.hub.subscribe(
        SolutionShown,
        lambda _: held.append(workspace.work.state.holds_writing) if not held else None,
    )
    driven.open(job_path)
    assert held[0] is not None and workspace.work.state.holds_writing is None


@pytest.mark.parametrize("what", ["settings", "stretches"])
def test_a_change_is_worked_out(
    driven: Bench, measured: Counted, job_path: Path, what: str
) -> None:
    workspace = driven.workspace
    if what == "settings":
        workspace.tuning.turn("surface", "min_seconds", 0.8)
        workspace.tuning.rest()
    else:
        workspace.deciding.leave_out(10.0, 40.0)
    driven.settle()
    worked_out = measured.calls
    assert worked_out == 1
    again(driven, job_path)
    assert measured.calls == worked_out


def test_damage_costs_no_more_than_working_it_out(
    driven: Bench, measured: Counted, job_path: Path
) -> None:
    driven.workspace.opening.close_job()
    assert change(job_path, "UPDATE kept_answers SET data = substr(data, 1, 999)") >= 1
    driven.open(job_path)
    assert measured.calls == 1 and driven.workspace.work.state.stage is Stage.WORKED_OUT


def test_pulls_and_quick_changes_are_not_looked_for_again(
    driven: Bench, job_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    pulls = driven.workspace.parts[PullsControl]
    transients = driven.workspace.parts[TransientsControl]
    for control in (pulls, transients):
        control.want()
        driven.settle()
    (found,) = pulls.found.values()
    report = digest(transients.report)
    looked = Counted(monkeypatch, pulls_control, "_looked")
    quick = Counted(
        monkeypatch,
        __import__("lean_trim.core.pipeline.transients", fromlist=["x"]),
        "transients_of",
    )
    again(driven, job_path)
    for control in (pulls, transients):
        control.want()
        driven.settle()
    (back,) = pulls.found.values()
    assert digest((back.traces, back.knock, back.samples)) == digest(
        (found.traces, found.knock, found.samples)
    )
    assert digest(transients.report) == report
    assert looked.calls == 0 and quick.calls == 0
    # Another height makes other boost.
    pulls.set_altitude(500.0)
    driven.settle()
    assert looked.calls == 1


def test_other_code_or_another_car_is_another_key() -> None:
    from lean_trim.simcar.heron import heron

    one = kept.key_of(heron(), (1, 2), frozenset({"b", "a"}))
    assert one == kept.key_of(heron(), (1, 2), frozenset({"a", "b"}))
    assert one != kept.key_of(heron(seed=2), (1, 2), frozenset({"a", "b"}))
    assert one != kept.key_of(heron(), (1, 3), frozenset({"a", "b"}))
    assert kept.program_mark().startswith("0.") and len(kept.program_mark()) > 64
