"""The simulated ECU follows the tables it is given, and does of itself what it was given none for."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.fuel_corrections import (
    AFTER_CUT,
    AFTER_CUT_FADE,
    AIR_TEMPERATURE,
    ENRICHMENT,
    ENRICHMENT_FADE,
    MAP_RATE,
    THROTTLE_RATE,
    WALL_SHARE,
    WALL_TIME,
    WARM_UP,
    curve_of,
)
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.simcar.drive import simulate
from tests.simcar.reference.car import SimCar
from tests.simcar.reference.corrections import Sensed, TableCorrections

DT = 0.01


def corrections(vehicle: Vehicle, **tables: Table) -> TableCorrections:
    return TableCorrections(replace(vehicle, corrections=tables))


def sensed(time_s: float, **more: float) -> Sensed:
    values = {
        "rpm": 2000.0,
        "map_kpa": 40.0,
        "throttle_pct": 10.0,
        "intake_c": 20.0,
        "coolant_c": 80.0,
    }
    return Sensed(time_s=time_s, cutting=False, **{**values, **more})


@pytest.mark.parametrize(
    ("by", "channel"), [(MAP_RATE, "map_kpa"), (THROTTLE_RATE, "throttle_pct")]
)
def test_enrichment_follows_the_rate_of_what_its_axis_names_and_fades(
    heron_vehicle: Vehicle, by: str, channel: str
) -> None:
    made = corrections(
        heron_vehicle,
        **{
            ENRICHMENT: curve_of(ENRICHMENT, [0, 100, 200], [0, 10, 20], by),
            ENRICHMENT_FADE: curve_of(ENRICHMENT_FADE, [1000, 5000], [0.5, 0.5]),
        },
    )
    start = 30.0
    steps = 100
    for i in range(steps):
        # 150 units a second: half way between two points.
        value = start + 1.5 * min(i, 40)
        added = made.enriched_pct(sensed(i * DT, **{channel: value}), DT)
        if i == 40:
            assert added == pytest.approx(15.0, rel=0.02)
    # Fading from where the movement ended, but for the moment the rate takes to be seen.
    assert added == pytest.approx(15.0 * np.exp(-(steps - 41) * DT / 0.5), rel=0.1)
    other = "throttle_pct" if channel == "map_kpa" else "map_kpa"
    made = corrections(heron_vehicle, **{ENRICHMENT: curve_of(ENRICHMENT, [0, 100], [0, 10], by)})
    assert max(made.enriched_pct(sensed(i * DT, **{other: 2.0 * i}), DT) for i in range(30)) == 0.0


def test_fuel_after_a_cut_goes_by_its_length(heron_vehicle: Vehicle) -> None:
    made = corrections(
        heron_vehicle,
        **{
            AFTER_CUT: curve_of(AFTER_CUT, [0, 2, 4], [0, 10, 20]),
            AFTER_CUT_FADE: curve_of(AFTER_CUT_FADE, [1000, 5000], [0.2, 0.2]),
        },
    )
    for i in range(300):
        assert made.after_cut_pct(replace(sensed(i * DT), cutting=True), DT) == 0.0
    assert made.after_cut_pct(sensed(3.0), DT) == pytest.approx(15.0, rel=0.01)
    later = [made.after_cut_pct(sensed(3.0 + i * DT), DT) for i in range(1, 21)]
    assert later[-1] == pytest.approx(15.0 * np.exp(-1.0), rel=0.02)


def test_an_ecu_that_knows_the_film_keeps_the_cylinder_on_its_fuel(heron_vehicle: Vehicle) -> None:
    """The film equation turned round (Aquino, SAE 810494, from memory)."""
    share = 0.25
    tau = 0.4
    made = corrections(
        heron_vehicle,
        **{
            WALL_SHARE: curve_of(WALL_SHARE, [20, 200], [100 * share] * 2),
            WALL_TIME: curve_of(WALL_TIME, [0, 90], [tau] * 2),
        },
    )
    film = 0.0
    burnt = []
    for i in range(400):
        wanted = 0.01 if i < 200 else 0.02
        injected = made.onto_walls(sensed(i * DT), wanted, DT)
        cycles = 2000.0 / 120.0 * DT
        evaporated = film * (1.0 - np.exp(-DT / tau))
        film += share * injected * cycles - evaporated
        burnt.append(((1.0 - share) * injected * cycles + evaporated) / cycles)
    np.testing.assert_allclose(burnt[:200], 0.01, rtol=1e-6)
    np.testing.assert_allclose(burnt[200:], 0.02, rtol=1e-6)


def test_tables_that_say_what_the_ecu_does_of_itself_change_nothing_else(
    heron_vehicle: Vehicle,
) -> None:
    """Warm-up as a table of the law it has of itself: the same drive, pulse by pulse."""
    law = np.arange(-20.0, 100.0, 4.0)
    cells = 0.34 * np.maximum(72.0 - law, 0.0)
    same = replace(heron_vehicle, corrections={WARM_UP: curve_of(WARM_UP, law, cells)})
    mine, plain = (simulate(v, 3, 1.0) for v in (same, heron_vehicle))
    np.testing.assert_allclose(mine[Role.PULSE_WIDTH], plain[Role.PULSE_WIDTH], atol=2e-3)


def test_air_temperature_adds_to_everything(heron_vehicle: Vehicle) -> None:
    air = curve_of(AIR_TEMPERATURE, [-20, 60], [8, 8])
    more = replace(heron_vehicle, corrections={AIR_TEMPERATURE: air})
    cars = [SimCar(v, 1) for v in (more, heron_vehicle)]
    for car in cars:
        car.step()
    dead = heron_vehicle.injectors.dead_time_at(cars[0].volts)
    with_air, without = (car.command.pulse_width_ms - float(dead) for car in cars)
    assert with_air / without == pytest.approx(1.08, rel=1e-6)
