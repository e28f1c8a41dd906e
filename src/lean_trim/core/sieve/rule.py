"""What a rule of the sieve is, and how one is written down."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.knobs import Knob
from lean_trim.core.types import Mask

Values = Mapping[str, float]
Test = Callable[[Conditions, Values], Mask]
LONGEST_HOLD_S = 10.0
"""Longest hold-off a user can set, s."""


@dataclass(frozen=True)
class Rule:
    """A reason to leave samples out: code for files, label and reason for people, its knobs, and its test.

    The test says which samples are hit; two knobs, ``before_s`` and ``after_s``, hold off around
    them. A rule that only ``marks`` counts its samples and leaves none out.
    """

    name: str
    label: str
    why: str
    knobs: tuple[Knob, ...]
    test: Test
    marks: bool = False


def rule(
    name: str,
    label: str,
    why: str,
    *knobs: Knob,
    before_s: float = 0.0,
    after_s: float = 0.0,
    longest_s: float = LONGEST_HOLD_S,
    marks: bool = False,
) -> Callable[[Test], Rule]:
    """Make a rule of a test.

    Parameters
    ----------
    name : for files and settings.
    label, why : for people: what it is called, why such samples mislead.

    Returns
    -------
    A decorator that turns a test into a rule.
    """
    hold = (
        Knob("before_s", "Hold off before", before_s, 0.0, LONGEST_HOLD_S, "s"),
        Knob("after_s", "Hold off after", after_s, 0.0, longest_s, "s"),
    )
    return lambda test: Rule(name, label, why, (*knobs, *hold), test, marks)
