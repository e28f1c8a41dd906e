"""What a desk is: one task that fills the middle of the window, with its own pages in the margin."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Protocol

from PySide6.QtCore import SignalInstance
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QWidget

from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance


class Desk(Protocol):
    """What the desk row asks of a desk."""

    @property
    def hovered(self) -> SignalInstance:
        """Says one line about what the pointer is over, for the status line."""

    @property
    def widget(self) -> QWidget:
        """What fills the middle."""

    def mark(self) -> str:
        """What the desk has to say beside its name, "" if nothing."""


@dataclass(frozen=True)
class DeskSpec:
    """One desk.

    Attributes
    ----------
    name : for the program.
    title, tip : for people.
    pages : names of its pages in the margin, the first one shown first.
    make : builds it; called when it is first turned to.
    """

    name: str
    title: str
    tip: str
    pages: tuple[str, ...]
    make: Callable[[Session, Appearance, Mapping[str, QAction]], Desk]
