"""Pulls of every round of the job, found when they are asked for and kept until their logs change."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Axis
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError, CancelledError, LeanTrimError, TableError
from lean_trim.core.messages import Message
from lean_trim.core.pulls.atmosphere import ALTITUDE_M
from lean_trim.core.pulls.knock import (
    UNITS,
    By,
    KnockEvent,
    KnockSamples,
    by_of,
    knock_events,
    knock_samples,
)
from lean_trim.core.pulls.pull import Pull
from lean_trim.core.pulls.traces import PullTrace, trace_of
from lean_trim.core.types import Floats
from lean_trim.job.records import Job, Round
from lean_trim.job.results import DAMAGES, packed, unpacked
from lean_trim.workspace.binding import injector_key
from lean_trim.workspace.changes import JobClosed
from lean_trim.workspace.deciding import Deciding
from lean_trim.workspace.kept import KeptAnswers, key_of
from lean_trim.workspace.lookup import Lookup
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.tasks import Lane, Report, Tasks

ALTITUDE = "altitude_m"
FIGURES = "pull_figures"
KNOCK_AXES = "knock_axes"
"""Settings of the job."""
MOST_KW = 2000.0
LANE = Lane("pulls")
KEPT_AS = "pulls"
HALF = 0.5
"""Share of a pull that has to lie in stretches left out for it to be left out itself."""


@dataclass(frozen=True)
class PullsFound:
    """Pulls of the job's rounds are other than before, or what was said of one."""


class Say:
    """What looking for pulls says."""

    LOOKING = Message("pulls_control.looking", "Looking for pulls")
    ALTITUDE = Message(
        "pulls_control.altitude", "{metres:g} m: allowed are {low:g} to {high:g} m above the sea"
    )
    FIGURE = Message("pulls_control.figure", "{kw:g} kW: allowed are 0 (none) to {most:g} kW")
    OTHER_ROUND = Message(
        "pulls_control.other_round",
        "This pull is of round {number}; turn to that round to leave it out.",
    )
    NOT_LOOKED = Message(
        "pulls_control.not_looked",
        "This round was not looked through yet: turn to the Pulls desk first.",
    )
    STOPPED = Message("pulls_control.stopped", "looking for pulls was stopped")


@dataclass(frozen=True, eq=False)
class RoundPulls:
    """Pulls of one round.

    Attributes
    ----------
    round_id, number : of the round.
    key : what they depend on.
    traces : in the order of time.
    baro_logged : whether boost is over a measured barometer.
    knock : every event; ``samples`` what its grids are made from, None where nothing could be
        looked for.
    failure : why none could be looked for, "" if they could.
    """

    round_id: int
    number: int
    key: tuple[object, ...]
    traces: tuple[PullTrace, ...]
    baro_logged: bool
    failure: str = ""
    knock: tuple[KnockEvent, ...] = ()
    samples: KnockSamples | None = None


@dataclass(frozen=True, eq=False)
class KnockAxes:
    """A grid knock is laid out on; the columns are engine speed."""

    by: By
    rows: Axis
    columns: Axis


def knock_axes_of(by: By, rows: Floats, columns: Floats) -> KnockAxes:
    """Axes from their points.

    Parameters
    ----------
    by : what the rows are read by.
    rows, columns : points, rising, in our units and rpm.

    Returns
    -------
    The axes.

    Raises
    ------
    TableError
        If they are no axes.
    """
    return KnockAxes(by, Axis(str(by), UNITS[by], rows), Axis("engine speed", "rpm", columns))


@dataclass(frozen=True)
class _Wanted:
    """One round that has to be looked through."""

    round_id: int
    number: int
    key: tuple[object, ...]
    round: Round
    vehicle: Vehicle


@dataclass(frozen=True, eq=False)
class _Looked:
    """Pulls of a round, and how they are to be kept; no bytes where they are kept already."""

    pulls: RoundPulls
    kept_key: str = ""
    data: bytes = b""


