"""The compiled stepper against the readable car it stands for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import cache
from itertools import cycle

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline.solve import solve
from lean_trim.simcar import stepper
from lean_trim.simcar.cars import truth_of
from lean_trim.simcar.drive import CHANNELS, COLUMNS, SimCar, simulate
from lean_trim.simcar.dunlin import dunlin
from lean_trim.simcar.faults import KINDS, Faults, faults_of
from lean_trim.simcar.godwit import godwit, godwit_truth
from lean_trim.simcar.heron import heron, heron_with_corrections
from lean_trim.simcar.plan import Leg
from lean_trim.simcar.plover import plover
from lean_trim.simcar.state import LEAVING, PIPE, STATE, STEP_S, UNKNOWN, Kind
from lean_trim.simcar.tern import tern
from lean_trim.simcar.truth import Breathing, Truth, truth_for
from tests.simcar.reference.car import SimCar as ReferenceCar

TOLERANCE = 1e-12
"""Largest difference after one step from the same state, relative to the value or to 1."""
DRIVER = {"shift_until": "shift_until", "foot": "pedal", "integral": "integral", "wander": "wander"}
PLANT = (
    "turn",
    *(
        "rpm",
        "map_kpa",
        "boost_kpa",
        "coolant_c",
        "intake_c",
        "speed_kmh",
        "film_g",
        "throttle_pct",
    ),
    *("air_g", "flow_g_per_s", "more_air", "hot_air_k", "idle_valve"),
)
TABLES = {"rate": "rate", "added_pct": "added_pct", "after_pct": "after_pct", "ecu_film": "film"}
PARTS = ("dropped_until", "misfires_until", "lagging", "held")
COMMAND = {
    "width_ms": "pulse_width_ms",
    "target": "target",
    "stft_pct": "stft_pct",
    "closed_loop": "closed_loop",
    "cutting": "fuel_cut",
    "airflow_g_per_s": "airflow_g_per_s",
}


def state_of(car: ReferenceCar) -> dict[str, float]:
    """The readable car's state by the stepper's names, but for the exhaust, the leg and the controls."""
    driver = car.driver
    plant = car.plant
    ecu = car.ecu
    parts = car.parts
    out = {name: getattr(driver, own) for name, own in DRIVER.items()}
    out |= {"began": driver.began, "arrived": driver.arrived, "gear": driver.gear}
    out |= {name: getattr(plant, name) for name in PLANT}
    exhaust = plant.exhaust
    out |= {name: getattr(exhaust, name) for name in ("pushed_l", "at_sensor", "reading")}
    out |= {"now_kpa": plant.baro_kpa, "map_read": car.map_read, "volts": car.volts, "lam": car.lam}
    out |= {"time_s": car.time_s, "stft_pct": ecu.stft, "cutting": ecu.cutting, "accel": ecu.accel}
    out |= {"last_map": ecu.last_map, "refuelled_at": ecu.refuelled_at}
    out |= {"source_maf": ecu.source_maf, "slow_map": ecu.slow_map}
    if ecu.tables is not None:
        tables = ecu.tables
        out |= {name: getattr(tables, own) for name, own in TABLES.items()}
        out |= {"last_value": tables.last or 0.0, "has_last": tables.last is not None}
        out |= {"cut_since": UNKNOWN if tables.cut_since is None else tables.cut_since}
    out |= {name: getattr(parts, name) for name in PARTS}
    return {name: float(value) for name, value in out.items()}


def told_of(car: ReferenceCar) -> dict[str, float]:
    """What the readable car commanded and did in its last step."""
    out = {name: float(getattr(car.command, own)) for name, own in COMMAND.items()}
    controls = car.controls
    out |= {
        "pedal_pct": controls.pedal_pct,
        "clutch": float(controls.clutch),
        "brake": controls.brake,
    }
    return out | {"hold_rpm": controls.hold_rpm, "misfires": float(car.misfires)}


def put_leg(state: np.ndarray, leg: Leg) -> None:
    for name in ("kind", "seconds", "gear", "value", "load_kpa", "load_end_kpa"):
        state[f"leg_{name}"] = getattr(leg, name)


def put_rings(compiled: SimCar, car: ReferenceCar) -> None:
    for ring, size, parcels in (
        ("leaving", LEAVING, car.plant.exhaust.leaving),
        ("pipe", PIPE, car.plant.exhaust.pipe),
    ):
        assert len(parcels) < size
        compiled.state[f"{ring}_from"] = 0.0
        compiled.state[f"{ring}_to"] = float(len(parcels))
        if parcels:
            getattr(compiled, ring)[: len(parcels)] = np.array(parcels)


def differing(names: Sequence[str], got: np.ndarray, expected: np.ndarray) -> list[str]:
    """Names of numbers that are further apart than the tolerance."""
    same = np.abs(got - expected) <= TOLERANCE * np.maximum(1.0, np.abs(expected))
    return [f"{names[i]}: {got[i]} for {expected[i]}" for i in np.flatnonzero(~same)]


def put_state(compiled: SimCar, car: ReferenceCar) -> None:
    """Stand as the readable car does."""
    values = state_of(car)
    compiled.state.view(np.float64)[places_of(tuple(values))] = list(values.values())
    compiled.ltft[:] = car.ecu.ltft
    put_rings(compiled, car)


@cache
def places_of(names: tuple[str, ...]) -> np.ndarray:
    """Where the stepper keeps its numbers; all of them are floats."""
    assert {STATE[name] for name in names} == {np.dtype(np.float64)}
    return np.array([STATE.names.index(name) for name in names])  # type: ignore[union-attr]


def stepped_apart(compiled: SimCar, car: ReferenceCar) -> list[str]:
    """One step of both from the readable car's state; what came of it where it is not the same."""
    state = compiled.state
    put_state(compiled, car)
    before = car.driver.leg
    random = [g.bit_generator.state for g in (car.rng, car.parts.rng)]
    car.step()
    if car.driver.leg is not before:
        # The plan is Python's in both; the stepper is given the leg as the driver took it.
        return []
    put_leg(state, before)
    for generator, kept in zip((compiled.rng, compiled.fault_rng), random, strict=True):
        generator.bit_generator.state = kept
    stepper.step(
        *(state[0], compiled.car[0], compiled.book, compiled.ltft, compiled.leaving, compiled.pipe),
        *(compiled.rng, compiled.fault_rng),
    )
    state["time_s"] += STEP_S
    expected = state_of(car) | told_of(car)
    names = tuple(expected)
    got = state.view(np.float64)[places_of(names)]
    trims = np.array(car.ecu.ltft)
    return [
        *differing(names, got, np.array(list(expected.values()))),
        *differing(["ltft"] * len(trims), compiled.ltft, trims),
        *differing_channels(compiled, car),
    ]


