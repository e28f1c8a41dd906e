"""What the words of a column's name mean: concepts, qualifiers and places, in ten languages."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache

from lean_trim.formats.meaning.shortened import (
    MERE_UNITS,
    abbreviated,
    cut_phrase,
    inflected,
    joined_of,
    left_over,
    short_part,
)
from lean_trim.formats.meaning.word_index import hits_in, plain_name

__all__ = ["Meaning", "legible_words", "meaning_of", "plain_name", "spelled"]


_WORD_START = r"(?:\b|(?<=[a-z]))"
_BANK_WORDS = "bank|banc|bancata|banco|ban|ряд|банк|バンク第|バンク|缸组|缸列"
_SENSOR_WORDS = "sensor|sonde|sonda|capteur|датчик|зонд|センサ|传感器|s"
_BANK = rf"{_WORD_START}(?:{_BANK_WORDS})\s?(?P<bank>[12])(?!\d)"
_BANK_AND_SENSOR = r"\bb(?P<b>[12]) ?s(?P<s>[1-4])\b"
_SENSOR = rf"{_WORD_START}(?:{_SENSOR_WORDS})\s?(?P<sensor>[1-4])(?!\d)"
_NUMBER = r"(?<=[^\W\d_]) ?(?P<number>[12])$|(?<=[^\W\d_])(?P<inner>[12])(?= )|\bb(?P<short>[12])\b"
_TAIL = r"(?<=[a-z])b(?P<tail>[12])$"
"""A bank run together with the name before it: LTFTB1."""
_PLACES = re.compile("|".join((_BANK_AND_SENSOR, _BANK, _SENSOR, _TAIL)))
_NUMBERED = re.compile(_NUMBER)
_LETTERS = re.compile(r"[^\W\d_]{2,}")


@dataclass(frozen=True)
class Meaning:
    """What a name says.

    Attributes
    ----------
    atoms : concepts and qualifiers, by their names in the word tables.
    unknown : words that mean nothing to us.
    bank : 1 or 2, 0 if the name does not tell.
    sensor : number of the sensor in its bank, 0 if the name does not tell; the first is before the
        converter.
    number : a number at the end that may be a bank's, else 0.
    guessed : atoms that only words cut short or run together stand for.
    """

    atoms: frozenset[str]
    unknown: tuple[str, ...]
    bank: int = 0
    sensor: int = 0
    number: int = 0
    guessed: frozenset[str] = frozenset()


@cache
def spelled(name: str) -> str:
    """The words of a name as they are compared, parted at its capitals or not.

    Capitals part words mostly, but not in FTshort, ATMp or PBaro.

    Parameters
    ----------
    name : a column's name, without its unit.

    Returns
    -------
    Whichever way leaves fewer letters that mean nothing.
    """
    parted = plain_name(name)
    flat = plain_name(name.lower())
    if flat == parted or not (unknown := _parsed(parted).unknown):
        return parted
    return flat if sum(map(len, _parsed(flat).unknown)) < sum(map(len, unknown)) else parted


@cache
def meaning_of(name: str) -> Meaning:
    """Parse a name.

    Parameters
    ----------
    name : a column's name, without its unit.

    Returns
    -------
    Concepts, qualifiers and place.
    """
    return _parsed(spelled(name))


OTHER_CHANNELS = frozenset(("mixture", "throttle", "rpm", "pw", "baro", "stft", "ltft", "vss"))


@cache
def _parsed(text: str) -> Meaning:
    """What plain words say."""
    bank = sensor = number = 0
    for found in _PLACES.finditer(text):
        bank = bank or int(found["b"] or found["bank"] or found["tail"] or 0)
        sensor = sensor or int(found["s"] or found["sensor"] or 0)
    # The word for a sensor is kept, its number is not.
    text = re.sub(_BANK_AND_SENSOR, " ", re.sub(_BANK, " ", text))
    text = re.sub(_TAIL, "", text)
    text = re.sub(_SENSOR, lambda m: m[0].rstrip("1234 ") if len(m[0]) > 3 else " ", text)
    if not bank and (numbered := _NUMBERED.search(text)):
        number = int(numbered["number"] or numbered["inner"] or numbered["short"])
    sure, guessed, unknown = _words_of(text)
    atoms = _sensible(sure | guessed)
    return Meaning(atoms, tuple(unknown), bank, sensor, number, atoms & (guessed - sure))


def _words_of(text: str) -> tuple[set[str], set[str], list[str]]:
    """What the words of a text stand for, what those do that were cut, and those that mean nothing."""
    hits = hits_in(text)
    rest = text
    for at, word in hits:
        rest = rest[:at] + " " * len(word.text) + rest[at + len(word.text) :]
    sure = {w.atom for _, w in hits}
    guessed: set[str] = set()
    unknown = []
    for found in re.finditer(r"[^\W\d_]{2,}", rest):
        run = found[0]
        # What a known word left over of a compound is no word that was cut short.
        whole = not text[: found.start()][-1:].isalpha() and not text[found.end() :][:1].isalpha()
        joined = joined_of(run) or short_part(run)
        joined = joined or ((inflected(run) or abbreviated(run)) if whole else left_over(run))
        guessed |= set(joined)
        unknown += [] if joined or run in MERE_UNITS else [run]
    if len(unknown) > 1 and (phrase := cut_phrase(text)):
        guessed.add(phrase)
        unknown = []
    return sure, guessed, unknown


def _sensible(atoms: set[str]) -> frozenset[str]:
    """Without what a word cannot mean beside the others."""
    # A trim has no time of its own: t stands for term, behind a mixture for target.
    if atoms & {"trim", "correction", "mixture"}:
        atoms -= {"time"}
    # What adapts at short term is no long-term trim.
    if {"short", "long"} <= atoms:
        atoms -= {"long"}
    if {"loop", "iat"} <= atoms:
        atoms -= {"iat"}
    # Beside another channel ACT is what that actually is, and not the temperature of the charge.
    if "iat" in atoms and atoms & OTHER_CHANNELS:
        atoms = (atoms - {"iat"}) | {"measured"}
    return frozenset(atoms)


def legible_words(text: str) -> int:
    """How many words of a text mean something.

    Parameters
    ----------
    text : the beginning of a file, or a row of it.

    Returns
    -------
    Hits of the word tables, letters of other alphabets counted more.
    """
    # Rows of numbers say nothing, and the same words stand in many lines.
    runs = dict.fromkeys(r for line in text.split("\n")[:40] for r in _LETTERS.findall(line[:8000]))
    hits = [w for run in list(runs)[:400] for _, w in hits_in(plain_name(run))]
    # A hit in letters that only this encoding makes weighs more than ASCII, which all of them
    # share.
    return sum(1 + 4 * (not w.text.isascii()) for w in hits)
