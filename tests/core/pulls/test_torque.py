"""Torque of one run against another's, time to a speed, and the part that is acceleration enrichment."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline.pulls import find_pulls
from lean_trim.core.pulls.torque import relative_torque_pct
from lean_trim.core.pulls.traces import PullTrace, trace_of
from tests.core.pulls.test_pull import START, STOP, pull_of, run_up


def run(vehicle: Vehicle, top_rpm: float = 6500.0, gear: float = 3.0) -> PullTrace:
    rpm = np.full(900, 3000.0)
    rpm[START:STOP] = np.linspace(3000.0, top_rpm, STOP - START)
    report = find_pulls([run_up(rpm=rpm, gear=gear)], vehicle)
    return trace_of(report.conditions, report.pulls[0], report.baro_kpa)


def test_a_run_that_rises_a_tenth_quicker_has_a_tenth_more_torque(heron_vehicle: Vehicle) -> None:
    usual = run(heron_vehicle)
    quick = run(heron_vehicle, top_rpm=3000.0 + 1.1 * 3500.0)
    assert relative_torque_pct(usual, usual) == pytest.approx(100.0)
    assert relative_torque_pct(quick, usual) == pytest.approx(110.0, abs=0.7)
    assert relative_torque_pct(usual, quick) == pytest.approx(100.0 / 1.1, abs=0.7)


def test_runs_of_two_gears_or_of_other_speeds_are_not_compared(heron_vehicle: Vehicle) -> None:
    assert np.isnan(relative_torque_pct(run(heron_vehicle, gear=4.0), run(heron_vehicle)))
    assert np.isnan(relative_torque_pct(run(heron_vehicle, top_rpm=3700.0), run(heron_vehicle)))


def test_the_time_to_a_speed_counts_from_the_first_sample(heron_vehicle: Vehicle) -> None:
    pull = pull_of(run_up(), heron_vehicle)
    # 3500 rpm in 4.98 s, evenly.
    assert pull.reached["4000"] == pytest.approx(1000.0 / 3500.0 * 4.98, abs=0.03)
    assert list(pull.reached) == ["4000", "5000", "6000"]


def test_the_first_tenths_are_acceleration_enrichment_by_the_pulse_width(
    heron_vehicle: Vehicle, heron_log: Log
) -> None:
    log = heron_log
    report = find_pulls([log], heron_vehicle)
    full = [p for p in report.pulls if p.kind == "full"]
    assert full and all(0.5 <= p.settles_s <= 1.5 for p in full)
    blind = {r: v for r, v in log.channels.items() if r not in (Role.PULSE_WIDTH, Role.DUTY)}
    without = find_pulls([replace(log, channels=blind)], heron_vehicle)
    assert all(p.settles_s == 0.5 for p in without.pulls)
    # The simulated ECU enriches while MAP rises; that is over within its decay of 0.35 s and a
    # little more.
    fuel = report.conditions.motion.enrichment
    for pull in full:
        after = slice(pull.start + int(25 * pull.settles_s) + 2, pull.stop)
        assert fuel[after].max() < 1.06
