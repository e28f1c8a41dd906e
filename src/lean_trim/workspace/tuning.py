"""Turning knobs.

Each turn shows at once, and becomes one undoable, saved change of the round when it comes to rest.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Literal

from lean_trim.core.data.vehicle import AirflowSourceSettings
from lean_trim.core.drive.gauge import GaugeWord
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.job.tuning import MOST_WORDS, Tuning
from lean_trim.workspace.changes import JobClosed, Part, Resting, TuningTurned
from lean_trim.workspace.history import History
from lean_trim.workspace.loop import EventLoop, Timer
from lean_trim.workspace.merging import merged
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.turned import turned

REST_S = 0.5
"""How long a knob has to stand still to be at rest."""
Group = Literal["sieve", "regimes", "surface", "averages", "carrying", "policy"]


class Say:
    """What turning says."""

    REFUSED = Message("tuning.refused", "{reason}")


@dataclass(frozen=True)
class TuningChange:
    """One change of a round's settings."""

    control: TuningControl
    round_id: int
    before: Tuning
    after: Tuning

    @property
    def text(self) -> str:
        """For the menu."""
        return turned(self.before, self.after)

    def apply(self) -> None:
        """Save and take the later settings."""
        self.control.settle(self.round_id, self.after)

    def again(self) -> TuningChange | None:
        """The same knobs of what the settings are now."""
        r = self.control.open.round_of(self.round_id)
        if r is None:
            return None
        return replace(self, before=r.tuning, after=merged(self.before, self.after, r.tuning))

    def revert(self) -> None:
        """Save and take the earlier settings."""
        self.control.settle(self.round_id, self.before)


