"""Full pulls by the contract: throttle above 95 % for two seconds, first to last sample, a shift ends it."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.gears import read_gears
from lean_trim.core.pulls.stretches import Stretch, find_stretches

HZ = 25.0


def log_of(parts: list[tuple[float, float, float, float, int]], **more: np.ndarray) -> Log:
    """A log of (seconds, throttle, rpm from, rpm to, gear), with the noise of sensors."""
    rng = np.random.default_rng(2)
    throttle = []
    rpm = []
    gear = []
    for seconds, open_pct, low, high, number in parts:
        count = round(seconds * HZ)
        throttle.append(np.full(count, open_pct) + 0.2 * rng.standard_normal(count))
        rpm.append(np.linspace(low, high, count) + 8.0 * rng.standard_normal(count))
        gear.append(np.full(count, float(number)))
    channels = {
        Role.RPM: np.concatenate(rpm),
        Role.THROTTLE: np.concatenate(throttle),
        Role.GEAR: np.concatenate(gear),
    }
    return Log(np.arange(len(channels[Role.RPM])) / HZ, channels, "x")


def spans(log: Log) -> list[tuple[str, float, float]]:
    found = find_stretches(log, read_gears(log))
    return [(s.kind, log.time_s[s.start], log.time_s[s.stop - 1]) for s in found]


CRUISE = (5.0, 15.0, 2500.0, 2500.0, 3)


def test_a_pull_lasts_from_its_first_to_its_last_sample() -> None:
    log = log_of([CRUISE, (4.0, 99.5, 2500.0, 6000.0, 3), CRUISE])
    assert spans(log) == [("full", 5.0, pytest.approx(8.96))]


@pytest.mark.parametrize(("seconds", "kinds"), [(1.9, []), (2.2, ["full"])])
def test_two_seconds_make_a_full_pull(seconds: float, kinds: list[str]) -> None:
    log = log_of([CRUISE, (seconds, 99.5, 2500.0, 4000.0, 3), CRUISE])
    assert [kind for kind, _, _ in spans(log)] == kinds


def test_a_shift_with_the_throttle_held_open_ends_one_and_begins_the_next() -> None:
    parts = [
        (5.0, 15.0, 2500.0, 2500.0, 2),
        (4.0, 99.0, 2500.0, 6200.0, 2),
        (0.3, 99.0, 6200.0, 4300.0, 2),
        (5.0, 99.0, 4300.0, 6000.0, 3),
        CRUISE,
    ]
    # Gears are told late by the loggers there are.
    for late in (0, 6):
        log = log_of(parts)
        gear = np.roll(log[Role.GEAR], late)
        shifted = Log(log.time_s, {**log.channels, Role.GEAR: gear}, "x")
        (_, a, b), (_, c, d) = spans(shifted)
        assert a == pytest.approx(5.0) and b == pytest.approx(9.0, abs=0.15)
        assert c == pytest.approx(9.3, abs=0.15) and d == pytest.approx(14.26, abs=0.05)
        without = Log(log.time_s, {r: v for r, v in log.channels.items() if r != Role.GEAR}, "x")
        assert len(spans(without)) == 2


def test_a_lift_between_gears_is_cut_out() -> None:
    parts = [
        CRUISE,
        (3.0, 99.0, 3000.0, 6000.0, 2),
        (0.4, 3.0, 6000.0, 4200.0, 3),
        (3.0, 99.0, 4200.0, 5600.0, 3),
    ]
    assert [b - a for _, a, b in spans(log_of(parts))] == pytest.approx([2.96, 2.96], abs=0.09)


def test_flicker_of_the_sensor_is_no_lift_and_a_real_dip_is() -> None:
    log = log_of([CRUISE, (5.0, 97.0, 2500.0, 6000.0, 3)])
    for dip, expected in ((93.0, 1), (80.0, 2)):
        throttle = log[Role.THROTTLE].copy()
        throttle[188:190] = dip
        changed = Log(log.time_s, {**log.channels, Role.THROTTLE: throttle}, "x")
        assert len(spans(changed)) == expected


def test_half_a_throttle_is_partial_and_a_wide_one_beside_a_full_pull_is_not_another() -> None:
    opening = (0.4, 80.0, 2500.0, 2600.0, 3)
    log = log_of(
        [CRUISE, opening, (3.0, 99.0, 2600.0, 5000.0, 3), CRUISE, (4.0, 75.0, 2500.0, 4500.0, 3)]
    )
    assert [kind for kind, _, _ in spans(log)] == ["full", "partial"]


def test_no_pull_goes_over_a_joint_and_none_is_found_standing_still() -> None:
    log = log_of([(4.0, 99.0, 3000.0, 3600.0, 3)])
    joined = Log(log.time_s, log.channels, "x", joints_s=(float(log.time_s[50]),))
    assert [(s.start, s.stop) for s in find_stretches(joined, read_gears(joined))] == []
    still = log_of([(4.0, 99.0, 0.0, 0.0, 0)])
    assert not find_stretches(still, read_gears(still))


def test_without_a_throttle_runs_near_the_highest_pressure_are_partial() -> None:
    log = log_of([CRUISE, (4.0, 99.0, 2500.0, 5000.0, 3), CRUISE])
    pressure = np.where(log[Role.THROTTLE] > 50.0, 180.0, 45.0)
    channels = {Role.RPM: log[Role.RPM], Role.MAP: pressure}
    found = find_stretches(blind := Log(log.time_s, channels, "x"), read_gears(blind))
    assert found == (Stretch("partial", 125, 225),)
