"""Thresholds of the computation from both sides: a little inside nothing happens, a little outside it does.

A threshold that only ever meets extremes could be half or double without a test noticing
(``./campaign constants``). The values are common practice, no source, unless said where they are
declared.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import maf_curve
from lean_trim.core.decision.cautions import cautions_for
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.diagnosis.findings import find_faults
from lean_trim.core.drive.airflow_source import read_airflow_source
from lean_trim.core.drive.conditions import Conditions, make_conditions
from lean_trim.core.drive.delay import DelaySettings, aligned_lambda
from lean_trim.core.drive.duty import bears_out
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.fuel_pressure import PressureKind, with_fuel_dp
from lean_trim.core.drive.gears import read_gears
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.narrowband import cycle_mean_stft, swing_period_s
from lean_trim.core.drive.regimes import Regime, RegimeSettings, classify
from lean_trim.core.drive.sensor import engine_moved, still_spells
from lean_trim.core.estimation.averages import AverageSettings, average_cells
from lean_trim.core.estimation.delay_fit import estimate_delay
from lean_trim.core.estimation.observations import observe
from lean_trim.core.estimation.surface import SurfaceSettings, fit_surface
from lean_trim.core.sieve.rules_limits import airflow_pegged
from lean_trim.core.sieve.sieve import SieveSettings, sift
from tests.builders import (
    maf_vehicle,
    make_log,
    small_vehicle,
    steady_states,
    with_channel,
    without,
)
from tests.core.estimation.test_delay_fit import cut_drive

HZ = 25.0
N = 2500
TIME = np.arange(N) / HZ
STEADY = make_log(TIME, np.full(N, 2500.0), np.full(N, 50.0))
LATE = (TIME > 60.0) & (TIME < 64.0)
DEAD_MS = 0.82
"""Dead time of the builders' injectors at 13.8 V."""


def conditions_of(log: Log) -> Conditions:
    frame = make_frame(log, small_vehicle())
    return make_conditions(Motion(frame), aligned_lambda(frame, DelaySettings(0.0, 0.0, 0.0)))


def hits(log: Log, rule: str) -> int:
    """Samples a rule hits around the middle of the changed stretch."""
    return sift(conditions_of(log), SieveSettings()).counts[rule]


def late(role: Role, value: float, log: Log = STEADY) -> Log:
    # A reading that never moves would be taken for the sensor's own end.
    moving = 0.004 * np.sin(7.0 * TIME) if role is Role.LAMBDA else 0.0
    return with_channel(log, role, np.where(LATE, value + moving, log.get(role, 0.0)))


def test_the_builders_have_the_dead_time_this_file_takes_for_granted() -> None:
    assert small_vehicle().injectors.dead_time_at(13.8) == pytest.approx(DEAD_MS)


@pytest.mark.parametrize(
    ("role", "inside", "outside", "rule"),
    [
        (Role.FUEL_DP, 186.0, 174.0, "pressure"),
        (Role.BATTERY, 12.2, 11.8, "low_voltage"),
        (Role.COOLANT, 51.0, 49.0, "cold"),
        (Role.DUTY, 90.0, 94.0, "injector_limit"),
        (Role.KNOCK, 0.15, 0.25, "knock"),
        (Role.AIRFLOW_SOURCE, 0.03, 0.2, "other_source"),
        (Role.LAMBDA, 1.32, 1.36, "sensor_range"),
        (Role.LAMBDA, 0.68, 0.64, "sensor_range"),
    ],
)
def test_a_rule_begins_where_its_default_says(
    role: Role, inside: float, outside: float, rule: str
) -> None:
    base = STEADY if role in STEADY else with_channel(STEADY, role, 0.0)
    # Not one value throughout, or the reading would be taken for stuck or for the sensor's own end.
    if role is Role.LAMBDA:
        base = with_channel(base, role, 1.0 + 0.001 * np.sin(TIME))
    quiet = hits(base, rule)
    assert hits(late(role, inside, base), rule) == quiet
    assert hits(late(role, outside, base), rule) >= quiet + 80


