"""Moving the scale of the airflow table in the newest round: table and scale together, or neither.

Both are decided in one step that is saved first and undone as one. While a moved scale waits to be
driven, single cells are not decided: they speak of the old one.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.data.calibration import (
    ENGINE_SCALE,
    INJECTOR_FLOW,
    ScaleAt,
    point_of,
    scale_table,
)
from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Decision, Origin, undecided
from lean_trim.core.decision.proposal import Status
from lean_trim.core.decision.scale import Move, ScaleNeed, moves, scale_need, scaled
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.injectors.tables import limits_of
from lean_trim.core.messages import Message, Said
from lean_trim.core.types import Floats
from lean_trim.job.records import Round
from lean_trim.workspace.history import History
from lean_trim.workspace.injector_tables import InjectorTables
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.side_tables import Held, TablesChange
from lean_trim.workspace.solving import Solver


class Say:
    """What moving the scale says."""

    MOVE = Message("scale_moves.move", "Move the scale by × {factor:g} at the {at}")
    PUT_BACK = Message("scale_moves.put_back", "Put the scale back")
    REFUSED = Message("scale_moves.refused", "The scale was not moved: {reason}")
    ALREADY = Message(
        "scale_moves.already", "The scale of this round was moved already; put it back first."
    )
    INJECTORS = Message(
        "scale_moves.injectors",
        "Injector data are decided in this round. Drive on them first: two changes at once cannot "
        "be told apart.",
    )
    SEVERAL = Message(
        "scale_moves.several",
        "This ECU reckons air from several tables, and engine size or injector flow stand behind all of "
        "them: move the scale of all by hand, then paste them as they are.",
    )
    NO_FLOW = Message("scale_moves.no_flow", "no injector flow of this car is known")
    ENTER = Message(
        "scale_moves.enter",
        "Enter {what} together with the table: either without the other is off by {pct:.0f} %.",
    )


class ScaleMoves:
    """Scale of the shown round's airflow table."""

    def __init__(
        self,
        open_job: OpenJob,
        saving: Saving,
        history: History,
        solver: Solver,
        injectors: InjectorTables,
    ) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history
        self.solver = solver
        self.injectors = injectors

    def need(self) -> ScaleNeed:
        """Whether the table as it would be written needs another scale.

        Returns from the cells as the drive needs them, before the field's ends cut them off.
        """
        current = self.open.round
        vehicle = self.open.vehicle
        if current is None or vehicle is None or current.scale_moved != 1.0:
            return ScaleNeed(1.0, ())
        return scale_need(current.result, vehicle.limits, self._asked())

    def _asked(self) -> Floats | None:
        proposal = self.solver.proposal
        solution = self.solver.solution
        current = self.open.round
        if proposal is None or solution is None or current is None or not self.open.is_last:
            return None
        # Only where the field's end cut a change off is more wanted than what would be written.
        cut = proposal.status == Status.RANGE
        asked = np.where(cut, solution.estimate.correction_pct, proposal.step_pct)
        return np.asarray(current.table.values * (1.0 + asked / 100.0))

    def ways(self, factor: float) -> tuple[Move, ...]:
        """Ways to move the scale of the shown round.

        Returns with what to enter and what shifts.
        """
        vehicle = self.open.vehicle
        return () if vehicle is None else moves(vehicle, factor)

    def move(self, at: ScaleAt, factor: float) -> bool:
        """Divide the decided table by a factor and multiply the scale by it; told if it cannot be.

        Parameters
        ----------
        at : where the scale is moved.
        factor : above 0, not 1.

        Returns
        -------
        Whether it was done.
        """
        current = self.open.round
        vehicle = self.open.vehicle
        if current is None or vehicle is None or not self._may(current):
            return False
        try:
            cells = scaled(current.result, vehicle.limits, factor)
            tables, decisions = self._beside(at, factor)
        except LeanTrimError as error:
            self.open.error(Say.REFUSED(reason=str(error)))
            return False
        decisions[current.subject] = _all_by_hand(current.decided, cells)
        return self._push(current, Say.MOVE(factor=factor, at=str(at)), tables, decisions)

    def _may(self, current: Round) -> bool:
        if self.open.refuses_old_round():
            return False
        refused = None
        vehicle = self.open.vehicle
        if current.scale_moved != 1.0:
            refused = Say.ALREADY()
        elif vehicle is not None and len(vehicle.airflow_tables) > 1:
            refused = Say.SEVERAL()
        elif current.injectors_decided:
            refused = Say.INJECTORS()
        if refused is not None:
            self.open.error(refused)
        return refused is None

    def _beside(
        self, at: ScaleAt, factor: float
    ) -> tuple[dict[str, Table | None], dict[str, Decision | None]]:
        """What is decided beside the airflow table."""
        current = self.open.round
        assert current is not None
        calibration = current.revision.calibration
        before = calibration.tables.get(ENGINE_SCALE)
        scale = scale_table(at) if before is None else before
        # Size and multiplier are one scale under two names; the injectors' is another.
        scale = scale if at is ScaleAt.FLOW else replace(scale, name=str(at))
        values = scale.values.copy()
        values[point_of(at)] *= factor
        tables: dict[str, Table | None] = {ENGINE_SCALE: scale}
        decisions: dict[str, Decision | None] = {
            ENGINE_SCALE: _all_by_hand(undecided(scale), values)
        }
        if at is ScaleAt.FLOW:
            flow = self.injectors.base(INJECTOR_FLOW)
            if flow is None:
                raise LeanTrimError(Say.NO_FLOW())
            tables[INJECTOR_FLOW] = flow
            cells = scaled(flow, limits_of(flow), factor)
            decisions[INJECTOR_FLOW] = _all_by_hand(undecided(flow), cells)
        return tables, decisions

    def put_back(self) -> bool:
        """Take a moved scale back, with all that was decided of the table.

        Returns
        -------
        Whether there was one.
        """
        current = self.open.round
        if current is None or current.scale_moved == 1.0 or not self.open.is_last:
            return False
        base = current.revision.calibration[ENGINE_SCALE]
        # A scale of 1 is no table of its own: the sheet counts again.
        kept = None if (base.values == 1.0).all() else base
        decisions: dict[str, Decision | None] = {ENGINE_SCALE: None, current.subject: None}
        if self.moved_at is ScaleAt.FLOW:
            decisions[INJECTOR_FLOW] = None
        return self._push(current, Say.PUT_BACK(), {ENGINE_SCALE: kept}, decisions)

    def _push(
        self,
        current: Round,
        text: Said,
        tables: dict[str, Table | None],
        decisions: dict[str, Decision | None],
    ) -> bool:
        before = Held(
            {name: current.revision.calibration.tables.get(name) for name in tables},
            {name: current.decisions.get(name) for name in decisions},
        )
        made = TablesChange(self.injectors, current.id, str(text), before, Held(tables, decisions))
        return self.saving.attempt(lambda: self.history.push(made), made)

    @property
    def moved_at(self) -> ScaleAt | None:
        """Where the shown round moves its scale; None if it does not."""
        current = self.open.round
        if current is None or current.scale_moved == 1.0:
            return None
        base = current.revision.calibration[ENGINE_SCALE]
        at_injectors = point_of(ScaleAt.FLOW)
        if current.decisions[ENGINE_SCALE].values[at_injectors] != base.values[at_injectors]:
            return ScaleAt.FLOW
        return ScaleAt(base.name)

    def entry(self) -> Said | None:
        """What has to be entered in the ECU together with the table of the shown round; None if nothing."""
        current = self.open.round
        at = self.moved_at
        if current is None or at is None:
            return None
        entry = next((way.entry for way in self.ways(current.scale_moved) if way.at is at), None)
        pct = 100.0 * abs(current.scale_moved - 1.0)
        return None if entry is None else Say.ENTER(what=str(entry), pct=pct)


def _all_by_hand(decision: Decision, values: Floats) -> Decision:
    return replace(decision, values=values, origin=np.full(values.shape, Origin.BY_HAND, np.int8))
