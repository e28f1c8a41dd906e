"""Channels that hold something else than they are taken for; ``./campaign lies`` tries three cars."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from campaigns.lies import LIES
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.proof.behaviour import clock_doubt, prove_idle, prove_trims
from lean_trim.core.proof.proofs import prove
from lean_trim.simcar.fleet.cars import random_car
from lean_trim.simcar.fleet.second_drive import first_drive


def against(log: Log, vehicle: Vehicle) -> set[Role]:
    return {p.role for p in prove(log, vehicle) if p.verdict == "contradicts"}


@pytest.mark.parametrize(
    ("lie", "role"),
    [
        ("rpm half", Role.RPM),
        ("speed x 10", Role.SPEED),
        ("speed / 10", Role.SPEED),
        ("lambda is the target", Role.LAMBDA),
        ("target is lambda", Role.TARGET),
        ("lambda inverse", Role.LAMBDA),
        ("target inverse", Role.TARGET),
        ("temperatures swapped", Role.IAT),
        ("intake air in °F", Role.IAT),
        ("fuel pressure is the rail's", Role.FUEL_DP),
    ],
)
def test_what_a_channel_never_does_speaks_against_it(
    lie: str, role: Role, heron_log: Log, heron_vehicle: Vehicle
) -> None:
    told = LIES[lie](heron_log)
    assert told is not None
    assert role in against(told, heron_vehicle)


def test_nothing_speaks_against_sound_drives(heron_log: Log, heron_vehicle: Vehicle) -> None:
    assert not against(heron_log, heron_vehicle)
    assert clock_doubt(heron_log) == ""


@pytest.mark.slow
@pytest.mark.parametrize("seed", [6, 8, 10, 21])
def test_nor_against_other_cars_as_their_owners_log_them(seed: int) -> None:
    """Narrow meters, slow loggers, no feedback, a mass-airflow curve."""
    car = random_car(seed)
    log = first_drive(car)
    assert not against(log, car.vehicle)
    assert clock_doubt(log) == ""


@pytest.mark.parametrize("factor", [1.0 / 60.0, 0.1, 10.0, 60.0])
def test_a_clock_that_runs_wrong_is_told_by_what_a_car_can_do(
    factor: float, heron_log: Log
) -> None:
    wrong = replace(heron_log, time_s=heron_log.time_s * factor)
    assert ("too slowly" if factor < 1.0 else "too quickly") in clock_doubt(wrong)


def test_a_road_speed_of_another_car_says_nothing_of_the_clock(heron_log: Log) -> None:
    wave = 40.0 + 30.0 * np.sin(heron_log.time_s / 70.0)
    other = replace(heron_log, channels={**heron_log.channels, Role.SPEED: wave})
    assert clock_doubt(other) == ""


def test_one_lie_is_told_once(heron_log: Log, heron_vehicle: Vehicle) -> None:
    """A lambda that repeats its target does not make the target one that repeats lambda."""
    told = LIES["lambda is the target"](heron_log)
    assert told is not None
    assert against(told, heron_vehicle) == {Role.LAMBDA}
    swapped = LIES["temperatures swapped"](heron_log)
    assert swapped is not None
    assert {Role.IAT, Role.COOLANT} <= against(swapped, heron_vehicle)


def test_cranking_is_no_slow_idle(heron_log: Log, heron_vehicle: Vehicle) -> None:
    rpm = heron_log[Role.RPM].copy()
    rpm[:60] = np.linspace(250.0, 470.0, 60)
    started = replace(heron_log, channels={**heron_log.channels, Role.RPM: rpm})
    assert not prove_idle(started, heron_vehicle)


def test_trims_are_told_by_where_they_rest(heron_log: Log, heron_vehicle: Vehicle) -> None:
    """Feedback that does not work takes its trim back to 0, and keeps what it learnt."""
    works = np.arange(len(heron_log)) % 2000 < 1500
    quick = np.where(works, 2.0 + np.sin(heron_log.time_s), 0.0)
    learnt = np.full(len(heron_log), -3.0)
    channels = {**heron_log.channels, Role.CLOSED_LOOP: works.astype(float)}
    sound = replace(heron_log, channels={**channels, Role.STFT: quick, Role.LTFT: learnt})
    swapped = replace(heron_log, channels={**channels, Role.STFT: learnt, Role.LTFT: quick})
    assert not prove_trims(sound, heron_vehicle)
    assert [p.role for p in prove_trims(swapped, heron_vehicle)] == [Role.LTFT]
