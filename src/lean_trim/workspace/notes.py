"""Notes on rounds, cells and stretches of the open job, and the way to each of them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from lean_trim.core.messages import Message
from lean_trim.core.text import clock
from lean_trim.job.records import Job, Round
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.words import Words

KIND = "note"
FIELDS = (("round", "Note on this round"), ("who", "Who"), ("weather", "Weather"), ("fuel", "Fuel"))
"""Keys of what is noted of a round, and what they are called."""
IN_REPORT = "in_report"
CELL = "cell"


class Say:
    """What notes are called."""

    ROUND = Message("notes.round", "Round {number}, {field}: {text}")
    CELL = Message("notes.cell", "Round {number}, {table} cell: {text}")
    STRETCH = Message("notes.stretch", "Round {number}, {at} min: {text}")
    ON_CELLS = Message("notes.on_cells", "Note on cells")


@dataclass(frozen=True)
class Note:
    """A note and where it is.

    Attributes
    ----------
    index : place of its round, from 0.
    said : it in a line.
    text : what was noted.
    table, cell : of a note on a cell; "" and None of any other.
    time_s : of a bookmark, on the joined log.
    """

    index: int
    said: str
    text: str
    table: str = ""
    cell: int | None = None
    time_s: float | None = None


def notes_in(job: Job) -> Iterator[Note]:
    """All notes of a job, the newest round first.

    Parameters
    ----------
    job : with its rounds.

    Returns
    -------
    Notes on rounds, cells and stretches.
    """
    for index in reversed(range(len(job.rounds))):
        yield from _of_round(index, job.rounds[index])


def _of_round(index: int, r: Round) -> Iterator[Note]:
    words = {key: w.text for (kind, key), w in r.words.items() if kind == KIND}
    for key, title in FIELDS:
        if key in words:
            said = Say.ROUND(number=r.number, field=title.lower(), text=words[key])
            yield Note(index, str(said), words[key])
    for key, text in words.items():
        where = cell_of(key)
        if where is not None:
            table, cell = where
            said = Say.CELL(number=r.number, table=table.upper(), text=text)
            yield Note(index, str(said), text, table, cell)
    for mark in r.marks:
        if mark.text:
            said = Say.STRETCH(number=r.number, at=clock(mark.time_s), text=mark.text)
            yield Note(index, str(said), mark.text, time_s=mark.time_s)


def cell_key(table: str, cell: int) -> str:
    """Key of a note on a cell."""
    return f"{CELL}:{table}:{cell}"


def cell_of(key: str) -> tuple[str, int] | None:
    """Table and flat index a key speaks of; None where it is no cell's."""
    parts = key.split(":")
    if len(parts) != 3 or parts[0] != CELL or not parts[2].isdecimal():
        return None
    return parts[1], int(parts[2])


class Notes:
    """Notes of the shown round."""

    def __init__(self, open_job: OpenJob, words: Words) -> None:
        self.open = open_job
        self.words = words

    def of_round(self, field: str) -> str:
        """What is noted of the shown round in a field, "" for nothing."""
        word = self.words.of(KIND).get(field)
        return "" if word is None else word.text

    def type_in(self, field: str, text: str) -> None:
        """What is being noted of the shown round; kept when the field is left."""
        title = dict(FIELDS).get(field, field)
        self.words.type_in(KIND, {field: text.strip()}, title)

    @property
    def in_report(self) -> bool:
        """Whether the report of the shown round has its notes."""
        return self.of_round(IN_REPORT) == "yes"

    def put_in_report(self, on: bool) -> bool:
        """Let the report have the notes, or not."""
        return self.words.write(KIND, IN_REPORT, "yes" if on else "", "Notes in the report")

    def of_cells(self, cells: Iterable[int]) -> str:
        """What is noted of chosen cells of the shown table; each note once."""
        current = self.open.round
        if current is None:
            return ""
        words = self.words.of(KIND)
        keys = [cell_key(current.subject, cell) for cell in sorted(cells)]
        return "; ".join(dict.fromkeys(words[key].text for key in keys if key in words))

    def type_in_cells(self, cells: Iterable[int], text: str) -> None:
        """What is being noted of chosen cells; kept when the line is left. "" takes it back."""
        current = self.open.round
        if current is not None:
            keys = [cell_key(current.subject, cell) for cell in cells]
            said = str(Say.ON_CELLS())
            self.words.type_in(KIND, dict.fromkeys(keys, text.strip()), said)

    def flush(self) -> None:
        """Keep what is being typed."""
        self.words.flush()

    def found(self, text: str) -> tuple[Note, ...]:
        """Notes of the whole job that hold every typed word.

        Parameters
        ----------
        text : as it was typed.

        Returns
        -------
        The newest round first; none for no word.
        """
        typed = text.lower().split()
        if self.open.job is None or not typed:
            return ()
        return tuple(
            note for note in notes_in(self.open.job) if all(w in note.said.lower() for w in typed)
        )
