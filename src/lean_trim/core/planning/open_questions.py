"""Causes a drive cannot tell apart, each with what the next drive may do to separate them."""

from __future__ import annotations

from collections.abc import Sequence

from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.patterns.registry import PATTERNS
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    APART = Message("open_questions.apart", "To tell {first} from {others}: {tests}.")


def open_questions(findings: Sequence[Finding]) -> tuple[str, ...]:
    """What separates causes the findings leave open.

    Parameters
    ----------
    findings : of the drives so far.

    Returns
    -------
    A sentence for each group of causes that look alike; none where nothing is open.
    """
    by_id = {pattern.id: pattern for pattern in PATTERNS}
    told = []
    for finding in findings:
        group = [by_id[i] for i in (finding.id, *finding.alike) if i in by_id]
        if finding.id not in by_id or len(group) < 2:
            continue
        first, *others = group
        tests = dict.fromkeys(str(pattern.test()) for pattern in group)
        told.append(
            str(
                Say.APART(
                    first=first.name,
                    others=" or ".join(p.name for p in others),
                    tests="; ".join(tests),
                )
            )
        )
    return tuple(told)
