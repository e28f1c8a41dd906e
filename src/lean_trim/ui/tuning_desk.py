"""Turning knobs: each turn shows at once, and becomes one undoable change when it comes to rest."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

from PySide6.QtCore import QObject, QTimer, Signal

from lean_trim.core.data.vehicle import AirflowSourceSettings
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.pipeline.solve import Solution, SolveSettings, refit
from lean_trim.job.tuning import KEY, Tuning, tuning_from, tuning_text
from lean_trim.ui.commands import TuningCommand
from lean_trim.ui.task import Task

if TYPE_CHECKING:
    from lean_trim.ui.session import Session

REST_MS = 500
Group = Literal["sieve", "regimes", "surface", "averages", "policy"]


class TuningDesk(QObject):
    """Holds the job's tuning. ``changed`` tells that a knob stands elsewhere."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.state = Tuning()
        self._at_rest = self.state
        self._live: Task | None = None
        self._again = False
        self._base: Solution | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self.rest)

    def load(self, text: str) -> None:
        """Take over what a job file holds."""
        self.state = self._at_rest = tuning_from(text)
        self.changed.emit()

    def turn(self, group: Group, name: str, value: float) -> None:
        """Turn one knob; ``name`` is "rule.knob" for the sieve."""
        solve = self.state.solve
        if group == "sieve":
            rule, knob = name.split(".")
            self._try(lambda: replace(self.state, solve=replace(solve, sieve=solve.sieve.turned(rule, knob, value))))
        elif group == "policy":
            self._try(lambda: replace(self.state, policy=replace(self.state.policy, **{name: value})))  # type: ignore[arg-type]
        else:

            def turned() -> Tuning:
                part = replace(getattr(solve, group), **{name: value})
                return replace(self.state, solve=replace(solve, **{group: part}))  # type: ignore[arg-type]

            self._try(turned)

    def switch(self, rule: str, on: bool) -> None:
        """Switch a rule of the sieve on or off."""
        solve = self.state.solve
        off = solve.sieve.disabled - {rule} if on else solve.sieve.disabled | {rule}
        self._take(replace(self.state, solve=replace(solve, sieve=replace(solve.sieve, disabled=off))))

    def use_method(self, average: bool) -> None:
        """Cell averages instead of the surface, or back."""
        self._take(replace(self.state, solve=replace(self.state.solve, method="average" if average else "surface")))

    def fit_delay(self, on: bool) -> None:
        """Read the sensor delay from the log, or take the default."""
        self._take(replace(self.state, solve=replace(self.state.solve, fit_delay=on)))

    def choose_unvisited(self, choice: str) -> None:
        """What happens to cells not driven: keep, carry or taper."""
        self._try(lambda: replace(self.state, policy=replace(self.state.policy, unvisited=choice)))  # type: ignore[arg-type]

    def extrapolate_end(self, on: bool) -> None:
        """Let a curve go on past its last driven point."""
        self._take(replace(self.state, policy=replace(self.state.policy, extrapolate_end=on)))

    def use_earlier(self, number: int, on: bool) -> None:
        """Let the logs of an earlier round count too."""
        earlier = self.state.earlier | {number} if on else self.state.earlier - {number}
        self._take(replace(self.state, earlier=earlier))

    def use_source(self, source: AirflowSourceSettings | None) -> None:
        """How the airflow source is told; None for the vehicle sheet's word."""
        self._take(replace(self.state, airflow_source=source))

    def reset(self) -> None:
        """Every knob back to its default."""
        self._take(Tuning())

    def _try(self, make: Callable[[], Tuning]) -> None:
        try:
            self._take(make())
        except LeanTrimError as error:
            self.session.message.emit("error", str(error))
            self.changed.emit()

    def _take(self, state: Tuning) -> None:
        if state == self.state:
            return
        before, self.state = self.state, state
        self.changed.emit()
        if before.policy != state.policy:
            self.session.propose_again()
        if before.solve != state.solve and _quick(before.solve, state.solve):
            self._resolve()
        self._rest.start()

    def rest(self) -> None:
        """A turn has come to rest: keep it, make it undoable, and solve in full."""
        self._rest.stop()
        if self.state != self._at_rest:
            self.session.undo.push(TuningCommand(self, self._at_rest, self.state))

    def settle(self, state: Tuning) -> None:
        """Take a state that is to stay; used by undo and redo."""
        before, self._at_rest = self._at_rest, state
        self.state = state
        if self.session.store is not None:
            self.session.store.save_setting(KEY, tuning_text(state))
        self.changed.emit()
        self.session.propose_again()
        if replace(before, policy=state.policy) != state:
            self.session.solve()

    def stop(self) -> None:
        """Keep what was turned and wait for what still runs; called when the job closes."""
        self.rest()
        if self._live is not None:
            self._live.wait()
            self._live = None
        self._again, self._base = False, None

    def overtakes(self, solution: Solution) -> bool:
        """True if a knob was turned on while ``solution`` was worked out: it is then not shown, but solved on from."""
        settings = self.state.solve
        if solution.settings == settings or not _quick(solution.settings, settings):
            return False
        self._base = solution
        self._resolve()
        return True

    def _resolve(self) -> None:
        """Show what the present settings give, from where the last solve ended; only the newest matters."""
        solution, settings = self._base or self.session.solution, self.state.solve
        if solution is None:
            return
        if self._live is not None:
            self._again = True
            return
        self._base = None
        number, mask = self.session.solve_number, solution.sifted.by_hand
        task = Task(lambda report: refit(solution, settings, mask), "Sifting again", self)
        self._live = task
        task.done.connect(lambda answer: self._show(task, number, answer))
        task.failed.connect(lambda text: self._failed(task, text))
        task.start()

    def _show(self, task: Task, number: int, solution: Solution) -> None:
        if task is not self._live:
            return
        self._end(task)
        if number == self.session.solve_number:
            self.session.show_solution(solution)
        if self._again:
            self._again = False
            self._resolve()

    def _failed(self, task: Task, text: str) -> None:
        if task is self._live:
            self._end(task)
            self.session.message.emit("note", text)

    def _end(self, task: Task) -> None:
        self._live = None
        task.deleteLater()


def _quick(before: SolveSettings, after: SolveSettings) -> bool:
    """True if nothing was changed that the whole way from the log depends on."""
    plain = replace(
        after, sieve=before.sieve, surface=before.surface, averages=before.averages, method=before.method
    )  # fmt: skip
    return plain == before
