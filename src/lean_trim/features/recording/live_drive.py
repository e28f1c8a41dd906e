"""A drive that is recorded for an open job: heard, watched, followed along the plan, solved in steps."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.core.data.calibration import with_calibration
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.core.planning.readiness import Fact
from lean_trim.features.planning.checklist import Checklist
from lean_trim.features.planning.control import PlanControl
from lean_trim.formats.meaning.choices import Choices, shape_of
from lean_trim.formats.own_folder import own_prefix
from lean_trim.workspace.carrying import gather
from lean_trim.workspace.changes import DriveGrew, ImportsChanged, JobClosing, JobOpened
from lean_trim.workspace.destination import Place, destination
from lean_trim.workspace.imports import LogImports
from lean_trim.workspace.loop import Timer
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.tasks import Lane, Report, Tasks

if TYPE_CHECKING:
    from lean_trim.core.data.vehicle import Vehicle
    from lean_trim.features.recording.hearing import Hearing, Now
    from lean_trim.features.recording.understood import SolvedSoFar, Understood
    from lean_trim.live.obd.codes import FaultCode
    from lean_trim.live.recorder import Recorder
    from lean_trim.live.source import Clock, Reading, Source
    from lean_trim.live.watch.watch import Danger
    from lean_trim.workspace.destination import Destination
    from lean_trim.workspace.log_opening import Pending

SOURCES = "live_sources"
"""Setting of the job: addresses, as JSON."""
CHANNELS = "live_channels"
"""Setting of the job: what channels of its sources meant, as JSON."""
LANE = Lane("live")
ENDING = Lane("live_ending")
ASKING = Lane("live_asking")
UNDERSTAND_S = 4.0
SOLVE_S = 15.0
"""How often the recording is read anew, and solved anew."""


class Say:
    """What recording says."""

    NO_JOB = Message(
        "live_drive.no_job", "Open or make a job first; a drive is recorded for a job."
    )
    NO_SOURCE = Message("live_drive.no_source", "Name a source to record from, one a line.")
    RUNNING = Message("live_drive.running", "A drive is being recorded; end it first.")
    REFUSED = Message("live_drive.refused", "{reason}")
    ENDED = Message(
        "live_drive.ended", "Recorded {minutes:.1f} minutes; the recording stays in {path} as well."
    )
    NOTHING = Message("live_drive.nothing", "Nothing was received; nothing is kept.")
    LEFT_OVER = Message(
        "live_drive.left_over",
        "A recording lies beside the job that is none of its logs: {name}. Take it in on the Plan desk, "
        "under Record.",
    )
    NO_CODES = Message("live_drive.no_codes", "no fault code is stored or pending")
    CODES = Message("live_drive.codes", "stored or pending: {codes}")
    CODES_UNKNOWN = Message(
        "live_drive.codes_unknown", "no ECU answers the question for fault codes"
    )
    CODES_READ = Message("live_drive.codes_read", "Fault codes: {what}.")
    NO_OBD = Message(
        "live_drive.no_obd", "Fault codes are read over a source that begins with obd:."
    )
    READING_CODES = Message("live_drive.reading_codes", "Reading fault codes")
    READING = Message("live_drive.reading", "Following the drive")
    ENDING = Message("live_drive.ending", "Ending the recording")
    ASKING = Message("live_drive.asking", "Reading what was heard")
    OTHERS = Message(
        "live_drive.others",
        "Not what it was when this source was last heard: {names}. What is found now counts.",
    )


@dataclass(frozen=True)
class LiveChanged:
    """A recording began, ended, or is understood otherwise."""


@dataclass(frozen=True)
class DangerMet:
    """A danger was met; it is shown until it is acknowledged."""

    danger: Danger


def sources_of(addresses: Sequence[str], clock: Clock, vehicle: Vehicle) -> tuple[Source, ...]:
    """Sources from their addresses; what records is loaded when somebody records."""
    from lean_trim.live.registry import make_sources

    return make_sources(addresses, clock, vehicle)


class LiveDrive:
    """Records one drive at a time for the open job."""

    def __init__(
        self,
        open_job: OpenJob,
        tasks: Tasks,
        saving: Saving,
        navigation: Navigation,
        solver: Solver,
        imports: LogImports,
        plans: PlanControl,
        checklist: Checklist,
    ) -> None:
        self.open = open_job
        self.tasks = tasks
        self.saving = saving
        self.navigation = navigation
        self.solver = solver
        self.imports = imports
        self.plans = plans
        self.checklist = checklist
        self.recorder: Recorder | None = None
        self.path: Path | None = None
        self.understood: Understood | None = None
        self.solved: SolvedSoFar | None = None
        self.dangers: list[Danger] = []
        self.make_sources = sources_of
        self._clock: Clock | None = None
        self._where: Destination | None = None
        self._vehicle: Vehicle | None = None
        self._hearing: Hearing | None = None
        self._asked: Pending | None = None
        self._said: Choices | None = None
        self._timer: Timer | None = None
        self._solved_s = 0.0
        self._has_codes = False
        open_job.hub.subscribe(JobClosing, lambda _: self.stop(take_in=False))
        open_job.hub.subscribe(JobOpened, lambda _: self._offer())
        open_job.hub.subscribe(ImportsChanged, lambda _: self._answered())

    # ---- sources -----------------------------------------------------------------------------

    @property
    def addresses(self) -> tuple[str, ...]:
        """Sources of the last recording of this job."""
        try:
            kept = json.loads(self.open.setting(SOURCES, "[]"))
        except ValueError:
            return ()
        return tuple(str(a) for a in kept) if isinstance(kept, list) else ()

    @property
    def is_running(self) -> bool:
        """Whether a drive is being recorded."""
        return self.recorder is not None

    @property
    def listens(self) -> bool:
        """Whether sources are heard and the drive has not started."""
        return self.is_running and self._hearing is not None and self._hearing.listens

    # ---- beginning and end -------------------------------------------------------------------

    def start(self, addresses: Sequence[str]) -> bool:
        """Begin to record; told, and False, where that is not possible.

        Parameters
        ----------
        addresses : of the sources.

        Returns
        -------
        Whether it began.
        """
        job = self.open.job
        given = [a.strip() for a in addresses if a.strip()]
        if job is None:
            self.open.note(Say.NO_JOB())
            return False
        if self.is_running or not given:
            self.open.note(Say.RUNNING() if self.is_running else Say.NO_SOURCE())
            return False
        self.navigation.show_newest()
        where = destination(job, self.solver.foretold)
        if where is None:
            self.open.note(Say.NO_JOB())
            return False
        vehicle = where.vehicle
        if where.place is Place.NEXT and where.following is not None:
            vehicle = with_calibration(vehicle, where.following)
        from lean_trim.formats.recording.journal import Journal
        from lean_trim.live.recorder import Recorder
        from lean_trim.live.source import Clock

        self._clock = clock = Clock()
        try:
            sources = self.make_sources(given, clock, vehicle)
            self.path = self._new_path()
            journal = Journal(self.path)
        except (LeanTrimError, OSError) as error:
            self.open.error(Say.REFUSED(reason=error))
            return False
        self.saving.attempt(lambda: self.open.save_setting(SOURCES, json.dumps(given)))
        self._where = where
        self._begin(vehicle)
        facts = {"vehicle": vehicle.name, "round": job.rounds[-1].number}
        self.recorder = Recorder(sources, clock, journal, (self._hear,), facts)
        self.recorder.start()
        self._look_later()
        self.open.hub.publish(LiveChanged())
        return True

    def _begin(self, vehicle: Vehicle) -> None:
        from lean_trim.features.recording.hearing import Hearing
        from lean_trim.features.recording.memory import memory_in

        planned = self.plans.planned
        held = () if planned is None else planned.plan.held
        self._vehicle = vehicle
        self._hearing = Hearing(vehicle, held, memory_in(self.open.setting(CHANNELS)))
        self._asked = None
        self._said = None
        self.understood = None
        self.solved = None
        self.dangers = []
        self._solved_s = 0.0
        self._has_codes = False

    def _new_path(self) -> Path:
        """Beside the job, so that it is found again; of a job without a file among temporary ones."""
        from lean_trim.formats.recording.frames import SUFFIX

        stamp = datetime.now().strftime("%Y-%m-%d-%H%M%S")
        if self.open.path is None:
            folder = Path(tempfile.mkdtemp(prefix=own_prefix()))
            return folder / f"drive-{stamp}{SUFFIX}"
        return self.open.path.with_name(f"{self.open.path.stem}-{stamp}{SUFFIX}")

    def stop(self, take_in: bool = True) -> None:
        """End the recording in order, and take it into the job.

        Parameters
        ----------
        take_in : False only ends it; the recording stays where it is.
        """
        recorder, path = self.recorder, self.path
        if recorder is None or path is None:
            return
        self.recorder = None
        if self._timer is not None:
            self._timer.cancel()
        self.tasks.drop(LANE)
        self.tasks.drop(ASKING)
        if self._asked is not None:
            self.imports.drop(self._asked)
        if not take_in:
            recorder.stop()
            # From now on it is one that lies beside the job.
            self.path = None
            self.open.hub.publish(LiveChanged())
            return

        def work(_: Report) -> bool:
            recorder.stop()
            return any(s.readings for s in recorder.state.sources)

        self.tasks.start(
            ENDING, str(Say.ENDING()), work, lambda heard: self._ended(path, recorder, heard)
        )
        self.open.hub.publish(LiveChanged())

    def _ended(self, path: Path, recorder: Recorder, heard: bool) -> None:
        if not heard:
            path.unlink(missing_ok=True)
            self.open.note(Say.NOTHING())
            return
        self.open.note(Say.ENDED(minutes=recorder.state.seconds / 60.0, path=path))
        self.imports.add([path])

    def left_over(self) -> tuple[Path, ...]:
        """Recordings beside the job that are none of its logs: cut off, or ended as the job was closed."""
        from lean_trim.formats.recording.frames import SUFFIX

        path, job = self.open.path, self.open.job
        if path is None or job is None:
            return ()
        taken = {info.name for r in job.rounds for info in r.log_infos}
        beside = sorted(path.parent.glob(f"{path.stem}-*{SUFFIX}"))
        return tuple(p for p in beside if p.name not in taken and p != self.path)

    def _offer(self) -> None:
        for path in self.left_over():
            self.open.note(Say.LEFT_OVER(name=path.name))

    # ---- before the start --------------------------------------------------------------------

    def ask(self) -> None:
        """Ask about what is in doubt so far, as of a file."""
        path, where, found = self.path, self._where, self.understood
        if not self.is_running or path is None or where is None or found is None:
            return
        from lean_trim.workspace.log_opening import read_pending

        choices = self.open.choices.get(found.shape, Choices())

        def work(report: Report) -> Pending:
            return replace(read_pending(path, choices, report, where), grows=True)

        self.tasks.start(ASKING, str(Say.ASKING()), work, self._ask_of, replace=True)

    def _ask_of(self, pending: Pending) -> None:
        if self.is_running and self._asked is None:
            self._asked = pending
            self.imports.ask_of(pending)

    def _answered(self) -> None:
        """Answers were kept, or put off."""
        asked = self._asked
        if asked is None:
            return
        now = self.imports.current
        # Every answer makes another reading of the same recording.
        if now is not None and now.grows:
            self._asked = now
            return
        self._asked = None
        shape = shape_of(asked.opened.mapped.raw.columns)
        self._said = self.open.choices.get(shape)
        self.open.hub.publish(LiveChanged())

    def start_drive(self) -> None:
        """The drive starts; what is still in doubt is recorded, and not solved."""
        if self.recorder is None or self._hearing is None or not self._hearing.listens:
            return
        self._hearing.start()
        self.recorder.mark({"note": "drive"})
        self.open.hub.publish(LiveChanged())

    # ---- fault codes -------------------------------------------------------------------------

    def read_codes(self, addresses: Sequence[str]) -> None:
        """Read stored and pending fault codes into the checklist.

        Parameters
        ----------
        addresses : of sources; the first that asks an ECU is taken.
        """
        from lean_trim.live.obd.source import SCHEME, read_codes_at

        asked = next((a.strip() for a in addresses if a.strip().startswith(f"{SCHEME}:")), None)
        if asked is None or self.is_running:
            self.open.note(Say.RUNNING() if self.is_running else Say.NO_OBD())
            return
        self.tasks.start(
            LANE, str(Say.READING_CODES()), lambda _: read_codes_at(asked), self._take_codes
        )

    def _take_codes(self, codes: Sequence[FaultCode] | None) -> None:
        fact = codes_fact(codes)
        self.checklist.take_read("codes", fact)
        self.open.note(Say.CODES_READ(what=fact.said))
        self.open.hub.publish(LiveChanged())

    # ---- while it runs -----------------------------------------------------------------------

    def _hear(self, readings: Sequence[Reading]) -> None:
        """Every reading, in the recorder's thread, as soon as it is there."""
        hearing = self._hearing
        for danger in () if hearing is None else hearing.hear(readings):
            self._met(danger)

    def _met(self, danger: Danger) -> None:
        recorder = self.recorder
        if recorder is not None:
            note = {"note": "danger", "rule": danger.rule, "said": str(danger.said)}
            recorder.mark({**note, "from_s": danger.from_s, "time_s": danger.time_s})
        self.tasks.loop.post(lambda: self._tell(danger))

    def _tell(self, danger: Danger) -> None:
        self.dangers.append(danger)
        self.open.hub.publish(DangerMet(danger))

    def now(self) -> Now | None:
        """How the drive stands; None while none is recorded."""
        recorder = self.recorder
        if recorder is None or self._hearing is None:
            return None
        return self._hearing.now(recorder.clock.now(), recorder.state)

    def skip(self) -> None:
        """Pass over the plan's state."""
        if self._hearing is not None:
            self._hearing.skip()

    # ---- what it says so far -----------------------------------------------------------------

    def _look_later(self) -> None:
        self._timer = self.tasks.loop.call_later(UNDERSTAND_S, self._look)

    def _look(self) -> None:
        from lean_trim.features.recording.understood import solve_so_far, understand

        path, vehicle, clock = self.path, self._vehicle, self._clock
        if self.recorder is None or path is None or vehicle is None or clock is None:
            return
        choices = self.open.choices
        said = self._said
        solves = clock.now() - self._solved_s >= SOLVE_S
        counting = tuple(e for e in self.solver.earlier() if not e.why_not) if solves else ()

        def work(report: Report) -> tuple[Understood | None, SolvedSoFar | None]:
            found = understand(path, vehicle, choices, said)
            # What is in doubt is recorded, not solved.
            if found is None or not solves or found.doubts or not found.allowed.tables:
                return found, None
            return found, solve_so_far(found.log, vehicle, gather(counting, report).earlier)

        if solves:
            self._solved_s = clock.now()
        self.tasks.start(
            LANE,
            str(Say.READING()),
            work,
            lambda answer: self._looked(*answer),
            failed=lambda _: self._look_later(),
            replace=True,
        )

    def _take_codes_heard(self) -> None:
        """Codes that a source read as it reached the car, once."""
        from lean_trim.live.obd.source import ObdSource

        recorder = self.recorder
        if recorder is None or self._has_codes:
            return
        for source in recorder.sources:
            if isinstance(source, ObdSource) and source.codes is not None:
                self._has_codes = True
                recorder.mark({"note": "codes", "codes": [c.code for c in source.codes]})
                self._take_codes(source.codes)

    def _looked(self, found: Understood | None, solved: SolvedSoFar | None) -> None:
        if self.recorder is None:
            return
        self._take_codes_heard()
        if found is not None:
            self._take_understood(found)
            newest = self.open.job.rounds[-1] if self.open.job is not None else None
            if newest is not None:
                self.open.hub.publish(DriveGrew(newest.id, found.log))
        if solved is not None:
            self.solved = solved
        self.open.hub.publish(LiveChanged())
        self._look_later()

    def _take_understood(self, found: Understood) -> None:
        """What the channels mean: watched by, remembered, and the drive started where nothing is in doubt."""
        from lean_trim.features.recording.memory import kept, remembered

        hearing = self._hearing
        if hearing is None:
            return
        self.understood = found
        others = hearing.understand(found.meanings)
        # Once kept, the new meaning is the old one, and there is nothing more to tell.
        if others:
            self.open.note(Say.OTHERS(names=", ".join(others)))
        memory = remembered(hearing.memory, hearing.meanings)
        if memory != hearing.memory:
            text = kept(memory)
            self.saving.attempt(lambda: self.open.save_setting(CHANNELS, text))
            hearing.memory = memory
        # Channels that came later make another shape of which nothing was said yet.
        said = self._said
        if said is not None and found.shape not in self.open.choices:
            self.saving.attempt(lambda: self.open.save_choices(found.shape, said))
        if hearing.listens and not found.doubts:
            self.start_drive()


def codes_fact(codes: Sequence[FaultCode] | None) -> Fact:
    """What fault codes mean for the checklist: a line of it, with their plain meaning."""
    if codes is None:
        return Fact(None, Say.CODES_UNKNOWN())
    if not codes:
        return Fact(True, Say.NO_CODES())
    return Fact(False, Say.CODES(codes="; ".join(code_words(c) for c in codes)))


def code_words(code: FaultCode) -> str:
    """A code with what it means, and whether it is only pending."""
    meaning = f" {code.meaning}" if code.meaning else " (its meaning is the maker's)"
    return f"{code.code}{meaning}{', pending' if code.pending else ''}"
