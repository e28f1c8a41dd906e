"""What a cell asks adds up from its seconds, and its seconds from its visits."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.explore.adding_up import (
    AddingUp,
    Weighing,
    add_up,
    visits_of_cells,
    weighing_of,
)
from lean_trim.core.explore.linking import cells_of_span, samples_of_cells, seconds_by_cell
from lean_trim.core.pipeline.solve import Solution, SolveSettings, solve


@pytest.fixture(scope="module")
def weighing(heron_solution: Solution) -> Weighing:
    return weighing_of(heron_solution)


@pytest.fixture(scope="module")
def sums(heron_solution: Solution, weighing: Weighing) -> AddingUp:
    return add_up(heron_solution, weighing)


def test_the_parts_of_every_cell_add_up_to_what_is_asked(
    heron_solution: Solution, sums: AddingUp
) -> None:
    asked = heron_solution.estimate.correction_pct.ravel()
    for cell in np.flatnonzero(np.isfinite(asked)).tolist():
        parts = sums.parts([cell])
        assert sum(p.pct for p in parts) == pytest.approx(asked[cell], abs=1e-9)
        assert (len(parts) == 1) == (not np.isfinite(sums.own[cell]))


def test_seconds_are_those_of_the_estimate_and_of_the_visits(
    heron_solution: Solution, sums: AddingUp, weighing: Weighing
) -> None:
    np.testing.assert_allclose(sums.seconds, heron_solution.estimate.seconds.ravel(), atol=1e-9)
    for cell in range(heron_solution.estimate.table.size):
        visits = visits_of_cells(heron_solution, [cell], weighing)
        assert sum(v.seconds for v in visits) == pytest.approx(sums.seconds[cell], abs=1e-9)
        # A cell with any weight has a visit; one without has none, and says so.
        assert bool(visits) == bool(np.isfinite(sums.own[cell]))


def test_the_mean_of_the_visits_is_what_its_own_seconds_say(
    heron_solution: Solution, sums: AddingUp
) -> None:
    """With every sample weighing alike, visits by their seconds give the first line."""
    cell = int(np.argmax(heron_solution.estimate.seconds))
    found = weighing_of(heron_solution)
    even = replace(found, weight=found.observations.seconds.copy())
    visits = visits_of_cells(heron_solution, [cell], even)
    mean = np.average([v.k for v in visits], weights=[v.seconds for v in visits])
    assert 100.0 * (mean - 1.0) == pytest.approx(add_up(heron_solution, even).own[cell], abs=1e-9)
    low, high = min(v.k for v in visits), max(v.k for v in visits)
    assert low <= 1.0 + sums.own[cell] / 100.0 <= high


def test_the_error_covers_what_smoothing_adds(heron_solution: Solution, sums: AddingUp) -> None:
    """What its own seconds, less the terms and the cells read along, leave to what is asked."""
    taken = sum((pct for _, pct in sums.taken), np.zeros(len(sums.own)))
    smooth = sums.asked - sums.own - taken - sums.beside
    estimate = heron_solution.estimate
    known = estimate.supported.ravel() & np.isfinite(sums.own)
    within = np.abs(smooth)[known] <= 2.0 * estimate.own_error_pct.ravel()[known]
    assert known.sum() > 60 and within.mean() > 0.95


def test_averages_add_up_as_well(heron_vehicle: Vehicle, heron_log: Log) -> None:
    solution = solve([heron_log], heron_vehicle, SolveSettings(method="average"))
    sums = add_up(solution, weighing_of(solution))
    cell = int(np.argmax(solution.estimate.seconds))
    parts = sums.parts([cell])
    asked = solution.estimate.correction_pct.ravel()[cell]
    assert sum(p.pct for p in parts) == pytest.approx(asked, abs=1e-9)
    assert str(parts[-1].what).startswith("Samples beside it")


def test_cells_and_seconds_answer_each_other(heron_solution: Solution) -> None:
    cell = int(np.argmax(heron_solution.estimate.seconds))
    mask = samples_of_cells(heron_solution, {cell})
    assert mask.sum() > 50
    assert heron_solution.sifted.used[mask].all()
    longest = max(visits_of_cells(heron_solution, {cell}), key=lambda v: v.seconds)
    assert cell in cells_of_span(heron_solution, longest.start_s, longest.end_s)
    log = heron_solution.frame.log
    total = seconds_by_cell(heron_solution, log.time_s[0], log.time_s[-1])
    np.testing.assert_allclose(total, heron_solution.estimate.seconds, atol=1e-9)
