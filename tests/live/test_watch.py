"""Dangers of the simulated car are told, by the sample that completes their rule; a sound one has none."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.planning.full_throttle import ABORT_HELD_S
from lean_trim.core.planning.plan import Held
from lean_trim.live.roles import RoleSample, straight_line
from lean_trim.live.ticks import ENOUGH, Ticks
from lean_trim.live.watch.rules import FRESH_LEAN_S, GAS_S
from lean_trim.live.watch.watch import SILENT_S, Danger, Watch
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import faults_of
from lean_trim.simcar.truth import truth_for


@pytest.fixture(scope="module")
def right(heron_vehicle: Vehicle) -> Vehicle:
    """Heron on a table that needs no correction."""
    axes = [a.points for a in heron_vehicle.table.axes]
    at = tuple(p.ravel() for p in np.meshgrid(*axes, indexing="ij"))
    true = truth_for(heron_vehicle).airflow_value(heron_vehicle, at)
    table = heron_vehicle.table
    return heron_vehicle.with_table(table.with_values(true.reshape(table.shape)))


def samples(log: Log) -> Iterator[RoleSample]:
    rows = np.array(list(log.channels.values())).T.tolist()
    for time_s, row in zip(log.time_s.tolist(), rows, strict=True):
        for role, value in zip(log.channels, row, strict=True):
            yield RoleSample(role, time_s, value)


def dangers(vehicle: Vehicle, fault: str) -> list[Danger]:
    drive = simulate(vehicle, 3, 7.0, faults=faults_of(fault) if fault else None)
    return Watch(vehicle).take(samples(drive))


def test_a_sound_car_has_no_danger(right: Vehicle) -> None:
    assert dangers(right, "") == []


@pytest.mark.parametrize(
    ("fault", "rule"),
    [
        ("pump", "pressure"),
        ("pump", "fuel_ends"),
        ("knock", "knock"),
        ("sensor-stuck", "lost"),
        ("sensor-drops", "lost"),
        ("injector-flow", "lean"),
    ],
)
def test_a_fault_is_told_while_it_is_driven(right: Vehicle, fault: str, rule: str) -> None:
    assert rule in {d.rule for d in dangers(right, fault)}


def loaded(lam: float, seconds: float, rpm: float = 3000.0, **roles: float) -> list[RoleSample]:
    """Load from a standing start at 0 s, 50 samples a second."""
    out = []
    for i in range(round(50 * seconds)):
        t = i / 50.0
        held = {"map_kpa": 98.0, "rpm": rpm, "baro_kpa": 100.0, "lambda_target": 0.88, **roles}
        out += [RoleSample(Role(k), t, v) for k, v in held.items()]
        out.append(RoleSample(Role.LAMBDA, t, lam + 0.0001 * (i % 3)))
    return out


def test_lean_at_load_is_told_once_and_as_soon_as_it_has_lasted(heron_vehicle: Vehicle) -> None:
    watch = Watch(heron_vehicle)
    found = watch.take(loaded(1.0, 4.0))
    assert [d.rule for d in found] == ["lean"]
    # The gas has to be of this load, and a tip-in's film must be over.
    gas_s = GAS_S + 600.0 / 3000.0
    assert found[0].time_s == pytest.approx(gas_s + FRESH_LEAN_S, abs=0.05)
    assert found[0].time_s - found[0].from_s >= ABORT_HELD_S


@pytest.mark.parametrize("lam", [0.80, 0.88, 0.92])
def test_rich_and_right_are_no_danger(heron_vehicle: Vehicle, lam: float) -> None:
    assert Watch(heron_vehicle).take(loaded(lam, 4.0)) == []


def test_without_load_lean_is_none(heron_vehicle: Vehicle) -> None:
    assert Watch(heron_vehicle).take(loaded(1.2, 4.0, map_kpa=40.0)) == []


def test_duty_and_pulse_width(heron_vehicle: Vehicle) -> None:
    found = Watch(heron_vehicle).take(loaded(0.88, 2.0, rpm=6500.0, pulse_width_ms=18.2))
    assert [d.rule for d in found] == ["duty"]


def test_a_watch_says_why_it_is_off(heron_vehicle: Vehicle) -> None:
    watch = Watch(heron_vehicle)
    watch.take(loaded(0.88, 1.0))
    off = {s.rule: str(s.off) for s in watch.states(1.0) if s.off is not None}
    assert "lean" not in off and "not logged" in off["pressure"] and "not logged" in off["knock"]
    silent = {s.rule: str(s.off) for s in watch.states(1.0 + SILENT_S + 0.5) if s.off is not None}
    assert "silent" in silent["lean"]
    unproven = Watch(heron_vehicle)
    told = [
        RoleSample(s.role, s.time_s, s.value, s.role is not Role.LAMBDA) for s in loaded(1.1, 3.0)
    ]
    # What is not proven warns of nothing, and says so.
    assert unproven.take(told) == []
    assert "not proven" in {s.rule: str(s.off) for s in unproven.states(3.0)}["lean"]


def test_a_straight_line_is_found_and_nothing_else_taken_for_one() -> None:
    x = np.linspace(10.0, 20.0, 50)
    assert straight_line(x, 1.8 * x + 32.0) == pytest.approx((1.8, 32.0))
    assert straight_line(x, x**2) is None
    assert straight_line(np.full(30, 5.0), np.full(30, 5.0)) == (1.0, 0.0)
    assert straight_line(np.full(30, 5.0), np.full(30, 50.0)) is None


def held(rpm: float, kpa: float) -> Held:
    return Held(rpm, kpa, 3, 60.0, 0.0, 5.0, 0, 3.0, 1.0)


def test_states_are_ticked_when_held_for_long_enough() -> None:
    ticks = Ticks([held(2000.0, 50.0), held(3000.0, 80.0)])
    assert not any(ticks.take(i / 10, 2600.0, 50.0) for i in range(100))
    done = [i for i in range(100, 200) if ticks.take(i / 10, 2010.0, 51.0)]
    # 5 s less a fifth, from the second reading on.
    assert done[0] == pytest.approx(100 + 10 * 5.0 * ENOUGH + 1, abs=1)
    assert ticks.next.place == 1 and ticks.next.held_s == 0.0
    ticks.skip()
    assert ticks.next.state is None and ticks.next.share == 1.0
