"""The whole path on the simulated car, and what hangs on its result."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.joining import join_logs
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.findings import find_faults
from lean_trim.core.drive.conditions import make_conditions
from lean_trim.core.drive.frame import Frame, make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.errors import CancelledError, LogError
from lean_trim.core.estimation.surface import SurfaceSettings
from lean_trim.core.pipeline.solve import Solution, SolveSettings, refit, solve
from tests.builders import small_vehicle, steady_states, with_channel


def test_residual_is_the_planted_error() -> None:
    log = steady_states(1.06)
    solution = solve([log], small_vehicle())
    assert solution.residual.rms == pytest.approx(6.0, abs=0.1)
    assert solution.residual.trim_rms == pytest.approx(100 * (np.sqrt(1.06) - 1), abs=0.1)
    assert solution.residual.within_3 == 0.0


def test_cancelling_raises_and_progress_rises(heron_vehicle: Vehicle, heron_log: Log) -> None:
    seen: list[float] = []
    solve([heron_log], heron_vehicle, progress=lambda share, what: seen.append(share) is None)
    assert seen == sorted(seen)
    assert seen[-1] == 1.0
    with pytest.raises(CancelledError, match="nothing was changed"):
        solve([heron_log], heron_vehicle, progress=lambda share, what: share < 0.3)


def test_several_logs_count_as_one_drive_with_a_gap() -> None:
    first = steady_states(1.05)
    second = steady_states(1.05)
    joined = join_logs([first, second])
    assert len(joined) == 2 * len(first)
    assert joined.time_s[len(first)] - joined.time_s[len(first) - 1] == pytest.approx(10.0)
    both = solve([first, second], small_vehicle())
    one = solve([first], small_vehicle())
    assert both.estimate.seconds.sum() > 1.9 * one.estimate.seconds.sum()
    with pytest.raises(LogError, match="no log given"):
        join_logs([])


def test_both_schools_agree_where_there_is_much_driving(
    heron_vehicle: Vehicle, heron_log: Log, heron_solution: Solution
) -> None:
    by_cell = solve([heron_log], heron_vehicle, SolveSettings(method="average"))
    averages = by_cell.estimate
    surface = heron_solution.estimate
    # Delay, film and heat are no matter of methods; without them averages are off by half as much
    # again.
    assert by_cell.delay == heron_solution.delay
    assert averages.wall_x == surface.wall_x
    much = (averages.seconds > 5.0) & (surface.seconds > 5.0)
    assert much.sum() > 15
    assert np.median(np.abs(averages.correction_pct - surface.correction_pct)[much]) < 1.5


def test_k_along_is_nan_exactly_where_samples_are_left_out(heron_solution: Solution) -> None:
    np.testing.assert_array_equal(np.isfinite(heron_solution.k_along), heron_solution.sifted.used)


def faults_in(frame: Frame) -> tuple[Finding, ...]:
    return find_faults(make_conditions(Motion(frame), frame.log[Role.LAMBDA]))


@pytest.mark.parametrize(
    ("role", "value", "finding"),
    [
        (Role.FUEL_DP, 250.0, "fuel_pressure"),
        (Role.KNOCK, 3.0, "knock"),
        (Role.DUTY, 95.0, "injector_duty"),
        (Role.BATTERY, 11.0, "low_voltage"),
        (Role.PULSE_WIDTH, 9.0, "other_calibration"),
    ],
)
def test_faults_that_are_not_airflow_are_found(role: Role, value: float, finding: str) -> None:
    log = with_channel(with_channel(steady_states(), Role.KNOCK, 0.0), Role.DUTY, 20.0)
    clean = make_frame(log, small_vehicle())
    assert faults_in(clean) == ()
    values = log[role].copy()
    values[3000:] = value
    frame = make_frame(with_channel(log, role, values), small_vehicle())
    found = faults_in(frame)
    assert finding in [f.id for f in found]
    assert all(f.first_time_s >= 119.0 for f in found)


def test_full_throttle_facts_are_found() -> None:
    log = steady_states()
    full = np.where(np.arange(len(log)) > 3000, 95.0, 20.0)
    log = with_channel(with_channel(log, Role.THROTTLE, full), Role.LTFT, 5.0)
    # Its own target table means no richer target there, and what is not meant is not missed.
    frame = make_frame(log, replace(small_vehicle(), target=None))
    ids = [f.id for f in faults_in(frame)]
    assert "enrichment_not_reached" in ids
    assert "trim_at_full_throttle" in ids
    lean = make_frame(with_channel(log, Role.TARGET, 0.85), small_vehicle())
    found = faults_in(lean)
    assert found[0].id == "lean_full_throttle"
    assert found[0].severity == "danger"


def test_a_stuck_sensor_is_told() -> None:
    log = steady_states(noise=0.004)
    lam = log[Role.LAMBDA].copy()
    lam[3000:3600] = lam[3000]
    (found,) = faults_in(make_frame(with_channel(log, Role.LAMBDA, lam), small_vehicle()))
    assert found.id == "sensor_stuck"
    assert found.seconds == pytest.approx(24.0, abs=0.1)
    assert found.first_time_s == pytest.approx(120.0, abs=0.1)


@pytest.mark.parametrize(("factor", "told"), [(1.1, True), (1.01, False)])
def test_fuel_the_target_does_not_name_at_full_throttle_is_told(factor: float, told: bool) -> None:
    log = with_channel(steady_states(noise=0.004), Role.TARGET, 0.9)
    full = np.arange(len(log)) > 6000
    width = (log[Role.PULSE_WIDTH] - 0.82) / 0.9 * np.where(full, factor, 1.0) + 0.82
    log = with_channel(
        with_channel(log, Role.THROTTLE, np.where(full, 95.0, 20.0)), Role.PULSE_WIDTH, width
    )
    log = with_channel(log, Role.LAMBDA, 0.9 * log[Role.LAMBDA] / np.where(full, factor, 1.0))
    found = [f for f in faults_in(make_frame(log, small_vehicle())) if f.id == "hidden_enrichment"]
    assert bool(found) == told
    assert all("10 % more fuel" in f.message for f in found)


def test_a_fit_that_did_not_come_to_rest_says_so(heron_log: Log, heron_vehicle: Vehicle) -> None:
    hurried = solve(
        [heron_log], heron_vehicle, SolveSettings(surface=SurfaceSettings(max_iterations=1))
    )
    told = [f for f in hurried.findings if f.id == "fit_not_converged"]
    assert len(told) == 1 and "had not come to rest after" in told[0].message
    again = refit(hurried, SolveSettings())
    assert not [f for f in again.findings if f.id == "fit_not_converged"]


def test_that_nothing_is_known_well_enough_is_said_with_the_reason() -> None:
    log = steady_states(1.05, seconds=2.0, noise=0.004)
    short = SolveSettings(surface=SurfaceSettings(min_seconds=60.0))
    (said,) = [
        f.message
        for f in solve([log], small_vehicle(), short).findings
        if f.id == "nothing_supported"
    ]
    assert "nowhere did the used driving stay 60 s" in said
    settings = SolveSettings(surface=SurfaceSettings(max_error_pct=0.2))
    coarse = solve([log], small_vehicle(), settings)
    (said,) = [f.message for f in coarse.findings if f.id == "nothing_supported"]
    assert "0.2 % is asked for" in said
    sound = solve([log], small_vehicle())
    assert "nothing_supported" not in {f.id for f in sound.findings}
