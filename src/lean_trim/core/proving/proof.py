"""A round proved by the drive after it: what is in the ECU, what became of it, and what to do next."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.messages import Message, Said
from lean_trim.core.proving.conditions import Condition
from lean_trim.core.proving.outcome import Outcome
from lean_trim.core.proving.stopping import STOP_PCT, Stopping
from lean_trim.core.proving.transfer import LEAST_STEP_PCT, Transfer


class Say:
    """Sentences of this module."""

    WHOLE = Message("proof.whole", "The table is in the ECU.")
    NONE = Message(
        "proof.none", "The table did not get into the ECU: this drive was on the one before."
    )
    HALF = Message("proof.half", "Only half of every change is in the ECU.")
    PART = Message("proof.part", "Only a part of the table got into the ECU: {name}.")
    OTHER = Message("proof.other", "Another table is in the ECU: {name}.")
    UNKNOWN = Message(
        "proof.unknown",
        "A table that is none of the known ones is in the ECU, or a cause looks like one.",
    )
    SMALL = Message(
        "proof.small",
        "Whether the table is in the ECU cannot be told: where this drive was steady only {step:.1f} % was "
        "written.",
    )
    UNTOLD = Message(
        "proof.untold",
        "Whether the table is in the ECU cannot be told: {seconds:.0f} s of steady running in {places} "
        "places say too little.",
    )
    NO_ROUTE = Message(
        "proof.no_route",
        "Whether the table is in the ECU cannot be told: neither pulse width nor lambda with all trims was "
        "logged.",
    )
    AS_PREDICTED = Message(
        "proof.as_predicted",
        "As predicted: off by {before:.1f} % before, {observed:.1f} % now; {expected:.1f} ± {error:.1f} % "
        "was expected.",
    )
    BETTER = Message(
        "proof.better",
        "Better than predicted: off by {before:.1f} % before, {observed:.1f} % now; {expected:.1f} ± "
        "{error:.1f} % was expected.",
    )
    WORSE = Message(
        "proof.worse",
        "Worse than predicted: off by {observed:.1f} % now, {expected:.1f} ± {error:.1f} % was expected; it "
        "was {before:.1f} % before.",
    )
    NOT_ON_IT = Message(
        "proof.not_on_it", "What the written table does is not known: this drive was not on it."
    )
    NOT_DRIVEN = Message(
        "proof.not_driven", "Too little of this drive can be used to judge the round."
    )
    CANNOT = Message(
        "proof.cannot",
        "What became of the table cannot be told: the drive before knew too little of these places.",
    )
    WRITE = Message("proof.write", "Write the table to the ECU, verify it, and drive again.")
    WRITE_WHOLE = Message(
        "proof.write_whole", "Write the whole table, read it back, and drive again."
    )
    FIND_TABLE = Message(
        "proof.find_table",
        "Read the table back out of the ECU and say on Table what was driven on.",
    )
    LOOK = Message("proof.look", "Look at the findings before anything else is written.")
    STOP = Message(
        "proof.stop",
        "Stop here: another round would write {step} where you drove, less than a drive can tell.",
    )
    GO_ON = Message(
        "proof.go_on", "Another round pays: {step:.1f} % is still to be written where you drove."
    )
    STATES = Message(
        "proof.states", "Another round pays: {cells} driven cells are off by more than 3 %."
    )
    HELD = Message(
        "proof.held",
        "More driving does not help: {held:.1f} % of what is asked is held back. Settle what holds it first.",
    )
    FLIPS = Message(
        "proof.flips",
        "{share:.0f} % of the cells changed sign since the last round: noise has begun.",
    )
    ONCE_MORE = Message(
        "proof.once_more",
        "Only {step:.1f} % would be written now, after a step of {last:.1f} %: drive once more, over other "
        "places too. If that asks as little, stop.",
    )
    WAIT = Message(
        "proof.wait",
        "So small a step can wait: drive once more first. Both drives count, and one flash does for both.",
    )
    UNDRIVEN = Message("proof.undriven", "Not driven: {regions}.")
    SHIFT = Message(
        "proof.shift",
        "All over it asks {shift:+.1f} % beside what was expected: weather, fuel or gauge rather than cells.",
    )


REGION_WORDS = {"idle": "idle", "part": "part throttle", "full": "full throttle", "boost": "boost"}
LEAST_SHOWN_PCT = 0.05
SMALL_STEP_PCT = 1.0
"""A step, percent rms, below which a flash for itself seldom pays (a choice)."""
SHIFT_PCT = 1.0
"""Common difference that is worth a word, percent."""
FLIPS = 0.5
"""Share of cells with another sign from which noise has begun."""
NOT_IN = ("none", "half", "part", "other", "unknown")


@dataclass(frozen=True, eq=False)
class Proof:
    """A round judged by the next drive.

    Attributes
    ----------
    transfer : which table is in the ECU.
    outcomes : by region, the whole drive last.
    stopping : whether another round pays.
    conditions : weather and fuel of both drives.
    times, expected_along, observed_along : moments of the drive, s, and rms about them, percent.
    """

    transfer: Transfer
    outcomes: tuple[Outcome, ...]
    stopping: Stopping
    conditions: tuple[Condition, ...]
    times: tuple[float, ...] = ()
    expected_along: tuple[float, ...] = ()
    observed_along: tuple[float, ...] = ()

    @property
    def whole(self) -> Outcome:
        """The drive as a whole."""
        return self.outcomes[-1]

    @property
    def verdict(self) -> str:
        """One word: what became of the round."""
        if self.transfer.kind in NOT_IN:
            return "not in the ECU"
        return self.whole.word

    @property
    def stops(self) -> bool:
        """True if it is time to stop: the table is not known to be another, and nothing is worse or held."""
        calm = self.verdict in ("as predicted", "better", "cannot be told")
        return self.stopping.stop and calm and not self.stopping.is_held

    @property
    def took_said(self) -> Said:
        """Which table is in the ECU, in a sentence."""
        t = self.transfer
        plain = {"whole": Say.WHOLE, "none": Say.NONE, "half": Say.HALF, "unknown": Say.UNKNOWN}
        if t.kind in plain:
            return plain[t.kind]()
        if t.kind == "part":
            return Say.PART(name=t.name)
        if t.kind == "other":
            return Say.OTHER(name=t.name)
        if not t.route:
            return Say.NO_ROUTE()
        if np.isfinite(t.step_pct) and t.step_pct < LEAST_STEP_PCT:
            return Say.SMALL(step=t.step_pct)
        return Say.UNTOLD(seconds=t.seconds, places=t.places)

    @property
    def outcome_said(self) -> Said:
        """What became of the table, in a sentence."""
        if self.transfer.kind in NOT_IN:
            return Say.NOT_ON_IT()
        o = self.whole
        messages = {"as predicted": Say.AS_PREDICTED, "better": Say.BETTER, "worse": Say.WORSE}
        if o.word in messages:
            return messages[o.word](
                before=o.before_pct,
                observed=o.observed_pct,
                expected=o.expected_pct,
                error=o.expected_error_pct,
            )
        return Say.NOT_DRIVEN() if o.word == "not driven" else Say.CANNOT()

    @property
    def next_said(self) -> Said:
        """What to do next, in a sentence."""
        kind = self.transfer.kind
        if kind in ("none", "half", "part"):
            return Say.WRITE() if kind == "none" else Say.WRITE_WHOLE()
        if kind in ("other", "unknown"):
            return Say.FIND_TABLE()
        if self.whole.word == "worse":
            return Say.LOOK()
        return self.stop_said

    @property
    def stop_said(self) -> Said:
        """Whether another round pays, in a sentence."""
        s = self.stopping
        if not np.isfinite(s.step_pct):
            return Say.NOT_DRIVEN()
        if self.stops:
            # A step of 0.0 reads as if nothing had been worked out.
            small = s.step_pct < LEAST_SHOWN_PCT
            return Say.STOP(step="next to nothing" if small else f"{s.step_pct:.1f} %")
        if s.is_held:
            return Say.HELD(held=s.held_pct)
        if s.step_pct < STOP_PCT and s.off_cells:
            return Say.STATES(cells=s.off_cells)
        if s.step_pct < STOP_PCT:
            return Say.ONCE_MORE(step=s.step_pct, last=s.last_pct)
        return Say.GO_ON(step=s.step_pct)

    @property
    def beside(self) -> tuple[Said, ...]:
        """What else is worth a word."""
        out = []
        boosted = any(o.name == "boost" for o in self.outcomes)
        words = REGION_WORDS | ({"full": "full throttle below boost"} if boosted else {})
        missing = [words[o.name] for o in self.outcomes[:-1] if o.word == "not driven"]
        if missing:
            out.append(Say.UNDRIVEN(regions=", ".join(missing)))
        if np.isfinite(self.whole.shift_pct) and abs(self.whole.shift_pct) >= SHIFT_PCT:
            out.append(Say.SHIFT(shift=self.whole.shift_pct))
        if np.isfinite(self.stopping.flips) and self.stopping.flips >= FLIPS:
            out.append(Say.FLIPS(share=100.0 * self.stopping.flips))
        if self.next_said.message is Say.GO_ON and self.stopping.step_pct < SMALL_STEP_PCT:
            out.append(Say.WAIT())
        if self.stopping.is_held and self.next_said.message is not Say.HELD:
            out.append(Say.HELD(held=self.stopping.held_pct))
        return tuple(out)
