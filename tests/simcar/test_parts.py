"""Parts of the simulated car against what they must do by themselves."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.simcar.truth import Breathing, Truth, truth_for
from tests.builders import maf_vehicle
from tests.simcar.reference.ecu import Ecu, Readings
from tests.simcar.reference.lookup import CurveLookup, GridLookup
from tests.simcar.reference.plant import Exhaust, Plant


def reading(**changes: float) -> Readings:
    values = {
        "time_s": 100.0,
        "rpm": 2500.0,
        "map_kpa": 50.0,
        "throttle_pct": 15.0,
        "intake_c": 25.0,
        "coolant_c": 88.0,
        "volts": 13.8,
        "lam": 1.0,
        "maf_hz": 3000.0,
    }
    return Readings(**(values | changes))


def test_the_two_lookups_of_the_project_agree(heron_vehicle: Vehicle) -> None:
    """The simulator's own interpolation and the computation's were written apart."""
    table = heron_vehicle.table
    ours = GridLookup(
        table.axes[0].points.tolist(), table.axes[1].points.tolist(), table.values.tolist()
    )
    rng = np.random.default_rng(0)
    pressure = rng.uniform(5, 220, 200)
    rpm = rng.uniform(300, 8000, 200)
    np.testing.assert_allclose(
        [ours(p, r) for p, r in zip(pressure, rpm, strict=True)], table.lookup(pressure, rpm)
    )
    assert CurveLookup([1.0, 2.0], [10.0, 20.0])(1.25) == pytest.approx(12.5)


def test_truth_is_smooth_but_no_table_can_hold_it(heron_vehicle: Vehicle) -> None:
    truth = truth_for(heron_vehicle)
    pressure, rpm = np.meshgrid(
        np.linspace(25, 180, 60), np.linspace(900, 6500, 300), indexing="ij"
    )
    surface = truth.ve_surface(rpm, pressure)
    rows, columns = heron_vehicle.table.axes
    mesh = np.meshgrid(rows.points, columns.points, indexing="ij")
    best = heron_vehicle.table.with_values(truth.ve_surface(mesh[1], mesh[0]))
    gap = best.lookup(pressure.ravel(), rpm.ravel()) / surface.ravel() - 1
    assert 0.002 < np.sqrt(np.mean(gap**2)) < 0.015
    assert np.abs(np.diff(surface, axis=1)).max() < 1.0
    assert 40 < surface.min() < surface.max() < 120


def test_exhaust_delays_by_a_cycle_and_the_pipe_volume() -> None:
    """3 L at 30 L/s take 0.1 s, one cycle at 2400 rpm 0.05 s.

    With a tiny sensor constant the step arrives then.
    """
    exhaust = Exhaust(3.0, 1e-4)
    times = np.arange(0.0, 2.0, 0.001)
    seen = [exhaust.step(t, 1.0 if t < 1.0 else 2.0, 2400.0, 30.0, 0.001) for t in times]
    arrival = times[np.argmax(np.array(seen) > 1.5)]
    assert arrival - 1.0 == pytest.approx(0.15, abs=0.005)


def test_wall_film_keeps_the_mass_and_leans_a_step(heron_vehicle: Vehicle) -> None:
    plant = Plant(truth_for(heron_vehicle))
    plant.coolant_c = 88.0
    plant.rpm = 2400.0
    plant.air_g = 0.3
    plant.map_kpa = 60.0
    fuel = 0.3 / 14.1
    for i in range(500):
        plant.burn(fuel, i * 0.01, 0.01)
    share, tau = plant.truth.wall(88.0, 60.0)
    rate = fuel * 2400.0 / 120.0
    assert plant.film_g == pytest.approx(share * tau * rate, rel=0.02)
    cold_share, cold_tau = plant.truth.wall(10.0, 60.0)
    assert cold_share > share
    assert cold_tau > tau


def test_ecu_injects_what_its_table_says(heron_vehicle: Vehicle) -> None:
    command = Ecu(heron_vehicle, last_map=50.0).step(reading(time_s=1.0), 0.01)
    value = float(heron_vehicle.table.lookup([50.0], [2500.0])[0])
    target = float(heron_vehicle.target.lookup([50.0], [2500.0])[0])  # type: ignore[union-attr]
    air = value / 100 * 50.0 / (0.28705 * 298.15) * 0.45
    width = air / (14.1 * target) / 7.6 * 1e3 + float(heron_vehicle.injectors.dead_time_at(13.8))
    assert command.pulse_width_ms == pytest.approx(width, rel=1e-9)
    assert not command.closed_loop


def test_feedback_moves_trims_the_right_way_and_learns(heron_vehicle: Vehicle) -> None:
    ecu = Ecu(heron_vehicle)
    for i in range(300):
        lean = ecu.step(reading(time_s=100.0 + 0.01 * i, lam=1.05), 0.01)
    assert lean.closed_loop
    assert lean.stft_pct > 2.0
    assert lean.ltft_pct > 0.1
    open_loop = ecu.step(reading(time_s=104.0, throttle_pct=95.0, lam=0.8, map_kpa=150.0), 0.01)
    assert not open_loop.closed_loop


def test_fuel_is_cut_on_overrun_and_comes_back(heron_vehicle: Vehicle) -> None:
    ecu = Ecu(heron_vehicle)
    assert ecu.step(reading(throttle_pct=0.0, rpm=3000.0, map_kpa=22.0), 0.01).pulse_width_ms == 0.0
    assert ecu.step(reading(throttle_pct=0.0, rpm=2000.0, map_kpa=22.0), 0.01).fuel_cut
    assert ecu.step(reading(throttle_pct=0.0, rpm=1250.0, map_kpa=30.0), 0.01).pulse_width_ms > 0.0


def test_cold_engines_and_opening_throttles_get_more_fuel(heron_vehicle: Vehicle) -> None:
    warm = Ecu(heron_vehicle).step(reading(time_s=1.0), 0.01).pulse_width_ms
    assert (
        Ecu(heron_vehicle).step(reading(time_s=1.0, coolant_c=10.0), 0.01).pulse_width_ms
        > 1.1 * warm
    )
    ecu = Ecu(heron_vehicle, last_map=50.0)
    steady = ecu.step(reading(time_s=1.0), 0.01).pulse_width_ms
    for i in range(10):
        opening = ecu.step(
            reading(time_s=1.01 + 0.01 * i, map_kpa=52.0 + 2 * i), 0.01
        ).pulse_width_ms
    assert opening > 1.3 * steady


def test_narrowband_feedback_swings(heron_vehicle: Vehicle) -> None:
    from dataclasses import replace

    ecu = Ecu(replace(heron_vehicle, feedback="narrowband"))
    trims = [
        ecu.step(reading(time_s=100 + 0.01 * i, lam=1.02 if (i // 50) % 2 else 0.98), 0.01).stft_pct
        for i in range(400)
    ]
    assert max(trims) - min(trims) > 0.5
    turns = np.count_nonzero(np.diff(np.sign(np.diff(trims))))
    assert 6 <= turns <= 10


def test_a_maf_vehicle_gets_a_sensor_that_fits_its_axis() -> None:
    truth = truth_for(maf_vehicle())
    hz = np.array([1200.0, 3000.0, 7000.0])
    np.testing.assert_allclose([truth.maf_hz(g) for g in truth.maf_g_per_s(hz)], hz)
    assert not truth.turbo


def test_a_surface_is_what_each_of_its_points_is() -> None:
    shape = Breathing(cam_pct=8.0, notch_pct=-6.0)
    truth = Truth(2.0, 4, 14.7, 7000.0, False, breathing=shape, charge_heating=0.1)
    rpm, kpa = np.meshgrid(np.linspace(600.0, 7000.0, 9), np.linspace(20.0, 105.0, 7))
    single = [truth.table_ve_pct(r, k) for r, k in zip(rpm.ravel(), kpa.ravel(), strict=True)]
    np.testing.assert_allclose(truth.ve_surface(rpm, kpa).ravel(), single, rtol=1e-12)


def test_a_cam_step_is_a_step_and_a_notch_is_narrow() -> None:
    plain = Truth(2.0, 4, 14.7, 7000.0, False)
    cam = replace(plain, breathing=Breathing(cam_pct=8.0, cam_x=0.6))
    notch = replace(plain, breathing=Breathing(notch_pct=-6.0, notch_x=0.4, notch_kpa=60.0))
    ratio = [cam.ve_pct(rpm, 90.0) / plain.ve_pct(rpm, 90.0) for rpm in (3900.0, 4200.0, 4500.0)]
    assert ratio == pytest.approx([1.0, 1.04, 1.08], abs=0.002)
    near = [notch.ve_pct(2800.0, kpa) / plain.ve_pct(2800.0, kpa) for kpa in (60.0, 80.0)]
    assert near == pytest.approx([0.94, 1.0], abs=0.002)
