"""Tooltips in lines that can be read: Qt leaves a long plain one on one line across the whole screen."""

from __future__ import annotations

import textwrap
from functools import lru_cache

LINE_CHARACTERS = 72
KEPT = 1024
"""Texts kept folded: a page is built anew at every keystroke, mostly of the same ones."""


@lru_cache(maxsize=KEPT)
def folded(text: str) -> str:
    """A text in short lines; lines it has already stay apart.

    Returns plain text; markup is left as it is, for Qt folds that itself.
    """
    if "<" in text:
        return text
    # A path is one word, and has to stay one: it may be copied from here.
    wrap = textwrap.TextWrapper(LINE_CHARACTERS, break_long_words=False, break_on_hyphens=False)
    return "\n".join("\n".join(wrap.wrap(line)) or line for line in text.split("\n"))
