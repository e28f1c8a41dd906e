"""Our words beside the trade's, as the shipped page has them: for the finder and for help."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib import resources

COLUMNS = 3
LEAST_LETTERS = 3
"""Letters from which a typed word is looked for."""


@dataclass(frozen=True)
class Term:
    """One line of the glossary.

    Attributes
    ----------
    ours : the word in the window.
    trade : what others call it.
    meaning : what it is.
    """

    ours: str
    trade: str
    meaning: str

    @property
    def said(self) -> str:
        """The line as a sentence."""
        trade = "" if self.trade == "the same" else f" (elsewhere: {self.trade})"
        return f"{self.ours[:1].upper()}{self.ours[1:]}{trade}: {self.meaning}."


@cache
def terms() -> tuple[Term, ...]:
    """Every line of the glossary, in its order."""
    page = resources.files("lean_trim.assets") / "glossary.md"
    out = []
    for line in page.read_text(encoding="utf-8").splitlines():
        cells = [c.strip() for c in line.strip("|").split("|")]
        if len(cells) == COLUMNS and not set(cells[0]) <= {"-", " "} and cells[0] != "ours":
            plain = [c.replace("*", "").replace("`", "") for c in cells]
            out.append(Term(*plain))
    return tuple(out)


def looked_up(text: str) -> tuple[Term, ...]:
    """Terms whose words, or whose trade's words, hold what was typed.

    Parameters
    ----------
    text : a word or its beginning.

    Returns
    -------
    Those in which a word begins so, first.
    """
    word = text.lower().strip()
    if len(word) < LEAST_LETTERS:
        return ()
    found = [t for t in terms() if word in f"{t.ours} {t.trade}".lower()]
    return tuple(
        sorted(found, key=lambda t: not any(w.startswith(word) for w in t.ours.lower().split()))
    )
