"""What the words of a column's name mean: concepts, qualifiers and places, in ten languages."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import cache

from lean_trim.formats.meaning.words.tables import TABLES

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
    spaced = re.sub(r"[_.:/\\\-–,;'’°()\[\]{}#*|\"]+", " ", cased)
    flat = unicodedata.normalize("NFKD", spaced.lower().translate(_PLAIN))
    return re.sub(r"\s+", " ", "".join(c for c in flat if not unicodedata.combining(c))).strip()


@dataclass(frozen=True)
class _Word:
    """A word of the tables: its atom, and whether it has to begin or end where a word does."""

    text: str
    atom: str
    begins: bool
    ends: bool


@cache
def _words() -> dict[str, tuple[_Word, ...]]:
    """All words by their first letter, the longest first."""
    found: dict[str, _Word] = {}
    for table in TABLES:
        for atom, words in table.items():
            for word in words.split(","):
                text = word.strip()
                plain = plain_name(text.strip("~*"))
                # The same word in two languages means what it means in the first of them.
                if plain:
                    begins = not text.startswith("~")
                    entry = _Word(plain, atom, begins, begins and not text.endswith("*"))
                    found.setdefault(f"{begins}{entry.ends}{plain}", entry)
    index: dict[str, list[_Word]] = {}
    for entry in sorted(found.values(), key=lambda e: (-len(e.text), not e.ends, e.text)):
        index.setdefault(entry.text[0], []).append(entry)
    return {letter: tuple(entries) for letter, entries in index.items()}


def _hits(text: str) -> list[tuple[int, _Word]]:
    """Where words of the tables stand in a text, the longest at every place."""
    index = _words()
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


@cache
def _parsed(text: str) -> Meaning:
    """What plain words say."""
    bank = sensor = number = 0
    for found in _PLACES.finditer(text):
        bank = bank or int(found["b"] or found["bank"] or 0)
        sensor = sensor or int(found["s"] or found["sensor"] or 0)
    # The word for a sensor is kept, its number is not.
    text = re.sub(_BANK_AND_SENSOR, " ", re.sub(_BANK, " ", text))
    text = re.sub(_SENSOR, lambda m: m[0].rstrip("1234 ") if len(m[0]) > 3 else " ", text)
    if not bank and (numbered := _NUMBERED.search(text)):
        number = int(numbered["number"] or numbered["inner"] or numbered["short"])
    hits = _hits(text)
    rest = text
    for at, word in hits:
        rest = rest[:at] + " " * len(word.text) + rest[at + len(word.text) :]
    atoms = {w.atom for _, w in hits}
    unknown = []
    for found in re.finditer(r"[^\W\d_]{2,}", rest):
        run = found[0]
        # What a known word left over of a compound is no word that was cut short.
        whole = not text[: found.start()][-1:].isalpha() and not text[found.end() :][:1].isalpha()
        joined = _joined_of(run) or _short(run)
        joined = joined or ((_inflected(run) or _abbreviated(run)) if whole else _left_over(run))
        atoms |= set(joined)
        unknown += [] if joined or run in MERE_UNITS else [run]
    if len(unknown) > 1 and (phrase := _cut_phrase(text)):
        atoms.add(phrase)
        unknown = []
    # A trim has no time of its own: t stands for term.
    if atoms & {"trim", "correction"}:
        atoms -= {"time"}
    # What adapts at short term is no long-term trim.
    if {"short", "long"} <= atoms:
        atoms -= {"long"}
    if {"loop", "iat"} <= atoms:
        atoms -= {"iat"}
    # Beside another channel ACT is what that actually is, and not the temperature of the charge.
    if "iat" in atoms and atoms & OTHER_CHANNELS:
        atoms = (atoms - {"iat"}) | {"measured"}
    return Meaning(frozenset(atoms), tuple(unknown), bank, sensor, number)


OTHER_CHANNELS = frozenset(("mixture", "throttle", "rpm", "pw", "baro", "stft", "ltft", "vss"))
LETTERS = {"p": "pressure", "t": "temp", "n": "speed"}
SUBJECTS = frozenset(
    ("coolant", "intake", "air", "manifold", "engine", "ambient", "boost", "baro", "iat", "ect")
)
"""Letters that stand for a quantity, and what they stand before."""
LEAST_PART = 3
"""Letters of a part of a word that was put together without a sign between."""
LONGEST_JOINED = 24
SHORT_PARTS: dict[str, tuple[str, ...]] = {
    "lt": ("long",),
    "st": ("short",),
    "ft": ("trim",),
    "sp": ("wanted",),
    "wb": ("wideband",),
    "dp": ("delta", "pressure"),
    "ang": ("angle",),
    "deg": ("angle",),
    "pct": (),
    "kpa": ("pressure",),
    "in": ("intake",),
}
LONGEST_SHORT = 9
"""Letters of a word in which a few may be one of those."""
LINKS = "sое"
"""Letters between the words of a compound: fahrzeug-s-, топлив-о-."""
MERE_UNITS = frozenset(("bar", "pct", "kpa", "psi", "sec", "deg", "min", "act", "raw"))
# fmt: off
SMALL_WORDS = MERE_UNITS | frozenset((
    "per", "the", "and", "for", "del", "des", "los", "las", "der", "die", "das", "den",
    "von", "nel", "sur", "con", "com", "all", "not", "max", "low", "log", "ecu", "obd", "can",
    "sig", "val", "one", "two", "top", "end", "new", "old", "pos", "neg", "avg", "est", "ref",
))
# fmt: on
"""What is no beginning of another word."""
LEAST_INFLECTED = 5
LONGEST_ENDING = 2
"""Letters of a word that may stand in another form, and of the ending it may have got."""
LEAST_ABBREVIATED = 0.3
LEAST_LEFT_OUT = 4
LONG_ABBREVIATION = 6
MOST_OF_THEM = 0.75
"""Share of a word that an abbreviation of it has at least, and letters it leaves out (head is none of
heading); one less from so many letters on, and one of a stem. So many of the words that begin so mean
the same."""


@cache
def _joined_of(run: str) -> tuple[str, ...]:
    """Atoms of a word made of known ones without a gap: engrpm, lamdes; none where a part is not known."""
    if len(run) > LONGEST_JOINED or len(run) <= LEAST_PART or not run.isascii():
        return ()
    # A physicist's letter before or behind what it is of: tcool, pman, neng, intaket.
    for letter, word in ((run[0], run[1:]), (run[-1], run[:-1])):
        of = _exact(word) or next(iter(_abbreviated(word)), None)
        parts = (of,) if of else _with_short_part(word)
        if letter in LETTERS and parts and parts[0] in SUBJECTS:
            return (LETTERS[letter], *parts)
    if run[0] == "w" and _exact(run[1:]) == "temp":
        return ("coolant", "temp")
    if len(run) <= LONGEST_SHORT and (pair := _with_short_part(run)):
        return pair
    for at in range(len(run) - LEAST_PART, LEAST_PART - 1, -1):
        first = _exact(run[:at]) or next(iter(_abbreviated(run[:at])), None)
        if first is None:
            continue
        second = _exact(run[at:])
        if second is not None:
            return (first, second)
        rest = _joined_of(run[at:])
        if rest:
            return (first, *rest)
    return ()


def _with_short_part(run: str) -> tuple[str, ...]:
    """A known word with one of the usual few letters before or behind it: trimlt, ftshort, lamsp."""
    for letters in SHORT_PARTS:
        word = (run.startswith(letters) and run[len(letters) :]) or (
            run.endswith(letters) and run[: -len(letters)]
        )
        of = _exact(word) if word else None
        if of is not None:
            return (of, *SHORT_PARTS[letters])
    return ()


def _left_over(run: str) -> tuple[str, ...]:
    """What a known word of a compound left over, with or without the letter that links the two."""
    of = _exact(run) or (_exact(run[1:]) if run[0] in LINKS else None)
    return () if of is None else (of,)


def _cut_phrase(text: str) -> str | None:
    """The atom of a phrase all of whose words were cut short: част. вращ."""
    said = text.split()
    if len(said) < 2 or min(map(len, said)) < LEAST_PART:
        return None
    phrases = (w for words in _words().values() for w in words if " " in w.text)
    found = {
        w.atom
        for w in phrases
        if len(parts := w.text.split()) == len(said)
        and all(whole.startswith(cut) for whole, cut in zip(parts, said, strict=True))
    }
    return found.pop() if len(found) == 1 else None


def _short(run: str) -> tuple[str, ...]:
    """The usual few letters alone, as what a known word left over: trim lt."""
    return SHORT_PARTS.get(run, ())


@cache
def _inflected(run: str) -> tuple[str, ...]:
    """The atom of a known word in another gender, number or case: curta of curto, кратка-я."""
    if len(run) < LEAST_INFLECTED:
        return ()
    atoms = {
        w.atom
        for w in _words().get(run[0], ())
        if len(w.text) >= LEAST_INFLECTED - 1 and " " not in w.text
        # Another last letter, or an ending more.
        if (len(w.text) == len(run) and w.text[:-1] == run[:-1])
        or (0 < len(run) - len(w.text) <= LONGEST_ENDING and run.startswith(w.text))
    }
    return (atoms.pop(),) if len(atoms) == 1 else ()


@cache
def _abbreviated(run: str) -> tuple[str, ...]:
    """The atom of the words that begin so, where all of them mean one thing.

    Loggers cut words where they like: Drehz., Kurzfr., Geschw. Where one of the words that begin so
    is the beginning of all the others, it is meant.
    """
    if len(run) < LEAST_PART or run in SMALL_WORDS:
        return ()
    left_out = LEAST_LEFT_OUT - (len(run) >= LONG_ABBREVIATION)
    begun = [
        w
        for w in _words().get(run[0], ())
        if w.text.startswith(run)
        and " " not in w.text
        and len(w.text) - len(run) >= (left_out if w.ends else 1)
        and len(run) >= LEAST_ABBREVIATED * len(w.text)
    ]
    if not begun:
        return ()
    shortest = min(begun, key=lambda w: len(w.text))
    alike = [w for w in begun if w.atom == shortest.atom or w.text.startswith(shortest.text)]
    return (shortest.atom,) if len(alike) >= MOST_OF_THEM * len(begun) else ()


def _exact(text: str) -> str | None:
    """The atom of a whole word, None where the tables have none."""
    for word in _words().get(text[0], ()):
        if word.text == text or (word.begins and not word.ends and text.startswith(word.text)):
            return word.atom
    return None


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
    hits = [w for run in list(runs)[:400] for _, w in _hits(plain_name(run))]
    # A hit in letters that only this encoding makes weighs more than ASCII, which all of them
    # share.
    return sum(1 + 4 * (not w.text.isascii()) for w in hits)
