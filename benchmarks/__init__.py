from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from PySide6.QtWidgets import QApplication


def application() -> QApplication:
    """The application there is, or one; a test that runs a benchmark has one already."""
    from PySide6.QtWidgets import QApplication

    there = QApplication.instance()
    return there if isinstance(there, QApplication) else QApplication([])
