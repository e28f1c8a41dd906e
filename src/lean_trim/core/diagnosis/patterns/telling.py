"""From the weight of every pattern to findings: the likeliest first, with what it cannot be told from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.odds import LEAST_TOLD, probability
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.diagnosis.patterns.pattern_evidence import Evidence, Weight
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import clock
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    ALIKE = Message(
        "telling.alike", "One drive cannot tell it from {others}. What separates them: {tests}."
    )


MOST = 3
"""Patterns told of one drive; more would explain anything."""
NEAR = 2.0
"""Difference of the logarithm of two Bayes factors within which a drive does not tell two causes
apart."""
STRONG = 99.8
"""Percentile of a course that stands for its strongest: single readings are noise."""
HALF = 0.5
"""Share of its strongest from which a course is said to be at work."""


@dataclass(frozen=True, eq=False)
class Told:
    """A pattern that was found.

    Attributes
    ----------
    finding : what is said of it.
    effect : on ln k, at every used sample, shape (m,); ``coefficient`` times its course.
    blocks : whether nothing is made leaner where it shows.
    """

    finding: Finding
    effect: Floats
    blocks: bool
    coefficient: float = 0.0

    @property
    def shows(self) -> Mask:
        """Used samples at which it is at least half of its strongest."""
        size = np.abs(self.effect)
        return np.asarray(size >= HALF * _strongest(size))


def tell(
    evidence: Evidence,
    patterns: Sequence[Pattern],
    courses: Floats,
    time_s: Floats,
    seconds: Floats,
    barred: Sequence[int] = (),
) -> tuple[Told, ...]:
    """Take the likeliest pattern, then look at what is left.

    Parameters
    ----------
    evidence : of all patterns.
    patterns : in its order.
    courses : of the patterns, shape (t, m).
    time_s, seconds : of the used samples, shape (m,).
    barred : patterns that are not borne out otherwise.

    Returns
    -------
    Those worth telling, the likeliest first.
    """
    found: list[Told] = []
    left = [j for j in range(len(patterns)) if j not in barred]
    while left and len(found) < MOST:
        weights = evidence.weigh()
        best = max(left, key=lambda j: weights[j].log_factor)
        worth = [j for j in left if _strongest_pct(weights[j], courses[j]) >= patterns[j].least_pct]
        if (
            best not in worth
            and probability(patterns[best].id, _factor(weights[best])) >= LEAST_TOLD
        ):
            # Too slight to be told, but there: what resembles it must not stand in for it.
            left.remove(best)
            if not patterns[best].general:
                evidence = evidence.given(best)
            continue
        if not worth:
            break
        best = max(worth, key=lambda j: weights[j].log_factor)
        alike = [
            j
            for j in worth
            if j != best and weights[j].log_factor > weights[best].log_factor - NEAR
        ]
        # Whichever of them it is: what cannot be told apart is likely together.
        factor = float(np.logaddexp.reduce([weights[j].log_factor for j in (best, *alike)]))
        share = probability(patterns[best].id, float(np.exp(min(factor, 100.0))))
        if share < LEAST_TOLD:
            break
        others = [patterns[j] for j in sorted(alike, key=lambda j: -weights[j].log_factor)]
        effect = weights[best].coefficient * courses[best]
        finding = _finding(
            patterns[best], weights[best], courses[best], share, others, time_s, seconds
        )
        coefficient = weights[best].coefficient
        found.append(Told(finding, effect, patterns[best].blocks, coefficient))
        left = [j for j in left if j not in (best, *alike)]
        evidence = evidence.given(best)
    return tuple(found)


def _factor(weight: Weight) -> float:
    return float(np.exp(min(weight.log_factor, 100.0)))


def _strongest_pct(weight: Weight, course: Floats) -> float:
    return 100.0 * abs(weight.coefficient) * _strongest(course)


def _strongest(course: Floats) -> float:
    """Size of a course where it is strongest; one that is rarely at work is not lost."""
    size = np.abs(course)
    return float(np.percentile(size, STRONG)) or float(size.max())


def _finding(
    pattern: Pattern,
    weight: Weight,
    course: Floats,
    share: float,
    others: Sequence[Pattern],
    time_s: Floats,
    seconds: Floats,
) -> Finding:
    strongest = _strongest(course)
    shows = np.abs(course) >= HALF * strongest
    said = pattern.message(
        size=100.0 * weight.coefficient * strongest,
        error=100.0 * weight.std_error * strongest,
        coefficient=weight.coefficient,
        coefficient_pct=100.0 * weight.coefficient,
        begins=clock(float(time_s[0]), 0),
        ends=clock(float(time_s[-1]), 0),
    )
    group: Said | None = None
    if others:
        tests = dict.fromkeys([str(pattern.test()), *(str(o.test()) for o in others)])
        group = Say.ALIKE(others=_listed([o.name for o in others]), tests="; ".join(tests))
    return Finding(
        id=pattern.id,
        severity=pattern.severity,
        first_time_s=float(time_s[np.flatnonzero(shows)[0]]),
        seconds=round(float(seconds[shows].sum()), 2),
        said=said,
        probability=share,
        effect=pattern.effect(),
        next_step=pattern.next_step(),
        samples=pattern.samples,
        alike=tuple(o.id for o in others),
        group=group,
    )


def _listed(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} or {names[-1]}"