@pytest.mark.parametrize(("coolant", "left_out"), [(72.0, False), (68.0, True)])
def test_without_a_pulse_width_only_a_warm_engine_counts(coolant: float, left_out: bool) -> None:
    log = without(late(Role.COOLANT, coolant), Role.PULSE_WIDTH)
    assert (hits(log, "cold") > 0) == left_out


@pytest.mark.parametrize(("throttle_rate", "tips"), [(26.0, False), (36.0, True)])
def test_a_throttle_tips_from_its_slope(throttle_rate: float, tips: bool) -> None:
    ramp = 25.0 + throttle_rate * np.clip(TIME - 60.0, 0.0, 1.0)
    assert (hits(with_channel(STEADY, Role.THROTTLE, ramp), "tip") > 0) == tips


@pytest.mark.parametrize(("cell_s", "crossed"), [(0.2, False), (0.12, True)])
def test_a_cell_is_passed_through_in_less_than_its_time(cell_s: float, crossed: bool) -> None:
    """Up to 3000 rpm a cell is 1000 wide; the slope is one over 0.4 s, so that the ramp lasts longer."""
    speed = np.minimum(1000.0 + 1000.0 / cell_s * np.maximum(TIME - 60.0, 0.0), 6000.0)
    log = with_channel(STEADY, Role.RPM, speed)
    assert (hits(log, "crossed") > hits(STEADY, "crossed")) == crossed


@pytest.mark.parametrize(("map_rate", "tips"), [(48.0, False), (75.0, True)])
def test_manifold_pressure_tips_from_its_relative_slope(map_rate: float, tips: bool) -> None:
    pressure = 50.0 * np.exp(map_rate / 100.0 * np.clip(TIME - 60.0, 0.0, 0.6))
    assert (hits(with_channel(STEADY, Role.MAP, pressure), "tip") > 0) == tips


@pytest.mark.parametrize(("slope", "slips"), [(0.4, False), (0.65, True)])
def test_slip_begins_at_its_slope(slope: float, slips: bool) -> None:
    rpm = 2500.0 * np.exp(slope * np.clip(TIME - 60.0, 0.0, 0.8))
    assert (hits(with_channel(STEADY, Role.RPM, rpm), "slip") > 0) == slips


@pytest.mark.parametrize(("fall", "cut"), [(11.0, False), (19.0, True)])
def test_a_torque_cut_is_told_from_the_fall_of_spark(fall: float, cut: bool) -> None:
    spark = np.where((TIME > 60.0) & (TIME < 60.3), 30.0 - fall, 30.0)
    assert (hits(with_channel(STEADY, Role.SPARK, spark), "shift") > 0) == cut


@pytest.mark.parametrize(("rate", "misleads"), [(7.0, False), (14.0, True)])
def test_believed_fuel_misleads_only_while_it_changes(rate: float, misleads: bool) -> None:
    """A pulse width that proved itself shows more fuel than table and trims, rising at so many percent a
    second.
    """
    more = 1.0 + rate / 100.0 * np.clip(TIME - 60.0, 0.0, 3.0)
    width = (STEADY[Role.PULSE_WIDTH] - DEAD_MS) * more + DEAD_MS
    log = with_channel(with_channel(STEADY, Role.PULSE_WIDTH, width), Role.LAMBDA, 1.0 / more)
    assert conditions_of(log).pulse_width_proven.all()
    moving = (TIME > 61.5) & (TIME < 62.5)
    result = sift(conditions_of(log), SieveSettings())
    assert (result.reason_bits[moving] != 0).any() == misleads


@pytest.mark.parametrize(("off", "strays"), [(0.016, False), (0.026, True)])
def test_steady_running_strays_from_two_percent(off: float, strays: bool) -> None:
    width = (STEADY[Role.PULSE_WIDTH] - DEAD_MS) * (1.0 + off) + DEAD_MS
    conditions = conditions_of(with_channel(STEADY, Role.PULSE_WIDTH, width))
    assert conditions.pulse_width_proven.any() != strays


