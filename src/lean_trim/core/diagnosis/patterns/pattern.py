"""What a pattern is: a known course along the drive, times one unknown."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from lean_trim.core.diagnosis.finding import Samples, Severity
from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

LEAST_PCT = 2.5
"""Effect at its strongest from which a pattern is worth telling (common practice, no source)."""


@dataclass(frozen=True)
class Pattern:
    """A cause that shows as ln k = coefficient · course, beside the table's own error.

    Attributes
    ----------
    id, severity : of its finding.
    course : along the used samples, shape (m,); None where it cannot show in such a drive.
    spread : standard deviation of the coefficient if the cause is there (common practice, no
        source).
    sign : 1 or -1 where the cause works one way only, else 0.
    in_time : whether it is learnt within places as well, for it changes while the state does not.
    message : what was seen; may use ``size`` and ``error``, percent at its strongest, ``coefficient``
        and ``coefficient_pct``, and ``begins`` and ``ends``, the clock of the first and the last
        used sample.
    effect, next_step, samples : of its finding.
    test : what separates it from what it looks like.
    general : whether its course resembles many others; too slight to be told, it explains nothing away.
    least_pct : effect at its strongest from which it is worth telling, percent.
    blocks : whether nothing is made leaner where it shows, until it is settled.
    """

    id: str
    severity: Severity
    course: Callable[[Driving], Floats | None]
    spread: float
    sign: int
    message: Message
    effect: Message
    next_step: Message
    name: str
    test: Message
    in_time: bool = False
    general: bool = False
    least_pct: float = LEAST_PCT
    blocks: bool = False
    samples: Samples = "count"
