"""The address of a source as the user types it: ``scheme:target?option=value&…``."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from urllib.parse import parse_qsl

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    NO_SCHEME = Message(
        "address.no_scheme", "{text!r} is no source; a source begins with one of {schemes}"
    )
    NO_SUCH_OPTION = Message(
        "address.no_such_option", "{text}: {option!r} is no option of {scheme}; allowed: {allowed}"
    )
    NOT_A_NUMBER = Message(
        "address.not_a_number",
        "{text}: {option} is {value!r}; allowed is a number from {low:g} to {high:g}",
    )
    TWICE = Message("address.twice", "{text}: {option} stands there twice")


@dataclass(frozen=True)
class Address:
    """A source's address.

    Attributes
    ----------
    text : as typed.
    scheme : what kind of source.
    target : of that kind: a device, a host, a file.
    options : by name.
    """

    text: str
    scheme: str
    target: str
    options: Mapping[str, str] = field(default_factory=dict)

    def number(self, option: str, default: float, low: float, high: float) -> float:
        """An option that is a number.

        Parameters
        ----------
        option : its name.
        default : where it is not given.
        low, high : what is allowed.

        Returns
        -------
        The number.

        Raises
        ------
        BadInputError
            If it is no number, or not within what is allowed.
        """
        given = self.options.get(option)
        if given is None:
            return default
        try:
            value = float(given)
        except ValueError:
            value = float("nan")
        if not low <= value <= high:
            raise BadInputError(
                Say.NOT_A_NUMBER(text=self.text, option=option, value=given, low=low, high=high)
            )
        return value

    def allow(self, allowed: Sequence[str]) -> None:
        """BadInputError if an option is none of these."""
        for option in self.options:
            if option not in allowed:
                named = ", ".join(allowed) or "none"
                raise BadInputError(
                    Say.NO_SUCH_OPTION(
                        text=self.text, option=option, scheme=f"{self.scheme}:", allowed=named
                    )
                )


def parse_address(text: str, schemes: Sequence[str]) -> Address:
    """Read an address.

    Parameters
    ----------
    text : as typed.
    schemes : that are known.

    Returns
    -------
    The address; its target is not looked at.

    Raises
    ------
    BadInputError
        If it begins with none of the schemes, or an option stands there twice.
    """
    scheme, colon, rest = text.strip().partition(":")
    if not colon or scheme.lower() not in schemes:
        named = ", ".join(f"{s}:" for s in schemes)
        raise BadInputError(Say.NO_SCHEME(text=text, schemes=named))
    target, _, query = rest.partition("?")
    options: dict[str, str] = {}
    for name, value in parse_qsl(query, keep_blank_values=True):
        if name in options:
            raise BadInputError(Say.TWICE(text=text, option=name))
        options[name] = value
    return Address(text.strip(), scheme.lower(), target, options)
