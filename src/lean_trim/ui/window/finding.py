"""Finding commands, words and notes, and the way to a note."""

from __future__ import annotations

from functools import partial
from typing import Protocol

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QWidget

from lean_trim.core.messages import Message
from lean_trim.ui.session import Session
from lean_trim.ui.window.finder import Finder
from lean_trim.workspace.notes import Note, Notes


class Say:
    """What finding says."""

    TERM = Message("window.term", "{said}")


class Ways(Protocol):
    """What a window can turn to."""

    session: Session
    actions_: dict[str, QAction]

    def show_desk(self, name: str) -> None:
        """Turn to a desk."""


def go_to_note(window: Ways, note: Note) -> None:
    """Look at what a note speaks of.

    Parameters
    ----------
    window : with the job.
    note : of it.
    """
    session = window.session
    job = session.job
    if job is None or note.index >= len(job.rounds):
        return
    if session.index != note.index:
        session.navigation.show_round(note.index)
    if note.time_s is not None:
        session.selection.stand_at(note.time_s)
    current = session.round
    if note.cell is None or current is None or current.subject != note.table:
        return
    if note.cell < current.table.size:
        window.show_desk("table")
        session.selection.set_cells(frozenset({note.cell}))


def find_in(window: Ways) -> None:
    """Ask for a few letters and do, explain or show what is chosen.

    Parameters
    ----------
    window : whose commands and notes are looked through.
    """
    parent = window if isinstance(window, QWidget) else None
    session = window.session
    finder = Finder(window.actions_, parent, session.part(Notes).found)
    finder.went.connect(partial(go_to_note, window))
    finder.explained.connect(lambda said: session.note(Say.TERM(said=said)))
    finder.exec()
