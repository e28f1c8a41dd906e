"""All words of the tables, and where they stand in a text."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import cache

from lean_trim.formats.meaning.words.tables import TABLES

_PLAIN = str.maketrans({"ł": "l", "ß": "ss", "ø": "o", "æ": "ae", "ı": "i", "đ": "d"})


def plain_name(name: str) -> str:
    """Lower case, without accents, underscores, hyphens and camel case.

    Parameters
    ----------
    name : a column's name.

    Returns
    -------
    Words as they are compared.
    """
    # T° is a temperature in French and Italian, and no time.
    wide = re.sub(r"(?<![^\W\d_])[Tt]°", "temp ", unicodedata.normalize("NFKC", name))
    cased = re.sub(r"(?<=[a-z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", " ", wide)
    spaced = re.sub(r"[_.:/\\\-–,;'’°()\[\]{}#*|\"]+", " ", cased)
    flat = unicodedata.normalize("NFKD", spaced.lower().translate(_PLAIN))
    return re.sub(r"\s+", " ", "".join(c for c in flat if not unicodedata.combining(c))).strip()


@dataclass(frozen=True)
class Word:
    """A word of the tables: its atom, and whether it has to begin or end where a word does."""

    text: str
    atom: str
    begins: bool
    ends: bool


@cache
def words() -> dict[str, tuple[Word, ...]]:
    """All words by their first letter, the longest first."""
    found: dict[str, Word] = {}
    for table in TABLES:
        for atom, listed in table.items():
            for word in listed.split(","):
                text = word.strip()
                plain = plain_name(text.strip("~*"))
                # The same word in two languages means what it means in the first of them.
                if plain:
                    begins = not text.startswith("~")
                    entry = Word(plain, atom, begins, begins and not text.endswith("*"))
                    found.setdefault(f"{begins}{entry.ends}{plain}", entry)
    index: dict[str, list[Word]] = {}
    for entry in sorted(found.values(), key=lambda e: (-len(e.text), not e.ends, e.text)):
        index.setdefault(entry.text[0], []).append(entry)
    return {letter: tuple(entries) for letter, entries in index.items()}


def hits_in(text: str) -> list[tuple[int, Word]]:
    """Where words of the tables stand in a text, the longest at every place."""
    index = words()
    out = []
    at = 0
    while at < len(text):
        for word in index.get(text[at], ()):
            end = at + len(word.text)
            if (
                text.startswith(word.text, at)
                and (not word.begins or at == 0 or not _goes_on(text[at - 1], text[at]))
                and (not word.ends or end == len(text) or not _goes_on(text[end - 1], text[end]))
            ):
                out.append((at, word))
                at = end
                break
        else:
            at += 1
    return out


def _goes_on(one: str, next_one: str) -> bool:
    """Whether a word goes on from one letter to the next; another script begins another word."""
    return one.isalpha() and next_one.isalpha() and one.isascii() == next_one.isascii()


def exact(text: str) -> str | None:
    """The atom of a whole word, None where the tables have none."""
    for word in words().get(text[0], ()):
        if word.text == text or (word.begins and not word.ends and text.startswith(word.text)):
            return word.atom
    return None
