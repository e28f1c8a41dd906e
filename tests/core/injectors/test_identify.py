"""Flow, dead time and airflow apart, on places of which the truth is known."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Injectors, Vehicle
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.open_time import open_time_ms
from lean_trim.core.errors import BadInputError, LogError
from lean_trim.core.estimation.places import Places
from lean_trim.core.injectors.identify import split
from lean_trim.core.injectors.injector_verdict import verdict_on
from lean_trim.core.injectors.methods import compare_methods
from lean_trim.core.injectors.mistaken import mistaken_cells
from lean_trim.core.injectors.tables import (
    dead_time_over_voltage,
    flow_over_pressure,
    refuse_unknown,
)
from lean_trim.core.pipeline.injectors import identify_injectors, loop_rests
from tests.builders import small_vehicle, steady_states, with_channel, without

UNIT = 1.0 / 0.006**2


def places_of(
    table: Table,
    flow: float,
    dead: float,
    airflow: np.ndarray | float = 0.0,
    open_ms: np.ndarray | None = None,
) -> Places:
    """A place on every cell, driven ten seconds each, with open times that rise with load."""
    size = table.size
    rows = np.repeat(table.axes[0].points, len(table.axes[1]))
    e = rows / 20.0 if open_ms is None else open_ms
    rng = np.random.default_rng(4)
    y = airflow - np.log(flow) - np.log(1.0 - dead / e) + 0.001 * rng.standard_normal(size)
    return Places(
        cells=np.arange(size)[:, None],
        shares=np.ones((size, 1)),
        y=np.broadcast_to(y, size).copy(),
        open_ms=e,
        terms=np.zeros((size, 0)),
        weight=np.full(size, 10.0),
        within=np.zeros((0, 0)),
        within_y=np.zeros(0),
        seconds=np.full(size, 10.0),
        names=(),
    )


@pytest.mark.parametrize(("flow", "dead"), [(0.93, 0.17), (1.2, -0.2), (1.9, 0.05), (1.0, 0.0)])
def test_flow_and_dead_time_are_found_on_a_good_table(flow: float, dead: float) -> None:
    table = small_vehicle().table
    found = split(places_of(table, flow, dead), table, UNIT, 0.01, 0.3)
    assert found.flow_scale == pytest.approx(flow, rel=0.015)
    assert found.dead_ms == pytest.approx(dead, abs=0.03)
    assert found.word_holds
    assert found.flow_se / found.flow_scale >= 0.01


def test_a_large_change_of_size_gets_a_wider_prior() -> None:
    """Where the drive tells little, data of quite other injectors may be further off."""
    table = small_vehicle().table
    few = places_of(table, 2.6, 0.6, open_ms=np.full(table.size, 4.0))
    few = replace(few, weight=few.weight * 1e-4)
    narrow = split(few, table, UNIT, 0.01, 0.3)
    wide = split(few, table, UNIT, 0.01, 0.3, wide=True)
    assert wide.dead_se_ms > 1.5 * narrow.dead_se_ms


def test_a_constant_airflow_error_is_a_flow_error_and_the_word_bounds_it() -> None:
    """Nobody can tell 4 % less air everywhere from 4 % more flow; the error has to say so."""
    table = small_vehicle().table
    found = split(places_of(table, 1.0, 0.0, airflow=-0.04), table, UNIT, 0.03, 0.3)
    assert found.flow_scale == pytest.approx(1.04, abs=0.01)
    assert abs(found.flow_scale - 1.0) < 2.0 * found.flow_se
    assert found.dead_ms == pytest.approx(0.0, abs=0.03)
    loose = split(places_of(table, 1.0, 0.0), table, UNIT, 0.06, 0.3)
    verdict = verdict_on(loose, places_of(table, 1.0, 0.0), 6.0)
    assert not verdict.identifiable_flow and verdict.identifiable_dead_time
    assert "Weigh the fuel" in verdict.message


def test_a_false_word_of_trust_is_noticed() -> None:
    table = small_vehicle().table
    x, y = (a / a[-1] for a in (table.axes[1].points, table.axes[0].points))
    bent = (0.07 * np.outer(np.sin(4.0 * y), np.cos(3.0 * x))).ravel()
    found = split(places_of(table, 0.95, 0.1, airflow=bent), table, UNIT, 0.005, 0.3)
    assert not found.word_holds
    assert abs(np.log(found.flow_scale / 0.95)) < min(2.0 * found.flow_se / found.flow_scale, 0.05)
    assert abs(found.dead_ms - 0.1) < min(2.0 * found.dead_se_ms, 0.05)
    assert "trusted to" in verdict_on(found, places_of(table, 0.95, 0.1), 0.5).message


def test_open_times_that_hardly_move_tell_no_dead_time() -> None:
    table = small_vehicle().table
    same = places_of(table, 1.0, 0.2, open_ms=np.linspace(3.9, 4.3, table.size))
    found = split(same, table, UNIT, 0.01, 0.3)
    verdict = verdict_on(found, same, 1.0)
    assert not verdict.identifiable_dead_time
    assert "for two minutes" in str(verdict.dead_time)


def test_the_open_time_follows_from_the_ecus_equation_without_a_pulse_width() -> None:
    vehicle = small_vehicle()
    log = steady_states()
    by_width = open_time_ms(make_frame(log, vehicle))
    by_equation = open_time_ms(make_frame(without(log, Role.PULSE_WIDTH, Role.DUTY), vehicle))
    np.testing.assert_allclose(np.nanmedian(by_equation / by_width), 1.0, atol=0.01)
    unknown = replace(vehicle, injectors=Injectors(float("nan"), 300.0, np.array([]), np.array([])))
    with pytest.raises(LogError, match="without an open time"):
        open_time_ms(make_frame(without(log, Role.PULSE_WIDTH, Role.DUTY), unknown))


def test_a_constant_pulse_width_is_refused() -> None:
    with pytest.raises(LogError, match="hardly moves"):
        identify_injectors([with_channel(steady_states(), Role.PULSE_WIDTH, 4.0)], small_vehicle())


def test_tables_follow_the_square_root_law_and_the_shift() -> None:
    """440 cm³/min at 300 kPa are 508 at 400; 60 lb/h at 43.5 psi are 64.3 at 50 (DOMAIN's check values)."""
    injectors = Injectors(440.0, 300.0, np.array([8.0, 14.0]), np.array([1.9, 0.1]))
    table = small_vehicle().table
    found = split(places_of(table, 1.0, -0.15), table, UNIT, 0.01, 0.3)
    exact = replace(found, log_flow=0.0, dead_ms=-0.15)
    assert flow_over_pressure(injectors, exact, [400.0])[0] == pytest.approx(508.0, abs=0.5)
    in_lb = Injectors(60.0, 43.5, injectors.volts, injectors.dead_time_ms)
    assert flow_over_pressure(in_lb, exact, [50.0])[0] == pytest.approx(64.3, abs=0.05)
    np.testing.assert_allclose(dead_time_over_voltage(injectors, exact), [1.75, 0.0])


def broken(**words: object) -> Injectors:
    return replace(small_vehicle().injectors, **words)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("injectors", "words"),
    [
        (broken(flow_g_per_s=float("nan")), "flow_g_per_s is not known"),
        (broken(pressure_known=False), "rated_pressure_kpa is not known"),
        (broken(volts=np.array([]), dead_time_ms=np.array([])), "dead_time_ms is not known"),
        (
            broken(volts=np.array([8.0, 14.0]), dead_time_ms=np.array([0.8, 1.9])),
            "has to fall with voltage",
        ),
    ],
)
def test_data_that_cannot_be_corrected_are_refused_by_their_key(
    injectors: Injectors, words: str
) -> None:
    with pytest.raises(BadInputError, match=words):
        refuse_unknown(injectors)


