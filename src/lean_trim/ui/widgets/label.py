"""Labels that show text as it is. Names, units and sentences may come from anybody's file.

Left to themselves Qt's labels and tooltips take what looks like markup for markup, and read the
files it names. ``Label`` never does; what is our own markup is a ``RichLabel``, and every value in
it is ``escaped``; a tooltip that names something out of a file is a ``plain_tip``.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QWidget

from lean_trim.ui.widgets.tooltips import folded

SIGNS = {"&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#x27;"}
"""What means something in markup, the first of all first, and how it is written there."""


class Label(QLabel):
    """A label whose text is text."""

    def __init__(self, text: str | QWidget | None = None, parent: QWidget | None = None) -> None:
        # As Qt's own: a label is often made with its parent alone.
        words, parent = ("", text) if isinstance(text, QWidget) else (text or "", parent)
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        super().setText(words)


class RichLabel(Label):
    """A label for our own markup."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.RichText)


def escaped(value: object) -> str:
    """A value as it may stand in markup.

    Returns its text without any markup of its own.
    """
    text = str(value)
    for sign, named in SIGNS.items():
        text = text.replace(sign, named)
    return text


def plain_tip(text: str) -> str:
    """A tooltip that shows a text as it is, whatever it looks like.

    Parameters
    ----------
    text : of a tooltip that names something out of a file.

    Returns
    -------
    The text, or markup of ours around it where Qt would take it for markup.
    """
    if "<" not in text:
        return folded(text)
    lines = escaped(text).replace("\n", "<br>")
    return f"<span>{lines}</span>"
