"""What the user measured apart from the drive's mixture, in his own words and units.

Loads nothing heavy: the command line names the usual errors before anything is worked out.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    NOT_POSITIVE = Message(
        "measured.not_positive", "{what} is {value:g} {unit}; it has to be above 0"
    )
    ERROR_RANGE = Message(
        "measured.error_range",
        "the error of {what} is {pct:g} %; allowed are {low:g} to {high:g} %",
    )


ERROR_PCT = (0.1, 20.0)
"""Errors that can be stated, percent; a smaller one is a slip, with a larger one nothing is
known."""
WEIGHED_ERROR_PCT = 1.0
BENCH_ERROR_PCT = 1.5
"""Taken where nothing is said (common practice, no source)."""


@dataclass(frozen=True)
class MeasuredWords:
    """What the user measured; 0 where nothing was.

    Attributes
    ----------
    fuel_g, fuel_error_pct : fuel burnt over all logs, and its error.
    flow_g_per_s, flow_error_pct : of one injector at the rated pressure, by a flow bench, with the
        fuel in the tank.
    one_ms, two_ms, at_volts : pulse with one and with two injections a cycle at one steady state.
    """

    fuel_g: float = 0.0
    fuel_error_pct: float = WEIGHED_ERROR_PCT
    flow_g_per_s: float = 0.0
    flow_error_pct: float = BENCH_ERROR_PCT
    one_ms: float = 0.0
    two_ms: float = 0.0
    at_volts: float = 14.0

    def __post_init__(self) -> None:
        for what, value, unit in (
            ("the fuel that was weighed", self.fuel_g, "g"),
            ("the flow that was measured", self.flow_g_per_s, "g/s"),
            ("the pulse", min(self.one_ms, self.two_ms), "ms"),
            ("the battery", self.at_volts, "V"),
        ):
            if not value >= 0.0 or not math.isfinite(value):
                raise BadInputError(Say.NOT_POSITIVE(what=what, value=value, unit=unit))
        low, high = ERROR_PCT
        for what, pct in (("the fuel", self.fuel_error_pct), ("the flow", self.flow_error_pct)):
            if not low <= pct <= high:
                raise BadInputError(Say.ERROR_RANGE(what=what, pct=pct, low=low, high=high))

    @property
    def tells_flow(self) -> bool:
        """True if the flow is known apart from the airflow table."""
        return self.fuel_g > 0.0 or self.flow_g_per_s > 0.0
