"""What a finding is, and what a check for one returns."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import clock
from lean_trim.core.types import Mask

Severity = Literal["danger", "warning", "note"]
RANK: dict[Severity, int] = {"danger": 0, "warning": 1, "note": 2}
"""Order in which findings are told."""


@dataclass(frozen=True)
class Finding:
    """One thing the log shows.

    Attributes
    ----------
    id : for files and scripts.
    severity : "danger" comes first and is told before anyone corrects a table for it.
    first_time_s, seconds : where it is first seen on the joined log, and for how long in all.
    said : the sentence.
    """

    id: str
    severity: Severity
    first_time_s: float
    seconds: float
    said: Said

    @property
    def message(self) -> str:
        """The rendered sentence."""
        return str(self.said)


@dataclass(frozen=True, eq=False)
class Seen:
    """Samples that show a fault, shape (n,), and what its sentence has to say besides their time."""

    mask: Mask
    values: Mapping[str, object] = field(default_factory=dict)


@dataclass(frozen=True)
class Fault:
    """A check for one fault.

    Attributes
    ----------
    id, severity, message : of its finding; the message may use ``seconds`` and ``first``.
    least_s : seconds from which it is told (common practice, no source).
    look : the samples that show it; None if it cannot be looked for in this log.
    """

    id: str
    severity: Severity
    message: Message
    least_s: float
    look: Callable[[Conditions], Seen | None]

    def find(self, conditions: Conditions) -> Finding | None:
        """Look for the fault.

        Parameters
        ----------
        conditions : one joined log with its regimes and aligned lambda.

        Returns
        -------
        The finding, or None if the fault is not seen for long enough.
        """
        seen = self.look(conditions)
        return None if seen is None else self.told(conditions, seen)

    def told(self, conditions: Conditions, seen: Seen) -> Finding | None:
        """The finding of samples that show the fault.

        Parameters
        ----------
        conditions : one joined log.
        seen : what ``look`` gave.

        Returns
        -------
        None if that is not for long enough.
        """
        log = conditions.frame.log
        seconds = float(log.durations_s[seen.mask].sum())
        if seconds < self.least_s or not seen.mask.any():
            return None
        first = float(log.time_s[np.flatnonzero(seen.mask)[0]])
        said = self.message(seconds=seconds, first=clock(first), **seen.values)
        return Finding(self.id, self.severity, first, round(seconds, 2), said)
