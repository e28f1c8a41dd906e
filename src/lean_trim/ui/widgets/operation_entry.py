"""A line for typed operations: once applied, undo is that of the decision, not of the text."""

from __future__ import annotations

from PySide6.QtCore import QEvent
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QLineEdit

STEPS = (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo)


class OperationEntry(QLineEdit):
    """Qt's own line would keep Ctrl+Z for itself, and bring back the text that was just applied."""

    def event(self, event: QEvent) -> bool:
        """With nothing typed, undo and redo are the window's."""
        if event.type() == QEvent.Type.ShortcutOverride and not self.text():
            assert isinstance(event, QKeyEvent)
            if any(event.matches(step) for step in STEPS):
                event.ignore()
                return False
        return super().event(event)
