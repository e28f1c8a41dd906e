"""Files for a while: in a folder whose name tells whose it is, so that what a kill leaves can be cleaned."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PREFIX = "lean-trim-"


def own_prefix() -> str:
    """Beginning of the names of this process's temporary files."""
    return f"{PREFIX}{os.getpid()}-"


@contextmanager
def own_folder() -> Iterator[Path]:
    """A temporary folder of this process; it and what is in it are gone afterwards.

    Yields
    ------
    Its path.
    """
    with tempfile.TemporaryDirectory(prefix=own_prefix()) as folder:
        yield Path(folder)
