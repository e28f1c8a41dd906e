"""How a car's drive ends up in its log: rate, holes, impossible readings, channels nobody logged."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log

IMPOSSIBLE: dict[Role, float] = {
    Role.RPM: 65535.0,
    Role.LAMBDA: 1e6,
    Role.MAP: 6553.5,
    Role.COOLANT: 215.0,
    Role.THROTTLE: 655.35,
}
"""What a lost or broken reading looks like in many logs (common practice, no source)."""


@dataclass(frozen=True)
class Dress:
    """How a drive was logged.

    Attributes
    ----------
    log_hz : rows a second.
    holes : share of the cells of every channel that is blank.
    impossible : share of the rows in which one channel reads what no engine can.
    without_width, without_lambda : pulse width and duty, or the wideband, were not logged.
    lambda_ends : least and largest lambda the meter's output can show.
    lambda_step : what its last digit is worth; 0 for as many digits as there are.
    """

    log_hz: float = 25.0
    holes: float = 0.0
    impossible: float = 0.0
    without_width: bool = False
    without_lambda: bool = False
    lambda_ends: tuple[float, float] = (0.0, np.inf)
    lambda_step: float = 0.0


def dressed(log: Log, dress: Dress, seed: int) -> Log:
    """The log as its owner would bring it."""
    rng = np.random.default_rng([seed, 5])
    channels = {role: np.array(values) for role, values in log.channels.items()}
    if dress.without_width:
        channels.pop(Role.PULSE_WIDTH, None)
        channels.pop(Role.DUTY, None)
    if dress.without_lambda:
        channels.pop(Role.LAMBDA, None)
    if Role.LAMBDA in channels:
        shown = np.clip(channels[Role.LAMBDA], *dress.lambda_ends)
        if dress.lambda_step:
            shown = np.round(shown / dress.lambda_step) * dress.lambda_step
        channels[Role.LAMBDA] = shown
    for role in sorted(channels):
        channels[role][rng.random(len(log)) < dress.holes] = np.nan
    rows = np.flatnonzero(rng.random(len(log)) < dress.impossible)
    roles = [r for r in IMPOSSIBLE if r in channels]
    for row, which in zip(rows, rng.integers(len(roles), size=len(rows)), strict=True):
        channels[roles[which]][row] = IMPOSSIBLE[roles[which]]
    return replace(log, channels=channels)
