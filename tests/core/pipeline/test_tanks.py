"""Flex fuel: the ethanol in the tank is followed, and tanks are not pooled without it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.fuels import FUELS, stoich_with_ethanol
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.errors import LogError
from lean_trim.core.pipeline.batch import solve_batch
from lean_trim.core.pipeline.solve import DrivenLog, solve
from tests.builders import small_vehicle, steady_states, with_channel


def flex() -> Vehicle:
    return replace(small_vehicle(), fuel_varies=True)


def test_stoichiometry_follows_the_blend() -> None:
    """Heywood, appendix D, by way of the fuels that are named."""
    for name, percent in (("petrol", 0.0), ("E10", 10.0), ("E85", 85.0), ("ethanol", 100.0)):
        assert float(stoich_with_ethanol(percent)) == pytest.approx(
            FUELS[name].stoich_afr, abs=0.06
        )


def test_logged_ethanol_explains_the_pulse_width_of_another_tank() -> None:
    """At E85 an ECU asks for half as much fuel again; that is no enrichment."""
    vehicle = small_vehicle()
    log = steady_states()
    factor = vehicle.stoich_afr / float(stoich_with_ethanol(85.0))
    volts = log.get(Role.BATTERY, 13.8)
    dead = vehicle.injectors.dead_time_at(np.broadcast_to(volts, len(log)))
    more = with_channel(log, Role.PULSE_WIDTH, dead + (log[Role.PULSE_WIDTH] - dead) * factor)
    told = with_channel(more, Role.ETHANOL, 85.0)
    before = np.nanmedian(make_frame(log, vehicle).fuel_ratio)
    assert np.nanmedian(make_frame(told, flex()).fuel_ratio) == pytest.approx(before, rel=1e-3)
    # A car that is not said to be flex has no such sensor, whatever a column holds.
    assert np.nanmedian(make_frame(told, vehicle).fuel_ratio) == pytest.approx(
        before * factor, rel=1e-3
    )


def test_tanks_are_not_pooled_without_their_ethanol() -> None:
    one = steady_states()
    other = replace(steady_states(1.05), name="other tank")
    with pytest.raises(LogError, match="may be of another tank"):
        solve([one, other], flex())
    with pytest.raises(LogError, match="may be of another tank"):
        solve_batch([lambda: DrivenLog(one), lambda: DrivenLog(other)], flex())
    told: list[Log] = [with_channel(x, Role.ETHANOL, e) for x, e in ((one, 10.0), (other, 70.0))]
    assert solve(told, flex()).estimate.supported.any()
    assert solve([one], flex()).estimate.supported.any()
    assert solve([one, other], small_vehicle()).estimate.supported.any()
