"""What a change of the table needs a deliberate word for: fuel taken out where that destroys engines.

Accepting, typing and shaping are looked at alike, by what they would leave in the table.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.proposal import PolicySettings, Proposal
from lean_trim.core.decision.regions import boosted
from lean_trim.core.decision.restraints import Restraints
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import cells_in_words
from lean_trim.core.types import Mask


class Danger(StrEnum):
    """Why a change needs a word."""

    BOOST = "boost"
    KNOCK = "knock"
    FAULT = "fault"
    UNSEEN = "unseen"
    LIMIT = "limit"
    TARGET = "target"


class Say:
    """Sentences of this module."""

    BOOST = Message(
        "confirmation.boost",
        "{cells} above atmospheric would get up to {percent:.1f} % less fuel. Lean under boost "
        "destroys engines: end runs on lean, knock or falling fuel pressure.",
    )
    KNOCK = Message(
        "confirmation.knock",
        "{cells} in which knock was seen would get up to {percent:.1f} % less fuel.",
    )
    FAULT = Message(
        "confirmation.fault",
        "{cells} in which a fault of the fuel supply or an unsettled cause was seen would get up to "
        "{percent:.1f} % less fuel.",
    )
    UNSEEN = Message(
        "confirmation.unseen",
        "{cells} nobody drove would get up to {percent:.1f} % less fuel; no log bears that out.",
    )
    TARGET = Message(
        "confirmation.target",
        "{cells} at full load or in boost would be run up to {percent:.1f} % leaner. Lean under load "
        "destroys engines: end runs on lean, knock or falling fuel pressure.",
    )
    LIMIT = Message(
        "confirmation.limit",
        "{cells} would stand up to {percent:.1f} % from what was driven, beyond the largest step "
        "(Write page).",
    )


SENTENCES = {
    Danger.BOOST: Say.BOOST,
    Danger.KNOCK: Say.KNOCK,
    Danger.FAULT: Say.FAULT,
    Danger.UNSEEN: Say.UNSEEN,
    Danger.LIMIT: Say.LIMIT,
    Danger.TARGET: Say.TARGET,
}
DANGER_WORDS = {
    Danger.BOOST: "leaner above atmospheric",
    Danger.KNOCK: "leaner where knock was seen",
    Danger.FAULT: "leaner where a fault was seen",
    Danger.UNSEEN: "leaner where nobody drove",
    Danger.LIMIT: "beyond the largest step",
    Danger.TARGET: "leaner targets under load",
}
"""In a few words, for counts, the history and tooltips."""
LEANER_PCT = 0.5
"""Leaning below what was driven that needs a word, percent: less is what fields round away."""
PAST_LIMIT_PCT = 0.5
"""How far beyond the largest step a cell may stand by rounding, percent points."""


@dataclass(frozen=True, eq=False)
class Ground:
    """What a change is looked at with; arrays have the table's shape.

    Attributes
    ----------
    driven : the table as it was driven on.
    policy : largest steps, and from where boost counts.
    seen : cells used driving came near.
    restraints : what the drive says against leaning; None without a drive.
    proposal : what follows from the drive; leaning that it holds by is borne out.
    """

    driven: Table
    policy: PolicySettings
    seen: Mask
    restraints: Restraints | None = None
    proposal: Proposal | None = None


@dataclass(frozen=True, eq=False)
class Warned:
    """Cells a change would put in one danger, and how far, percent >= 0."""

    danger: Danger
    cells: frozenset[int]
    worst_pct: float

    @property
    def said(self) -> Said:
        """A sentence for people."""
        return SENTENCES[self.danger](cells=cells_in_words(len(self.cells)), percent=self.worst_pct)


def warned_of(ground: Ground, before: Decision, after: Decision) -> tuple[Warned, ...]:
    """What a change needs a deliberate word for, the gravest first.

    Parameters
    ----------
    ground : what is known of the table.
    before, after : what is decided, and what would be.

    Returns
    -------
    One entry per danger; none where the change only brings cells back towards what was driven.
    """
    step = 100.0 * (after.values / ground.driven.values - 1.0)
    was = 100.0 * (before.values / ground.driven.values - 1.0)
    leaner = (step < -LEANER_PCT) & (step < was)
    in_boost = boosted(ground.driven, ground.policy.atmospheric_kpa)
    found = {Danger.BOOST: leaner & in_boost}
    if ground.restraints is not None:
        found[Danger.KNOCK] = leaner & ground.restraints.knock
        found[Danger.FAULT] = leaner & (ground.restraints.fault | ground.restraints.unproven)
    found[Danger.UNSEEN] = leaner & ~ground.seen & ~_borne_out(ground, step)
    most_out = np.where(
        in_boost, ground.policy.boost_remove_limit_pct, ground.policy.remove_limit_pct
    )
    beyond = (step < -most_out - PAST_LIMIT_PCT) | (
        step > ground.policy.add_limit_pct + PAST_LIMIT_PCT
    )
    found[Danger.LIMIT] = beyond & (np.abs(step) > np.abs(was))
    return tuple(
        Warned(
            danger=danger,
            cells=frozenset(np.flatnonzero(cells).tolist()),
            worst_pct=float(np.abs(step[cells]).max()),
        )
        for danger, cells in found.items()
        if cells.any()
    )


def _borne_out(ground: Ground, step: np.ndarray) -> Mask:
    """Cells the drive itself proposes to lean as far, from what it saw beside them."""
    if ground.proposal is None:
        return np.zeros(ground.driven.shape, bool)
    return np.asarray(step >= ground.proposal.step_pct - LEANER_PCT)