def differing_channels(compiled: SimCar, car: ReferenceCar) -> list[str]:
    """Channels of a sample in which the two differ."""
    out = np.empty(1 + len(COLUMNS))
    stepper.sample(compiled.state[0], compiled.car[0], compiled.ltft, out)
    expected = car.sample()
    at = [place for place, role in enumerate(COLUMNS) if role in expected]
    roles = [COLUMNS[place] for place in at]
    return differing(roles, out[1:][at], np.array([expected[role] for role in roles]))


CARS: dict[str, tuple[Vehicle, Truth | None, Faults]] = {
    "heron with every table": (heron_with_corrections(), None, Faults()),
    "tern": (tern(), None, Faults()),
    "plover": (plover(), truth_of("plover", plover()), Faults()),
    "odd engine": (
        heron(),
        replace(
            truth_for(heron()),
            charge_heating=0.3,
            soak_k=12.0,
            cold_unburnt_per_k=0.002,
            wall_rpm=0.1,
            map_lag_s=0.03,
            breathing=Breathing(cam_pct=8.0, notch_pct=-6.0),
        ),
        Faults(fuel_drift_pct=6.0, fuel_drift_s=90.0),
    ),
    **{
        f"heron, {names}": (heron(), None, faults_of(names))
        for names in (",".join(list(KINDS)[at::4]) for at in range(4))
    },
    "dunlin, which changes over": (dunlin(), None, Faults()),
    "godwit, whose cam turns": (godwit(), godwit_truth(godwit()), Faults()),
    "tern, leaks": (tern(), None, faults_of("intake-leak,airflow-sensor:0.5,exhaust-leak")),
}
LEGS = (
    Leg(Kind.CRUISE, 4.0, 3, 45.0),
    Leg(Kind.HOLD, 3.0, 4, 2300.0, 30.0, 90.0),
    Leg(Kind.PULL, 6.0, 3, 6000.0),
    Leg(Kind.COAST, 4.0, 4, 45.0),
    Leg(Kind.IDLE, 3.0),
    Leg(Kind.BLIP, 3.0),
)
"""Everything a driver does, quickly."""
STEPS = 2400
COMPARED_EVERY = 3
"""The readable car takes every step; what both make of one state is compared at every third."""
ROWS_A_PIECE = 250


