"""The swap: a round after other injectors went in, and how large the change was."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.messages import Message
from lean_trim.job.records import CORRECTION, SWAP, Job, Round
from lean_trim.workspace.changes import Part
from lean_trim.workspace.history import History
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving


class Say:
    """What marking a swap says."""

    MARK = Message("swap.mark", "Round {number} follows an injector change")
    UNMARK = Message("swap.unmark", "Round {number} follows no injector change")
    ONLY_NEWEST = Message("swap.only_newest", "Only the newest round can be marked.")


LARGE = 2.0
"""Ratio of flows from which even good data leave regions 20 % off (common practice, no source)."""


@dataclass(frozen=True)
class KindChange:
    """A round becomes, or is no longer, one after an injector change."""

    open: OpenJob
    round_id: int
    text: str
    before: str
    after: str

    def apply(self) -> None:
        """Save and take the later kind."""
        self._settle(self.after)

    def again(self) -> KindChange | None:
        """The same, whatever the round is now."""
        r = self.open.round_of(self.round_id)
        return None if r is None else replace(self, before=r.kind)

    def revert(self) -> None:
        """Save and take the earlier kind."""
        self._settle(self.before)

    def _settle(self, kind: str) -> None:
        self.open.commit(lambda store: store.save_kind(self.round_id, kind))
        changed = self.open.round_of(self.round_id)
        if changed is not None:
            self.open.take_round(changed.with_kind(kind), Part.KIND)


class Swaps:
    """Marks the newest round as one after an injector change."""

    def __init__(self, open_job: OpenJob, saving: Saving, history: History) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history

    def mark(self, on: bool) -> bool:
        """Say that the newest round follows a change of injectors, or that it does not; undoable.

        Parameters
        ----------
        on : whether it does.

        Returns
        -------
        Whether it stands so now.
        """
        current = self.open.round
        if current is None or not self.open.is_last:
            self.open.note(Say.ONLY_NEWEST())
            return False
        kind = SWAP if on else CORRECTION
        if current.kind == kind:
            return True
        text = str((Say.MARK if on else Say.UNMARK)(number=current.number))
        made = KindChange(self.open, current.id, text, current.kind, kind)
        return self.saving.attempt(lambda: self.history.push(made), made)


def size_ratio(job: Job, current: Round) -> float:
    """Flow of the injectors of a round over that of the round before it.

    Returns NaN where either is not known, or there is no round before.
    """
    before = job.round_before(current)
    if before is None:
        return float("nan")
    flows = [
        job.vehicle_in(i).injectors.flow_g_per_s
        for i in (job.index_of(current.id), job.index_of(before.id))
        if i is not None
    ]
    return float(flows[0] / flows[1]) if len(flows) == 2 else float("nan")


def is_large(ratio: float) -> bool:
    """True if a change of size is so large that good data are not enough.

    Parameters
    ----------
    ratio : new flow over old, NaN if not known.

    Returns
    -------
    Either way.
    """
    return bool(np.isfinite(ratio) and max(ratio, 1.0 / ratio) > LARGE)
