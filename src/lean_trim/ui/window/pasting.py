"""Where a table from the clipboard goes: to what has the focus, else to what is shown."""

from __future__ import annotations

from typing import Protocol, runtime_checkable

from PySide6.QtWidgets import QApplication, QWidget


@runtime_checkable
class TakesTable(Protocol):
    """A widget into which a table can be pasted."""

    def paste_table(self) -> None:
        """Take what the clipboard holds, or say why not."""


def paste_into(shown: QWidget) -> bool:
    """Paste into the widget that has the focus, or the nearest around it; else into the page shown.

    Parameters
    ----------
    shown : the desk or page.

    Returns
    -------
    Whether anything here takes a table.
    """
    widget = QApplication.focusWidget()
    while widget is not None:
        if isinstance(widget, TakesTable):
            widget.paste_table()
            return True
        widget = widget.parentWidget()
    if isinstance(shown, TakesTable):
        shown.paste_table()
        return True
    takers = [w for w in shown.findChildren(QWidget) if isinstance(w, TakesTable) and w.isVisible()]
    if len(takers) != 1:
        return False
    takers[0].paste_table()
    return True
