"""The way to a note: its round, its cell on the Table desk, its moment on the tape."""

from __future__ import annotations

from typing import Protocol

from lean_trim.ui.session import Session
from lean_trim.workspace.notes import Note


class Ways(Protocol):
    """What a window can turn to."""

    session: Session

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
