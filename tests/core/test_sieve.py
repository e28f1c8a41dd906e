"""Regimes and sieve: each rule on a log made to trip it."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.channels import Role
from lean_trim.core.delay import DelaySettings, aligned_lambda
from lean_trim.core.frame import make_frame
from lean_trim.core.knock import knock_cells
from lean_trim.core.log import Log
from lean_trim.core.regimes import Regime, RegimeSettings, classify
from lean_trim.core.sieve import MANUAL, MANUAL_BIT, RULES, SieveSettings, Sifted, end_stops, reasons_at, sift
from tests.builders import make_log, small_vehicle, with_channel, without

N = 2000
TIME = np.arange(N) * 0.04
STEADY = make_log(TIME, np.full(N, 2500.0), np.full(N, 50.0))
LATE = slice(1000, 1100)


def sifted(log: Log, settings: SieveSettings | None = None, by_hand: np.ndarray | None = None) -> Sifted:
    frame = make_frame(log, small_vehicle())
    lam = aligned_lambda(frame, DelaySettings())
    return sift(frame, classify(frame, RegimeSettings()), lam, settings or SieveSettings(), by_hand)


def changed(role: Role, value: float, where: slice = LATE) -> Log:
    values = STEADY[role].copy()
    values[where] = value
    return with_channel(STEADY, role, values)


def test_steady_warm_driving_is_used_after_the_start() -> None:
    result = sifted(STEADY)
    after = SieveSettings().start_s + 0.1 < TIME
    assert result.used[after][:-60].all()
    assert not result.used[SieveSettings().start_s > TIME].any()


@pytest.mark.parametrize(
    ("role", "value", "rule"),
    [
        (Role.RPM, 0.0, "not_running"), (Role.COOLANT, 40.0, "cold"), (Role.LAMBDA, 1.36, "sensor_range"),
        (Role.LAMBDA, np.nan, "sensor_range"), (Role.PULSE_WIDTH, 0.0, "fuel_cut"), (Role.MAP, 75.0, "tip"),
        (Role.GEAR, 5.0, "shift"), (Role.RPM, 3600.0, "slip"), (Role.PULSE_WIDTH, 9.0, "enrichment"),
        (Role.MAP, 120.0, "off_table"), (Role.BATTERY, 10.5, "low_voltage"), (Role.DUTY, 97.0, "injector_limit"),
        (Role.FUEL_DP, 240.0, "pressure"), (Role.TARGET, np.nan, "no_data"),
    ],
)  # fmt: skip
def test_each_rule_finds_what_it_is_for(role: Role, value: float, rule: str) -> None:
    base = with_channel(STEADY, Role.DUTY, 20.0)
    values = base[role].copy()
    values[LATE] = value
    vehicle_without_target = rule == "no_data"
    log = with_channel(base, role, values)
    if vehicle_without_target:
        log = with_channel(log, Role.MAP, np.where(np.isnan(values), np.nan, 50.0))
    result = sifted(log)
    assert result.counts[rule] >= 20 if rule != "slip" else result.counts[rule] >= 5
    quiet = sifted(with_channel(STEADY, Role.DUTY, 20.0))
    assert quiet.counts[rule] == (0 if rule != "sensor_range" else quiet.counts[rule])


def test_a_switched_off_rule_leaves_nothing_out() -> None:
    log = changed(Role.FUEL_DP, 250.0)
    settings = SieveSettings(disabled=frozenset({"pressure"}))
    assert sifted(log, settings).counts["pressure"] == 0
    assert sifted(log, settings).used.sum() > sifted(log).used.sum()


def test_hold_off_after_a_fuel_cut_follows_its_setting() -> None:
    log = changed(Role.PULSE_WIDTH, 0.0)
    short, long = sifted(log, SieveSettings(cut_after_s=0.5)), sifted(log, SieveSettings(cut_after_s=2.5))
    assert long.seconds["fuel_cut"] - short.seconds["fuel_cut"] == pytest.approx(2.0, abs=0.05)


def test_samples_left_out_by_hand_are_counted_and_named() -> None:
    by_hand = np.zeros(N, bool)
    by_hand[1200:1300] = True
    result = sifted(STEADY, by_hand=by_hand)
    assert result.counts[MANUAL] == 100
    assert (result.bits[1200:1300] & MANUAL_BIT).all()


def test_reasons_come_with_a_sentence() -> None:
    bits = int(sifted(changed(Role.PULSE_WIDTH, 0.0)).bits[1050])
    assert "fuel_cut" in [r.name for r in reasons_at(bits)]
    assert all(r.why and r.label for r in RULES)
    assert len({r.name for r in RULES}) == len(RULES)


def test_missing_optional_channels_do_not_stop_the_sieve() -> None:
    bare = without(
        STEADY, Role.GEAR, Role.SPEED, Role.FUEL_DP, Role.PULSE_WIDTH, Role.COOLANT, Role.BATTERY, Role.THROTTLE
    )
    assert sifted(bare).used.sum() > 1000


def test_regimes_are_told_apart() -> None:
    rpm = np.repeat([0.0, 900.0, 2500.0, 3000.0, 2800.0], 400)
    throttle = np.repeat([0.0, 0.5, 15.0, 95.0, 0.0], 400)
    log = with_channel(make_log(TIME, np.maximum(rpm, 1.0), np.full(N, 50.0)), Role.THROTTLE, throttle)
    log = with_channel(with_channel(log, Role.RPM, rpm), Role.SPEED, np.repeat([0.0, 0.0, 60.0, 80.0, 80.0], 400))
    width = log[Role.PULSE_WIDTH].copy()
    width[1600:] = 0.0
    regime = classify(make_frame(with_channel(log, Role.PULSE_WIDTH, width), small_vehicle()), RegimeSettings())
    expected = [Regime.STOPPED, Regime.IDLE, Regime.CRUISE, Regime.FULL_THROTTLE, Regime.OVERRUN]
    assert [int(regime[i]) for i in (200, 600, 1000, 1400, 1800)] == [int(e) for e in expected]
    cold = classify(make_frame(with_channel(log, Role.COOLANT, 30.0), small_vehicle()), RegimeSettings())
    assert cold[1000] == Regime.WARM_UP


def test_settling_after_a_flash_is_left_out_as_long_as_the_user_says() -> None:
    assert sifted(STEADY).counts["settling"] == 0
    assert sifted(STEADY, SieveSettings(settle_min=1.0)).seconds["settling"] == pytest.approx(60.0, abs=0.1)


def test_airflow_at_the_end_of_the_field_is_no_evidence() -> None:
    frame = make_frame(STEADY, small_vehicle(200.0))
    lam = aligned_lambda(frame, DelaySettings())
    result = sift(frame, classify(frame, RegimeSettings()), lam, SieveSettings())
    assert result.counts["airflow_end"] == N
    assert sifted(STEADY).counts["airflow_end"] == 0


def test_knock_marks_its_cells_even_in_samples_left_out() -> None:
    retard = np.zeros(N)
    retard[100:110] = 2.0
    seen = knock_cells(make_frame(with_channel(STEADY, Role.KNOCK, retard), small_vehicle()))
    assert seen[1, 1]
    assert seen.sum() <= 4
    assert not knock_cells(make_frame(STEADY, small_vehicle())).any()


@pytest.mark.parametrize("stop", [1.2, 1.3, 1.6])
def test_a_sensors_own_end_stop_is_found_wherever_it_is(stop: float) -> None:
    rising = np.where((TIME > 40) & (TIME < 46), 1.9, 1.0 + 0.005 * np.random.default_rng(0).standard_normal(N))
    result = sifted(with_channel(STEADY, Role.LAMBDA, np.minimum(rising, stop)))
    assert result.counts["sensor_range"] >= 140
    assert not result.used[(TIME > 40.1) & (TIME < 45.0)].any()


def test_a_log_that_never_reaches_an_end_keeps_everything() -> None:
    assert end_stops(1.0 + 0.05 * np.sin(TIME)) == (0.0, np.inf)
    assert end_stops(np.full(10, np.nan)) == (0.0, np.inf)
