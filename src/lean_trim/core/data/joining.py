"""Several logs of one round on one time base."""

from __future__ import annotations

from collections.abc import Sequence

from lean_trim.core.data.log import Log, concatenate
from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    NO_LOG = Message("joining.no_log", "no log given; at least one is needed")


JOINT_GAP_S = 10.0
"""Time between two joined logs: no hold-off, lag or delay reaches across."""


def joined_starts(logs: Sequence[Log]) -> tuple[float, ...]:
    """Where each log begins once they are joined.

    Parameters
    ----------
    logs : in the order they were driven.

    Returns
    -------
    Time of the first sample of each on the joined time base, s.
    """
    starts: list[float] = []
    for i, log in enumerate(logs):
        if i == 0:
            starts.append(float(log.time_s[0]))
        else:
            before = logs[i - 1]
            shifted_end = float(before.time_s[-1]) + (starts[-1] - float(before.time_s[0]))
            starts.append(shifted_end + JOINT_GAP_S)
    return tuple(starts)


def join_logs(logs: Sequence[Log]) -> Log:
    """Put the logs of a round on one time base, ten seconds apart, so that no rule reaches across a joint.

    Parameters
    ----------
    logs : at least one, in the order they were driven.

    Returns
    -------
    One log; its joints tell where another begins.

    Raises
    ------
    LogError
        If there is none.
    """
    if not logs:
        raise LogError(Say.NO_LOG())
    if len(logs) == 1:
        return logs[0]
    pieces = []
    for i, (log, start) in enumerate(zip(logs, joined_starts(logs), strict=True)):
        shift = start - float(log.time_s[0])
        joints = (*((start,) if i else ()), *(j + shift for j in log.joints_s))
        pieces.append(Log(log.time_s + shift, log.channels, log.name, joints, log.updates))
    return concatenate(pieces, " + ".join(log.name for log in logs))
