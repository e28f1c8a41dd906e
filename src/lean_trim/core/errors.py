"""Errors a user can act on. Each message says what is wrong, where, and what is allowed."""

from __future__ import annotations

from typing import Literal

from lean_trim.core.messages import Said

Need = Literal["sheet", "rate", "dbc"]
"""What only the user can say of a log file before it can be read at all."""


class LeanTrimError(Exception):
    """Base of every error whose message is meant to be read by the user.

    ``said`` is the declared message, if it is one.
    """

    def __init__(self, text: str | Said) -> None:
        super().__init__(str(text))
        self.said = text if isinstance(text, Said) else None


class BadInputError(LeanTrimError):
    """A file, key or value that cannot be used; the message names the place and what is allowed."""


class TableError(BadInputError):
    """A table whose axes or cells are impossible."""


class LogError(BadInputError):
    """A log that cannot be understood or lacks what is needed."""


class AskedError(LogError):
    """A log that can be read once the user says one thing more.

    ``need`` is what, ``allowed`` the answers that make sense, ``shape`` the key of its columns,
    where known.
    """

    def __init__(self, text: str | Said, need: Need, allowed: tuple[str, ...] = ()) -> None:
        super().__init__(text)
        self.need = need
        self.allowed = allowed
        self.shape = ""


class CancelledError(LeanTrimError):
    """The user stopped a long computation; nothing was changed."""
