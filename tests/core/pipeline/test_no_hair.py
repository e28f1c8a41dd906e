"""The same drive written a little otherwise is the same drive; ``./campaign rewritten`` has more cars."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

from campaigns.rewritten import EVIDENCE_S, MOST, REWRITTEN, dangers, moved
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.simcar.fleet.cars import random_car
from lean_trim.simcar.fleet.second_drive import first_drive


@pytest.mark.slow
@pytest.mark.parametrize("name", REWRITTEN)
def test_no_hair_decides(
    name: str, heron_log: Log, heron_vehicle: Vehicle, heron_solution: Solution
) -> None:
    other = solve([REWRITTEN[name](heron_log)], heron_vehicle)
    assert moved(heron_solution, other) < MOST
    assert dangers(other) == dangers(heron_solution)


@pytest.mark.slow
@pytest.mark.parametrize("seed", [21, 22, 27], ids=["maf", "narrowband", "open loop"])
def test_nor_on_other_cars(seed: int) -> None:
    car = random_car(seed)
    log = first_drive(car)
    plain = solve([log], car.vehicle)
    assert (plain.estimate.seconds >= EVIDENCE_S).sum() > 10
    other = solve([REWRITTEN["inHg"](log)], car.vehicle)
    assert moved(plain, other) < MOST
    assert dangers(other) == dangers(plain)


def test_a_cell_that_moves_is_seen(heron_solution: Solution) -> None:
    estimate = heron_solution.estimate
    cell = int(np.argmax(estimate.seconds))
    nudged = estimate.correction_pct.copy()
    nudged.ravel()[cell] += estimate.own_error_pct.ravel()[cell]
    other = SimpleNamespace(estimate=SimpleNamespace(correction_pct=nudged))
    assert moved(heron_solution, heron_solution) == 0.0
    assert moved(heron_solution, other) == pytest.approx(1.0)  # type: ignore[arg-type]
