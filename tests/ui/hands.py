"""What a hand does to the window's own fields."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from lean_trim.ui.widgets.choice_button import ChoiceButton

LEFT = Qt.MouseButton.LeftButton


def pick(button: ChoiceButton, text: str) -> None:
    """Open the menu by a click and click an entry."""
    QTest.mouseClick(button, LEFT)
    menu = button.open_menu
    assert menu is not None
    action = next(a for a in menu.actions() if a.text() == text)
    QTest.mouseClick(menu, LEFT, pos=menu.actionGeometry(action).center())
    QApplication.processEvents()


def type_into(button: ChoiceButton, text: str, ends: Qt.Key = Qt.Key.Key_Return) -> None:
    """Type over a button that can be typed into, and end it with a key."""
    button.setFocus()
    QTest.keyClicks(button, text[:1])
    assert button.line is not None
    QTest.keyClicks(button.line, text[1:])
    QTest.keyClick(button.line, ends)
    QApplication.processEvents()


def drag_over(widget: QWidget, points: Sequence[QPoint]) -> None:
    """Press at the first point, go by way of the others, let go at the last."""
    QTest.mousePress(widget, LEFT, pos=points[0])
    for start, end in pairwise(points):
        for step in range(1, 5):
            QTest.mouseMove(widget, start + (end - start) * step / 4)
    QTest.mouseRelease(widget, LEFT, pos=points[-1])
    QApplication.processEvents()