class PullsControl:
    """``found`` is by round id; nothing is looked for before a desk asks."""

    def __init__(
        self, open_job: OpenJob, tasks: Tasks, saving: Saving, deciding: Deciding, kept: KeptAnswers
    ) -> None:
        self.open = open_job
        self.kept = kept
        self.tasks = tasks
        self.saving = saving
        self.deciding = deciding
        open_job.hub.subscribe(JobClosed, lambda _: self.forget())
        self.found: dict[int, RoundPulls] = {}
        self.lookup = Lookup(tasks, LANE, lambda: open_job.hub.publish(PullsFound()))

    @property
    def altitude_m(self) -> float:
        """Metres above the sea, for boost where no barometer was logged."""
        try:
            return float(self.open.setting(ALTITUDE, "0"))
        except ValueError:
            return 0.0

    def set_altitude(self, metres: float) -> None:
        """Keep the altitude and look again.

        Parameters
        ----------
        metres : -500 to 6000.
        """
        low, high = ALTITUDE_M
        if not low <= metres <= high:
            self.open.error(Say.ALTITUDE(metres=metres, low=low, high=high))
            return
        if metres == self.altitude_m:
            return
        if self.saving.attempt(lambda: self.open.save_setting(ALTITUDE, f"{metres:g}")):
            self.look()

    def shown(self) -> RoundPulls:
        """Pulls of the shown round.

        Returns what was found. Raises BadInputError if they were not looked for, or could not be.
        """
        current = self.open.round
        found = None if current is None else self.found.get(current.id)
        if found is None:
            raise BadInputError(Say.NOT_LOOKED())
        if found.failure:
            raise BadInputError(found.failure)
        return found

    def want(self) -> None:
        """A desk shows pulls from now on."""
        self.lookup.is_wanted = True
        self.look()

    def look(self) -> None:
        """Look through every round whose logs are other than when it was last looked through."""
        job = self.open.job
        if job is None or not self.lookup.is_wanted:
            return
        ids = {r.id for r in job.rounds}
        self.found = {i: pulls for i, pulls in self.found.items() if i in ids}
        altitude = self.altitude_m
        wanted = [
            _Wanted(r.id, r.number, key, r, vehicle)
            for r, vehicle, key in self._rounds(job, altitude)
            if r.id not in self.found or self.found[r.id].key != key
        ]
        # What is looked at is worked out first.
        wanted.sort(key=lambda one: not self.open.shows(one.round_id))
        for r in job.rounds:
            if not r.logs:
                self.found.pop(r.id, None)
        if not wanted:
            return
        self.lookup.look(
            (self.open.number, tuple((one.round_id, one.key) for one in wanted)),
            str(Say.LOOKING()),
            lambda report: _looked_through(wanted, altitude, self.kept, report),
            self._take,
        )

    def _rounds(
        self, job: Job, altitude: float
    ) -> Iterator[tuple[Round, Vehicle, tuple[object, ...]]]:
        """Rounds with logs, the vehicle as driven in each, and what their pulls depend on."""
        for index, r in enumerate(job.rounds):
            if r.logs:
                vehicle = job.vehicle_in(index)
                logs = tuple(info.id for info in r.log_infos)
                # Another record of the vehicle is another car; it compares by identity.
                key = (job.vehicle, r.revision.id, logs, injector_key(vehicle.injectors), altitude)
                yield r, vehicle, key

    def _take(self, answers: Sequence[_Looked]) -> None:
        self.found = {**self.found, **{a.pulls.round_id: a.pulls for a in answers}}
        for answer in answers:
            if answer.data:
                self.kept.keep(answer.pulls.round_id, KEPT_AS, answer.kept_key, answer.data)
        # Others are left, and logs may have come in the meantime.
        self.look()

    def forget(self) -> None:
        """Another job or none."""
        self.found = {}
        self.lookup.forget()

    def is_left_out(self, round_id: int, pull: Pull) -> bool:
        """True if most of a pull lies in stretches left out by hand."""
        r = self.open.round_of(round_id)
        if r is None:
            return False
        inside = [min(s.end_s, pull.end_s) - max(s.start_s, pull.start_s) for s in r.left_out]
        return sum(max(x, 0.0) for x in inside) > HALF * pull.seconds

    def leave_out(self, round_id: int, pull: Pull) -> None:
        """Leave a pull out of the correction, or count it again; only in the round that is shown."""
        if not self.open.shows(round_id):
            number = self.found[round_id].number if round_id in self.found else 0
            self.open.note(Say.OTHER_ROUND(number=number))
            return
        self.deciding.leave_out(pull.start_s, pull.end_s)

    @property
    def knock_axes(self) -> KnockAxes:
        """The grid knock is laid out on: the user's own, else the airflow table's, else even steps."""
        try:
            kept = json.loads(self.open.setting(KNOCK_AXES, "{}"))
            rows, columns = (np.array(kept[key], float) for key in ("rows", "columns"))
            return knock_axes_of(By(kept["by"]), rows, columns)
        except (ValueError, TypeError, KeyError, TableError):
            pass
        vehicle = self.open.vehicle
        axes = () if vehicle is None else vehicle.table.axes
        by = by_of(axes[0]) if len(axes) == 2 else None
        if by is None:
            return knock_axes_of(
                By.MAP, np.arange(20.0, 201.0, 20.0), np.arange(1000.0, 7001.0, 500.0)
            )
        return KnockAxes(by, axes[0], axes[1])

    def set_knock_axes(self, axes: KnockAxes | None) -> None:
        """Keep the axes knock is laid out on.

        Parameters
        ----------
        axes : None goes back to those of the airflow table.
        """
        kept = (
            {}
            if axes is None
            else {
                "by": str(axes.by),
                "rows": axes.rows.points.tolist(),
                "columns": axes.columns.points.tolist(),
            }
        )
        text = json.dumps(kept)
        if self.saving.attempt(lambda: self.open.save_setting(KNOCK_AXES, text)):
            self.open.hub.publish(PullsFound())

    def figure_kw(self, round_id: int, pull: Pull) -> float:
        """What a dynamometer showed of a pull, kW; NaN if nothing was typed."""
        return self._figures().get(_name(round_id, pull), math.nan)

    def set_figure(self, round_id: int, pull: Pull, kw: float) -> None:
        """Keep what a dynamometer showed.

        Parameters
        ----------
        round_id, pull : of which.
        kw : 0 takes it back.
        """
        if not 0.0 <= kw <= MOST_KW:
            self.open.error(Say.FIGURE(kw=kw, most=MOST_KW))
            return
        figures = {k: v for k, v in self._figures().items() if k != _name(round_id, pull)}
        if kw > 0.0:
            figures[_name(round_id, pull)] = kw
        text = json.dumps(figures)
        if self.saving.attempt(lambda: self.open.save_setting(FIGURES, text)):
            self.open.hub.publish(PullsFound())

    def _figures(self) -> dict[str, float]:
        try:
            kept = json.loads(self.open.setting(FIGURES, "{}"))
            return {str(k): float(v) for k, v in kept.items()}
        except (ValueError, TypeError, AttributeError):
            return {}


