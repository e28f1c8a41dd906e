"""Folders and names out of a text: each becomes a token, the same one wherever it stands."""

from __future__ import annotations

import getpass
import re
import sys
from collections.abc import Iterable
from pathlib import Path

import lean_trim

PROGRAM = str(Path(lean_trim.__file__).parent)
"""Where the program itself lies: what stands below says where something went wrong."""
PATH = re.compile(r"(?<![\w/<>.])/(?:[^\s/:;,\"'“”()<>]+/)*[^\s/:;,\"'“”()<>]+")
"""An absolute path. One with a blank in it is known by name, or cut at the blank."""
SUFFIXES = (
    *("leantrim", "csv", "txt", "tsv", "log", "gz", "zst", "bz2", "xz", "zip", "mf4", "mdf", "dat"),
    *("parquet", "arrow", "feather", "xlsx", "ods", "mat", "jsonl", "blf", "asc", "trc", "json"),
)
"""Of files people give names to."""
FILE = re.compile(rf"[^\s/:;,\"'“”()<>=]+\.(?:{'|'.join(SUFFIXES)})\b", re.IGNORECASE)
OWN = frozenset({"vehicle.json", "round.json", "settings.json", "versions.json", "lean-trim.log"})
"""Files whose names are the program's."""


class Tokens:
    """Takes names out of texts.

    Parameters
    ----------
    known : names and paths that are the user's, wherever they stand: of the car, of logs, of the
        job. Those of less than three letters are left, for they stand in every other word.
    """

    LEAST = 3

    def __init__(self, known: Iterable[str] = ()) -> None:
        self._tokens: dict[str, str] = {}
        told = {word for word in known if len(word) >= self.LEAST}
        # A path goes before the name that ends it.
        self._known = sorted(told, key=len, reverse=True)

    def without_names(self, text: str) -> str:
        """A text with tokens in place of folders, files and names.

        Returns the same name is the same token in every text this object was given.
        """
        out = text.replace(PROGRAM, "<program>").replace(sys.prefix, "<python>")
        for word in self._known:
            out = out.replace(word, self._token("name", word))
        out = PATH.sub(lambda found: self._of_path(found.group()), out)
        out = FILE.sub(lambda found: self._of_file(found.group()), out)
        user = getpass.getuser()
        return re.sub(rf"\b{re.escape(user)}\b", "<user>", out) if len(user) >= self.LEAST else out

    def _of_path(self, path: str) -> str:
        folder, _, name = path.rpartition("/")
        if not folder:
            return self._token("folder", path)
        return f"{self._token('folder', folder)}/{self._of_file(name)}"

    def _of_file(self, name: str) -> str:
        if name in OWN or name.startswith("<"):
            return name
        stem, dot, suffix = name.rpartition(".")
        return f"{self._token('file', stem if dot else name)}{dot}{suffix if dot else ''}"

    def _token(self, kind: str, word: str) -> str:
        key = f"{kind} {word}"
        if key not in self._tokens:
            count = sum(token.startswith(f"<{kind} ") for token in self._tokens.values())
            self._tokens[key] = f"<{kind} {count + 1}>"
        return self._tokens[key]
