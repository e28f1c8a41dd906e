"""Which patterns are told of what evidence, and in whose place."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.patterns import after_flash, altitude
from lean_trim.core.diagnosis.patterns.pattern_evidence import Candidate, Evidence
from lean_trim.core.diagnosis.patterns.telling import tell

PATTERNS = (altitude.PATTERN, after_flash.PATTERN)
ALIKE = 0.7
"""How much the two courses resemble each other."""


def told_of(effect: float, strongest: float) -> list[str]:
    """What is told where only the first pattern is at work, so strongly, with a course so large."""
    information = 4e4 * np.array([[[1.0, -ALIKE], [-ALIKE, 1.0]]])
    score = information[:, :, 0] * effect
    candidates = tuple(Candidate(p.spread, p.sign, True) for p in PATTERNS)
    evidence = Evidence(np.zeros(1), information, score, candidates)
    time_s = np.arange(100.0)
    courses = np.array([np.linspace(-strongest, strongest, 100), np.exp(-time_s / 30.0)])
    return [t.finding.id for t in tell(evidence, PATTERNS, courses, time_s, np.ones(100))]


def test_a_pattern_is_told_where_it_is_large() -> None:
    assert told_of(0.05, 1.0) == ["altitude"]


def test_one_too_slight_to_be_told_is_not_replaced_by_what_resembles_it() -> None:
    assert told_of(0.05, 0.2) == []