class TuningControl:
    """Settings of the round that is looked at.

    ``state`` as the knobs stand, ``settled`` as they are at rest and in the file.
    """

    def __init__(
        self, open_job: OpenJob, saving: Saving, history: History, loop: EventLoop
    ) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history
        self.loop = loop
        self.state = Tuning()
        self.rest_s = REST_S
        self._timer: Timer | None = None
        open_job.hub.subscribe(JobClosed, lambda _: self._stop_timer())

    @property
    def settled(self) -> Tuning:
        """The shown round's settings as the file has them."""
        current = self.open.round
        return self.state if current is None else current.tuning

    @property
    def is_resting(self) -> bool:
        """False while a turn waits to be kept."""
        return self._timer is None

    def show(self, tuning: Tuning) -> None:
        """Stand as a round's settings say; another round is looked at."""
        self._stop_timer()
        self.state = tuning
        self._tell(tuning)

    def turn(self, group: Group, name: str, value: float) -> None:
        """Turn one knob; ``name`` is "rule.knob" for the sieve.

        A value outside its range is told and changes nothing.

        Parameters
        ----------
        group : which settings the knob belongs to.
        name : of the knob.
        value : in its unit.
        """
        self._try(lambda: _turned(self.state, group, name, value))

    def switch(self, rule: str, on: bool) -> None:
        """Switch a rule of the sieve on or off."""
        solve = self.state.solve
        off = solve.sieve.disabled - {rule} if on else solve.sieve.disabled | {rule}
        self._take(
            replace(self.state, solve=replace(solve, sieve=replace(solve.sieve, disabled=off)))
        )

    def use_method(self, average: bool) -> None:
        """Cell averages instead of the surface, or back.

        Parameters
        ----------
        average : cell averages.
        """
        self._take(
            replace(
                self.state,
                solve=replace(self.state.solve, method="average" if average else "surface"),
            )
        )

    def fit_delay(self, on: bool) -> None:
        """Read the sensor delay from the log, or take the default."""
        self._take(replace(self.state, solve=replace(self.state.solve, fit_delay=on)))

    def say_of_gauge(self, word: GaugeWord) -> None:
        """What is so where the lambda gauge and the loop beside it disagree.

        Parameters
        ----------
        word : one of ``GaugeWord``.
        """
        self._take(replace(self.state, solve=replace(self.state.solve, gauge=word)))

    def choose_unvisited(self, choice: str) -> None:
        """What happens to cells not driven.

        Parameters
        ----------
        choice : one of ``UNVISITED``.
        """
        chosen: Any = choice
        self._try(lambda: replace(self.state, policy=replace(self.state.policy, unvisited=chosen)))

    def put_regions(self, cells: frozenset[int], region: str) -> None:
        """Put cells into a region for shares and scorecards; "" leaves them to what the drive tells.

        Parameters
        ----------
        cells : flat indices.
        region : one of ``REGION_NAMES``.
        """
        kept = {cell: word for cell, word in self.state.policy.regions if cell not in cells}
        if region:
            kept |= dict.fromkeys(cells, region)
        words = tuple(sorted(kept.items()))
        self._try(lambda: replace(self.state, policy=replace(self.state.policy, regions=words)))

    def extrapolate_end(self, on: bool) -> None:
        """Let a curve go on past its last driven point."""
        self._take(replace(self.state, policy=replace(self.state.policy, extrapolate_end=on)))

    def supply_sound(self, on: bool) -> None:
        """Vouch for the fuel supply, though its pressure was not logged."""
        self._take(replace(self.state, policy=replace(self.state.policy, supply_sound=on)))

    def use_earlier(self, number: int, on: bool) -> None:
        """Let the drive of an earlier round count, or leave it out."""
        left = self.state.left_earlier - {number} if on else self.state.left_earlier | {number}
        self._take(replace(self.state, left_earlier=left))

    def say_car_changed(self, what: str) -> None:
        """What makes the car another than before this round.

        Parameters
        ----------
        what : in the user's words; "" for nothing.
        """
        self._take(replace(self.state, car_changed=what.strip()[:MOST_WORDS]))

    def use_source(self, source: AirflowSourceSettings | None) -> None:
        """How the airflow source is told; None for the vehicle sheet's word.

        Parameters
        ----------
        source : the user's word, or None.
        """
        self._take(replace(self.state, airflow_source=source))

    def reset(self) -> None:
        """Every knob back to its default."""
        self._take(Tuning())

    def _try(self, make: Callable[[], Tuning]) -> None:
        try:
            self._take(make())
        except LeanTrimError as error:
            # Told again, so that the control goes back to what holds.
            self.open.error(Say.REFUSED(reason=str(error)))
            self._tell(self.state)

    def _take(self, state: Tuning) -> None:
        # A control that is only shown tells its value as well.
        if state == self.state or self.open.round is None:
            return
        before = self.state
        self.state = state
        self._stop_timer()
        # One turn of a knob is one change to undo, however many steps it took.
        self._timer = self.loop.call_later(self.rest_s, self.rest)
        self._tell(before)

    def rest(self) -> None:
        """A turn has come to rest: keep it, make it undoable, and solve in full."""
        self.open.hub.publish(Resting())
        self._stop_timer()
        current = self.open.round
        if current is None or self.state == self.settled:
            return
        change = TuningChange(self, current.id, self.settled, self.state)
        if not self.saving.attempt(lambda: self.history.push(change), change):
            # What could not be saved is not shown as if it were: the knobs go back to what the file
            # holds.
            self._stand(self.settled)

    def settle(self, round_id: int, tuning: Tuning) -> None:
        """Save settings that are to stay, then stand as they say.

        SaveFailedError leaves everything as it was.

        Raises SaveFailedError if the file refused them.
        """
        self.open.commit(lambda store: store.save_tuning(round_id, tuning))
        changed = self.open.round_of(round_id)
        if changed is not None:
            self.open.take_round(replace(changed, tuning=tuning), Part.TUNING)
        if self.open.shows(round_id):
            self._stand(tuning)

    def _stand(self, tuning: Tuning) -> None:
        before = self.state
        self.state = tuning
        self._tell(before, settled=True)

    def _stop_timer(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def _tell(self, before: Tuning, settled: bool = False) -> None:
        current = self.open.round
        self.open.hub.publish(
            TuningTurned(
                round_id=current.id if current is not None else 0,
                before=before,
                now=self.state,
                settled=settled,
            )
        )


def _turned(state: Tuning, group: Group, name: str, value: float) -> Tuning:
    """The settings with one knob turned; BadInputError if the value is outside its range."""
    change: dict[str, Any] = {name: value}
    if group == "policy":
        return replace(state, policy=replace(state.policy, **change))
    if group == "sieve":
        rule, knob = name.split(".")
        return replace(
            state, solve=replace(state.solve, sieve=state.solve.sieve.turned(rule, knob, value))
        )
    part: dict[str, Any] = {group: replace(getattr(state.solve, group), **change)}
    # Every other group is a part of the solve's settings by the same name.
    return replace(state, solve=replace(state.solve, **part))
