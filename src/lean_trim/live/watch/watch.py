"""Watches the running readings: which dangers are met, and which watches see nothing."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from lean_trim.core.data.channels import LABELS, Role, in_words
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message, Said
from lean_trim.live.roles import RoleSample
from lean_trim.live.watch.rules import Newest, Rule, rules_for


class Say:
    """Why a watch is off."""

    NOT_HEARD = Message("watch_state.not_heard", "{name} is not logged, or in doubt")
    SILENT = Message("watch_state.silent", "{name} silent for {seconds:.0f} s")
    NOT_PROVEN = Message("watch_state.not_proven", "{name} is not proven yet")


SILENT_S = 1.0
"""A reading of which nothing newer comes for so long says nothing of now."""
AGAIN_S = 5.0
"""A danger that goes on is told once; it is another one after so long without it."""


@dataclass(frozen=True)
class Danger:
    """A danger that was met.

    Attributes
    ----------
    rule : which.
    said : what is seen.
    from_s : when it began, by the session's clock.
    time_s : of the reading that completed it.
    """

    rule: str
    said: Said
    from_s: float
    time_s: float


@dataclass(frozen=True)
class WatchState:
    """How a watch stands; ``off`` is why it sees nothing, None where it sees."""

    rule: str
    title: str
    off: Said | None


class Watch:
    """Watches one drive; for one thread.

    Parameters
    ----------
    vehicle : whose car is driven.
    """

    def __init__(self, vehicle: Vehicle) -> None:
        self.newest = Newest(vehicle)
        self.rules: Sequence[Rule] = rules_for(vehicle)
        self._proven: dict[Role, bool] = {}
        self._since: dict[str, float] = {}
        self._told_s: dict[str, float] = {}

    def take(self, samples: Iterable[RoleSample]) -> list[Danger]:
        """Take readings; returns the dangers they complete, each once.

        Parameters
        ----------
        samples : in the order of their times.

        Returns
        -------
        New dangers.
        """
        found: list[Danger] = []
        for sample in samples:
            self.newest.take(sample.role, sample.time_s, sample.value)
            self._proven[sample.role] = sample.proven
            for rule in self.rules:
                danger = self._judged(rule, sample)
                if danger is not None:
                    found.append(danger)
        return found

    def _judged(self, rule: Rule, sample: RoleSample) -> Danger | None:
        # Only what a rule needs can complete it.
        if not any(sample.role in group for group in rule.needs):
            return None
        if self._off(rule, sample.time_s) is not None:
            self._since.pop(rule.id, None)
            return None
        said = rule.check(self.newest, sample.time_s)
        if said is None:
            self._since.pop(rule.id, None)
            return None
        since = self._since.setdefault(rule.id, sample.time_s)
        if sample.time_s - since < rule.held_s or (
            self.newest.is_fresh_load and sample.time_s - since < rule.fresh_s
        ):
            return None
        last = self._told_s.get(rule.id)
        self._told_s[rule.id] = sample.time_s
        if last is not None and sample.time_s - last < AGAIN_S:
            return None
        return Danger(rule.id, said, since, sample.time_s)

    def states(self, now_s: float) -> tuple[WatchState, ...]:
        """How every watch stands at a moment by the session's clock."""
        return tuple(WatchState(r.id, r.title, self._off(r, now_s)) for r in self.rules)

    def _off(self, rule: Rule, now_s: float) -> Said | None:
        for group in rule.needs:
            heard = [r for r in group if r in self.newest.times_s]
            if not heard:
                return Say.NOT_HEARD(name=" or ".join(in_words(r) for r in group))
            fresh = [r for r in heard if now_s - self.newest.times_s[r] <= SILENT_S]
            if not fresh:
                last = max(self.newest.times_s[r] for r in heard)
                return Say.SILENT(name=LABELS[heard[0]][0].lower(), seconds=now_s - last)
            if not any(self._proven[r] for r in fresh):
                return Say.NOT_PROVEN(name=LABELS[fresh[0]][0].lower())
        return None
