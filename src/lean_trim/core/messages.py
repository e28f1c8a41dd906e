"""Sentences that users see from below the window.

Declared once with an id and named fields, rendered in one place.

A module declares its messages as members of a class, ``NO_TIME = Message("log.no_time", "{name} has
no time column")``, and says one with ``NO_TIME(name="a.csv")``. The text is English; a catalogue by
id may replace it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

_DECLARED: dict[str, Message] = {}
_catalogue: Mapping[str, str] = {}


@dataclass(frozen=True)
class Message:
    """A sentence with named fields in ``str.format`` notation.

    Raises
    ------
    ValueError
        If another message has the same id.
    """

    id: str
    text: str

    def __post_init__(self) -> None:
        known = _DECLARED.setdefault(self.id, self)
        if known.text != self.text:
            raise ValueError(f"the message {self.id!r} is declared twice")

    def __call__(self, **values: object) -> Said:
        """Say it, with what its fields stand for."""
        return Said(self, values)


@dataclass(frozen=True)
class Said:
    """A message with what its fields stand for; as text it is the rendered sentence."""

    message: Message
    values: Mapping[str, object] = field(default_factory=dict)

    @property
    def id(self) -> str:
        """The id of the message."""
        return self.message.id

    def __str__(self) -> str:
        return render(self)


def render(said: Said) -> str:
    """The sentence, in the catalogue's words where it has some.

    Parameters
    ----------
    said : a message and what its fields stand for.

    Returns
    -------
    The sentence as the user reads it.
    """
    return _catalogue.get(said.id, said.message.text).format(**said.values)


def use_catalogue(texts: Mapping[str, str]) -> None:
    """Render from now on with these texts by id; ids that are missing keep their English.

    Parameters
    ----------
    texts : message id → text with the same named fields.
    """
    global _catalogue
    _catalogue = texts


def declared() -> dict[str, Message]:
    """Every message declared so far, by id."""
    return dict(_DECLARED)