@pytest.mark.parametrize(("share", "proven"), [(0.3, True), (0.5, False)])
def test_so_much_of_steady_running_may_stray(share: float, proven: bool) -> None:
    factor = np.where(share * TIME[-1] > TIME, 1.1, 1.0)
    width = (STEADY[Role.PULSE_WIDTH] - DEAD_MS) * factor + DEAD_MS
    assert (
        conditions_of(with_channel(STEADY, Role.PULSE_WIDTH, width)).pulse_width_proven.any()
        == proven
    )


def flat_top(seconds: float, rise: float) -> Log:
    """A curve's signal at its top for so long, while demand rises by a factor; lower before and after."""
    at_top = (TIME >= 40.0) & (40.0 + seconds > TIME)
    demand = np.where(at_top, 1.0 + (rise - 1.0) * (TIME - 40.0) / max(seconds, 0.1), 1.0)
    signal = np.where(at_top, 6000.0, 3000.0 + 100.0 * np.sin(TIME))
    log = make_log(TIME, 4000.0 * demand, np.full(N, 100.0))
    return with_channel(log, Role.MAF_HZ, signal)


def curve_vehicle() -> object:
    hz = np.linspace(1000.0, 8000.0, 15)
    return replace(
        maf_vehicle(),
        feedback="wideband",
        table=maf_curve(hz, hz / 50.0),
        target=small_vehicle().target,
    )


@pytest.mark.parametrize(
    ("seconds", "rise", "pegged"),
    [(0.85, 1.2, False), (1.35, 1.2, True), (2.0, 1.045, False), (2.0, 1.085, True)],
)
def test_a_flat_signal_is_the_sensors_end_if_it_lasts_and_demand_rises(
    seconds: float, rise: float, pegged: bool
) -> None:
    frame = make_frame(flat_top(seconds + 0.4, rise), curve_vehicle())  # type: ignore[arg-type]
    assert airflow_pegged(frame).any() == pegged


@pytest.mark.parametrize(("throttle", "pegged"), [(60.0, False), (80.0, True)])
def test_without_manifold_pressure_only_an_open_throttle_tells(
    throttle: float, pegged: bool
) -> None:
    log = with_channel(without(flat_top(3.0, 1.25), Role.MAP), Role.THROTTLE, throttle)
    frame = make_frame(with_channel(log, Role.TARGET, 1.0), curve_vehicle())  # type: ignore[arg-type]
    assert airflow_pegged(frame).any() == pegged


@pytest.mark.parametrize(("off", "fits"), [(0.024, True), (0.036, False)])
def test_duty_is_borne_out_within_three_percent(off: float, fits: bool) -> None:
    assert bears_out(np.full(1000, 1.0 + off)) == fits


@pytest.mark.parametrize(("share", "fits"), [(0.6, True), (0.4, False)])
def test_duty_is_borne_out_by_half_of_the_driving(share: float, fits: bool) -> None:
    assert bears_out(np.where(np.arange(1000) < 1000 * share, 1.0, 1.2)) == fits


def test_a_battery_that_was_not_logged_is_taken_at_its_usual_voltage() -> None:
    """13.8 V: dead time taken at any other voltage would show as fuel beside the table."""
    frame = make_frame(without(STEADY, Role.BATTERY), small_vehicle())
    assert np.nanmedian(frame.fuel_ratio) == pytest.approx(1.0, abs=0.002)


def test_charge_air_that_was_not_measured_is_taken_at_25_degrees() -> None:
    with_it, without_it = (
        make_frame(x, small_vehicle()) for x in (STEADY, without(STEADY, Role.IAT))
    )
    np.testing.assert_allclose(with_it.air_g, without_it.air_g, rtol=1e-6)


def rail_log(samples: int, spread_kpa: float) -> Log:
    pressure = 45.0 + spread_kpa * (np.arange(samples) / samples - 0.5)
    log = make_log(np.arange(samples) * 0.04, np.full(samples, 2500.0), pressure)
    return with_channel(with_channel(log, Role.FUEL_DP, 300.0 + pressure - 101.3), Role.BARO, 101.3)


@pytest.mark.parametrize(
    ("samples", "spread", "kind"),
    [(99, 60.0, PressureKind.DIFFERENTIAL), (100, 60.0, PressureKind.RAIL)],
)
def test_rail_pressure_is_told_from_enough_samples(
    samples: int, spread: float, kind: PressureKind
) -> None:
    assert with_fuel_dp(rail_log(samples, spread), 300.0)[1] is kind


