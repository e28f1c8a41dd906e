"""Axes are edited in a round nobody drove; logs keep the table they were driven on."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from lean_trim.core.data.axis_edit import Act
from lean_trim.workspace.axis_edits import Wanted
from tests.deciding import accept_knowingly
from tests.race.conftest import Bench

INSERT = Wanted(act=Act.INSERT, axis=1, value=1000.0)


def test_a_column_put_in_and_taken_back(driven: Bench, job_path: Path) -> None:
    workspace = driven.workspace
    accept_knowingly(workspace.deciding)
    first = workspace.open.round
    assert first is not None
    edit, said = workspace.axis_edits.look(INSERT)
    assert edit is not None and edit.is_exact and "reads the same" in said
    assert workspace.axis_edits.edit(INSERT)
    current = workspace.open.round
    assert current is not None and current.number == 2 and current.note == "axes edited"
    assert current.table.shape == (14, 17)
    # The round that was driven stands as it was.
    job = workspace.open.job
    assert job is not None and job.rounds[0].table.shape == (14, 16)
    step = 0.05 + 1e-9
    np.testing.assert_allclose(
        current.table.values[:, [0, 1, *range(3, 17)]], first.result.values, atol=step
    )
    assert workspace.history.undo_text == "Put in 1000 rpm"
    workspace.navigation.undo()
    current = workspace.open.round
    assert current is not None
    np.testing.assert_array_equal(current.table.values, first.result.values)
    np.testing.assert_array_equal(current.table.axes[1].points, first.table.axes[1].points)
    workspace.navigation.redo()
    workspace.opening.close_job()
    driven.open(job_path)
    current = workspace.open.round
    assert current is not None and current.table.shape == (14, 17)


def test_the_car_is_driven_and_corrected_on_the_new_axes(driven: Bench) -> None:
    workspace = driven.workspace
    accept_knowingly(workspace.deciding)
    workspace.axis_edits.edit(INSERT)
    workspace.rounds.drive_minutes = 2.0
    workspace.rounds.drive()
    driven.settle()
    current = workspace.open.round
    solution = workspace.solver.solution
    assert current is not None and len(current.logs) == 1 and solution is not None
    assert solution.estimate.table.shape == (14, 17)
    assert solution.residual.rms < 4.0


def test_a_point_that_cannot_be_is_refused_and_nothing_begins(driven: Bench) -> None:
    workspace = driven.workspace
    assert not workspace.axis_edits.edit(Wanted(act=Act.INSERT, axis=1, value=2000.0))
    assert "already" in driven.said
    current = workspace.open.round
    assert current is not None and current.number == 1
