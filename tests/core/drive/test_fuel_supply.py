"""How the fuel supply holds its pressure: the regulator and the pump, told apart and by figures."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.fuel_supply import Supply, supply_of
from lean_trim.core.injectors.injector_verdict import on_supply
from lean_trim.core.pipeline.solve import solve
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import fault_named
from tests.builders import small_vehicle, steady_states, with_channel, without

PSI = 6.894757


def supply_at(differential: np.ndarray) -> Supply:
    log = steady_states(1.0)
    return supply_of(make_frame(with_channel(log, Role.FUEL_DP, differential), small_vehicle()))


def test_a_sound_supply_says_nothing() -> None:
    sound = supply_at(np.full(len(steady_states(1.0)), 300.0))
    assert sound.follows == pytest.approx(1.0) and abs(sound.sag_pct) < 0.1
    assert not on_supply(sound)
    assert not on_supply(Supply())


def test_a_regulator_that_does_not_follow_is_told_by_its_figure() -> None:
    # Common practice, no source: base 42 psi, 7 psi of boost, 52 psi seen: it rises 10 for 7.
    ratio = (52.0 - 42.0) / 7.0
    manifold = steady_states(1.0)[Role.MAP]
    found = supply_at(42.0 * PSI + (ratio - 1.0) * (manifold - 100.0))
    assert found.follows == pytest.approx(ratio, abs=0.01) and found.is_off and not found.sags
    assert "1.43 kPa per kPa" in str(on_supply(found)[0])


def test_pump_sag_is_told_as_fuel_lost() -> None:
    # Common practice, no source: 58 psi falling to 48 is √(48/58), 9 % less fuel.
    log = steady_states(1.0)
    hard = log[Role.MAP] * log[Role.RPM]
    share = np.clip((hard / hard.max() - 0.55) / 0.1, 0.0, 1.0)
    found = supply_at(300.0 * (1.0 - (1.0 - 48.0 / 58.0) * share))
    assert found.sags and not found.is_off
    assert found.sag_pct == pytest.approx(17.2, abs=0.5)
    assert "9 % less fuel" in str(on_supply(found)[0])


@pytest.mark.parametrize("case", ["compensated", "no pressure"])
def test_it_is_not_told_where_it_cannot_be(case: str) -> None:
    vehicle = small_vehicle()
    log = steady_states(1.0)
    if case == "compensated":
        injectors = replace(vehicle.injectors, pressure_reference="compensated")
        vehicle = replace(vehicle, injectors=injectors)
    else:
        log = without(log, Role.FUEL_DP)
    assert np.isnan(supply_of(make_frame(log, vehicle)).follows)


@pytest.mark.slow
def test_a_correction_names_the_regulator(heron_vehicle: Vehicle) -> None:
    log = simulate(heron_vehicle, 1, 6.0, faults=fault_named("regulator"))
    findings = {f.id: f.message for f in solve([log], heron_vehicle).findings}
    assert "0.40 kPa per kPa" in findings["regulator"]
    sound = solve([simulate(heron_vehicle, 1, 6.0)], heron_vehicle)
    assert "regulator" not in {f.id for f in sound.findings}
