"""Word tables, one module a language: what the words of column names mean.

A table maps an atom of meaning to words, parted by commas. A plain word stands alone (``rpm``), may
have blanks in it (``short term``), be the beginning of one (``throttl*``) or a part of a compound
(``~druck``). They are written as they are compared: lower case, without accents. Taken from general
vocabulary and from the wording of SAE J1979 / ISO 15031-5 parameter names (from memory).
"""

from __future__ import annotations

from lean_trim.formats.meaning.words import de, en, es, fr, it, ja, pl, pt, ru, zh

TABLES: tuple[dict[str, str], ...] = tuple(
    language.WORDS for language in (en, de, fr, es, it, pt, pl, ru, ja, zh)
)
