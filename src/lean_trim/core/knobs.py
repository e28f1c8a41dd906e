"""A setting that people may turn: its range, default and unit in one place."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    OUT_OF_RANGE = Message(
        "knobs.out_of_range", "{name} is {value:g}; allowed is {low:g} to {high:g}{unit}"
    )


@dataclass(frozen=True)
class Knob:
    """One number with its documented range.

    ``label``, ``unit`` and ``tip`` (what it does, in a sentence) are for people, ``name`` for
    files.
    """

    name: str
    label: str
    default: float
    low: float
    high: float
    unit: str
    tip: str = ""

    def checked(self, value: float) -> float:
        """The value itself; BadInputError if it is outside the range.

        Parameters
        ----------
        value : in the knob's unit.

        Returns
        -------
        The value itself.

        Raises
        ------
        BadInputError
            If it is not finite or outside the range.
        """
        if not (math.isfinite(value) and self.low <= value <= self.high):
            unit = f" {self.unit}" if self.unit else ""
            raise BadInputError(
                Say.OUT_OF_RANGE(
                    name=self.name, value=value, low=self.low, high=self.high, unit=unit
                )
            )
        return value

    @property
    def step(self) -> float:
        """A step that divides the range finely enough to drag along: 1, 2 or 5 times a power of ten."""
        rough = (self.high - self.low) / 200.0
        power = 10.0 ** math.floor(math.log10(rough))
        return power * next(m for m in (1.0, 2.0, 5.0, 10.0) if m * power >= rough * 0.999)


def default_of(knobs: Iterable[Knob], name: str) -> float:
    """The default of one of several knobs, for the settings made from them.

    Returns its default, in its unit. Raises KeyError if there is no such knob.
    """
    for knob in knobs:
        if knob.name == name:
            return knob.default
    raise KeyError(name)


def values_of(prefix: str, knobs: Iterable[Knob], changes: Mapping[str, float]) -> dict[str, float]:
    """Every knob's value: its default unless changed under "prefix.name".

    Parameters
    ----------
    prefix : name of the rule the knobs belong to.
    knobs : the rule's knobs.
    changes : "prefix.name" → value, for those that were turned.

    Returns
    -------
    Name → value of every knob.
    """
    return {k.name: changes.get(f"{prefix}.{k.name}", k.default) for k in knobs}
