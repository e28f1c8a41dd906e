"""Words that loggers cut short, ran together or put in another form.

Each function gives the atoms a run of letters stands for, none where it stands for nothing known.
"""

from __future__ import annotations

from functools import cache

from lean_trim.formats.meaning.word_index import exact, words

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
SAYS_NOTHING = ("value", "val", "sig", "sens")
"""What names of channels end with that says nothing of them."""
LONGEST_SHORT = 9
"""Letters of a word in which a few may be one of those."""
LINKS = "sое"
"""Letters between the words of a compound: fahrzeug-s-, топлив-о-."""
MERE_UNITS = frozenset(("bar", "pct", "kpa", "psi", "sec", "deg", "min", "act", "raw"))
VOWELS = frozenset("aeiou")
LEAST_VOWELS = 2
"""Letters a word without its vowels lacks at least: of one too many words are alike."""
# fmt: off
SMALL_WORDS = MERE_UNITS | frozenset((
    "per", "the", "and", "for", "del", "des", "los", "las", "der", "die", "das", "den",
    "von", "nel", "sur", "con", "com", "all", "not", "max", "low", "log", "ecu", "obd", "can",
    "sig", "val", "out", "imp", "one", "two", "top", "end", "new", "old", "pos", "neg", "avg", "est", "ref",
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
def joined_of(run: str) -> tuple[str, ...]:
    """Atoms of a word made of known ones without a gap: engrpm, lamdes; none where a part is not known."""
    if len(run) > LONGEST_JOINED or len(run) <= LEAST_PART or not run.isascii():
        return ()
    # A physicist's letter before or behind what it is of: tcool, pman, neng, intaket.
    for letter, word in ((run[0], run[1:]), (run[-1], run[:-1])):
        of = exact(word) or next(iter(abbreviated(word)), None)
        parts = (of,) if of else _with_short_part(word)
        if letter in LETTERS and parts and parts[0] in SUBJECTS:
            return (LETTERS[letter], *parts)
    if run[0] == "w" and exact(run[1:]) == "temp":
        return ("coolant", "temp")
    for ending in SAYS_NOTHING:
        before = run.removesuffix(ending)
        if before == run or len(before) < LEAST_PART:
            continue
        known = exact(before)
        whole = (known,) if known else joined_of(before)
        if whole:
            return whole
    if len(run) <= LONGEST_SHORT and (pair := _with_short_part(run)):
        return pair
    for at in range(len(run) - LEAST_PART, LEAST_PART - 1, -1):
        first = exact(run[:at]) or next(iter(abbreviated(run[:at])), None)
        if first is None:
            continue
        # A word that may have any ending would swallow the few letters behind it.
        pair = _with_short_part(run[at:])
        if pair:
            return (first, *pair)
        second = exact(run[at:])
        if second is None and len(run) - at > LEAST_PART:
            second = next(iter(abbreviated(run[at:])), None)
        if second is not None:
            return (first, second)
        rest = joined_of(run[at:])
        if rest:
            return (first, *rest)
    return ()


def _with_short_part(run: str) -> tuple[str, ...]:
    """A known word with one of the usual few letters before or behind it: trimlt, ftshort, lamsp."""
    for letters in SHORT_PARTS:
        word = (run.startswith(letters) and run[len(letters) :]) or (
            run.endswith(letters) and run[: -len(letters)]
        )
        of = exact(word) if word else None
        if of is not None:
            return (of, *SHORT_PARTS[letters])
    return ()


def left_over(run: str) -> tuple[str, ...]:
    """What a known word of a compound left over, with or without the letter that links the two."""
    of = exact(run) or (exact(run[1:]) if run[0] in LINKS else None)
    return () if of is None else (of,)


def cut_phrase(text: str) -> str | None:
    """The atom of a phrase all of whose words were cut short: част. вращ."""
    said = text.split()
    if len(said) < 2 or min(map(len, said)) < LEAST_PART:
        return None
    phrases = (w for listed in words().values() for w in listed if " " in w.text)
    found = {
        w.atom
        for w in phrases
        if len(parts := w.text.split()) == len(said)
        and all(whole.startswith(cut) for whole, cut in zip(parts, said, strict=True))
    }
    return found.pop() if len(found) == 1 else None


def short_part(run: str) -> tuple[str, ...]:
    """The usual few letters alone, as what a known word left over: trim lt."""
    return SHORT_PARTS.get(run, ())


@cache
def inflected(run: str) -> tuple[str, ...]:
    """The atom of a known word in another gender, number or case: curta of curto, кратка-я."""
    if len(run) < LEAST_INFLECTED:
        return ()
    atoms = {
        w.atom
        for w in words().get(run[0], ())
        if len(w.text) >= LEAST_INFLECTED and " " not in w.text
        # Another last letter, or an ending more.
        if (len(w.text) == len(run) and w.text[:-1] == run[:-1])
        or (0 < len(run) - len(w.text) <= LONGEST_ENDING and run.startswith(w.text))
    }
    return (atoms.pop(),) if len(atoms) == 1 else ()


@cache
def abbreviated(run: str) -> tuple[str, ...]:
    """The atom of the words that begin so, where most of them mean one thing.

    Loggers cut words where they like: Drehz., Kurzfr., Geschw. Where one of the words that begin so
    is the beginning of all the others, it is meant.
    """
    if len(run) < LEAST_PART or run in SMALL_WORDS:
        return ()
    left_out = LEAST_LEFT_OUT - (len(run) >= LONG_ABBREVIATION)
    begun = [
        w
        for w in words().get(run[0], ())
        if w.text.startswith(run)
        and " " not in w.text
        and len(w.text) - len(run) >= (left_out if w.ends else 1)
        and len(run) >= LEAST_ABBREVIATED * len(w.text)
    ]
    if not begun:
        return _without_vowels(run)
    shortest = min(begun, key=lambda w: len(w.text))
    alike = [w for w in begun if w.atom == shortest.atom or w.text.startswith(shortest.text)]
    return (shortest.atom,) if len(alike) >= MOST_OF_THEM * len(begun) else ()


def _without_vowels(run: str) -> tuple[str, ...]:
    """The atom of the one word that is so written without its vowels: intk, mnfld, thrttl."""
    if not run.isascii() or VOWELS & set(run[1:]):
        return ()
    found = {
        w.atom
        for w in words().get(run[0], ())
        if " " not in w.text and len(w.text) - len(run) >= LEAST_VOWELS and _bare(w.text) == run
    }
    return (found.pop(),) if len(found) == 1 else ()


def _bare(word: str) -> str:
    """A word without vowels behind its first letter."""
    return word[0] + "".join(c for c in word[1:] if c not in VOWELS)
