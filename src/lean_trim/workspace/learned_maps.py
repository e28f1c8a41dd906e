"""A learned map read out of the ECU: kept with its round, held against the drive, taken into the table."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from lean_trim.core.decision import decision as decide
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.learned.correction import LearnedCorrection, correct_by
from lean_trim.core.learned.reading import LearnedReading, check_fits, read_learned
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import cells_in_words, signed
from lean_trim.core.types import Floats
from lean_trim.formats.tables.block import Block, block_of_file, block_of_text
from lean_trim.formats.tables.learned_map import learned_map
from lean_trim.job.database import now
from lean_trim.job.records import LearnedMap
from lean_trim.workspace.changes import JobClosed, LearnedOffered, Part
from lean_trim.workspace.deciding import Deciding
from lean_trim.workspace.elsewhere import CLIPBOARD
from lean_trim.workspace.history import History
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver


class Say:
    """What is said of a learned map."""

    REFUSED = Message("learned_maps.refused", "{reason}")
    PUT = Message("learned_maps.put", "Learned map of {source}")
    GONE = Message("learned_maps.gone", "Put the learned map away")
    BIAS = Message("learned_maps.bias", "Rich bias of {bias:g} % in the learned map")
    TAKE = Message("learned_maps.take", "Take the learned map on {cells}")
    NOTHING = Message(
        "learned_maps.nothing",
        "Nothing changes: the learned map says nothing of cells the drive does not know better, or they "
        "already stand so.",
    )
    WOULD = Message(
        "learned_maps.would",
        "The learned map would change {cells}, by {low} to {high} %. Dashed on the tiles.",
    )
    WOULD_HELD = Message(
        "learned_maps.would_held",
        "The learned map would change {cells}, by {low} to {high} %; {held} above 80 kPa stay, for it takes "
        "no fuel out there by itself. Dashed on the tiles.",
    )


@dataclass(frozen=True)
class LearnedChange:
    """Another learned map in a round, or none any more."""

    maps: LearnedMaps
    round_id: int
    text: str
    before: LearnedMap | None
    after: LearnedMap | None

    def apply(self) -> None:
        """Save and take the later map."""
        self.maps.set_map(self.round_id, self.after)

    def again(self) -> LearnedChange | None:
        """The same map, in the place of the one there is now."""
        r = self.maps.open.round_of(self.round_id)
        return None if r is None else replace(self, before=r.learned)

    def revert(self) -> None:
        """Save and take the earlier map."""
        self.maps.set_map(self.round_id, self.before)


@dataclass(frozen=True, eq=False)
class LearnedOffer:
    """What the map would leave in the table: values in its shape, and that in words."""

    values: Floats
    said: str


class LearnedMaps:
    """The learned map of the shown round."""

    def __init__(
        self,
        open_job: OpenJob,
        saving: Saving,
        history: History,
        solver: Solver,
        deciding: Deciding,
    ) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history
        self.solver = solver
        self.deciding = deciding
        self._read: tuple[object, LearnedReading] | None = None
        self._corrected: tuple[object, LearnedCorrection] | None = None
        open_job.hub.subscribe(JobClosed, lambda _: self._forget())

    def _forget(self) -> None:
        self._read = None
        self._corrected = None

    # ---- what there is -------------------------------------------------------------------------

    @property
    def map(self) -> LearnedMap | None:
        """Of the shown round; None if it has none."""
        current = self.open.round
        return None if current is None else current.learned

    @property
    def reading(self) -> LearnedReading | None:
        """What stands in it; None without one."""
        learned = self.map
        if learned is None:
            return None
        if self._read is None or self._read[0] is not learned:
            self._read = (learned, read_learned(learned.table, learned.bias_pct))
        return self._read[1]

    @property
    def correction(self) -> LearnedCorrection | None:
        """What it says of the table beside the drive; None without one, or where it does not fit it."""
        reading = self.reading
        current = self.open.round
        if reading is None or current is None:
            return None
        solution = self.solver.solution
        fits = solution is not None and solution.estimate.table.same_axes(current.table)
        beside = solution.estimate if solution is not None and fits else None
        policy = self.solver.tuning.state.policy
        key = (reading, beside, current.table, policy.add_limit_pct, policy.remove_limit_pct)
        if self._corrected is None or self._corrected[0] != key:
            try:
                found = correct_by(
                    reading,
                    current.table,
                    beside,
                    most_added_pct=policy.add_limit_pct,
                    most_removed_pct=policy.remove_limit_pct,
                )
            # A table pasted since may be read by something else.
            except LeanTrimError:
                return None
            self._corrected = (key, found)
        return self._corrected[1]

    # ---- taking one in -------------------------------------------------------------------------

    def read_text(self, text: str, unit: str = "") -> bool:
        """Take the map a clipboard holds; False, and told, if it is none.

        Parameters
        ----------
        text : cells, with axes or without.
        unit : of its cells; "" tells it by them.

        Returns
        -------
        Whether it was taken.
        """
        return self._take(lambda: block_of_text(text, CLIPBOARD), CLIPBOARD, unit)

    def read_file(self, path: Path, unit: str = "") -> bool:
        """The same of a file.

        Parameters
        ----------
        path : text, workbook or JSON.
        unit : of its cells; "" tells it by them.

        Returns
        -------
        Whether it was taken.
        """
        return self._take(lambda: block_of_file(path), path.name, unit)

    def _take(self, read: Callable[[], Block], source: str, unit: str) -> bool:
        current = self.open.round
        if current is None:
            return False
        try:
            table = learned_map(read(), current.table, unit)
            check_fits(table, current.table)
            read_learned(table)
        except LeanTrimError as error:
            self.open.error(Say.REFUSED(reason=str(error)))
            return False
        taken = LearnedMap(table=table, source=source, added=now())
        return self._push(taken, Say.PUT(source=source))

    def put_away(self) -> bool:
        """Take the map out of the round; that can be undone."""
        return self.map is not None and self._push(None, Say.GONE())

    def say_bias(self, bias_pct: float) -> bool:
        """Say how much richer than its target the ECU was made to learn.

        Parameters
        ----------
        bias_pct : percent.

        Returns
        -------
        Whether it was taken.
        """
        learned = self.map
        if learned is None or bias_pct == learned.bias_pct:
            return False
        try:
            read_learned(learned.table, bias_pct)
        except LeanTrimError as error:
            self.open.error(Say.REFUSED(reason=str(error)))
            return False
        return self._push(replace(learned, bias_pct=bias_pct), Say.BIAS(bias=bias_pct))

    def _push(self, learned: LearnedMap | None, said: Said) -> bool:
        current = self.open.round
        if current is None or self.open.refuses_old_round():
            return False
        made = LearnedChange(self, current.id, str(said), current.learned, learned)
        return self.saving.attempt(lambda: self.history.push(made), made)

    def set_map(self, round_id: int, learned: LearnedMap | None) -> None:
        """Save a map, then take it into memory; SaveFailedError leaves both as they were.

        Parameters
        ----------
        round_id : a round of the open job.
        learned : None takes it away.

        Raises
        ------
        SaveFailedError
            If the file refused it.
        """
        self.open.commit(lambda store: store.save_learned(round_id, learned))
        changed = self.open.round_of(round_id)
        if changed is not None:
            self.open.take_round(replace(changed, learned=learned), Part.LEARNED)

    # ---- into the table ------------------------------------------------------------------------

    @property
    def offered(self) -> LearnedOffer | None:
        """What it would do to the table now; None where it would do nothing."""
        current = self.open.round
        found = self.correction
        if current is None or found is None:
            return None
        decided = current.decided
        values = self._wanted(found, decided.values)
        differs = (np.abs(values / decided.values - 1.0) > 1e-9) & ~decided.pinned
        if not differs.any():
            return None
        pct = 100.0 * (values / current.table.values - 1.0)[differs]
        held = int(found.held.sum())
        say = Say.WOULD_HELD if held else Say.WOULD
        said = say(
            cells=cells_in_words(int(differs.sum())),
            low=signed(float(pct.min())),
            high=signed(float(pct.max())),
            **({"held": cells_in_words(held)} if held else {}),
        )
        return LearnedOffer(values=np.where(decided.pinned, decided.values, values), said=str(said))

    def _wanted(self, found: LearnedCorrection, values: Floats) -> Floats:
        current = self.open.round
        assert current is not None
        driven = current.table.values
        step = found.step_pct
        return np.where(found.by_map & (step != 0.0), driven * (1.0 + step / 100.0), values)

    def offer(self) -> bool:
        """Have the table show what it would do; False, and told, if it would do nothing."""
        if self.open.refuses_old_round():
            return False
        if self.offered is None:
            self.open.note(Say.NOTHING())
            return False
        self.open.hub.publish(LearnedOffered())
        return True

    def take(self) -> bool:
        """Decide what it says, cell by cell, as if by hand; dangers need a word as they always do.

        Returns whether it was done.
        """
        current = self.open.round
        found = self.correction
        vehicle = self.open.vehicle
        if current is None or found is None or vehicle is None:
            return False
        own = current.table.own
        return self.deciding.change(
            lambda n: Say.TAKE(cells=n),
            lambda d: decide.moved_by_hand(d, self._wanted(found, d.values), vehicle.limits, own),
            nothing=Say.NOTHING(),
        )
