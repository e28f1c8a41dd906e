"""docs/findings.md holds every finding as it is said."""

from __future__ import annotations

from lean_trim.core.diagnosis.patterns.registry import PATTERNS
from lean_trim.core.diagnosis.registry import FAULTS
from tools.finding_sentences import PAGE, page


def test_the_page_is_what_the_program_says() -> None:
    assert PAGE.read_text(encoding="utf-8") == page()


def test_no_finding_speaks_in_words_nobody_uses() -> None:
    """Plain trade English: needs, kinds, excluded."""
    text = page()
    for id in (*(f.id for f in FAULTS), *(p.id for p in PATTERNS)):
        assert f"| {id} |" in text
    for word in ("asks for more", "sorts of", "told apart"):
        assert word not in text
