"""Names as narrow columns and old loggers leave them: cut, without vowels, with a word more."""

from __future__ import annotations

import numpy as np

LEAST_LETTERS = 6
"""Shorter words are left as they are."""
KEPT = (4, 5, 6)
MORE = ("value", "signal", "ch1", "raw", "ECU")
VOWELS = frozenset("aeiouäöüáéíóúàèìòùâêôãõ")


def mangled(name: str, rng: np.random.Generator) -> str:
    """A name some of whose words were cut or lost their vowels, perhaps with a word that says nothing.

    Parameters
    ----------
    name : in Latin or Cyrillic letters; others are left as they are.
    rng : draws what becomes of each word.

    Returns
    -------
    Never empty.
    """
    words = [_cut(word, rng) if len(word) >= LEAST_LETTERS else word for word in name.split(" ")]
    if rng.random() < 0.2:
        words.append(MORE[int(rng.integers(len(MORE)))])
    return " ".join(words)


def _cut(word: str, rng: np.random.Generator) -> str:
    way = rng.random()
    if way < 0.35:
        return word[: KEPT[int(rng.integers(len(KEPT)))]] + ("." if rng.random() < 0.5 else "")
    if way < 0.55 and word.isascii():
        return word[0] + "".join(letter for letter in word[1:] if letter.lower() not in VOWELS)
    return word