def test_a_pump_that_sags_at_high_flow_does_not_hide_whose_pressure_it_is() -> None:
    """Above 70 % of the flows met the pump cannot keep up, and pressure falls with flow."""
    log = rail_log(1000, 60.0)
    over = log[Role.MAP] - np.percentile(log[Role.MAP], 70.0)
    sagging = with_channel(log, Role.FUEL_DP, log[Role.FUEL_DP] - 6.0 * np.maximum(over, 0.0))
    assert with_fuel_dp(sagging, 300.0)[1] is PressureKind.RAIL


@pytest.mark.parametrize(("samples", "supported"), [(12, False), (13, True)])
def test_a_cell_is_changed_from_half_a_second_on(samples: int, supported: bool) -> None:
    """In the square beside it, wherever in there it was driven."""
    frame = make_frame(STEADY, small_vehicle())
    used = np.arange(N) < samples
    observations = observe(frame, frame.log[Role.LAMBDA], used)
    estimate = fit_surface(
        observations, frame.vehicle.table, TIME, SurfaceSettings(max_error_pct=20.0)
    )
    assert estimate.supported.any() == supported


@pytest.mark.parametrize(("kmh", "told"), [(6.5, False), (10.0, True)])
def test_gears_are_told_from_rolling_speed_on(kmh: float, told: bool) -> None:
    speed = np.where(TIME < 50.0, kmh, 60.0)
    rpm = speed * np.where(TIME < 50.0, 120.0, 36.0)
    found = read_gears(Log(TIME, {Role.RPM: rpm, Role.SPEED: speed}))
    assert (found.gear[500] > 0) == told


@pytest.mark.parametrize("period", [0.8, 1.6, 2.4])
def test_swings_of_a_trim_are_found_beside_a_drift(period: float) -> None:
    """The trend is taken off over three seconds: shorter swings stay, the drift of the mean goes."""
    drift = 3.0 * np.sin(2.0 * np.pi * TIME / 40.0)
    stft = drift + 3.0 * np.sign(np.sin(2.0 * np.pi * TIME / period))
    log = with_channel(STEADY, Role.STFT, stft)
    assert swing_period_s(log) == pytest.approx(period, rel=0.06)
    inner = slice(200, -200)
    np.testing.assert_allclose(cycle_mean_stft(log)[inner], drift[inner], atol=1.0)


@pytest.mark.parametrize(("share", "other"), [(0.04, False), (0.065, True)])
def test_another_airflow_source_needs_a_share_of_the_drive(share: float, other: bool) -> None:
    frame = make_frame(STEADY, small_vehicle())
    sensor = frame.flow_g_per_s * np.where(share * TIME[-1] > TIME, 1.15, 1.0)
    width = (STEADY[Role.PULSE_WIDTH] - DEAD_MS) * np.where(
        share * TIME[-1] > TIME, 1.15, 1.0
    ) + DEAD_MS
    log = with_channel(with_channel(STEADY, Role.MAF_FLOW, sensor), Role.PULSE_WIDTH, width)
    found = make_frame(log, small_vehicle())
    reading = read_airflow_source(Motion(found), found.vehicle.airflow_source)
    assert (reading.how == "pulse width") == other


@pytest.mark.parametrize(
    ("name", "inside", "outside"),
    [("full_pct", 78.0, 82.0), ("idle_rpm", 1200.0, 1300.0), ("closed_pct", 1.8, 2.2)],
)
def test_regimes_begin_where_their_defaults_say(name: str, inside: float, outside: float) -> None:
    def regime(value: float) -> int:
        idle = name != "full_pct"
        rpm = value if name == "idle_rpm" else 1000.0 if idle else 3000.0
        throttle = value if name != "idle_rpm" else 0.5
        log = make_log(TIME, np.full(N, rpm), np.full(N, 35.0 if idle else 98.0))
        log = with_channel(
            with_channel(log, Role.THROTTLE, throttle), Role.SPEED, 0.0 if idle else 90.0
        )
        return int(classify(Motion(make_frame(log, small_vehicle())), RegimeSettings())[1500])

    assert regime(inside) != regime(outside)
    assert (regime(outside) == Regime.FULL_THROTTLE) == (name == "full_pct")


