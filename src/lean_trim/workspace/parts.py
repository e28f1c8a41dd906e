"""Parts of the open job by their kind: what a feature is composed of, and what it finds there."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")


class Parts:
    """One part of each kind. A part is made from those before it, and hears messages after them.

    Parameters
    ----------
    parts : that are there to begin with.
    """

    def __init__(self, *parts: object) -> None:
        self._by_kind: dict[type, object] = {type(part): part for part in parts}

    def put(self, part: object) -> None:
        """Add a part.

        Parameters
        ----------
        part : of a kind that is not there yet.

        Raises
        ------
        ValueError
            If there is one of its kind: two would both write what it keeps.
        """
        kind = type(part)
        if kind in self._by_kind:
            raise ValueError(f"there is a {kind.__name__} already")
        self._by_kind[kind] = part

    def __getitem__(self, kind: type[T]) -> T:
        """The part of a kind.

        Raises KeyError if no feature brought one, or one that comes later does.
        """
        part = self._by_kind[kind]
        assert isinstance(part, kind)
        return part


MakePart = Callable[[Parts], object]
"""Makes a part from those that are there."""
