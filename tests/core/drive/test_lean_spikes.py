"""Jumps of lambda to lean: told where nothing explains them, and left out of the table."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.lean_spikes import LeanSpikes
from lean_trim.core.pipeline.pulls import find_pulls
from lean_trim.core.pipeline.solve import solve
from tests.builders import small_vehicle, steady_states, with_channel

EVERY_S = 9.0
LASTS_S = 0.4
SIZE = 1.18


def jumping(size: float = SIZE, lasts_s: float = LASTS_S, every_s: float = EVERY_S) -> Log:
    base = steady_states(noise=0.003)
    on = (base.time_s % every_s) > every_s - lasts_s
    return with_channel(base, Role.LAMBDA, base[Role.LAMBDA] * np.where(on, size, 1.0))


def spikes_in(log: Log) -> LeanSpikes:
    return find_pulls([log], small_vehicle()).conditions.lean_spikes


def test_jumps_are_counted_with_their_size() -> None:
    found = spikes_in(jumping())
    assert found.count >= 10
    assert found.size_pct == pytest.approx(16.0, abs=4.0)
    assert found.per_min == pytest.approx(60.0 / EVERY_S, rel=0.6)


@pytest.mark.parametrize(
    "log",
    [
        steady_states(noise=0.003),
        jumping(size=0.85),
        jumping(lasts_s=4.0),
        jumping(size=1.02),
        jumping(every_s=200.0),
    ],
    ids=["none", "rich", "long", "small", "rare"],
)
def test_what_is_no_misfire_is_not_taken_for_one(log: Log) -> None:
    assert spikes_in(log).count == 0


def test_a_lean_jump_with_less_fuel_is_explained() -> None:
    log = jumping()
    on = log[Role.LAMBDA] > 1.1
    width = log[Role.PULSE_WIDTH] * np.where(on, 0.85, 1.0)
    assert spikes_in(with_channel(log, Role.PULSE_WIDTH, width)).count == 0


def test_no_cell_is_enriched_for_it() -> None:
    solution = solve([jumping()], small_vehicle())
    assert "misfire" in {f.id for f in solution.findings}
    assert solution.sifted.counts["misfire"] > 0
    assert np.nanmax(solution.estimate.correction_pct[solution.estimate.supported]) < 0.8
