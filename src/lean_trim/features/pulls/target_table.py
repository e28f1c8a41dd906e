"""Editing the target table of the newest round: typed, undone, handed over, driven on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from lean_trim.core.data.calibration import TARGET
from lean_trim.core.data.channels import Role
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision import decision as decide
from lean_trim.core.decision.confirmation import LEANER_PCT, Danger, Warned
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.regions import USUAL_KPA
from lean_trim.core.decision.shaping import Shape, nudged
from lean_trim.core.decision.targets import Load, TargetAdvice, advise
from lean_trim.core.decision.typed import type_in
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message, Said
from lean_trim.formats.tables.block import block_of_text
from lean_trim.formats.tables.pasted_over import values_over
from lean_trim.job.records import Round
from lean_trim.job.trail import Stood, confirmed_cells, state_after, way_here
from lean_trim.workspace.changes import RoundShown
from lean_trim.workspace.confirming import Waiting, without_warned
from lean_trim.workspace.deciding import Deciding
from lean_trim.workspace.decision_change import DecisionChange
from lean_trim.workspace.elsewhere import CLIPBOARD
from lean_trim.workspace.history import History
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.side_shaping import SHAPE_WORDS, shaped_freely
from lean_trim.workspace.solving import Solver

LIMITS = TableLimits(resolution=0.001, lowest=0.5, highest=1.5)
"""What a target may be set to, λ; the field of an ECU is finer or as fine."""


class Say:
    """What editing targets says."""

    NO_TABLE = Message(
        "target_table.no_table", "This car has no target table: paste one on the Vehicle desk."
    )
    CHOOSE_FIRST = Message(
        "target_table.choose_first",
        "Choose the cells first, then type, for example =0.86 or x0.98.",
    )
    SET = Message("target_table.set", "Set {text} on {count} targets")
    BACK_TO = Message("target_table.back_to", "Go back in the targets")
    TARGETS = Message("target_table.targets", "{count} targets")
    PASTE = Message("target_table.paste", "Paste targets")
    PUT_BACK = Message("target_table.put_back", "Put {count} targets back")
    REFUSED = Message("target_table.refused", "The target table is as it was: {reason}")


class TargetTable:
    """Target table of the shown round."""

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
        open_job.hub.subscribe(RoundShown, lambda _: self._take_history())

    def _take_history(self) -> None:
        """Targets decided before the job was opened can be undone as well."""
        decided = self.decided
        if decided is not None and self.open.is_last:
            self.history.seed(self.deciding.changes_on(TARGET, decided))

    @property
    def trail(self) -> list[Stood]:
        """How the targets of the shown round came about, oldest step first."""
        current = self.open.round
        decided = self.decided
        if current is None or decided is None:
            return []
        return way_here(current.steps, TARGET, decided)

    def go_back_to(self, place: int) -> bool:
        """Decide again what was decided after a step of the trail; that can be undone as well.

        Parameters
        ----------
        place : in ``trail``; -1 for before its first step.

        Returns
        -------
        Whether it was done.
        """
        found = state_after(self.trail, place)
        if found is None:
            return False
        return self._change(Say.BACK_TO(), lambda _, __: found)

    @property
    def base(self) -> Table | None:
        """As the shown round was driven on it; None if the car has none."""
        current = self.open.round
        return None if current is None else current.revision.calibration.tables.get(TARGET)

    @property
    def decided(self) -> Decision | None:
        """What is decided of it, untouched if nothing is; None if there is no table."""
        current = self.open.round
        table = self.base
        if current is None or table is None:
            return None
        return current.decisions.get(TARGET) or decide.undecided(table)

    @property
    def advice(self) -> TargetAdvice | None:
        """What people run, held against what would be written; None without a table of two axes."""
        table = self.base
        decision = self.decided
        if table is None or decision is None or len(table.axes) != 2:
            return None
        return advise(table, decision.values, self._baro_kpa())

    def _baro_kpa(self) -> float:
        solution = self.solver.solution
        if solution is None:
            return USUAL_KPA
        logged = solution.frame.log.get(Role.BARO)
        known = logged[np.isfinite(logged)]
        return float(np.median(known)) if len(known) else USUAL_KPA

    def type_in(self, text: str, cells: frozenset[int]) -> bool:
        """Apply typed input to cells; False, and told, if it cannot be done.

        Parameters
        ----------
        text : as ``=0.86``, ``x0.98`` or ``+2%``; a bare number is the value.
        cells : flat indices.

        Returns
        -------
        Whether it was done.
        """
        if not cells:
            self.open.note(Say.CHOOSE_FIRST())
            return False
        words = text.strip()
        typed = f"={words}" if words[:1].isdigit() or words[:1] in ".," else words
        said = Say.SET(text=words, count=len(cells))
        return self._change(said, lambda d, _: type_in(d, typed, cells, LIMITS))

    def nudge(self, cells: frozenset[int], pct: float, goes_on: bool = False) -> bool:
        """Move targets by a little, by one step of their field at least.

        Parameters
        ----------
        cells : flat indices.
        pct : percent; its sign tells the direction.
        goes_on : the key is still held; all of it is one undo.

        Returns
        -------
        Whether it was done.
        """
        if not cells:
            self.open.note(Say.CHOOSE_FIRST())
            return False

        def moved(decision: Decision, table: Table) -> Decision:
            chosen = decide.mask_of(decision, cells)
            wanted = nudged(decision.values, chosen, pct, LIMITS, table.own)
            return decide.moved_by_hand(decision, wanted, LIMITS, table.own)

        return self._change(Say.SET(text=f"{pct:+g}%", count=len(cells)), moved, goes_on)

    def shape(self, how: Shape, cells: frozenset[int]) -> bool:
        """Make chosen targets smooth, blend or straighten them between their edges.

        Parameters
        ----------
        how : which of those.
        cells : flat indices.

        Returns
        -------
        Whether it was done.
        """
        if not cells:
            self.open.note(Say.CHOOSE_FIRST())
            return False

        def wanted(decision: Decision, table: Table) -> Decision:
            values = shaped_freely(how, table, decision, cells)
            return decide.moved_by_hand(decision, values, LIMITS, table.own)

        return self._change(SHAPE_WORDS[how](what=str(Say.TARGETS(count=len(cells)))), wanted)

    def paste(self, text: str) -> bool:
        """Put targets from the clipboard over the table; False, and told, if it cannot be done.

        Parameters
        ----------
        text : cells, with the table's axes or without.

        Returns
        -------
        Whether it was done.
        """

        def over(decision: Decision, table: Table) -> Decision:
            wanted = values_over(block_of_text(text, CLIPBOARD), table)
            return decide.moved_by_hand(decision, wanted, LIMITS, table.own)

        return self._change(Say.PASTE(), over)

    def put_back(self, cells: frozenset[int] | None = None) -> bool:
        """Return targets to what was driven on.

        Parameters
        ----------
        cells : flat indices; all if None.

        Returns
        -------
        Whether it was done.
        """
        decision = self.decided
        count = len(cells) if cells else (0 if decision is None else decision.changed)
        return self._change(
            Say.PUT_BACK(count=count), lambda d, t: decide.put_back(d, t, cells or None)
        )

    def _change(
        self, text: Said, change: Callable[[Decision, Table], Decision], goes_on: bool = False
    ) -> bool:
        current = self.open.round
        table = self.base
        before = self.decided
        if current is None or self.open.refuses_old_round():
            return False
        if table is None or before is None:
            self.open.note(Say.NO_TABLE())
            return False
        try:
            after = change(before, table)
        except LeanTrimError as error:
            self.open.error(Say.REFUSED(reason=str(error)))
            return False
        # A cell typed back to what it was is not decided.
        same = after.values == table.values
        after = replace(
            after, origin=np.where(same, np.int8(decide.Origin.UNTOUCHED), after.origin)
        )
        made = DecisionChange(self.deciding, current.id, TARGET, str(text), before, after)
        warned = self._needs_word(current, table, before, after)
        if not warned:
            return self.deciding.push(made, goes_on)
        rest = without_warned(made, warned)
        self.deciding.confirming.hold(
            Waiting(
                text=made.text,
                warned=warned,
                go_on=lambda: self.deciding.push(replace(made, warned=warned)),
                others=None if rest is None else lambda: self.deciding.push(rest),
            )
        )
        return False

    def _needs_word(
        self, current: Round, table: Table, before: Decision, after: Decision
    ) -> tuple[Warned, ...]:
        """Targets this change makes leaner than they were driven, under load; said once, not asked again."""
        if len(table.axes) != 2:
            return ()
        loads = advise(table, after.values, self._baro_kpa()).loads
        heavy = np.array([load in (Load.FULL, Load.BOOST) for load in loads])[:, None]
        leaner = 100.0 * (after.values / table.values - 1.0)
        cells = heavy & (leaner > LEANER_PCT) & (after.values > before.values)
        places = frozenset(np.flatnonzero(cells).tolist())
        known = confirmed_cells(current.steps, TARGET).get(Danger.TARGET, frozenset())
        if places <= known:
            return ()
        return (Warned(Danger.TARGET, places, float(leaner[cells].max())),)
