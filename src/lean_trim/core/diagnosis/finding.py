"""What a finding is, and what a check for one returns."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from lean_trim.core.diagnosis.odds import Sureness, probability, sureness
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import clock
from lean_trim.core.types import Mask

Severity = Literal["danger", "warning", "note"]
RANK: dict[Severity, int] = {"danger": 0, "warning": 1, "note": 2}
"""Order in which findings are told."""
Samples = Literal["count", "count_no_leaner", "left_out"]
"""What becomes of the samples that show a finding."""
SAMPLES_WORDS: Mapping[Samples, str] = {
    "count": "its samples count",
    "count_no_leaner": "its samples count, but nothing is made leaner where it was seen",
    "left_out": "its samples are left out",
}


@dataclass(frozen=True)
class Finding:
    """One thing the log shows.

    Attributes
    ----------
    id : for files and scripts.
    severity : "danger" comes first and is told before anyone corrects a table for it.
    first_time_s, seconds : where it is first seen on the joined log, and for how long in all.
    said : what was seen.
    probability : that it is so, 0 to 1, at the prior of ``odds``; 1 for what a channel says
        outright.
    effect : what it does to the table.
    next_step : what to do about it.
    samples : what becomes of the samples that show it.
    alike : ids of what this drive cannot tell it from, and ``group`` says so, with what separates
        them.
    """

    id: str
    severity: Severity
    first_time_s: float
    seconds: float
    said: Said
    probability: float = 1.0
    effect: Said | None = None
    next_step: Said | None = None
    samples: Samples = "count"
    alike: tuple[str, ...] = ()
    group: Said | None = None

    @property
    def message(self) -> str:
        """What was seen, what it may be instead and what to do next, rendered."""
        return " ".join(
            str(part) for part in (self.said, self.group, self.next_step) if part is not None
        )

    @property
    def sureness(self) -> Sureness:
        """The probability in a word."""
        return sureness(self.probability)


@dataclass(frozen=True, eq=False)
class Seen:
    """Samples that show a fault, shape (n,), and what its sentence has to say besides their time.

    ``strength`` is how much of it there is over what is told at all; NaN for the time it was seen.
    """

    mask: Mask
    values: Mapping[str, object] = field(default_factory=dict)
    strength: float = np.nan


@dataclass(frozen=True)
class Fault:
    """A check for one fault.

    Attributes
    ----------
    id, severity, message, effect, next_step, samples : of its finding; the messages may use
        ``seconds``, ``first`` and what ``look`` gave.
    least_s : seconds from which it is told (common practice, no source).
    look : the samples that show it; None if it cannot be looked for in this log.
    """

    id: str
    severity: Severity
    message: Message
    least_s: float
    look: Callable[[Conditions], Seen | None]
    effect: Message | None = None
    next_step: Message | None = None
    samples: Samples = "count"

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
        values = {"seconds": seconds, "first": clock(first), **seen.values}
        strength = (
            seen.strength if np.isfinite(seen.strength) else seconds / max(self.least_s, 1e-9)
        )
        return Finding(
            id=self.id,
            severity=self.severity,
            first_time_s=first,
            seconds=round(seconds, 2),
            said=self.message(**values),
            probability=probability(self.id, strength),
            effect=None if self.effect is None else self.effect(**values),
            next_step=None if self.next_step is None else self.next_step(**values),
            samples=self.samples,
        )