def _name(round_id: int, pull: Pull) -> str:
    return f"{round_id}:{pull.start_s:.2f}"


def _looked_through(
    wanted: Sequence[_Wanted], altitude_m: float, kept: KeptAnswers, report: Report
) -> tuple[_Looked, ...]:
    """All rounds whose pulls are kept; where none are, those of the first round worked out."""
    keys = [key_of(one.vehicle, one.key[2], altitude_m) for one in wanted]
    found = []
    for one, key in zip(wanted, keys, strict=True):
        answer = kept.find(one.round_id, KEPT_AS)
        pulls = None if answer is None or answer.key != key else _as_kept(one, answer.data)
        if pulls is not None:
            found.append(_Looked(pulls))
    if found:
        return tuple(found)
    pulls = _looked(wanted[0], altitude_m, report)
    parts = (pulls.traces, pulls.baro_logged, pulls.failure, pulls.knock, pulls.samples)
    return (_Looked(pulls, keys[0], packed(parts)),)


def _as_kept(wanted: _Wanted, data: bytes) -> RoundPulls | None:
    """Pulls out of the job file; None where they cannot be."""
    try:
        traces, baro_logged, failure, knock, samples = unpacked(data)
        sound = (
            all(isinstance(t, PullTrace) for t in traces)
            and all(isinstance(e, KnockEvent) for e in knock)
            and (samples is None or isinstance(samples, KnockSamples))
        )
    except (LeanTrimError, *DAMAGES):
        return None
    if not sound:
        return None
    return RoundPulls(
        wanted.round_id,
        wanted.number,
        wanted.key,
        tuple(traces),
        bool(baro_logged),
        str(failure),
        tuple(knock),
        samples,
    )


def _looked(wanted: _Wanted, altitude_m: float, report: Report) -> RoundPulls:
    """Pulls of one round; what cannot be looked through says why."""
    from lean_trim.core.pipeline.pulls import find_pulls

    if report.cancelled:
        raise CancelledError(Say.STOPPED())
    try:
        found = find_pulls(list(wanted.round.logs), wanted.vehicle, altitude_m)
    except CancelledError:
        raise
    except LeanTrimError as error:
        return RoundPulls(wanted.round_id, wanted.number, wanted.key, (), False, str(error))
    traces = tuple(trace_of(found.conditions, pull, found.baro_kpa) for pull in found.pulls)
    return RoundPulls(
        wanted.round_id,
        wanted.number,
        wanted.key,
        traces,
        found.baro_logged,
        knock=knock_events(found.conditions, found.pulls),
        samples=knock_samples(found.conditions, found.baro_kpa),
    )
