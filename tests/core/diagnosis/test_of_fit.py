"""What a fit tells of itself: a slow sensor, a cold engine, logs that do not agree."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.of_fit import cold_engine, logs_disagree, sensor_slow
from lean_trim.core.drive.delay import DelaySettings
from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.delay_fit import DelayEstimate
from lean_trim.core.estimation.estimate import Coefficient
from lean_trim.core.estimation.log_shares import LogShare
from lean_trim.core.pipeline.solve import Solution, solve
from tests.builders import small_vehicle, steady_states, without
from tests.core.diagnosis.test_faults import found_in, planted


@pytest.mark.parametrize(("constant_s", "told"), [(0.55, True), (0.12, False)])
def test_a_sensor_that_answers_late_is_told(constant_s: float, told: bool) -> None:
    estimate = DelayEstimate(DelaySettings(sensor_s=constant_s), True, sensor_se_s=0.04)
    found = sensor_slow(estimate)
    assert (found is not None) == told
    assert sensor_slow(replace(estimate, estimated=False)) is None
    if found is not None:
        assert "0.55 s (± 0.04)" in found.message


@pytest.mark.parametrize(
    ("per_k", "error", "told"),
    [(0.002, 0.0002, True), (0.002, 0.001, False), (0.0002, 0.00001, False)],
)
def test_a_cold_engine_is_told_where_it_is_sure(
    heron_solution: Solution, per_k: float, error: float, told: bool
) -> None:
    estimate = replace(heron_solution.estimate, shared=(Coefficient(Term.COLD, per_k, error),))
    found = cold_engine(estimate)
    assert (found is not None) == told
    if found is not None:
        assert "+2.0 % fuel per 10 K" in found.message


def share(name: str, apart_pct: float, weight_pct: float = 50.0) -> LogShare:
    return LogShare(name, 600.0, 300.0, weight_pct, apart_pct, False)


def test_logs_that_do_not_agree_are_named() -> None:
    found = logs_disagree([share("morning", -2.5), share("evening", 2.0)])
    assert found is not None and "evening needs 4.5 % more fuel than morning" in found.message
    assert logs_disagree([share("morning", -1.0), share("evening", 1.0)]) is None
    assert logs_disagree([share("all", 5.0)]) is None
    assert logs_disagree([share("morning", -2.5), share("a minute", 9.0, weight_pct=2.0)]) is None


def test_two_logs_of_one_car_with_another_sensor_place_disagree() -> None:
    logs = [
        replace(steady_states(k, noise=0.003), name=n)
        for k, n in ((1.0, "before"), (1.06, "after"))
    ]
    found = {f.id: f for f in solve(logs, small_vehicle()).findings}
    assert "after needs" in found["logs_disagree"].message
    same = [replace(steady_states(1.03, noise=0.003), name=n) for n in ("before", "after")]
    assert "logs_disagree" not in {f.id for f in solve(same, small_vehicle()).findings}


def test_channels_that_were_not_logged_are_told_once_full_throttle_was_driven() -> None:
    wide = planted(Role.THROTTLE, 99.0)
    told = found_in(without(wide, Role.FUEL_DP))["channels_missing"].message
    assert (
        "without fuel pressure" in told.lower() and "a pump that sags" in told and "knock" in told
    )
    assert "channels_missing" not in found_in(without(steady_states(), Role.FUEL_DP))
