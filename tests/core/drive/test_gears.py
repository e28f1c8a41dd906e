"""Gears told from engine and road speed."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.gears import read_gears
from tests.builders import without

TIME = np.arange(3000) * 0.04
TRUE = np.repeat([2.0, 3.0, 4.0, 3.0, 5.0, 4.0], 500)
PER_KMH = np.array([120.0, 70.0, 48.0, 36.0, 29.0])


def drive() -> Log:
    speed = 60.0 + 8.0 * np.sin(TIME / 5.0)
    rpm = (
        speed
        * PER_KMH[TRUE.astype(int) - 1]
        * (1.0 + 0.003 * np.random.default_rng(1).standard_normal(3000))
    )
    return Log(TIME, {Role.RPM: rpm, Role.SPEED: speed, Role.GEAR: TRUE})


def test_logged_gears_are_taken_as_they_are() -> None:
    found = read_gears(drive())
    assert (found.how, found.sure) == ("logged", 1.0)
    np.testing.assert_array_equal(np.flatnonzero(found.changes), [500, 1000, 1500, 2000, 2500])


def test_gears_are_told_from_the_ratio_and_changes_are_where_they_were() -> None:
    found = read_gears(without(drive(), Role.GEAR))
    assert found.how == "inferred"
    assert found.sure > 0.99
    assert len(np.unique(found.gear)) == 4
    assert np.abs(np.flatnonzero(found.changes) - [500, 1000, 1500, 2000, 2500]).max() <= 2


def test_the_simulated_cars_gears_are_found_without_its_gear_channel(heron_log: Log) -> None:
    found = read_gears(without(heron_log, Role.GEAR))
    moving = (heron_log[Role.SPEED] > 15.0) & (found.gear > 0)
    order = np.unique(found.gear[moving])
    agree = [np.median(heron_log[Role.GEAR][moving & (found.gear == g)]) for g in order]
    assert agree == sorted(agree)
    assert len(set(agree)) == len(agree)


def test_without_road_speed_nothing_is_claimed() -> None:
    found = read_gears(without(drive(), Role.GEAR, Role.SPEED))
    assert (found.how, found.sure) == ("unknown", 0.0)
    assert not found.changes.any()
