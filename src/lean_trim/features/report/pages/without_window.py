"""Qt for painting pages where no window is: fonts need an application, no screen is needed."""

from __future__ import annotations

import os

from PySide6.QtGui import QGuiApplication

from lean_trim.ui.theme import register_fonts

_kept: list[QGuiApplication] = []
"""Until the process ends: Qt does not outlive its application."""


def begin_qt() -> None:
    """Have an application with the shipped fonts, unless there is one."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    if QGuiApplication.instance() is None:
        _kept.append(QGuiApplication([]))
    register_fonts()
