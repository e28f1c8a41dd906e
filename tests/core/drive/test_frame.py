"""What the ECU did at each sample."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.errors import LogError
from lean_trim.core.pipeline.solve import solve
from tests.builders import maf_vehicle, small_vehicle, steady_states, with_channel, without


def test_pulse_width_that_follows_from_table_and_trims_gives_a_fuel_ratio_of_one() -> None:
    frame = make_frame(steady_states(1.1), small_vehicle())
    np.testing.assert_allclose(frame.fuel_ratio, 1.0, rtol=1e-9)


def test_extra_fuel_shows_in_the_fuel_ratio() -> None:
    log = steady_states()
    dead = 0.82
    richer = with_channel(log, Role.PULSE_WIDTH, (log[Role.PULSE_WIDTH] - dead) * 1.2 + dead)
    np.testing.assert_allclose(make_frame(richer, small_vehicle()).fuel_ratio, 1.2, rtol=1e-9)


def test_target_is_looked_up_where_it_was_not_logged() -> None:
    log = without(steady_states(), Role.TARGET)
    np.testing.assert_allclose(make_frame(log, small_vehicle()).target, 1.0)


def test_target_in_neither_log_nor_table_is_an_error_that_says_so() -> None:
    n = 50
    log = Log(
        np.arange(n) * 0.1,
        {Role.RPM: np.full(n, 2e3), Role.MAF_HZ: np.full(n, 3e3), Role.LAMBDA: np.ones(n)},
    )
    with pytest.raises(LogError, match="no target lambda, and no target table"):
        make_frame(log, maf_vehicle())


@pytest.mark.parametrize("role", [Role.RPM, Role.MAP, Role.LAMBDA])
def test_a_missing_channel_is_named(role: Role) -> None:
    with pytest.raises(LogError, match=role):
        make_frame(without(steady_states(), role), small_vehicle())


def test_air_per_cylinder_of_a_maf_car_follows_from_flow_and_speed() -> None:
    n = 10
    channels = {
        Role.RPM: np.full(n, 3000.0),
        Role.MAF_HZ: np.full(n, 4000.0),
        Role.LAMBDA: np.ones(n),
        Role.TARGET: np.ones(n),
    }
    frame = make_frame(Log(np.arange(n) * 0.1, channels), maf_vehicle())
    np.testing.assert_allclose(frame.air_g, 25.0 * 120.0 / (5 * 3000.0))


@pytest.mark.parametrize("flag", [True, False], ids=["with loop flag", "without"])
def test_a_narrowband_loop_needs_no_wideband(flag: bool) -> None:
    """The trim swings by ±3 % around what the table lacks.

    Lambda is 1 on average while the loop is closed.
    """
    log = steady_states(1.0)
    swing = 100 * (1.06 - 1) + 3.0 * np.sign(np.sin(2 * np.pi * log.time_s / 0.9)) * np.linspace(
        0.9, 1.1, len(log)
    )
    log = without(with_channel(log, Role.STFT, swing), Role.LAMBDA, Role.PULSE_WIDTH)
    if flag:
        log = with_channel(log, Role.CLOSED_LOOP, 1.0)
    else:
        swing = np.round(swing + 0.01 * np.sin(log.time_s * 40), 3)
        log = with_channel(log, Role.STFT, swing)
    solution = solve([log], small_vehicle(feedback="narrowband"))
    supported = solution.estimate.supported
    assert supported.all()
    np.testing.assert_allclose(solution.estimate.correction_pct[supported], 6.0, atol=0.8)


def test_a_wideband_car_without_lambda_is_still_refused() -> None:
    with pytest.raises(LogError, match="lacks lambda"):
        make_frame(without(steady_states(), Role.LAMBDA), small_vehicle())
