"""A list that takes no more room than its lines; what is below it moves up."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget

LEAST_PX = 24
"""Height of a list with one short line."""
SLACK_PX = 8
ROOMY = 0.6
"""Share of the page up to which a list is sure to be shown whole: a bar would break its lines
elsewhere, and
so be needed."""


def fit_to_lines(which: QListWidget) -> None:
    """Bound the height of a list by its lines at its present width."""
    which.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    # Rows know their height only once their lines are broken at the present width.
    which.doItemsLayout()
    rows = [which.visualItemRect(which.item(i)).height() for i in range(which.count())]
    lines = sum(rows) + 2 * which.spacing() * (len(rows) + 1)
    which.setMaximumHeight(max(lines + 2 * which.frameWidth() + SLACK_PX, LEAST_PX))
    page = which.parentWidget()
    if page is not None and lines > ROOMY * page.height():
        which.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
