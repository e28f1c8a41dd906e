"""What cells can be chosen by; nothing here loads NumPy, so that commands can be declared with it."""

from __future__ import annotations

from enum import StrEnum

FAR_PCT = 5.0
"""Correction asked from which a cell is far off, percent (common practice, no source)."""


class Choice(StrEnum):
    """What chosen cells have in common."""

    UNVISITED = "unvisited"
    FAR = "far"
    UNDECIDED = "undecided"
    FILLED = "filled"
    IDLE = "idle"
    PART = "part"
    FULL = "full"
    BOOST = "boost"
    TIP_IN = "tip_in"


CHOICE_WORDS = {
    Choice.UNVISITED: ("Every cell nobody drove", "not visited, hatched"),
    Choice.FAR: (f"Every cell over {FAR_PCT:g} %", f"asked for {FAR_PCT:g} % or more, either way"),
    Choice.UNDECIDED: ("Every cell not decided", "a proposal waits there"),
    Choice.FILLED: ("Every filled cell", "not driven, filled by the surface"),
    Choice.IDLE: ("Idle", "cells driven mostly at idle"),
    Choice.PART: ("Part throttle", "neither idle nor full throttle nor boost"),
    Choice.FULL: ("Full throttle", "cells driven mostly at full throttle, up to atmospheric"),
    Choice.BOOST: ("Boost", "rows above atmospheric pressure"),
    Choice.TIP_IN: (
        "Beside tip-ins",
        "where the engine was as the throttle opened, and just after",
    ),
}
"""For the menu, and more of it."""
