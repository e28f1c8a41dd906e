"""Write docs/findings.md: every finding with its sentences and when it is told.

From the program's root: ``.venv/bin/python -m tools.finding_sentences``.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from lean_trim.core.decision import shortfall
from lean_trim.core.diagnosis import of_fit
from lean_trim.core.diagnosis.odds import LEAST_TOLD, ODDS
from lean_trim.core.diagnosis.patterns.registry import PATTERNS
from lean_trim.core.diagnosis.registry import FAULTS
from lean_trim.core.messages import Message

PAGE = Path(__file__).resolve().parents[1] / "docs" / "findings.md"
HEAD = """# What a drive is told

Made by `python -m tools.finding_sentences`. Words in braces stand for figures.
Dangers are told first, causes before what follows from them.

| finding | kind | told when | what is said | what it does | what to do |
|---|---|---|---|---|---|
"""
OF_THE_FIT = (
    (
        of_fit.ENDS_ID,
        "danger",
        "a knee of the mixture in the flow of fuel, pressure not logged",
        "ENDS",
    ),
    (
        of_fit.GAUGE_ID,
        "warning",
        "a wideband off by 1.5 % beside a loop; a danger and asked from 6 %",
        "GAUGE",
    ),
    (of_fit.SLOW_ID, "note", "a time constant from 0.35 s", "SLOW"),
    (of_fit.COLD_ID, "note", "0.1 % per K below 75 °C and four errors", "COLD"),
    (of_fit.APART_ID, "warning", "two logs 3 % apart at the same states", "APART"),
)
OF_WHAT_IS_WRITTEN = (
    ("lean_hole_boost", "danger", "an undriven cell of a boosted engine stays 3 % lean", "HOLES"),
    ("supply_in_question", "danger", "8 % more than the same speed needs at little flow", "WAITS"),
    (
        "read_from_one_side",
        "note",
        "a column driving reads from one side stays 1 % rich for it",
        "ONE_SIDED",
    ),
    ("step_limited", "note", "a cell cut at a step limit", "CUT"),
)

SEVERAL = {
    "GAUGE": (
        ("GAUGE_RICH", "GAUGE_LEAN", "GAUGE_OFF", "GAUGE_IS_RIGHT"),
        ("GAUGE_NEXT", "GAUGE_ASKED", "GAUGE_LOOP_NEXT"),
    )
}
"""Findings whose effect or next step depends on the drive and on what the user says."""


def rows() -> Iterator[tuple[str, str, str, str, str, str]]:
    """Every finding in the order it is looked for."""
    for fault in FAULTS:
        when = f"seen for {fault.least_s:g} s"
        if fault.id in ODDS:
            when += f", and from {100 * LEAST_TOLD:.0f} % likely"
        texts = (fault.message, fault.effect, fault.next_step)
        yield (fault.id, fault.severity, when, *(_text(t) for t in texts))
    for pattern in PATTERNS:
        texts = (pattern.message, pattern.effect, pattern.next_step)
        when = f"{pattern.least_pct:g} % at its strongest, from {100 * LEAST_TOLD:.0f} % likely"
        yield (pattern.id, pattern.severity, when, *(_text(t) for t in texts))
    for name, kind, when, words in OF_THE_FIT:
        said = vars(of_fit.Say)
        effects, nexts = SEVERAL.get(words, ((f"{words}_EFFECT",), (f"{words}_NEXT",)))
        texts = (" Or: ".join(_text(said.get(n)) for n in names) for names in (effects, nexts))
        yield (name, kind, when, _text(said[words]), *texts)
    for name, kind, when, words in OF_WHAT_IS_WRITTEN:
        yield (name, kind, when, _text(vars(shortfall.Say)[words]), "", "")


def _text(message: Message | None) -> str:
    return "" if message is None else message.text.replace("|", "\\|").replace("\n", " ")


def page() -> str:
    """The whole page."""
    return HEAD + "".join(f"| {' | '.join(row)} |\n" for row in rows())


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
