"""The list of pulls: what is drawn before the user says so, and how quickly many rounds of it stand there."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lean_trim.core.pipeline.pulls import find_pulls
from lean_trim.core.pulls.traces import PullTrace, trace_of
from lean_trim.features.pulls.desk.pull_rows import DRAWN_ROUNDS, PullRows, Row
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.ui.theme import Appearance


@pytest.fixture(scope="module")
def traces() -> tuple[PullTrace, ...]:
    found = find_pulls([simulate(heron(), seed=1, minutes=8.0)], heron())
    return tuple(trace_of(found.conditions, p, found.baro_kpa) for p in found.pulls)


def rows_of(traces: tuple[PullTrace, ...], rounds: int) -> list[Row]:
    return [Row(n, n, trace, False) for n in range(1, rounds + 1) for trace in traces]


def test_full_runs_of_the_newest_rounds_are_drawn_whatever_order_they_are_found_in(
    qapp: object, traces: tuple[PullTrace, ...]
) -> None:
    full = [t for t in traces if t.pull.kind == "full"]
    assert full
    model = PullRows(Appearance())
    for rounds in range(1, 9):
        model.take(rows_of(traces, rounds), 3000.0, 5000.0)
    drawn = [model.rows[i] for i in range(model.rowCount()) if model.is_ticked(i)]
    assert {row.number for row in drawn} == set(range(9 - DRAWN_ROUNDS, 9))
    assert len(drawn) == DRAWN_ROUNDS * len(full)
    # What the user said stays so.
    first = 0
    model.tick(first, True)
    last = model.rowCount() - 1
    model.tick(last, False)
    model.take(rows_of(traces, 9), 3000.0, 5000.0)
    assert model.is_ticked(first) and not model.is_ticked(last)


def test_a_run_that_is_left_out_says_so(qapp: object, traces: tuple[PullTrace, ...]) -> None:
    model = PullRows(Appearance())
    model.take([replace(r, left_out=True) for r in rows_of(traces, 1)], 3000.0, 5000.0)
    assert "(out)" in model.texts(0)[0] and len(model.texts(0)) == model.columnCount()
