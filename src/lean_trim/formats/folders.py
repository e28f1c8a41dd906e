"""Folders to write into."""

from __future__ import annotations

from pathlib import Path

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    NOT_MADE = Message(
        "folders.not_made", "{path}: cannot be made ({cause}); name a folder that can be written"
    )


def make_folder(path: Path) -> None:
    """Make a folder with its parents; BadInputError if it cannot be made.

    Raises BadInputError if it cannot be made.
    """
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInputError(Say.NOT_MADE(path=path, cause=error.strerror)) from error
