"""A vehicle sheet as it is read: keys by dotted path, refused with file, key and what is allowed."""

from __future__ import annotations

import math
from typing import Any

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    NOT_AN_OBJECT = Message("sheet.not_an_object", "{source}: the sheet must be one JSON object")
    MISSING_NUMBER = Message(
        "sheet.missing_number",
        "{source}: key {key} is missing; a number from {low:g} to {high:g} is needed",
    )
    BAD_NUMBER = Message(
        "sheet.bad_number",
        "{source}: key {key} is {value!r}; allowed is a number from {low:g} to {high:g}",
    )
    BAD_CHOICE = Message(
        "sheet.bad_choice", "{source}: key {key} is {value!r}; allowed is one of {allowed}"
    )


class Sheet:
    """Reads keys by dotted path and complains with file, key and allowed range."""

    def __init__(self, data: Any, source: str) -> None:
        if not isinstance(data, dict):
            raise BadInputError(Say.NOT_AN_OBJECT(source=source))
        self.data = data
        self.source = source

    def get(self, key: str) -> Any:
        """The value at a dotted path, or None."""
        value: Any = self.data
        for part in key.split("."):
            value = value.get(part) if isinstance(value, dict) else None
        return value

    def number(self, key: str, low: float, high: float, default: float | None = None) -> float:
        """A number within a range.

        Parameters
        ----------
        key : dotted path.
        low, high : allowed range, both included.
        default : for a missing key; None if it has to be there.

        Returns
        -------
        The number.

        Raises
        ------
        BadInputError
            Naming the key and what is allowed.
        """
        value = self.get(key)
        if value is None and default is not None:
            return default
        if value is None:
            raise BadInputError(Say.MISSING_NUMBER(source=self.source, key=key, low=low, high=high))
        # To Python true is 1, which is no displacement.
        good = (
            isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
        )
        if not good or not low <= value <= high:
            raise BadInputError(
                Say.BAD_NUMBER(source=self.source, key=key, value=value, low=low, high=high)
            )
        return float(value)

    def choice(self, key: str, allowed: tuple[str, ...], default: str | None = None) -> str:
        """One of several words.

        Parameters
        ----------
        key : dotted path.
        allowed : the words.
        default : for a missing key; None if it has to be there.

        Returns
        -------
        The word.

        Raises
        ------
        BadInputError
            Naming the key and what is allowed.
        """
        value = self.get(key)
        if value is None and default is not None:
            return default
        if value not in allowed:
            raise BadInputError(
                Say.BAD_CHOICE(source=self.source, key=key, value=value, allowed=", ".join(allowed))
            )
        return str(value)
