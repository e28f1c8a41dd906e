"""Time stamps of another clock laid on the session's."""

from __future__ import annotations

import math

WINDOW_S = 10.0
"""Over so long the frame that was delayed least tells how the two clocks stand."""
JUMP_S = 1.0
"""A stamp that steps back by more is of a clock that began anew."""


class Stamps:
    """Turns stamps into times of the session.

    What was received cannot have been measured later than that, and of ten seconds of frames one was hardly
    delayed. So a clock that runs a little slow or fast is followed, and a busy machine does not smear times.

    Parameters
    ----------
    follows : False for a drive that is played at another pace: its stamps are taken as they are.
    """

    def __init__(self, follows: bool = True) -> None:
        self.follows = follows
        self._offset_s: float | None = None
        self._last_s = -math.inf
        self._least_lag_s = math.inf
        self._window_from_s = 0.0

    def time_of(self, stamp_s: float, now_s: float) -> float:
        """When something was measured, by the session's clock.

        Parameters
        ----------
        stamp_s : by its own clock; 0 or NaN if it has none.
        now_s : when it was received, by the session's.

        Returns
        -------
        Seconds by the session's clock.
        """
        if not stamp_s or not math.isfinite(stamp_s):
            return now_s
        if self._offset_s is None or stamp_s < self._last_s - JUMP_S:
            self._offset_s = now_s - stamp_s
            self._least_lag_s = math.inf
            self._window_from_s = now_s
        self._last_s = stamp_s
        if self.follows:
            self._follow(now_s - stamp_s - self._offset_s, now_s)
        return stamp_s + self._offset_s

    def _follow(self, lag_s: float, now_s: float) -> None:
        assert self._offset_s is not None
        if lag_s < 0.0:
            self._offset_s += lag_s
            lag_s = 0.0
        self._least_lag_s = min(self._least_lag_s, lag_s)
        if now_s - self._window_from_s >= WINDOW_S:
            self._offset_s += self._least_lag_s
            self._least_lag_s = math.inf
            self._window_from_s = now_s
