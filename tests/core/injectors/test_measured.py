"""What was measured apart tells flow from the airflow table's level, and the dead time on its own."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.frame import Frame, make_frame
from lean_trim.core.errors import BadInputError
from lean_trim.core.injectors.identify import Split, split
from lean_trim.core.injectors.injector_verdict import verdict_on
from lean_trim.core.injectors.measured import Measured, reckoned_fuel, statements
from lean_trim.core.injectors.measured_words import MeasuredWords
from tests.builders import small_vehicle, steady_states, with_channel, without
from tests.core.injectors.test_identify import UNIT, places_of

TRUE_FLOW = 0.93
TRUE_DEAD = 0.12


@pytest.fixture(scope="module")
def frame() -> Frame:
    return make_frame(steady_states(1.0), small_vehicle())


def told(*measured: Measured, airflow: float = 0.05) -> Split:
    """A table that is off by 5 % everywhere, trusted to 5 %."""
    table = small_vehicle().table
    return split(places_of(table, TRUE_FLOW, TRUE_DEAD, airflow), table, UNIT, 0.05, 0.3, measured)


def test_a_bench_figure_takes_the_level_of_the_table_away(frame: Frame) -> None:
    words = MeasuredWords(flow_g_per_s=TRUE_FLOW * 5.0, flow_error_pct=1.0)
    alone = told()
    found = told(*statements(words, frame))
    assert alone.flow_scale == pytest.approx(TRUE_FLOW * np.exp(-0.05), rel=0.01)
    assert found.flow_scale == pytest.approx(TRUE_FLOW, rel=0.01)
    assert found.flow_se < 0.011 < alone.flow_se
    assert np.nanmean(found.airflow) == pytest.approx(0.05, abs=0.01)
    places = places_of(small_vehicle().table, TRUE_FLOW, TRUE_DEAD)
    assert not verdict_on(alone, places, 5.0).identifiable_flow
    assert verdict_on(found, places, 5.0).identifiable_flow


def test_weighed_fuel_tells_flow_less_what_the_dead_time_takes(frame: Frame) -> None:
    reckoned, per_ms = reckoned_fuel(frame)
    burnt = reckoned * TRUE_FLOW * (1.0 - per_ms * TRUE_DEAD)
    found = told(*statements(MeasuredWords(fuel_g=burnt), frame))
    assert found.flow_scale == pytest.approx(TRUE_FLOW, rel=0.01)
    assert found.flow_se < 0.015


def test_fuel_of_a_log_follows_from_pulses_speed_and_pressure() -> None:
    vehicle = small_vehicle()
    log = steady_states(1.0)
    open_ms = log[Role.PULSE_WIDTH] - vehicle.injectors.dead_time_at(13.8)
    by_hand = float(np.sum(open_ms * 1e-3 * 5.0 * log[Role.RPM] / 120.0 * 4 * log.durations_s))
    plain, _ = reckoned_fuel(make_frame(log, vehicle))
    assert plain == pytest.approx(by_hand, rel=1e-6)
    # A pressure that sags by a fifth lets √0.8 of the flow through.
    sagged = with_channel(log, Role.FUEL_DP, np.full(len(log), 240.0))
    assert reckoned_fuel(make_frame(sagged, vehicle))[0] == pytest.approx(
        np.sqrt(0.8) * by_hand, rel=1e-3
    )


def test_two_injections_tell_the_dead_time_by_arithmetic(frame: Frame) -> None:
    # 3 ms of flow, once or in two halves, each with a dead time of 0.92 ms.
    words = MeasuredWords(one_ms=3.92, two_ms=2.42, at_volts=14.0)
    (said,) = statements(words, frame)
    assert said.value == pytest.approx(0.92 - 0.8) and said.sd == pytest.approx(0.0224, abs=1e-3)
    assert (said.flow, said.dead_per_ms) == (0.0, 1.0)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ({"fuel_g": -1.0}, "above 0"),
        ({"flow_g_per_s": float("nan")}, "above 0"),
        ({"fuel_error_pct": 50.0}, "0.1 to 20"),
    ],
)
def test_what_cannot_be_is_refused(words: dict[str, float], said: str) -> None:
    with pytest.raises(BadInputError, match=said):
        MeasuredWords(**words)


def test_pulses_of_different_states_and_fuel_without_pulses_are_refused(frame: Frame) -> None:
    with pytest.raises(BadInputError, match="not at the same state"):
        statements(MeasuredWords(one_ms=5.0, two_ms=2.0), frame)
    blind = make_frame(without(steady_states(1.0), Role.PULSE_WIDTH), small_vehicle())
    with pytest.raises(BadInputError, match="pulse width"):
        statements(MeasuredWords(fuel_g=100.0), blind)
