"""The one equation: sign and size of every factor."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.estimation.observations import correction_factor, observe, relative_variance
from tests.builders import make_log, small_vehicle, with_channel

N = 300
TIME = np.arange(N) * 0.04
STEADY = make_log(TIME, np.full(N, 2500.0), np.full(N, 50.0))


def k_of(log: Log) -> float:
    frame = make_frame(log, small_vehicle())
    return float(correction_factor(frame, frame.log[Role.LAMBDA])[N // 2])


def bare(role: Role, value: float) -> Log:
    """Pulse width taken away, so that only the factor in question acts."""
    log = with_channel(STEADY, role, value)
    return Log(log.time_s, {r: v for r, v in log.channels.items() if r is not Role.PULSE_WIDTH})


@pytest.mark.parametrize(
    ("role", "value", "k"),
    [
        (Role.STFT, 5.0, 1.05),
        (Role.LTFT, -4.0, 0.96),
        (Role.LAMBDA, 1.1, 1.1),
        (Role.TARGET, 0.8, 1.25),
        (Role.FUEL_DP, 243.0, 0.9),
    ],
    ids=[
        "feedback adds fuel: more air",
        "trim takes fuel",
        "lean: more air",
        "rich target met by lambda 1",
        "pump sags",
    ],
)
def test_each_factor_points_the_right_way(role: Role, value: float, k: float) -> None:
    assert k_of(bare(role, value)) == pytest.approx(k, rel=1e-9)


def test_only_the_product_of_trim_and_lambda_counts() -> None:
    """While feedback catches up, the error moves from lambda into the trim; k must not move."""
    for share in (0.0, 0.3, 1.0):
        trim = 1.08**share
        log = with_channel(bare(Role.STFT, 100 * (trim - 1)), Role.LAMBDA, 1.08 / trim)
        assert k_of(log) == pytest.approx(1.08)


def test_enrichment_seen_in_the_pulse_width_is_not_taken_for_air() -> None:
    """Ten percent more fuel than table and trims explain, and lambda ten percent richer.

    The table is right.
    """
    dead = 0.82
    log = with_channel(STEADY, Role.PULSE_WIDTH, (STEADY[Role.PULSE_WIDTH] - dead) * 1.1 + dead)
    assert k_of(with_channel(log, Role.LAMBDA, 1.0 / 1.1)) == pytest.approx(1.0, rel=1e-6)


def test_uncertainty_grows_with_rate_and_distance_from_stoichiometry() -> None:
    steady = make_frame(STEADY, small_vehicle())
    moving = make_frame(with_channel(STEADY, Role.MAP, 40.0 + 2.0 * TIME), small_vehicle())
    lam = np.ones(N)
    assert relative_variance(Motion(steady), lam)[150] == pytest.approx(1.0)
    assert relative_variance(Motion(moving), lam)[150] > 1.05
    assert relative_variance(Motion(steady), 0.85 * lam)[150] > 1.5


def test_runs_are_numbered_by_unbroken_stretches() -> None:
    frame = make_frame(STEADY, small_vehicle())
    used = np.ones(N, bool)
    used[100:120] = False
    observations = observe(frame, np.ones(N), used)
    assert len(observations) == 280
    assert observations.run[0] == 0
    assert observations.run[-1] == 1
    assert observations.seconds.sum() == pytest.approx(280 * 0.04)