@pytest.mark.slow
@pytest.mark.parametrize("name", CARS)
def test_a_step_from_the_same_state_gives_the_same_state(name: str) -> None:
    vehicle, truth, faults = CARS[name]
    car = ReferenceCar(vehicle, 5, truth, faults)
    compiled = SimCar(vehicle, 5, truth, faults)
    car.driver.legs = cycle(LEGS)
    car.driver.leg = Leg(Kind.IDLE, 1.0)
    # Nearly warm, and past the seconds in which no ECU closes its loop.
    car.plant.coolant_c = 68.0
    car.time_s = 24.0
    car.driver.began = 24.0
    for at in range(STEPS):
        # On to where batteries drop, sensors stick and air gets hot.
        if at == STEPS // 2:
            car.time_s += 90.0
        if at % COMPARED_EVERY:
            car.step()
        else:
            found = stepped_apart(compiled, car)
            assert found == [], (at, found)


def test_every_number_of_the_state_is_compared() -> None:
    """A field nobody compares could say anything."""
    car = ReferenceCar(heron_with_corrections(), 1)
    compared = set(state_of(car)) | set(told_of(car))
    left = set(STATE.names or ()) - compared
    rings = {"leaving_from", "leaving_to", "pipe_from", "pipe_to"}
    leg = {"leg_kind", "leg_seconds", "leg_gear", "leg_value", "leg_load_kpa", "leg_load_end_kpa"}
    # The block is what the long-term trims are compared by.
    assert left == rings | leg | {"leg_is_new", "block"}


@pytest.mark.slow
def test_whole_drives_agree_in_where_they_went_and_what_they_say(heron_vehicle: Vehicle) -> None:
    """One last bit flips a controller's switch, so not row by row."""
    minutes = 3.0
    every = 4
    car = ReferenceCar(heron_vehicle, 3)
    rows = []
    while car.time_s < 60.0 * minutes - 1e-9:
        for _ in range(every):
            car.step()
        rows.append(car.sample())
        if len(rows) % ROWS_A_PIECE == 0:
            # Noise and driver share one stream.
            for _ in [noise for _, noise, _ in CHANNELS if noise]:
                car.rng.standard_normal(ROWS_A_PIECE)
    log = simulate(heron_vehicle, 3, minutes)
    assert len(log) == len(rows)
    apart = []
    for edges, role in (((0, 1500, 3000, 9000), Role.RPM), ((0, 45, 70, 95, 300), Role.MAP)):
        shares = [
            np.histogram(values, edges)[0] / len(rows)
            for values in (log[role], [r[role] for r in rows])
        ]
        apart.append(np.abs(shares[0] - shares[1]).max())
    assert max(apart) < 0.002
    seen = np.array([r[Role.STFT] + r[Role.LTFT] for r in rows])
    assert np.mean(log[Role.STFT] + log[Role.LTFT]) == pytest.approx(seen.mean(), abs=0.02)
    assert solve([log], heron_vehicle).residual.rms > 3.0
