"""Which number a tile carries, by name; nothing here loads NumPy: commands are declared with it."""

from __future__ import annotations

from enum import StrEnum


class Figure(StrEnum):
    """Which number a tile carries."""

    VALUE = "value"
    CHANGE = "change"
    ASKED = "asked"
    ERROR = "error"
    BEFORE = "before"
    STEP = "step"
    RESIDUAL = "residual"
    SECONDS = "seconds"
    DIFFERENCE = "difference"
    SHAPE = "shape"


FIGURE_TEXT = {
    Figure.VALUE: ("Value", "the value as it is decided now; undecided cells as they were driven"),
    Figure.CHANGE: (
        "Change %",
        "how far the decided value is from another table of this job, percent; blank where it is the "
        "same",
    ),
    Figure.ASKED: ("Asked %", "the correction the drive needs, percent, before limits and shares"),
    Figure.ERROR: ("± %", "one standard error of that correction, percent points"),
    Figure.BEFORE: ("Before", "the value as it was driven on"),
    Figure.STEP: ("Step %", "what is written, or proposed where nothing is decided, percent"),
    Figure.RESIDUAL: (
        "Off by %",
        "how far this drive was off in the cell, by its own samples alone, percent",
    ),
    Figure.SECONDS: ("Seconds", "used seconds of driving behind the cell"),
    Figure.DIFFERENCE: (
        "Change",
        "the same difference as Change % in the table's unit; blank where it is the same",
    ),
    Figure.SHAPE: (
        "Off line %",
        "how far the decided value stands off the line between its neighbours, percent, along the "
        "axis on which that is more",
    ),
}
MAIN = (Figure.VALUE, Figure.CHANGE, Figure.ASKED, Figure.ERROR)
"""Figures that have a button of their own; the others are in a list beside them."""
AGAINST = (Figure.CHANGE, Figure.DIFFERENCE)
"""Figures that are counted from a table that can be chosen."""
