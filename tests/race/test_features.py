"""Features beside each other: what one looks for ends while the job, the round or the file is another's."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.fuel_corrections import WARM_UP, curve_of
from lean_trim.core.errors import LeanTrimError
from lean_trim.features.pulls import control as pulls_control
from lean_trim.features.pulls.control import PullsControl, PullsFound
from lean_trim.features.transients.control import TransientsControl, TransientsFound
from lean_trim.features.transients.fuel_corrections import FuelCorrections
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from lean_trim.workspace.changes import JobClosed, ProposalChanged, SolutionShown
from tests.race.conftest import Bench, Gate
from tests.race.test_one_writer import assert_as_kept, wait_for_answers

COLD = curve_of(WARM_UP, [-20, 0, 20, 40, 60, 80], [40, 28, 18, 11, 4, 0])


class Held:
    """Looking for pulls waits until it is let go, and may then fail."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.go = threading.Event()
        self.failure: BaseException | None = None
        real = pulls_control._looked

        def slow(*args: object) -> object:
            assert self.go.wait(30.0)
            if self.failure is not None:
                raise self.failure
            return real(*args)  # type: ignore[arg-type]

        monkeypatch.setattr(pulls_control, "_looked", slow)


@pytest.fixture
def held(monkeypatch: pytest.MonkeyPatch) -> Iterator[Held]:
    made = Held(monkeypatch)
    yield made
    made.go.set()


def other_job(folder: Path) -> Path:
    path = folder / "other.leantrim"
    JobStore.create(path, heron(seed=2)).close()
    return path


def test_pulls_of_a_job_that_is_closed_are_shown_in_no_other(
    driven: Bench, held: Held, tmp_path: Path
) -> None:
    workspace = driven.workspace
    control = workspace.parts[PullsControl]
    told: list[object] = []
    control.want()
    assert control.lookup.is_looking
    workspace.opening.open_path(other_job(tmp_path))
    driven.until(lambda: workspace.open.job is not None and not workspace.open.job.rounds[0].logs)
    workspace.hub.subscribe(PullsFound, told.append)
    held.go.set()
    driven.settle()
    assert control.found == {} and told == [] and not control.lookup.is_looking


def test_a_lookup_that_fails_is_told_once_and_only_where_it_belongs(
    driven: Bench, held: Held
) -> None:
    control = driven.workspace.parts[PullsControl]
    held.failure = LeanTrimError("the log is odd")
    control.want()
    held.go.set()
    driven.settle()
    assert control.lookup.failure == "the log is odd" and control.found == {}
    # Looked at again and again by a desk that is shown: not looked for again.
    for _ in range(3):
        control.look()
        assert not control.lookup.is_looking
    driven.workspace.opening.close_job()
    assert control.lookup.failure == ""


def test_two_features_look_at_the_same_time(driven: Bench, held: Held) -> None:
    """A lane each: neither waits for the other, and cancelling what people see stops neither."""
    parts = driven.workspace.parts
    parts[PullsControl].want()
    parts[TransientsControl].want()
    driven.until(lambda: parts[TransientsControl].report is not None)
    assert parts[PullsControl].lookup.is_looking
    driven.workspace.tasks.cancel()
    assert parts[PullsControl].lookup.is_looking
    held.go.set()
    driven.settle()
    assert parts[PullsControl].found


def test_a_part_hears_before_whoever_subscribes_after_it(driven: Bench) -> None:
    """A view that is told that the job is closed must not find a feature's part holding its pulls."""
    control = driven.workspace.parts[PullsControl]
    control.want()
    driven.settle()
    seen: list[int] = []
    driven.workspace.hub.subscribe(JobClosed, lambda _: seen.append(len(control.found)))
    assert control.found
    driven.workspace.opening.close_job()
    assert seen == [0]


def test_a_side_table_is_not_accepted_while_its_drive_is_worked_out_anew(
    driven: Bench, monkeypatch: pytest.MonkeyPatch, job_path: Path
) -> None:
    parts = driven.workspace.parts
    tables = parts[FuelCorrections]
    assert tables.take_table(WARM_UP, COLD)
    parts[TransientsControl].want()
    driven.settle()
    assert tables.proposed(WARM_UP) is not None
    gate = Gate(monkeypatch)
    driven.workspace.solver.solve()
    gate.wait_begun()
    assert not tables.accept(WARM_UP)
    assert "waits until that is done" in driven.said
    gate.opened.set()
    driven.settle()
    assert load_job(job_path).rounds[0].decisions == {}
    assert_as_kept(driven, job_path)


def test_what_is_decided_of_a_side_table_while_the_job_is_saved_elsewhere_goes_along(
    driven: Bench, tmp_path: Path, job_path: Path
) -> None:
    tables = driven.workspace.parts[FuelCorrections]
    assert tables.take_table(WARM_UP, COLD)
    target = tmp_path / "elsewhere.leantrim"
    driven.workspace.saving.save_elsewhere(target)
    wait_for_answers(driven)
    assert tables.type_in(WARM_UP, 1, "=33")
    driven.settle()
    assert driven.workspace.open.path == target
    kept = load_job(target).rounds[0].decisions[WARM_UP]
    assert kept.changed == 1
    assert_as_kept(driven, target)
    driven.workspace.navigation.undo()
    assert_as_kept(driven, target)


def test_messages_of_one_feature_are_not_heard_by_another(driven: Bench) -> None:
    """Each by its own class; a change of a side table is told to its desk and to the proposal."""
    heard: list[type] = []
    for kind in (PullsFound, TransientsFound, ProposalChanged, SolutionShown):
        driven.workspace.hub.subscribe(kind, lambda message: heard.append(type(message)))
    tables = driven.workspace.parts[FuelCorrections]
    assert tables.take_table(WARM_UP, COLD)
    assert tables.type_in(WARM_UP, 0, "+2%")
    assert set(heard) == {TransientsFound, ProposalChanged}
    base = tables.base(WARM_UP)
    assert base is not None and np.array_equal(base.values, COLD.values)
