"""What short pulses lose is told from the dead time of longer ones, and only where it was driven."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.calibration import SMALL_PULSES, calibration_of, with_calibration
from lean_trim.core.data.injector_tables import small_pulse_table
from lean_trim.core.estimation.places import Places
from lean_trim.core.injectors.identify import split
from lean_trim.core.injectors.injector_verdict import verdict_on
from lean_trim.core.injectors.small_pulses import KNEE_MS, KNOTS_MS, small_pulses
from lean_trim.core.injectors.tables import small_pulses_to_write
from lean_trim.simcar.heron import heron
from lean_trim.simcar.injectors import TrueInjectors
from tests.builders import small_vehicle
from tests.core.injectors.test_identify import UNIT, places_of

FLOW = 1.05
DEAD_MS = -0.08
LOSS_MS = np.array([0.09, 0.06, 0.03, 0.01, 0.0])


def curved(loss_ms: np.ndarray, least_ms: float = 0.35) -> Places:
    table = small_vehicle().table
    open_ms = np.geomspace(least_ms, 9.0, table.size)
    places = places_of(table, FLOW, DEAD_MS, open_ms=open_ms)
    loss = np.interp(open_ms, [*KNOTS_MS, KNEE_MS], loss_ms)
    straight = 1.0 - DEAD_MS / open_ms
    return replace(places, y=places.y + np.log(straight / (straight - loss / open_ms)))


def test_the_curve_is_found_beside_flow_and_dead_time() -> None:
    table = small_vehicle().table
    places = curved(LOSS_MS)
    found = small_pulses(places, table, UNIT, 0.01, 0.3)
    assert found is not None and found.is_there
    known = found.known
    assert np.all(np.abs(found.loss_ms - LOSS_MS)[known] < 2.5 * found.se_ms[known] + 0.008)
    assert found.split.dead_ms == pytest.approx(DEAD_MS, abs=0.03)
    # The straight line alone takes the loss for dead time.
    alone = split(places, table, UNIT, 0.01, 0.3)
    assert abs(alone.dead_ms - DEAD_MS) > abs(found.split.dead_ms - DEAD_MS)
    assert "small-pulse table" in verdict_on(alone, places, 1.0, small=found).message


def test_sound_injectors_show_no_curve() -> None:
    found = small_pulses(curved(np.zeros(5)), small_vehicle().table, UNIT, 0.01, 0.3)
    assert found is not None and not found.is_there


def test_nothing_is_told_where_short_or_long_pulses_were_not_driven() -> None:
    table = small_vehicle().table
    assert small_pulses(curved(LOSS_MS, least_ms=1.3), table, UNIT, 0.01, 0.3) is None
    short = curved(LOSS_MS)
    short = replace(short, seconds=np.where(short.open_ms > KNEE_MS, 0.0, short.seconds))
    assert small_pulses(short, table, UNIT, 0.01, 0.3) is None


def test_a_table_is_filled_where_there_is_evidence_and_kept_elsewhere() -> None:
    found = small_pulses(curved(LOSS_MS), small_vehicle().table, UNIT, 0.01, 0.3)
    assert found is not None
    table = small_pulse_table([0.5, 0.9, 2.0, 3.0], [0.0, 0.0, 0.05, 0.0])
    written = small_pulses_to_write(
        table, replace(found, known=np.array([False, True, True, True, False]))
    )
    np.testing.assert_allclose(written.shown[2:], [0.05, 0.0])
    assert written.shown[0] == pytest.approx(float(found.loss_ms[1]), abs=5e-4)
    nothing = small_pulses_to_write(table, replace(found, known=np.zeros(5, bool)))
    np.testing.assert_allclose(nothing.values, table.values)


def test_the_open_time_is_what_the_ecu_wanted_before_it_added() -> None:
    open_ms = np.array([0.2, 0.4, 0.55, 1.1, 4.0])
    table = small_pulse_table([0.3, 0.5, 1.2], [0.12, 0.05, 0.0])
    car = heron()
    driven = with_calibration(car, calibration_of(car).with_table(SMALL_PULSES, table)).injectors
    added = np.interp(open_ms, [0.3, 0.5, 1.2], [0.12, 0.05, 0.0])
    volts = np.full(len(open_ms), 13.2)
    pulses = open_ms + added + driven.dead_time_at(volts)
    np.testing.assert_allclose(driven.open_time_ms(pulses, volts), open_ms, atol=1e-12)
    np.testing.assert_allclose(
        car.injectors.open_time_ms(pulses, volts), pulses - car.injectors.dead_time_at(volts)
    )
    assert np.isnan(driven.open_time_ms([np.nan], 13.2)).all()


def test_the_simulated_injector_loses_most_of_the_shortest_pulse() -> None:
    lossy = TrueInjectors(5.0, (8.0, 16.0), (1.5, 0.5), small_ms=0.2)
    lost = [e - lossy.open_ms(e + 1.0, 1.0) for e in (0.3, 0.6, 3.0)]
    assert lost[0] == pytest.approx(0.1) and lost[1] == pytest.approx(0.05) and lost[2] < 0.001
