"""What the words of a column's name mean: concepts, qualifiers and places, in ten languages."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import cache

from lean_trim.formats.meaning.words.tables import TABLES

QUALIFIERS = frozenset(
    [
        "wanted",
        "limit",
        "error",
        "correction",
        "rate",
        "voltage",
        "status",
        "duty",
        "heater",
        "raw",
        "current",
        "average",
        "measured",
    ]
)
"""What a name may say about a channel beside what it is of."""
_PLAIN = str.maketrans({"ł": "l", "ß": "ss", "ø": "o", "æ": "ae", "ı": "i", "đ": "d"})
_WORD_START = r"(?:\b|(?<=[a-z]))"
_BANK_WORDS = "bank|banc|bancata|banco|ban|ряд|банк|バンク第|バンク|缸组|缸列"
_SENSOR_WORDS = "sensor|sonde|sonda|capteur|датчик|зонд|センサ|传感器|s"
_BANK = rf"{_WORD_START}(?:{_BANK_WORDS})\s?(?P<bank>[12])(?!\d)"
_BANK_AND_SENSOR = r"\bb(?P<b>[12]) ?s(?P<s>[1-4])\b"
_SENSOR = rf"{_WORD_START}(?:{_SENSOR_WORDS})\s?(?P<sensor>[1-4])(?!\d)"
_NUMBER = r"(?<=[^\W\d_]) ?(?P<number>[12])$|(?<=[^\W\d_])(?P<inner>[12])(?= )|\bb(?P<short>[12])\b"
_PLACES = re.compile("|".join((_BANK_AND_SENSOR, _BANK, _SENSOR)))
_NUMBERED = re.compile(_NUMBER)


@dataclass(frozen=True)
class Meaning:
    """What a name says.

    Attributes
    ----------
    atoms : concepts and qualifiers, by their names in the word tables.
    unknown : words that mean nothing to us.
    bank : 1 or 2, 0 if the name does not tell.
    sensor : number of the sensor in its bank, 0 if the name does not tell; the first is before the converter.
    number : a number at the end that may be a bank's, else 0.
    """

    atoms: frozenset[str]
    unknown: tuple[str, ...]
    bank: int = 0
    sensor: int = 0
    number: int = 0


def plain_name(name: str) -> str:
    """Lower case, without accents, underscores, hyphens and camel case.

    Parameters
    ----------
    name : a column's name.

    Returns
    -------
    Words as they are compared.
    """
    wide = unicodedata.normalize("NFKC", name)
    cased = re.sub(r"(?<=[a-z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", " ", wide)
    spaced = re.sub(r"[_.:/\\\-–,;'’()\[\]{}#*|\"]+", " ", cased)
    flat = unicodedata.normalize("NFKD", spaced.lower().translate(_PLAIN))
    return re.sub(r"\s+", " ", "".join(c for c in flat if not unicodedata.combining(c))).strip()


@cache
def _scanner() -> tuple[re.Pattern[str], tuple[str, ...]]:
    """One pattern of all words, the longest first, and the atom of each of its groups."""
    entries: dict[str, str] = {}
    for table in TABLES:
        for atom, words in table.items():
            for word in words.split(","):
                text = word.strip()
                if not text:
                    continue
                mark = "~" if text.startswith("~") else "*" if text.endswith("*") else ""
                plain = plain_name(text.strip("~*"))
                # The same word in two languages means what it means in the first of them.
                entries.setdefault(f"{mark}{plain}", atom)
    parts = []
    atoms = []
    for key, atom in sorted(entries.items(), key=lambda e: (-len(e[0].strip("~*")), e[0])):
        body = re.escape(key.strip("~*"))
        start = "" if key.startswith("~") else r"(?<![^\W\d_])"
        end = "" if key[0] in "~*" else r"(?![^\W\d_])"
        parts.append(f"({start}{body}{end})")
        atoms.append(atom)
    return re.compile("|".join(parts)), tuple(atoms)


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
    text = plain_name(name)
    bank = sensor = number = 0
    for found in _PLACES.finditer(text):
        bank = bank or int(found["b"] or found["bank"] or 0)
        sensor = sensor or int(found["s"] or found["sensor"] or 0)
    # The word for a sensor is kept, its number is not.
    text = re.sub(_BANK_AND_SENSOR, " ", re.sub(_BANK, " ", text))
    text = re.sub(_SENSOR, lambda m: m[0].rstrip("1234 ") if len(m[0]) > 3 else " ", text)
    if not bank and (numbered := _NUMBERED.search(text)):
        number = int(numbered["number"] or numbered["inner"] or numbered["short"])
    pattern, atoms = _scanner()
    found_atoms = []
    rest = text
    for hit in pattern.finditer(text):
        assert hit.lastindex is not None
        found_atoms.append(atoms[hit.lastindex - 1])
        rest = rest[: hit.start()] + " " * len(hit[0]) + rest[hit.end() :]
    unknown = tuple(w for w in re.findall(r"[^\W\d_]{2,}", rest))
    return Meaning(frozenset(found_atoms), unknown, bank, sensor, number)


def legible_words(text: str) -> int:
    """How many words of a text mean something.

    Parameters
    ----------
    text : the beginning of a file, or a row of it.

    Returns
    -------
    Hits of the word tables, letters of other alphabets counted more.
    """
    pattern, _ = _scanner()
    lines = [plain_name(line) for line in text.split("\n")[:40]]
    # A hit in letters that only this encoding makes weighs more than ASCII, which all of them share.
    return sum(1 + 4 * (not hit[0].isascii()) for line in lines for hit in pattern.finditer(line[:4000]))
