"""A table that was edited elsewhere and comes back: read, held against what is known, taken or left."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.decision import decision as decide
from lean_trim.core.decision.confirmation import DANGER_WORDS, Warned
from lean_trim.core.decision.proposal import quantise
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.core.text import cells_in_words, signed
from lean_trim.core.types import Floats
from lean_trim.formats.tables.block import Block, block_of_file, block_of_text
from lean_trim.formats.tables.pasted_over import values_over
from lean_trim.job.records import Round
from lean_trim.workspace.additions import BeginRound
from lean_trim.workspace.confirming import Waiting
from lean_trim.workspace.deciding import Deciding
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver

CLIPBOARD = "the clipboard"
SAME_SHARE = 0.5
"""Of a field's step: two values closer than that are the same in the ECU."""


class Say:
    """What is said of a table from elsewhere."""

    REFUSED = Message("elsewhere.refused", "{reason}")
    SAME = Message("elsewhere.same", "{source} holds the same cells as {known}: nothing to take.")
    HANDED = Message("elsewhere.handed", "what was handed over")
    DECIDED = Message("elsewhere.decided", "what is decided here")
    DIFFERS = Message(
        "elsewhere.differs", "Other than {known}: {cells} of {source}, by {low} to {high} %."
    )
    NOTE = Message("elsewhere.note", "edited elsewhere")
    NOTE_GIVEN = Message("elsewhere.note_given", "edited elsewhere; your word was given: {given}")
    BEGIN = Message("elsewhere.begin", "A round on the table edited elsewhere")


@dataclass(frozen=True, eq=False)
class Edited:
    """A table from elsewhere.

    Attributes
    ----------
    values : in our unit, in the table's shape, on the steps of the field.
    differs : cells that are other than the last known revision's.
    said : how far, for people.
    may_begin : whether a round of its own can begin on it: the shown one has logs.
    """

    values: Floats
    differs: np.ndarray
    said: str
    may_begin: bool


class Elsewhere:
    """Reads tables from elsewhere; keeps none."""

    def __init__(
        self,
        open_job: OpenJob,
        saving: Saving,
        navigation: Navigation,
        solver: Solver,
        deciding: Deciding,
    ) -> None:
        self.open = open_job
        self.saving = saving
        self.navigation = navigation
        self.solver = solver
        self.deciding = deciding

    def read_text(self, text: str) -> Edited | None:
        """What a clipboard holds; None, and told, if it is not this table or the same.

        Parameters
        ----------
        text : cells, with axes or without.

        Returns
        -------
        The edited table.
        """
        return self._read(lambda: block_of_text(text, CLIPBOARD), CLIPBOARD)

    def read_file(self, path: Path) -> Edited | None:
        """What a file holds; None, and told, if it is not this table or the same.

        Parameters
        ----------
        path : text, workbook or JSON.

        Returns
        -------
        The edited table.
        """
        return self._read(lambda: block_of_file(path), path.name)

    def _read(self, read: Callable[[], Block], source: str) -> Edited | None:
        current = self.open.round
        vehicle = self.open.vehicle
        if current is None or vehicle is None:
            return None
        if self.open.refuses_old_round():
            return None
        try:
            wanted = values_over(read(), current.table)
        except LeanTrimError as error:
            self.open.error(Say.REFUSED(reason=str(error)))
            return None
        limits = vehicle.limits
        values, _ = quantise(np.maximum(wanted, 0.0), limits, current.table.own)
        # A value out of range is refused by whoever takes it, with the value as it stands there.
        values = np.where(wanted > 0.0, values, wanted)
        known = self.known
        assert known is not None
        own = current.table.own
        step = limits.resolution if own is None else limits.resolution / own.scale
        differs = np.abs(values - known.values) >= SAME_SHARE * step
        words = Say.HANDED() if current.handed_over else Say.DECIDED()
        if not differs.any():
            self.open.note(Say.SAME(source=_capital(source), known=words))
            return None
        pct = 100.0 * (values / known.values - 1.0)[differs]
        said = Say.DIFFERS(
            cells=cells_in_words(int(differs.sum())),
            source=source,
            known=words,
            low=signed(float(pct.min())),
            high=signed(float(pct.max())),
        )
        return Edited(values=wanted, differs=differs, said=str(said), may_begin=bool(current.logs))

    @property
    def known(self) -> Table | None:
        """The table as it last left the job, as it is decided now if it did not."""
        current = self.open.round
        if current is None:
            return None
        return current.handed.get(current.subject, current.result)

    def decide(self, edited: Edited) -> bool:
        """Take its cells as decided by hand in this round.

        Parameters
        ----------
        edited : as read.

        Returns
        -------
        Whether it was done; False as well where it waits for a deliberate word.
        """
        return self.deciding.take_values(edited.values)

    def begin(self, edited: Edited) -> bool:
        """Take it as a revision of its own, which the next round is driven on.

        Parameters
        ----------
        edited : as read.

        Returns
        -------
        Whether the round was begun.
        """
        current = self.open.round
        vehicle = self.open.vehicle
        if current is None or vehicle is None or not current.logs:
            return False
        values, clipped = quantise(
            np.maximum(edited.values, 0.0), vehicle.limits, current.table.own
        )
        if clipped.any():
            # Refused in the words of deciding, and nothing is begun.
            return self.deciding.take_values(edited.values)
        after = decide.moved_by_hand(
            decide.undecided(current.table), values, vehicle.limits, current.table.own
        )
        confirming = self.deciding.confirming
        warned = confirming.needs(current, current.decided, after)
        if warned:
            confirming.hold(
                Waiting(
                    text=str(Say.BEGIN()),
                    warned=warned,
                    go_on=lambda: self._begin(current, values, warned),
                )
            )
            return False
        return self._begin(current, values, ())

    def _begin(self, parent: Round, values: Floats, warned: tuple[Warned, ...]) -> bool:
        table = parent.table.with_values(values)
        given = ", ".join(f"{len(w.cells)} {DANGER_WORDS[w.danger]}" for w in warned)
        begun = BeginRound(
            self.open,
            self.navigation,
            parent=parent,
            calibration=parent.resulting_calibration.with_table(parent.subject, table),
            note=str(Say.NOTE_GIVEN(given=given) if given else Say.NOTE()),
        )
        return self.saving.attempt(begun.apply, begun)


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]
