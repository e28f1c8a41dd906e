"""Pulse width from injector duty, for logs that hold only that."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, fill_missing
from lean_trim.core.physics import pulse_width_of_duty_ms
from lean_trim.core.types import Floats

WORST_STEP = 0.03
NEAR = 0.03
LEAST_SHARE = 0.5
"""A reading is fine enough if one step of it is 3 % at most.

Fuel by pulse width bears it out within 3 % for half of the driving.
"""


def duty_will_do(log: Log) -> bool:
    """True if pulse width is missing and duty is there, with both trims.

    Without them a wrong duty would pass for a trim.

    Returns true if duty may stand in for the pulse width.
    """
    needed = (Role.DUTY, Role.RPM, Role.STFT, Role.LTFT)
    return Role.PULSE_WIDTH not in log and all(role in log for role in needed)


def with_width_from_duty(log: Log) -> Log:
    """The log with a pulse width.

    0 at no duty, NaN where duty is too coarse to tell it, for one opening in two revolutions.

    Returns the same log with one more channel.
    """
    duty = log[Role.DUTY]
    fine = (duty == 0.0) | (duty >= _step(duty) / WORST_STEP)
    width = np.where(
        fine, pulse_width_of_duty_ms(duty, np.maximum(fill_missing(log[Role.RPM]), 1.0)), np.nan
    )
    return replace(log, channels={**log.channels, Role.PULSE_WIDTH: width})


def bears_out(ratio: Floats) -> bool:
    """True if fuel by that pulse width stays near fuel by table and trims wherever it is known.

    Parameters
    ----------
    ratio : fuel by that pulse width over fuel by table and trims, NaN where unknown, shape (n,).

    Returns
    -------
    True if the pulse width worked out from duty can be used.
    """
    known = ratio[np.isfinite(ratio)]
    return len(known) > 0 and float(np.mean(np.abs(known - 1.0) < NEAR)) >= LEAST_SHARE


def _step(values: Floats) -> float:
    """Smallest step between the values that occur, from at most about 20 000 of them.

    0 where fewer than two occur.
    """
    some = values[:: max(1, len(values) // 20_000)]
    steps = np.diff(np.unique(some[np.isfinite(some)]))
    steps = steps[steps > 1e-9]
    return float(steps.min()) if len(steps) else 0.0