def test_a_loop_that_still_ramps_is_not_believed(heron_vehicle: Vehicle) -> None:
    vehicle = replace(small_vehicle(), feedback="narrowband")
    log = without(steady_states(), Role.LAMBDA)
    ramp = np.clip(log.time_s - 100.0, 0.0, 15.0)
    rests = loop_rests(make_frame(with_channel(log, Role.STFT, ramp), vehicle))
    assert not rests[(log.time_s > 103.0) & (log.time_s < 112.0)].any()
    assert rests[log.time_s > 125.0].mean() > 0.95
    assert loop_rests(make_frame(steady_states(), small_vehicle())).all()


def test_cells_that_would_have_been_bent_are_those_of_short_pulses() -> None:
    table = small_vehicle().table
    places = places_of(table, 0.93, 0.17)
    found = split(places, table, UNIT, 0.01, 0.3)
    bent = mistaken_cells(places, found, table.size).reshape(table.shape)
    expected = 100.0 * (1.0 / (0.93 * (1.0 - 0.17 / (table.axes[0].points / 20.0))) - 1.0)
    np.testing.assert_allclose(bent[:, 2], expected, atol=1.5)
    assert np.isnan(mistaken_cells(places, found, table.size + 1)[-1])


def test_the_hand_practice_leaves_what_flow_explains() -> None:
    """A dead time cannot stand for a flow error: it is right at one open time only."""
    table = small_vehicle().table
    places = places_of(table, 0.9, 0.1)
    methods = compare_methods(places, split(places, table, UNIT, 0.01, 0.3))
    assert methods.by_flow_and_dead_time < 0.3
    assert methods.by_dead_time_alone > 1.0
    assert methods.as_it_is > methods.by_dead_time_alone
    assert methods.hand_shift_ms > 0.1 and methods.bent_pct > 2.0
    # Where only the dead time is off, both ways are one.
    only = places_of(table, 1.0, 0.15)
    same = compare_methods(only, split(only, table, UNIT, 0.01, 0.3))
    assert same.hand_shift_ms == pytest.approx(0.15, abs=0.01)
    assert same.by_dead_time_alone < 0.3
