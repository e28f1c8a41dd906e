"""With channels missing the estimate says what it inferred, and stays nearly as close to the simulated car's
truth.
"""

from __future__ import annotations

import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings, propose
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.simcar.heron import heron_truth
from lean_trim.simcar.judge import rms_where_driven
from tests.builders import without

BARE = (
    Role.PULSE_WIDTH,
    Role.DUTY,
    Role.GEAR,
    Role.SPEED,
    Role.CLOSED_LOOP,
    Role.COOLANT,
    Role.BATTERY,
    Role.FUEL_DP,
    Role.BARO,
    Role.IAT,
    Role.SPARK,
    Role.KNOCK,
)


def error_of(solution: Solution, vehicle: Vehicle, judged_on: Solution) -> float:
    table = propose(solution.estimate, PolicySettings(), vehicle.limits).table
    return rms_where_driven(table, judged_on, heron_truth(vehicle))


@pytest.mark.slow
@pytest.mark.parametrize(
    "roles",
    [
        (Role.PULSE_WIDTH,),
        (Role.COOLANT,),
        (Role.LTFT,),
        (Role.TARGET,),
        (Role.GEAR, Role.SPEED),
        BARE,
    ],
    ids=lambda r: "+".join(r) if len(r) < 4 else "bare",
)
def test_missing_channels_cost_little(
    heron_log: Log, heron_vehicle: Vehicle, heron_solution: Solution, roles: tuple[Role, ...]
) -> None:
    bare = solve([without(heron_log, *roles)], heron_vehicle)
    assert bare.inferred
    complete = error_of(heron_solution, heron_vehicle, heron_solution)
    assert error_of(bare, heron_vehicle, heron_solution) < complete + 0.35


@pytest.mark.slow
def test_a_hidden_long_term_trim_is_read_from_the_pulse_width(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    told = {i.what: i for i in solve([without(heron_log, Role.LTFT)], heron_vehicle).inferred}
    assert told["Long-term trim"].taken == "read from the slow part of the pulse width"
