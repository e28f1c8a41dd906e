"""A solve that ends because too little is left: what the sieve did, and what speaks against the log."""

from __future__ import annotations

from lean_trim.core.diagnosis.contradiction import Contradiction, find_contradictions
from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message, Said
from lean_trim.core.pipeline.prepare import Prepared
from lean_trim.core.sieve.sieve import RULES, Sifted


class Say:
    """Sentences of this module."""

    TOO_FEW = Message(
        "too_few.few",
        "The sieve left {left} of {total} samples; at least {needed} are needed.{took} Look at "
        "its rules, or drive longer in steady states.",
    )
    TOOK = Message("too_few.took", " Most was left out for: {reasons}.")
    CONTRADICTION = Message("too_few.contradiction", "{title}. {advice}")


MIN_OBSERVATIONS = 20
"""Samples below which no table is worked out."""
MOST_REASONS = 3
"""Reasons named, those that left out most."""


class TooFewError(LogError):
    """Too little is left to fit.

    Attributes
    ----------
    prepared, sifted : how far the solve came, so that it can be shown what was left out and why.
    contradictions : logs that do not fit the vehicle sheet, which then is the reason.
    """

    def __init__(self, left: int, prepared: Prepared, sifted: Sifted) -> None:
        self.prepared = prepared
        self.sifted = sifted
        self.contradictions: tuple[Contradiction, ...] = find_contradictions(prepared.conditions)
        super().__init__(_reason(left, sifted, self.contradictions))


def _reason(left: int, sifted: Sifted, contradictions: tuple[Contradiction, ...]) -> Said:
    # More driving helps nobody whose sheet is another car's.
    if contradictions:
        return Say.CONTRADICTION(title=contradictions[0].title, advice=contradictions[0].advice)
    rules = [
        r
        for r in RULES
        if not r.marks and r.name not in sifted.settings.disabled and sifted.counts[r.name]
    ]
    most = sorted(rules, key=lambda r: -sifted.counts[r.name])[:MOST_REASONS]
    reasons = ", ".join(f"{r.label.lower()} {sifted.seconds[r.name]:.0f} s" for r in most)
    took = str(Say.TOOK(reasons=reasons)) if reasons else ""
    total = len(sifted.conditions.frame.log)
    return Say.TOO_FEW(left=left, total=total, needed=MIN_OBSERVATIONS, took=took)
