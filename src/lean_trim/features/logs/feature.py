"""The Logs page and the command that says what was understood of a log, declared."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lean_trim.features.feature import Feature
from lean_trim.features.logs.command import COMMAND
from lean_trim.features.logs.learned_command import COMMAND as LEARNED_COMMAND
from lean_trim.ui.specs import PageSpec

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from lean_trim.ui.session import Session
    from lean_trim.ui.theme import Appearance


def _logs(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.features.logs.pages.logs_page import LogsPage

    return LogsPage(session, appearance)


LOGS_PAGE = PageSpec("logs", "Logs", "Which logs count, airflow source, what was inferred", _logs)
"""Shown by the desks that name it."""
LOGS = Feature(name="logs", commands=(COMMAND, LEARNED_COMMAND))
