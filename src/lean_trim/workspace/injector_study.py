"""What the shown round says of the injectors; worked out when asked for, dropped with its solution."""

from __future__ import annotations

import json
from dataclasses import asdict, replace

from lean_trim.core.errors import BadInputError
from lean_trim.core.injectors.measured import statements
from lean_trim.core.injectors.measured_words import MeasuredWords
from lean_trim.core.injectors.steady import SteadyState, pulses_of, steady_state
from lean_trim.core.injectors.tables import refuse_unknown
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.injectors import (
    DEFAULT_TRUST_PCT,
    TRUST_PCT,
    InjectorReport,
    identify_from,
)
from lean_trim.core.pipeline.solve import Solution
from lean_trim.workspace.changes import InjectorsTold, JobClosed
from lean_trim.workspace.lookup import Lookup
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.swap import is_large, size_ratio
from lean_trim.workspace.tasks import Lane, Tasks

TRUST = "airflow_trusted_pct"
"""The job's setting that keeps the user's word about the airflow table."""
INJECTIONS = (1, 2)
PULSE_DIGITS = 3


class Say:
    """What the study says."""

    NOTHING_YET = Message(
        "injector_study.nothing_yet", "There is nothing to tell injectors from: add a log first."
    )
    NOT_TOLD = Message(
        "injector_study.not_told",
        "Injectors were not told apart yet: do that on the Injectors desk first.",
    )
    REFUSED = Message("injector_study.refused", "The vehicle's {reason}")
    MEASURED = Message("injector_study.measured", "Not taken: {reason}")
    CHOOSE_STRETCH = Message(
        "injector_study.choose_stretch", "Choose the stretch first: drag over it on the tape below."
    )
    TRUST_RANGE = Message(
        "injector_study.trust_range", "{pct:g} %: allowed are {low:g} to {high:g} %"
    )


def _key(round_id: int) -> str:
    """The job's setting that keeps what was measured apart in a round."""
    return f"injectors_measured_{round_id}"


class InjectorStudy:
    """``report`` is that of the shown solution, None before it is asked for.

    ``stretches`` are the steady states that were read off, by injections a cycle, until the round
    is left.
    """

    def __init__(self, open_job: OpenJob, tasks: Tasks, saving: Saving, solver: Solver) -> None:
        self.open = open_job
        self.tasks = tasks
        self.saving = saving
        self.solver = solver
        open_job.hub.subscribe(JobClosed, lambda _: self.forget())
        self.lookup = Lookup(tasks, Lane.STUDY, lambda: open_job.hub.publish(InjectorsTold()))
        self._report: InjectorReport | None = None
        self._of: Solution | None = None
        self.stretches: dict[int, SteadyState] = {}
        self._stretches_of = 0

    @property
    def failure(self) -> str:
        """Why injectors could not be told apart, "" if they could or nobody asked."""
        return self.lookup.failure

    @property
    def report(self) -> InjectorReport | None:
        """What was told of the solution that is shown now."""
        known = self._of is self.solver.solution and not self.lookup.failure
        return self._report if known else None

    def shown(self) -> InjectorReport:
        """What was told of the solution that is shown now.

        Raises BadInputError if nothing was told yet.
        """
        report = self.report
        if report is None:
            raise BadInputError(Say.NOT_TOLD())
        return report

    @property
    def trust_pct(self) -> float:
        """The user's word about the airflow table, standard deviation of its mean error, percent."""
        try:
            return float(self.open.setting(TRUST, str(DEFAULT_TRUST_PCT)))
        except ValueError:
            return DEFAULT_TRUST_PCT

    def trust(self, pct: float) -> None:
        """Keep the user's word, and tell injectors apart by it.

        Parameters
        ----------
        pct : percent, 0.1 to 30.
        """
        low, high = TRUST_PCT
        if not low <= pct <= high:
            self.open.error(Say.TRUST_RANGE(pct=pct, low=low, high=high))
            return
        if pct == self.trust_pct:
            return
        if self.saving.attempt(lambda: self.open.save_setting(TRUST, f"{pct:g}")):
            self.run()

    @property
    def measured(self) -> MeasuredWords:
        """What was measured apart in the shown round; nothing if what was kept cannot be."""
        current = self.open.round
        kept = self.open.setting(_key(current.id), "") if current is not None else ""
        try:
            return MeasuredWords(**json.loads(kept)) if kept else MeasuredWords()
        except (ValueError, TypeError, BadInputError):
            return MeasuredWords()

    def measure(self, name: str, value: float) -> None:
        """Keep one figure that was measured apart, and tell injectors apart with it.

        Parameters
        ----------
        name : a field of ``MeasuredWords``.
        value : 0 takes it back.
        """
        current = self.open.round
        if current is None or getattr(self.measured, name) == value:
            return
        try:
            words = replace(self.measured, **{name: value})
        except BadInputError as error:
            self.open.error(Say.MEASURED(reason=str(error)))
            return
        self._keep(current.id, words)

    def read_stretch(self, injections: int, span: tuple[float, float] | None) -> None:
        """Read a steady pulse from a chosen stretch of the log; with both kinds, take them as measured.

        Parameters
        ----------
        injections : a cycle, in that stretch: 1 or 2.
        span : of the joined log, s; None if nothing is chosen.
        """
        current = self.open.round
        solution = self.solver.solution
        if current is None or solution is None or span is None:
            self.open.note(Say.CHOOSE_STRETCH())
            return
        if self._stretches_of != current.id:
            self._stretches_of = current.id
            self.stretches = {}
        try:
            state = steady_state(solution.prepared.frame.log, *span)
            both = {**self.stretches, injections: state}
            words = self.measured
            if len(both) == len(INJECTIONS):
                one_ms, two_ms, volts = (
                    round(x, PULSE_DIGITS) for x in pulses_of(both[1], both[2])
                )
                words = replace(words, one_ms=one_ms, two_ms=two_ms, at_volts=volts)
                statements(words, solution.prepared.frame)
        except BadInputError as error:
            self.open.error(Say.MEASURED(reason=str(error)))
            return
        self.stretches = both
        if words != self.measured:
            self._keep(current.id, words)
        else:
            self.open.hub.publish(InjectorsTold())

    def _keep(self, round_id: int, words: MeasuredWords) -> None:
        text = json.dumps(asdict(words))
        kept = self.saving.attempt(lambda: self.open.save_setting(_key(round_id), text))
        if not kept:
            return
        self.open.hub.publish(InjectorsTold())
        if self.report is not None or self.failure:
            self.run()

    def run(self) -> None:
        """Tell flow, dead time and airflow apart, in the background."""
        solution = self.solver.solution
        vehicle = self.open.vehicle
        if solution is None or vehicle is None:
            self.open.note(Say.NOTHING_YET())
            return
        try:
            refuse_unknown(vehicle.injectors)
        except BadInputError as error:
            self.lookup.refuse(None, str(Say.REFUSED(reason=str(error))))
            return
        trust = self.trust_pct
        measured = self.measured
        job = self.open.job
        current = self.open.round
        assert job is not None and current is not None
        wide = is_large(size_ratio(job, current))
        self.lookup.look(
            (solution, trust, measured, wide),
            "Telling injectors apart",
            lambda report: identify_from(solution, trust, measured, wide),
            lambda found: self._take(solution, found),
            again=True,
        )

    def _take(self, solution: Solution, found: InjectorReport) -> None:
        self._report = found
        self._of = solution

    def forget(self) -> None:
        """Another job or none."""
        self._report = self._of = None
        self.stretches = {}
        self.lookup.forget()