def test_a_reading_that_stands_still_counts_from_its_time_on() -> None:
    lam = 1.0 + 0.01 * np.sin(TIME)
    for seconds, found in ((2.5, 0), (3.6, 1)):
        held = np.where((TIME > 30.0) & (30.0 + seconds > TIME), 1.0, lam)
        assert len(still_spells(held, TIME, 3.0)) == found


@pytest.mark.parametrize(("seconds", "stuck"), [(2.5, False), (3.8, True)])
def test_a_sensor_is_stuck_after_three_seconds_of_moving_mixture(
    seconds: float, stuck: bool
) -> None:
    held = (TIME > 60.0) & (60.0 + seconds > TIME)
    pressure = 50.0 + 30.0 * np.clip(TIME - 60.0, 0.0, seconds)
    log = make_log(TIME, np.full(N, 2500.0), np.minimum(pressure, 95.0))
    log = with_channel(log, Role.LAMBDA, np.where(held, 1.0, 1.0 + 0.02 * np.sin(3.0 * TIME)))
    assert (hits(log, "stuck") > 0) == stuck


def test_a_trim_nobody_logged_is_the_pulse_width_over_five_seconds() -> None:
    """Five seconds of 10 % more fuel fill that window just when it stands over them."""
    width = (STEADY[Role.PULSE_WIDTH] - DEAD_MS) * np.where(
        (TIME > 50.0) & (TIME < 55.0), 1.1, 1.0
    ) + DEAD_MS
    log = without(with_channel(STEADY, Role.PULSE_WIDTH, width), Role.LTFT)
    trim = make_frame(log, small_vehicle()).trim
    assert trim[np.searchsorted(TIME, 52.5)] == pytest.approx(1.1, abs=0.005)
    assert trim[np.searchsorted(TIME, 50.0)] == pytest.approx(1.05, abs=0.005)


def test_swings_are_found_beside_a_trim_that_drifts_within_seconds() -> None:
    """A trend over much more than three seconds would leave so much of the drift that swings get lost."""
    stft = np.sin(2.0 * np.pi * TIME) + 2.5 * np.sin(2.0 * np.pi * TIME / 6.0)
    log = with_channel(STEADY, Role.STFT, stft)
    assert swing_period_s(log) == pytest.approx(1.0, rel=0.06)


def test_an_engine_has_moved_when_flow_or_mixture_did() -> None:
    still = np.full(100, 20.0)
    assert not engine_moved(still, np.full(100, 1.0))
    assert engine_moved(np.linspace(20.0, 40.0, 100), np.full(100, 1.0))
    assert engine_moved(still, np.linspace(1.0, 1.15, 100))


@pytest.mark.parametrize(("share", "told"), [(0.35, False), (0.7, True)])
def test_hidden_fuel_is_told_if_most_of_full_throttle_has_it(share: float, told: bool) -> None:
    """Ten seconds at full throttle in a proven log, of which a share held 8 % more fuel than the target
    names.
    """
    full = (TIME > 70.0) & (TIME < 80.0)
    rich = full & (70.0 + 10.0 * share > TIME)
    log = make_log(TIME, np.where(full, 4000.0, 2500.0), np.where(full, 98.0, 50.0))
    factor = np.where(rich, 1.08, 1.0)
    width = (log[Role.PULSE_WIDTH] - DEAD_MS) * factor + DEAD_MS
    log = with_channel(
        with_channel(log, Role.PULSE_WIDTH, width), Role.THROTTLE, np.where(full, 95.0, 25.0)
    )
    found = {f.id for f in find_faults(conditions_of(log))}
    assert ("hidden_enrichment" in found) == told


