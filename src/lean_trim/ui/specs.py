"""What the window is told of a desk, a page, a command, a file it can write and a page of help.

Plain declarations: nothing here loads Qt, so that commands without a window can read them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import Enum
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from PySide6.QtCore import SignalInstance
    from PySide6.QtGui import QAction
    from PySide6.QtWidgets import QWidget

    from lean_trim.ui.session import Session
    from lean_trim.ui.theme import Appearance
    from lean_trim.workspace.parts import Parts


class Desk(Protocol):
    """What the desk row needs of a desk."""

    @property
    def hovered(self) -> SignalInstance:
        """Says one line about what the pointer is over, for the status line."""

    @property
    def widget(self) -> QWidget:
        """What fills the middle."""

    def mark(self) -> str:
        """What the desk has to say beside its name, "" if nothing."""


@dataclass(frozen=True)
class Mark:
    """What a page's tab says beside its title, and more about it in the tip; "" for nothing."""

    text: str = ""
    tip: str = ""


@dataclass(frozen=True)
class PageSpec:
    """One page of the margin.

    Attributes
    ----------
    name : for the program.
    title, tip : for people.
    make : builds it; called when it is first turned to, so that the window opens quickly.
    mark : what its tab says of the shown round.
    widest_mark : one as wide as any; room is kept for it.
    """

    name: str
    title: str
    tip: str
    make: Callable[[Session, Appearance], QWidget]
    mark: Callable[[Session], Mark] = lambda _: Mark()
    widest_mark: str = ""


@dataclass(frozen=True)
class HelpPage:
    """What a desk is for, what it needs, and what to do there.

    Attributes
    ----------
    title : of the page.
    paragraphs : plain text.
    keys : key and what it does there, beside the commands' own.
    """

    title: str
    paragraphs: tuple[str, ...]
    keys: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class DeskSpec:
    """One desk.

    Attributes
    ----------
    name : for the program.
    title, tip : for people.
    make : builds it; called when it is first turned to.
    help : shown in its place on demand.
    pages : of the margin while it is shown, the first one shown first.
    is_first : shown where nothing is remembered.
    folds_tape : needs the room: the tape below it is a ribbon until it is opened there.
    widest_mark : a mark of the desk as wide as any; room is kept for it.
    """

    name: str
    title: str
    tip: str
    make: Callable[[Session, Appearance, Mapping[str, QAction]], Desk]
    help: HelpPage
    pages: tuple[PageSpec, ...] = ()
    is_first: bool = False
    folds_tape: bool = False
    widest_mark: str = ""


class Needs(Enum):
    """What a command means nothing without."""

    NOTHING = "nothing"
    JOB = "a job"
    CAR = "the simulated car of a demo job"


@dataclass(frozen=True)
class Command:
    """One command of the window.

    Attributes
    ----------
    name : for the program.
    menu : the menu it stands in.
    text, tip : for people.
    keys : its shortcut.
    also : other words it is found by.
    check : True makes it a switch.
    needs : without which it is off.
    after : name of the command it stands below; "" puts it first.
    """

    name: str
    menu: str
    text: str
    tip: str
    keys: str = ""
    also: str = ""
    check: bool = False
    needs: Needs = Needs.NOTHING
    after: str = ""


class Place(Protocol):
    """The window, as a feature's command sees it."""

    @property
    def session(self) -> Session:
        """The open job."""

    @property
    def appearance(self) -> Appearance:
        """Theme and units."""

    def desk(self, name: str) -> Desk:
        """A desk, made if it is not there yet."""

    def show_desk(self, name: str) -> None:
        """Turn to a desk."""

    def show_page(self, name: str) -> QWidget:
        """Turn to a page of the desk that is shown; returns it."""


@dataclass(frozen=True)
class FeatureCommand:
    """A command a feature brings along; ``run`` is told the window, and how a switch stands."""

    command: Command
    run: Callable[[Place, bool], object]


@dataclass(frozen=True)
class OutputSpec:
    """A file that can be written of the shown round.

    Attributes
    ----------
    name : for the program.
    title : what is written, for the menu.
    file_name : proposed, with its suffix.
    prepare : takes what is written, frozen, and gives what writes it whole, for a thread of its own;
        raises LeanTrimError where there is nothing to write yet.
    """

    name: str
    title: str
    file_name: str
    prepare: Callable[[Parts], Callable[[Path], object]]
