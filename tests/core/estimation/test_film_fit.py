"""The wall film's time constant, on films integrated step by step (Aquino, SAE 810494, from memory)."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.film import DEFAULT_TAU_S
from lean_trim.core.drive.frame import Frame, make_frame
from lean_trim.core.estimation.film_fit import estimate_film
from tests.builders import make_log, small_vehicle, with_channel

HZ = 50.0
N = 9000
TIME = np.arange(N) / HZ


def stepping(share: float, tau_s: float, every_s: float = 6.0) -> tuple[Frame, np.ndarray]:
    """Load steps every few seconds, and what the film makes of them: dm/dt = X f - m / tau."""
    rng = np.random.default_rng(2)
    levels = rng.uniform(35.0, 95.0, int(TIME[-1] / every_s) + 1)
    pressure = levels[(TIME / every_s).astype(int)]
    log = make_log(TIME, np.full(N, 2600.0), pressure)
    frame = make_frame(log, small_vehicle())
    flow = frame.flow_g_per_s
    # More lands on the walls at more pressure, and at 2600 rpm it evaporates sooner than at 2000.
    joins = share * (1.0 + 0.4 * (pressure - 50.0) / 100.0)
    evaporates = tau_s * np.exp(-0.05 * 0.6)
    film = joins[0] * flow[0] * evaporates
    reached = np.empty(N)
    fine = 20
    for i in range(N):
        total = 0.0
        for _ in range(fine):
            gone = film / evaporates
            total += (1.0 - joins[i]) * flow[i] + gone
            film += (joins[i] * flow[i] - gone) / (HZ * fine)
        reached[i] = total / fine
    # Lambda is air over fuel that reached the cylinder, and k goes with it.
    return frame, flow / reached - 1.0 + 0.004 * rng.standard_normal(N)


@pytest.mark.parametrize(("share", "tau_s"), [(0.25, 0.3), (0.15, 0.8)])
def test_share_and_time_constant_are_recovered(share: float, tau_s: float) -> None:
    frame, left = stepping(share, tau_s)
    found = estimate_film(frame, left, np.ones(N, bool))
    assert found.estimated
    assert found.tau_s == pytest.approx(tau_s, abs=2.0 * found.tau_se_s)
    assert found.tau_se_s < 0.25 * tau_s
    assert found.share == pytest.approx(share, rel=0.15)
    assert found.events >= 8


def test_a_steady_drive_tells_nothing() -> None:
    log = make_log(TIME, np.full(N, 2600.0), np.full(N, 60.0))
    frame = make_frame(log, small_vehicle())
    found = estimate_film(frame, np.zeros(N), np.ones(N, bool))
    assert not found.estimated
    assert found.tau_s == DEFAULT_TAU_S


def test_events_without_any_answer_tell_nothing() -> None:
    frame, _ = stepping(0.0, 0.5)
    noise = 0.02 * np.random.default_rng(5).standard_normal(N)
    assert not estimate_film(frame, noise, np.ones(N, bool)).estimated


def test_a_cold_engine_does_not_speak_for_a_warm_one() -> None:
    frame, left = stepping(0.25, 0.3)
    cold: Log = with_channel(frame.log, Role.COOLANT, 40.0)
    assert not estimate_film(make_frame(cold, small_vehicle()), left, np.ones(N, bool)).estimated
