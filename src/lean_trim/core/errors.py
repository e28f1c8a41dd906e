"""Errors a user can act on. Each message says what is wrong, where, and what is allowed."""

from __future__ import annotations


class LeanTrimError(Exception):
    """Base of every error whose message is meant to be read by the user."""


class BadInputError(LeanTrimError):
    """A file, key or value that cannot be used; the message names the place and what is allowed."""


class TableError(BadInputError):
    """A table whose axes or cells are impossible."""


class LogError(BadInputError):
    """A log that cannot be understood or lacks what is needed."""


class CancelledError(LeanTrimError):
    """The user stopped a long computation; nothing was changed."""
