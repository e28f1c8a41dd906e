"""How much torque one run had against another in the same gear, from how quickly engine speed rose."""

from __future__ import annotations

import numpy as np

from lean_trim.core.pulls.pull import seconds_between
from lean_trim.core.pulls.traces import PullTrace

EDGE_RPM = 100.0
"""Left out at both ends, where the throttle opens and closes."""
LEAST_RPM = 800.0
"""Engine speeds both have to have run through."""


def relative_torque_pct(trace: PullTrace, reference: PullTrace) -> float:
    """Mean torque of a run against another's.

    In one gear engine speed rises as torque less what road and air take: hill, wind and load are in
    it.

    Parameters
    ----------
    trace : of a run.
    reference : of the run that counts as 100.

    Returns
    -------
    Percent, over the engine speeds both ran through; NaN in another gear or where these are too
    few.
    """
    one = trace.pull
    other = reference.pull
    if one.gear != other.gear or not one.gear:
        return np.nan
    low = max(one.rpm_from, other.rpm_from) + EDGE_RPM
    high = min(one.rpm_to, other.rpm_to) - EDGE_RPM
    if high - low < LEAST_RPM:
        return np.nan
    took = [_seconds(t, low, high) for t in (reference, trace)]
    return 100.0 * took[0] / took[1] if took[1] > 0.0 else np.nan


def _seconds(trace: PullTrace, low: float, high: float) -> float:
    inside = slice(*trace.inside)
    return seconds_between(trace.time_s[inside], trace.rpm[inside], low, high)
