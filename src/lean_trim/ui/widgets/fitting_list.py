"""A list that takes no more room than its lines; what is below it moves up."""

from __future__ import annotations

from PySide6.QtWidgets import QListWidget

LEAST_PX = 24
"""Height of a list with one short line."""


def fit_to_lines(which: QListWidget) -> None:
    """Bound the height of a list by its lines at its present width."""
    # Rows know their height only once their lines are broken at the present width.
    which.doItemsLayout()
    rows = [which.visualItemRect(which.item(i)).height() for i in range(which.count())]
    lines = sum(rows) + 2 * which.spacing() * (len(rows) + 1)
    which.setMaximumHeight(max(lines + 2 * which.frameWidth() + 2, LEAST_PX))
