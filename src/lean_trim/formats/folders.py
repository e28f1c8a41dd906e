"""Folders to write into."""

from __future__ import annotations

from pathlib import Path

from lean_trim.core.errors import BadInputError


def make_folder(path: Path) -> None:
    """Make a folder with its parents; BadInputError if it cannot be made."""
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInputError(
            f"{path}: cannot be made ({error.strerror}); name a folder that can be written"
        ) from error
