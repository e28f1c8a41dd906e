"""What the engine was doing, and which knob tells so."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.conditions import make_conditions
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.regimes import Regime, RegimeSettings, fuel_cut
from tests.builders import small_vehicle

N = 200
"""Rows, ten a second: ten seconds of cruise, then ten of overrun."""
OVERRUN = slice(N // 2, N)


def coasting(throttle_pct: float = 0.0, rpm: float = 2000.0, lam: float = 1.6) -> Log:
    """A log without pulse width, so that lambda alone tells of the cut."""
    throttle = np.full(N, 20.0)
    throttle[OVERRUN] = throttle_pct
    mixture = np.ones(N)
    mixture[OVERRUN] = lam
    channels = {
        Role.RPM: np.full(N, rpm),
        Role.MAP: np.full(N, 50.0),
        Role.LAMBDA: mixture,
        Role.THROTTLE: throttle,
        Role.COOLANT: np.full(N, 90.0),
    }
    return Log(0.1 * np.arange(N), channels)


def cut_share(log: Log, settings: RegimeSettings | None = None) -> float:
    return float(fuel_cut(make_frame(log, small_vehicle()), settings)[OVERRUN].mean())


def test_lambda_tells_a_cut_on_a_closed_throttle_above_idle_only() -> None:
    assert cut_share(coasting()) == 1.0
    assert cut_share(coasting(lam=1.1)) == 0.0
    assert cut_share(coasting(rpm=1000.0)) == 0.0


@pytest.mark.parametrize(
    ("log", "settings"),
    [
        (coasting(throttle_pct=3.0), RegimeSettings(closed_pct=4.0)),
        (coasting(throttle_pct=1.0), RegimeSettings(closed_pct=0.5)),
    ],
)
def test_the_knob_of_the_closed_throttle_moves_the_cut(log: Log, settings: RegimeSettings) -> None:
    """It once stood bare beside the knob and moved with nothing."""
    assert cut_share(log) != cut_share(log, settings)
    motion = Motion(make_frame(log, small_vehicle()))
    conditions = make_conditions(motion, log[Role.LAMBDA], settings)
    told = np.mean(conditions.regime[OVERRUN] == Regime.OVERRUN)
    assert told == cut_share(log, settings) == conditions.fuel_cut[OVERRUN].mean()
