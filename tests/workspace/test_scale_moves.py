"""The scale is moved together with the table, kept, undone, handed over, and driven on without a step."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.calibration import INJECTOR_FLOW, ScaleAt
from lean_trim.formats.tables import read_table
from lean_trim.job.loading import load_job
from lean_trim.workspace.changes import Notice
from tests.deciding import accept_knowingly, type_knowingly
from tests.race.conftest import Bench


def told(bench: Bench) -> list[str]:
    said: list[str] = []
    bench.workspace.hub.subscribe(Notice, lambda notice: said.append(str(notice.said)))
    return said


def test_a_move_keeps_the_fuel_and_is_one_step(driven: Bench, job_path: Path) -> None:
    workspace = driven.workspace
    assert workspace.open.round is not None
    accept_knowingly(workspace.deciding)
    accepted = workspace.open.round.decided.values
    before = workspace.open.decided_vehicle
    first = workspace.open.round.revision.calibration
    for at in ScaleAt:
        assert workspace.scale.move(at, 1.2)
        last = load_job(job_path).rounds[0]
        assert last.scale_moved == pytest.approx(1.2) and not last.injectors_decided
        np.testing.assert_allclose(last.result_as_driven.values, accepted, rtol=3e-3)
        after = workspace.open.decided_vehicle
        assert before is not None and after is not None
        fuel = [
            v.table.values * v.displacement_l / v.injectors.flow_g_per_s for v in (before, after)
        ]
        np.testing.assert_allclose(fuel[1], fuel[0], rtol=3e-3)
        workspace.navigation.undo()
        undone = load_job(job_path).rounds[0]
        assert undone.scale_moved == 1.0 and set(undone.decisions) == {"ve"}
        assert undone.revision.calibration.same_as(first)
        np.testing.assert_array_equal(undone.decided.values, accepted)


def test_single_cells_wait_while_a_moved_scale_does(driven: Bench) -> None:
    workspace = driven.workspace
    assert workspace.scale.move(ScaleAt.DISPLACEMENT, 1.2)
    said = told(driven)
    moved = driven.workspace.open.round
    assert moved is not None
    accept_knowingly(workspace.deciding)
    workspace.deciding.put_back()
    type_knowingly(workspace.deciding, "+3%", frozenset({4}))
    assert not workspace.scale.move(ScaleAt.MULTIPLIER, 1.1)
    assert not workspace.injectors.type_in(INJECTOR_FLOW, 0, "+3%")
    assert workspace.open.round is moved and len(said) == 5
    assert all("scale" in sentence for sentence in said)
    assert workspace.scale.put_back()
    assert workspace.open.round.scale_moved == 1.0 and not workspace.open.round.changed


def test_a_move_out_of_the_field_is_refused_in_words(driven: Bench, job_path: Path) -> None:
    before = driven.workspace.open.round
    said = told(driven)
    assert not driven.workspace.scale.move(ScaleAt.DISPLACEMENT, 0.2)
    assert "out of the table's field" in said[0]
    assert driven.workspace.open.round is before and load_job(job_path).rounds[0].scale_moved == 1.0


def test_a_drive_on_the_moved_scale_shows_no_step(
    driven: Bench, tmp_path: Path, job_path: Path
) -> None:
    workspace = driven.workspace
    assert workspace.open.job is not None and workspace.open.round is not None
    # A demo car is the same engine whatever size its ECU is told.
    workspace.open.job = replace(workspace.open.job, car="heron")
    accept_knowingly(workspace.deciding)
    foretold = workspace.solver.foretold(workspace.open.round)
    assert workspace.scale.move(ScaleAt.DISPLACEMENT, 1.2)
    again = workspace.solver.foretold(workspace.open.round)
    assert foretold is not None and again is not None
    assert again.residual_rms == pytest.approx(foretold.residual_rms, abs=0.1)
    said = told(driven)
    assert workspace.rounds.hand_over(tmp_path / "out.csv")
    assert "displacement 1.8 → 2.16 L" in said[-1]
    written = read_table(tmp_path / "out.csv", "ve")
    np.testing.assert_allclose(written.values, workspace.open.round.result.values)
    workspace.rounds.drive_minutes = 6.0
    workspace.rounds.drive()
    driven.settle()
    assert len(workspace.open.job.rounds) == 2
    second = load_job(job_path)
    assert second.vehicle_in(1).displacement_l == pytest.approx(2.16)
    assert second.vehicle.displacement_l == 1.8
    assert not second.same_injectors(second.rounds[0], second.rounds[1])
    solution = workspace.solver.solution
    assert solution is not None
    # Off by 20 % if either were driven without the other.
    assert solution.residual.rms < 2.0


@pytest.mark.parametrize(
    ("one", "other"), [(ScaleAt.FLOW, ScaleAt.DISPLACEMENT), (ScaleAt.MULTIPLIER, ScaleAt.FLOW)]
)
def test_a_second_move_elsewhere_leaves_the_first_as_it_is(
    driven: Bench, job_path: Path, one: ScaleAt, other: ScaleAt
) -> None:
    workspace = driven.workspace
    assert workspace.open.job is not None and workspace.open.round is not None
    flow = workspace.open.job.vehicle.injectors.flow_g_per_s
    factors = {ScaleAt.FLOW: 1.0, other: 1.0, one: 1.2}
    for at, factor in ((one, 1.2), (other, 1.1)):
        assert workspace.scale.move(at, factor) and workspace.scale.moved_at is at
        factors[at] = factor
        kept = load_job(job_path)
        driven_now = kept.vehicle_in(len(kept.rounds) - 1)
        if at is one:
            assert (
                driven_now.displacement_l == 1.8
                and driven_now.injectors.flow_g_per_s == pytest.approx(flow)
            )
            workspace.rounds.begin_round()
    # The second round is still driven on the first move alone.
    engine = factors[next(at for at in (one, other) if at is not ScaleAt.FLOW)]
    decided = workspace.open.decided_vehicle
    assert decided is not None
    assert driven_now.displacement_l == pytest.approx(1.8 if one is ScaleAt.FLOW else 2.16)
    assert driven_now.injectors.flow_g_per_s == pytest.approx(
        flow / (1.2 if one is ScaleAt.FLOW else 1.0), rel=1e-3
    )
    assert decided.displacement_l == pytest.approx(1.8 * engine)
    assert decided.injectors.flow_g_per_s == pytest.approx(flow / factors[ScaleAt.FLOW], rel=1e-3)
    assert workspace.scale.put_back() and workspace.scale.moved_at is None
    assert workspace.open.decided_vehicle.displacement_l == driven_now.displacement_l  # type: ignore[union-attr]
