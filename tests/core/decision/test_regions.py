"""Regions of a table from the job's own data."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.tables import maf_curve
from lean_trim.core.decision.driving_shares import DrivingShares
from lean_trim.core.decision.proposal import PolicySettings, propose
from lean_trim.core.decision.regions import Region, boost_from_kpa, boosted, regions_of
from tests.builders import steady_states, with_channel
from tests.core.decision.test_proposal import LIMITS, TABLE, estimate

NONE = np.zeros((3, 3))


@pytest.mark.parametrize(("baro", "boost_kpa"), [(84.56, 86.3), (101.3, 101.0)])
def test_boost_begins_above_the_barometer_that_was_logged(baro: float, boost_kpa: float) -> None:
    """1500 m has 84.56 kPa (US Standard Atmosphere 1976, from memory)."""
    log = with_channel(steady_states(seconds=0.2), Role.BARO, baro)
    assert boost_from_kpa(log) == pytest.approx(boost_kpa, abs=0.1)
    assert boost_from_kpa(steady_states(seconds=0.2)) == 101.0


def test_a_cell_is_what_it_was_mostly_driven_at_and_boost_comes_first() -> None:
    idle = NONE.copy()
    full = NONE.copy()
    idle[0, 0] = 0.9
    full[1, 2] = 0.8
    full[2, 2] = 1.0
    idle[0, 1] = 0.3
    found = regions_of(TABLE, idle, full, 101.0)
    assert found[0, 0] == Region.IDLE
    assert found[0, 1] == Region.PART
    assert found[1, 2] == Region.FULL
    assert (found[2] == Region.BOOST).all()
    assert not boosted(maf_curve([1.0, 2.0], [1.0, 2.0]), 101.0).any()


def test_in_thin_air_less_is_taken_out_from_a_lower_pressure_on() -> None:
    """The row at 90 kPa is boost where the barometer says 84."""
    low = DrivingShares(NONE, NONE, np.inf, boost_from_kpa=86.0)
    asked = estimate(-18.0)
    assert propose(asked, PolicySettings(), LIMITS, driving=low).step_pct[1, 1] == pytest.approx(
        -12.0, abs=0.1
    )
    sea = replace(low, boost_from_kpa=101.0)
    assert propose(asked, PolicySettings(), LIMITS, driving=sea).step_pct[1, 1] == pytest.approx(
        -18.0, abs=0.1
    )
