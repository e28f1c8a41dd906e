"""The state of the engine on each visit, and visits that stand apart."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.explore.adding_up import Visit, visits_of_cells
from lean_trim.core.explore.visit_states import Over, visit_states
from lean_trim.core.pipeline.solve import Solution


def test_states_are_the_means_of_their_samples(heron_solution: Solution) -> None:
    frame = heron_solution.frame
    gears = heron_solution.prepared.conditions.motion.gears
    busy = int(heron_solution.estimate.seconds.argmax())
    visits = visits_of_cells(heron_solution, [busy])
    states = visit_states(frame, gears, visits)
    log = frame.log
    for place in (0, len(visits) // 2, len(visits) - 1):
        visit = visits[place]
        inside = (log.time_s >= visit.start_s) & (log.time_s <= visit.end_s)
        assert states.over[Over.COOLANT][place] == pytest.approx(log[Role.COOLANT][inside].mean())
        assert states.over[Over.VOLTS][place] == pytest.approx(log[Role.BATTERY][inside].mean())
        assert states.over[Over.TIME][place] == pytest.approx(visit.start_s / 60.0)
        assert states.asked_pct[place] == pytest.approx(100 * (visit.k - 1))
    assert (states.over[Over.LOG] == 1.0).all() and Over.LOG not in states.known
    assert Over.TIME in states.known and Over.COOLANT in states.known


def test_a_visit_that_asks_for_something_else_stands_apart(heron_solution: Solution) -> None:
    gears = heron_solution.prepared.conditions.motion.gears
    rng = np.random.default_rng(4)

    def states(asked: list[float]) -> list[int]:
        visits = [
            Visit(20.0 * i, 20.0 * i + 5.0, 5.0, 1.0 + pct / 100.0) for i, pct in enumerate(asked)
        ]
        return np.flatnonzero(visit_states(heron_solution.frame, gears, visits).apart).tolist()

    calm = rng.normal(2.0, 0.5, 12).tolist()
    assert states(calm) == []
    assert states([*calm, 9.0]) == [12]
    # A tenth beside calm ones is no outlier, and of four nobody can say which is wrong.
    assert states([1.00, 1.01, 1.00, 1.01, 1.00, 1.30]) == []
    assert states([1.0, 1.0, 1.0, 9.0]) == []
