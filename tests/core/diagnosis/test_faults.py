"""Faults of loop, sensor and supply: found when planted, quiet on a healthy drive, causes before symptoms."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.cautions import NAMES, fault_caution
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.registry import FAULTS
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.pulls import find_pulls
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import Faults
from tests.builders import small_vehicle, steady_states, with_channel, without

STEADY = slice(2000, 4000)


def found_in(log: Log, vehicle: Vehicle | None = None) -> dict[str, Finding]:
    return {f.id: f for f in find_pulls([log], vehicle or small_vehicle()).findings}


def planted(role: Role, values: np.ndarray | float, log: Log | None = None) -> Log:
    base = log or steady_states(noise=0.002)
    channel = base.get(role).copy() if role in base else np.zeros(len(base))
    channel[STEADY] = values
    return with_channel(base, role, channel)


def test_a_healthy_drive_is_quiet(heron_log: Log, heron_vehicle: Vehicle) -> None:
    new = {
        "trim_at_limit",
        "feedback_swings",
        "lambda_at_its_end",
        "log_too_slow",
        "injectors_full_open",
    }
    assert not new & set(found_in(heron_log, heron_vehicle))
    assert not new & set(found_in(steady_states(noise=0.002)))


@pytest.mark.parametrize(
    ("trim", "lam", "told"), [(20.0, 1.05, True), (20.0, 1.0, False), (2.0, 1.05, False)]
)
def test_feedback_at_its_limit_is_told_where_the_mixture_is_still_off(
    trim: float, lam: float, told: bool
) -> None:
    # A reading that scatters, for one that stands still is a fault of its own.
    scatter = np.random.default_rng(1).normal(0.0, 0.002, STEADY.stop - STEADY.start)
    log = planted(Role.LAMBDA, lam + scatter, planted(Role.STFT, trim))
    found = found_in(log)
    assert ("trim_at_limit" in found) == told
    if told:
        assert "+20 % short trim" in found["trim_at_limit"].message
        assert found["trim_at_limit"].first_time_s == pytest.approx(80.0, abs=1.0)


@pytest.mark.parametrize(
    ("half_pct", "period_s", "told"), [(7.0, 1.5, True), (2.0, 1.5, False), (7.0, 20.0, False)]
)
def test_a_loop_that_swings_is_told_with_size_and_period(
    half_pct: float, period_s: float, told: bool
) -> None:
    time = steady_states().time_s[STEADY]
    found = found_in(planted(Role.STFT, half_pct * np.sin(2.0 * np.pi * time / period_s)))
    assert ("feedback_swings" in found) == told
    if told:
        said = found["feedback_swings"].message
        assert "14 % from peak to peak" in said and "every 1.5 s" in said


def test_a_narrowband_loop_swings_by_its_nature() -> None:
    time = steady_states().time_s[STEADY]
    log = planted(Role.STFT, 7.0 * np.sin(2.0 * np.pi * time / 1.5))
    assert "feedback_swings" not in found_in(log, small_vehicle(feedback="narrowband"))


def test_a_sensor_at_its_end_at_full_throttle_is_dangerous() -> None:
    log = planted(Role.LAMBDA, 0.7, planted(Role.THROTTLE, 99.0, planted(Role.TARGET, 0.85)))
    found = found_in(log)
    assert (
        found["lambda_at_its_end"].severity == "danger"
        and "(0.70)" in found["lambda_at_its_end"].message
    )


def test_a_log_too_slow_for_the_delay_says_so(heron_log: Log, heron_vehicle: Vehicle) -> None:
    for every, told in ((10, True), (2, False)):
        slow = Log(
            heron_log.time_s[::every],
            {role: values[::every] for role, values in heron_log.channels.items()},
            "slow",
        )
        assert ("log_too_slow" in found_in(slow, heron_vehicle)) == told


def test_injectors_that_never_close_are_dangerous() -> None:
    found = found_in(planted(Role.DUTY, 99.0))
    assert (
        found["injectors_full_open"].severity == "danger"
        and "99 % duty" in found["injectors_full_open"].message
    )


def rich_heron(vehicle: Vehicle) -> Vehicle:
    """Its table right at load, so that what is lean there is no table."""
    from lean_trim.simcar.truth import truth_for

    mesh = np.meshgrid(*(a.points for a in vehicle.table.axes), indexing="ij")
    return vehicle.with_table(
        vehicle.table.with_values(truth_for(vehicle).ve_surface(mesh[1], mesh[0]))
    )


@pytest.mark.slow
def test_a_sagging_pump_is_told_and_not_what_follows_from_it(heron_vehicle: Vehicle) -> None:
    vehicle = rich_heron(heron_vehicle)
    drive = simulate(vehicle, 3, 6.0, faults=Faults(pump_sag_pct=30.0), name="sag")
    found = found_in(drive, vehicle)
    assert "lean_full_throttle" not in found
    first = next(iter(found.values()))
    assert first.id == "fuel_pressure" and "It explains" in first.message
    # Without the pressure in the log it is told by what lambda shows, as a danger all the same.
    blind = replace(drive, channels={r: v for r, v in drive.channels.items() if r != Role.FUEL_DP})
    first = next(iter(found_in(blind, vehicle).values()))
    assert first.id in ("unseen_sag", "fuel_delivery_ends") and first.severity == "danger"


def test_a_little_sag_does_not_explain_a_lot_of_lean() -> None:
    log = planted(Role.TARGET, 0.85, planted(Role.THROTTLE, 99.0))
    lean = planted(Role.LAMBDA, 1.05, log)
    sagging = planted(Role.FUEL_DP, 275.0, with_channel(lean, Role.FUEL_DP, 300.0))
    found = found_in(sagging)
    assert "fuel_pressure" in found and "lean_full_throttle" in found


@pytest.mark.parametrize(
    ("sags", "first"), [(False, ["regulator"]), (True, ["regulator", "fuel_pressure"])]
)
def test_a_regulator_stands_for_the_low_pressure_it_makes(sags: bool, first: list[str]) -> None:
    base = steady_states(noise=0.002)
    # A rail that hardly follows: with the manifold at its fullest the injectors stand under too
    # little.
    pressure = 300.0 - 0.7 * (base[Role.MAP] - 40.0)
    flow = make_frame(base, small_vehicle()).flow_g_per_s
    pressure -= 60.0 * (flow > np.percentile(flow, 90.0)) if sags else 0.0
    found = found_in(with_channel(base, Role.FUEL_DP, pressure))
    assert [i for i in found if i in ("regulator", "fuel_pressure")] == first
    if not sags:
        assert "It explains" in found["regulator"].message


def test_what_was_taken_of_a_rail_held_against_the_atmosphere_is_said() -> None:
    car = small_vehicle()
    held = replace(car, injectors=replace(car.injectors, pressure_reference="atmosphere"))
    log = steady_states(noise=0.002)
    told = found_in(log, held)["pressure_reference"]
    assert told.severity == "note" and "does not make up for that" in told.message
    assert "compensated" in str(told.next_step)
    assert "pressure_reference" not in found_in(log)
    blind = without(without(log, Role.FUEL_DP), Role.PULSE_WIDTH)
    assert "pressure_reference" not in found_in(blind, held)


def test_every_danger_has_a_name_above_accept() -> None:
    """One job's caution left out that full throttle was lean for 26.4 s, which stood on the Findings page."""
    dangers = [fault.id for fault in FAULTS if fault.severity == "danger"]
    assert len(dangers) >= 7
    found = [
        Finding(name, "danger", 3.0, 26.4, Message(f"test.{name}", "Seen.")()) for name in dangers
    ]
    said = fault_caution(found)[0].text
    for name in dangers:
        assert name in NAMES, name
        assert str(NAMES[name]()) in said
    assert "lean at full throttle for 26.4 s" in said
    assert (
        fault_caution([Finding("note", "note", 0.0, 1.0, Message("test.note", "A note.")())]) == []
    )
