"""The odds against a neighbour's heading and another clock: kept with every reading, and turned by a swap."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.meaning.match import by_role
from lean_trim.formats.meaning.swapped import (
    MOST_ODDS,
    clock_odds,
    odds_of,
    odds_of_scatters,
    with_odds_of_swaps,
)
from tests.formats.meaning.test_overlooked import read

WITH_TARGET = {Role.TARGET: ("Target lambda", "λ"), Role.BARO: ("Barometer", "kPa")}


@pytest.mark.parametrize(
    ("role", "neighbour"),
    [
        (Role.LAMBDA, Role.TARGET),
        (Role.TARGET, Role.LAMBDA),
        (Role.MAP, Role.BARO),
        (Role.COOLANT, Role.IAT),
    ],
)
def test_a_sound_log_has_high_odds_against_its_neighbours(
    short_log: Log, heron_vehicle: Vehicle, role: Role, neighbour: Role
) -> None:
    matches = by_role(read(short_log, heron_vehicle, {}, extra=WITH_TARGET).matches)
    assert matches[role].runner_up == LABELS[neighbour][0]
    assert matches[role].odds > 20.0


def test_of_a_log_whose_headings_are_mixed_up_the_odds_are_the_other_way(
    short_log: Log, heron_vehicle: Vehicle
) -> None:
    """The same matches over a log in which lambda and its target have changed places."""
    sound = read(short_log, heron_vehicle, {}, extra=WITH_TARGET)
    lam, target = sound.log[Role.LAMBDA], sound.log[Role.TARGET]
    mixed = {**sound.log.channels, Role.LAMBDA: target, Role.TARGET: lam}
    log = Log(sound.log.time_s, mixed)
    bare = [m for m in sound.matches if m.role in (Role.LAMBDA, Role.TARGET)]
    unproved = [type(m)(m.role, m.columns, m.unit, m.confidence) for m in bare]
    found = by_role(with_odds_of_swaps(log, unproved, heron_vehicle))
    assert found[Role.LAMBDA].odds < 0.05 and found[Role.TARGET].odds < 0.05


def test_odds_are_those_of_two_gaussians() -> None:
    """By hand: exp((0.03² - 0.01²) / (2 · 0.01²)) = exp(4) = 54.6."""
    assert odds_of(0.01, 0.03, 0.01) == pytest.approx(54.6, abs=0.1)
    assert odds_of(0.03, 0.01, 0.01) == pytest.approx(1.0 / 54.6, rel=0.01)
    assert odds_of(0.01, 1.0, 0.01) == MOST_ODDS == odds_of(0.01, np.inf, 0.01)
    # Twice the scatter over four readings: 2 to the fourth.
    assert odds_of_scatters(0.01, 0.02, 4.0) == pytest.approx(16.0)
    assert odds_of_scatters(0.02, 0.01, 4.0) == pytest.approx(1.0 / 16.0)
    assert np.isnan(odds_of(np.nan, 0.1, 0.01)) and np.isnan(odds_of(0.1, np.nan, 0.01))


def test_a_clock_ten_times_off_has_the_odds_against_it(short_log: Log) -> None:
    _, sound = clock_odds(short_log)
    slow = Log(10.0 * short_log.time_s, short_log.channels)
    quick = Log(0.1 * short_log.time_s, short_log.channels)
    assert sound > 3.0
    for log, words in ((slow, "10 times as short"), (quick, "10 times as long")):
        found, odds = clock_odds(log)
        assert found == words and odds < 1.0 / 3.0
