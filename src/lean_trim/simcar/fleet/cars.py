"""A random car by its seed: engine, sheet, table, how it is driven and how it is logged."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from lean_trim.core.data.tables import Axis, Table, maf_curve, ve_table
from lean_trim.core.data.vehicle import Airflow, Feedback, Injectors, TableLimits, Vehicle
from lean_trim.simcar.faults import Faults
from lean_trim.simcar.fleet.dress import Dress
from lean_trim.simcar.fleet.grids import KINDS, axes_for, best_table, between_points, wrong_by
from lean_trim.simcar.fleet.wider import Plain, widened, with_bad_cells
from lean_trim.simcar.truth import Breathing, Truth

FULL_TARGET = 0.88
BOOST_TARGET = 0.80
DUTY_AT_TOP = 0.75
"""Share of the cycle the injectors are open at the largest airflow."""
VOLTS = np.array([8.0, 10.0, 12.0, 14.0, 16.0])
DEAD_MS = np.array([1.9, 1.35, 1.0, 0.78, 0.62])


@dataclass(frozen=True, eq=False)
class FleetCar:
    """One car: what its owner knows (``vehicle``), what is true, and how it is driven and logged.

    ``best`` is the table that would be right, in the shape of the vehicle's own.
    """

    seed: int
    vehicle: Vehicle
    truth: Truth
    faults: Faults
    dress: Dress
    minutes: float
    best: np.ndarray
    what: tuple[str, ...] = field(default=())


def random_car(seed: int) -> FleetCar:
    """The car of a seed; the same seed always gives the same car."""
    rng = np.random.default_rng([seed, 2026])
    boost = float(rng.choice([0.0, 0.0, 0.0, 40.0, 80.0, 120.0]))
    airflow: Airflow = "maf" if boost == 0.0 and rng.random() < 0.2 else "ve"
    feedback: Feedback = rng.choice(np.array(["wideband", "wideband", "narrowband", "none"])).item()
    truth, what = _truth(rng, boost)
    faults, told = _faults(rng, what)
    dress, words = _dress(rng, feedback)
    kind = KINDS[int(rng.integers(len(KINDS)))]
    plain = widened(seed, Plain(truth, faults, dress, (*words, *what)))
    truth, faults, dress = plain.truth, plain.faults, plain.dress
    top_kpa = 110.0 if boost == 0.0 else round(100.0 + boost * 1.25, -1)
    sheet = _sheet(rng, seed, truth, airflow, feedback)
    sheet = replace(sheet, sensor_place="tailpipe" if told else "downpipe")
    if airflow == "maf":
        vehicle, best = _with_curve(rng, sheet, truth)
        truth = replace(truth, maf_low_hz=float(vehicle.table.axes[0].points[0]))
    else:
        vehicle, best = _with_grid(
            sheet, truth, *axes_for(rng, kind, truth.redline_rpm, top_kpa), rng
        )
        plain = replace(plain, what=(kind.name, *plain.what))
    vehicle = vehicle.with_table(
        vehicle.table.with_values(with_bad_cells(seed, vehicle.table.values))
    )
    minutes = float(rng.integers(7, 16))
    faults = replace(faults, fuel_drift_s=60.0 * minutes)
    if faults.pump_sag_pct:
        plain = replace(plain, what=(*plain.what, "sag"))
    return FleetCar(seed, vehicle, truth, faults, dress, minutes, best, plain.what)


def _truth(rng: np.random.Generator, boost: float) -> tuple[Truth, tuple[str, ...]]:
    litres = round(float(rng.uniform(1.0, 4.5)), 1)
    cylinders = int(rng.choice([3, 4, 4, 5, 6] if litres < 2.6 else [4, 5, 6, 8]))
    ambient = float(rng.uniform(-5.0, 32.0))
    start = float(rng.choice([0.0, 1.0, 2.0], p=[0.45, 0.4, 0.15]))
    cold = start == 0.0
    hot = start == 2.0
    tailpipe = rng.random() < 0.25
    truth = Truth(
        displacement_l=litres,
        cylinders=cylinders,
        stoich_afr=float(rng.choice([14.7, 14.1, 9.8])),
        redline_rpm=float(rng.choice([6000.0, 6500.0, 7000.0, 7500.0])),
        turbo=boost > 0.0,
        breathing=_breathing(rng),
        baro_kpa=round(float(rng.uniform(80.0, 102.0)), 1),
        ambient_c=ambient,
        start_coolant_c=ambient + 2.0 if cold else float(rng.uniform(80.0, 90.0)),
        wall_x=float(rng.uniform(0.05, 0.35)),
        wall_tau_s=float(rng.uniform(0.25, 0.7)),
        exhaust_volume_l=litres * float(rng.uniform(0.3, 1.2)) * (3.5 if tailpipe else 1.0),
        sensor_tau_s=float(rng.uniform(0.05, 0.16)),
        max_boost_kpa=boost,
        mass_kg=float(rng.uniform(1050.0, 1500.0)) * max(1.0, litres / 2.0),
        charge_heating=float(rng.uniform(0.0, 0.12)),
        soak_k=float(rng.uniform(15.0, 35.0)) if hot else 0.0,
        soak_s=float(rng.uniform(100.0, 200.0)),
        cold_unburnt_per_k=float(rng.uniform(0.0005, 0.0015))
        if cold and rng.random() < 0.6
        else 0.0,
        map_lag_s=float(rng.choice([0.0, 0.01, 0.03])),
        loop_bias=float(rng.uniform(-0.008, 0.008)),
    )
    words = [
        word
        for on, word in (
            (cold, "cold start"),
            (truth.cold_unburnt_per_k > 0.0, "cold fuel partly unburnt"),
            (hot, "hot restart"),
            (tailpipe, "tailpipe"),
        )
        if on
    ]
    return truth, tuple(words)


def _breathing(rng: np.random.Generator) -> Breathing:
    return Breathing(
        peak_pct=float(rng.uniform(78.0, 100.0)),
        best_x=float(rng.uniform(0.45, 0.7)),
        fall=float(rng.uniform(0.35, 0.8)),
        low_end=float(rng.uniform(0.1, 0.3)),
        floor=float(rng.uniform(0.5, 0.7)),
        rise=float(rng.uniform(0.3, 0.48)),
        tuned=float(rng.uniform(0.01, 0.07)),
        tuned_x=float(rng.uniform(0.35, 0.7)),
        tuned_width=float(rng.uniform(0.07, 0.13)),
        ripple_pct=float(rng.uniform(0.0, 1.2)),
        ripple_rpm=float(rng.uniform(900.0, 2200.0)),
    )


def _faults(rng: np.random.Generator, what: tuple[str, ...]) -> tuple[Faults, bool]:
    """Faults of the car, and whether its sheet says that the sensor sits at the tailpipe."""
    sag = float(rng.uniform(12.0, 35.0)) if rng.random() < 0.15 else 0.0
    tail = float(rng.uniform(4.0, 10.0)) if "tailpipe" in what and rng.random() < 0.5 else 0.0
    return Faults(pump_sag_pct=sag, tail_air_pct=tail), tail > 0.0


def _dress(rng: np.random.Generator, feedback: Feedback) -> tuple[Dress, tuple[str, ...]]:
    dress = Dress(
        log_hz=float(rng.choice([10.0, 20.0, 25.0, 50.0])),
        holes=float(rng.choice([0.0, 0.0, 0.001, 0.005])),
        impossible=float(rng.choice([0.0, 0.0, 0.0, 0.002])),
        without_width=bool(rng.random() < 0.12),
        without_lambda=feedback == "narrowband" and bool(rng.random() < 0.35),
    )
    words = (
        f"{dress.log_hz:g} Hz",
        "holes" if dress.holes else "",
        "impossible readings" if dress.impossible else "",
        "no pulse width" if dress.without_width else "",
        "no wideband" if dress.without_lambda else "",
    )
    return dress, tuple(w for w in words if w)


def _sheet(
    rng: np.random.Generator, seed: int, truth: Truth, airflow: Airflow, feedback: Feedback
) -> Vehicle:
    """The sheet but for its airflow table."""
    fuel = truth.max_flow_g_per_s() / (
        truth.stoich_afr * (BOOST_TARGET if truth.turbo else FULL_TARGET)
    )
    flow = round(fuel / truth.cylinders / DUTY_AT_TOP * float(rng.uniform(0.9, 1.5)), 2)
    blank = ve_table(np.array([500.0, 7000.0]), np.array([20.0, 110.0]), np.full((2, 2), 50.0))
    return Vehicle(
        f"car {seed}",
        truth.displacement_l,
        truth.cylinders,
        truth.stoich_afr,
        airflow,
        feedback,
        Injectors(flow, 300.0, VOLTS, DEAD_MS),
        blank,
        None,
        TableLimits(0.1, 2.0, 200.0) if airflow == "ve" else TableLimits(0.01, 0.0, 655.35),
        3.0,
        truth.redline_rpm,
    )


def _with_grid(
    sheet: Vehicle,
    truth: Truth,
    map_axis: np.ndarray,
    rpm_axis: np.ndarray,
    rng: np.random.Generator,
) -> tuple[Vehicle, np.ndarray]:
    rpm, kpa = (m.ravel() for m in np.meshgrid(between_points(rpm_axis), between_points(map_axis)))
    best = best_table(map_axis, rpm_axis, truth.ve_surface(rpm, kpa), kpa, rpm)
    values = np.round(best * (1.0 + wrong_by(rng, map_axis, rpm_axis)), 1)
    vehicle = sheet.with_table(ve_table(rpm_axis, map_axis, values))
    return replace(vehicle, target=_target(truth, map_axis, rpm_axis)), best


def _with_curve(
    rng: np.random.Generator, sheet: Vehicle, truth: Truth
) -> tuple[Vehicle, np.ndarray]:
    low = float(rng.uniform(1200.0, 1800.0))
    truth = replace(truth, maf_low_hz=low)
    top = truth.maf_hz(1.15 * truth.max_flow_g_per_s())
    hertz = np.round(np.linspace(low, top, int(rng.integers(16, 40))))
    best = truth.maf_g_per_s(hertz)
    bent = float(rng.normal(0.0, 0.05)) + float(rng.normal(0.0, 0.05)) * np.sin(
        float(rng.uniform(2.0, 5.0)) * (hertz - low) / (top - low)
    )
    curve = maf_curve(hertz, np.round(best * (1.0 + bent), 2))
    target = _target(truth, np.array([20.0, 60.0, 76.0, 92.0, 110.0]), np.array([500.0, 7500.0]))
    return replace(sheet.with_table(curve), target=target), best


def _target(truth: Truth, map_axis: np.ndarray, rpm_axis: np.ndarray) -> Table:
    share = map_axis / truth.baro_kpa
    by_map = np.interp(
        share, [0.77, 0.95, 1.0, 1.5], [1.0, FULL_TARGET + 0.04, FULL_TARGET, BOOST_TARGET]
    )
    axes = (Axis("MAP", "kPa", map_axis), Axis("engine speed", "rpm", rpm_axis))
    values = np.repeat(np.asarray(by_map, np.float64)[:, None], len(rpm_axis), axis=1)
    return Table(axes, values.round(3), "λ", "target lambda")