@pytest.mark.parametrize(
    ("role", "inside", "outside", "fault"),
    [
        (Role.FUEL_DP, 285.0, 270.0, "fuel_pressure"),
        (Role.BATTERY, 12.3, 11.7, "low_voltage"),
        (Role.DUTY, 80.0, 90.0, "injector_duty"),
        (Role.KNOCK, 0.1, 0.5, "knock"),
    ],
)
def test_a_fault_is_told_from_its_threshold(
    role: Role, inside: float, outside: float, fault: str
) -> None:
    base = STEADY if role in STEADY else with_channel(STEADY, role, 0.0)
    assert fault not in {f.id for f in find_faults(conditions_of(late(role, inside, base)))}
    assert fault in {f.id for f in find_faults(conditions_of(late(role, outside, base)))}


@pytest.mark.parametrize(("seconds", "supported"), [(0.4, False), (0.6, True)])
def test_the_school_of_averages_asks_for_half_a_second(seconds: float, supported: bool) -> None:
    count = round(seconds * HZ)
    log = make_log(
        np.arange(2 * count) / HZ,
        np.repeat([2000.0, 4500.0], count),
        np.full(2 * count, 50.0),
        1.05,
    )
    frame = make_frame(log, small_vehicle())
    observations = observe(frame, log[Role.LAMBDA], np.ones(len(log), bool))
    estimate = average_cells(
        observations, frame.vehicle.table, frame.coordinates, log.time_s, AverageSettings()
    )
    assert estimate.supported.any() == supported


def test_a_lone_cell_is_believed_against_the_prior_as_it_says() -> None:
    """Two seconds at one node ask for 12 %: a prior of 20 % lets most of it through, one of 2 % does not."""
    steady = make_log(
        np.arange(50) / HZ,
        np.full(50, 3000.0),
        np.full(50, 50.0),
        1.12,
        0.01,
        np.random.default_rng(0),
    )
    frame = make_frame(steady, small_vehicle())
    observations = observe(frame, steady[Role.LAMBDA], np.ones(50, bool))
    asked = []
    for prior in (2.0, 20.0, 60.0):
        settings = SurfaceSettings(prior_pct=prior)
        asked.append(
            fit_surface(observations, frame.vehicle.table, steady.time_s, settings).correction_pct[
                1, 2
            ]
        )
    default = fit_surface(
        observations, frame.vehicle.table, steady.time_s, SurfaceSettings()
    ).correction_pct[1, 2]
    assert asked[0] < 0.8 * asked[1] and default == pytest.approx(asked[1])
    assert asked[1] == pytest.approx(12.0, abs=1.5)


@pytest.mark.parametrize(("changes", "estimated"), [(5, False), (6, True)])
def test_a_delay_needs_several_quick_changes(changes: int, estimated: bool) -> None:
    """A cut every 15 s from half a minute on; the first falls in the time the sensor takes to heat up."""
    frame = cut_drive(3.0, 0.08)
    stop = 30.0 + 15.0 * changes - 5.0
    keep = frame.log.time_s < stop
    log = Log(frame.log.time_s[keep], {r: v[keep] for r, v in frame.log.channels.items()})
    found = estimate_delay(make_frame(log, small_vehicle()), DelaySettings(), np.ones(len(log)))
    assert ("are needed" in found.note) != estimated


@pytest.mark.parametrize(("step", "cautioned"), [(7.5, False), (8.5, True)])
def test_a_step_is_large_from_eight_percent(step: float, cautioned: bool) -> None:
    table = small_vehicle().table
    steps = np.zeros(table.shape)
    steps[0, 0] = step
    said = " ".join(c.text for c in cautions_for(table, steps, None, PolicySettings()))
    assert ("Check fuel pressure" in said) == cautioned


@pytest.mark.parametrize(("kpa", "cautioned"), [(70.0, False), (100.0, True)])
def test_leaning_near_full_load_is_cautioned(kpa: float, cautioned: bool) -> None:
    table = small_vehicle().table
    steps = np.where(table.axes[0].points[:, None] == kpa, -4.0, 0.0) * np.ones(table.shape)
    assert (
        any("full load" in c.text for c in cautions_for(table, steps, None, PolicySettings()))
        == cautioned
    )


def test_steady_states_are_what_the_rest_of_the_tests_take_them_for() -> None:
    log = steady_states(1.1)
    frame = make_frame(log, small_vehicle())
    np.testing.assert_allclose(frame.trim * log[Role.LAMBDA] / frame.target, 1.1, rtol=1e-9)
