"""How the work on the shown round stands: one typed state, which everything on the screen reads."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Enum

from lean_trim.core.messages import Message, Said
from lean_trim.workspace.driven_car import DRIVE_TITLE
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.tasks import Lane, Task, Tasks


class Stage(Enum):
    """What the work is at; each excludes the others."""

    NO_JOB = "no job"
    NO_LOG = "no log"
    READING = "reading"
    DRIVING = "driving"
    WORKING_OUT = "working out"
    LOOKING = "looking for faults"
    WORKED_OUT = "worked out"
    STOPPED = "stopped"
    FAILED = "failed"
    STALE = "stale"


class Say:
    """What is said of the stages."""

    NO_LOG = Message("work_state.no_log", "Waiting for a log")
    DRIVING = Message("work_state.driving", "Driving the simulated car")
    READING = Message("work_state.reading", "Reading a log")
    WORKING_OUT = Message("work_state.working_out", "Working out the correction")
    LOOKING = Message("work_state.looking", "Looking for faults: what to write comes with them")
    STOPPED = Message(
        "work_state.stopped",
        "Not worked out: it was stopped. “Work it out again” (F9) begins anew.",
    )
    LOOK_STOPPED = Message(
        "work_state.look_stopped",
        "Faults were not looked for: it was stopped. “Work it out again” (F9) begins anew.",
    )
    FAILED = Message("work_state.failed", "Not worked out")
    STALE = Message(
        "work_state.stale",
        "What is shown was worked out before something was changed; working it out anew was "
        "stopped. “Work it out again” (F9) begins anew.",
    )
    MEANWHILE = Message(
        "work_state.meanwhile",
        "Shown is what was worked out on {day}, by another version or before settings or earlier rounds "
        "were changed. It is being worked out anew.",
    )
    WAIT = Message(
        "work_state.wait", "Faults are being looked for. What to write waits until that is done."
    )
    WAIT_SOLVE = Message(
        "work_state.wait_solve",
        "The correction is being worked out. What to write waits until that is done.",
    )


@dataclass(frozen=True)
class WorkState:
    """How the work stands.

    Attributes
    ----------
    stage : what it is at.
    what, share : of what runs: in words, and 0 to 1.
    why : of what failed.
    shows_table : True if a correction is shown, perhaps an older one.
    shown_of : when that was made, if it was worked out otherwise than is wanted now; "" if not.
    """

    stage: Stage
    what: str = ""
    share: float = 0.0
    why: str = ""
    shows_table: bool = False
    shown_of: str = ""

    @property
    def is_under_way(self) -> bool:
        """True while the correction, or faults, are being looked for."""
        return self.stage in (Stage.WORKING_OUT, Stage.LOOKING)

    @property
    def said(self) -> str:
        """The state in a sentence; "" where the figures speak for themselves."""
        if self.shown_of and self.is_under_way:
            return str(Say.MEANWHILE(day=self.shown_of.replace("T", " ")[:16]))
        words: dict[Stage, Message] = {
            Stage.NO_LOG: Say.NO_LOG,
            Stage.READING: Say.READING,
            Stage.DRIVING: Say.DRIVING,
            Stage.WORKING_OUT: Say.WORKING_OUT,
            Stage.LOOKING: Say.LOOKING,
            Stage.STOPPED: Say.LOOK_STOPPED if self.shows_table else Say.STOPPED,
            Stage.FAILED: Say.FAILED,
            Stage.STALE: Say.STALE,
        }
        return str(words[self.stage]()) if self.stage in words else ""

    @property
    def holds_writing(self) -> Said | None:
        """Why nothing may be accepted, handed over or copied now; None if it may."""
        if self.stage is Stage.LOOKING:
            return Say.WAIT()
        if self.stage is Stage.WORKING_OUT:
            return Say.WAIT_SOLVE()
        if self.stage is Stage.STOPPED:
            return Say.LOOK_STOPPED() if self.shows_table else Say.STOPPED()
        return Say.STALE() if self.stage is Stage.STALE else None


class Work:
    """Tells how the work on the shown round stands, from what runs and what is there; keeps nothing."""

    def __init__(self, open_job: OpenJob, tasks: Tasks, solver: Solver) -> None:
        self.open = open_job
        self.tasks = tasks
        self.solver = solver

    @property
    def state(self) -> WorkState:
        """As it stands now."""
        current = self.open.round
        if current is None:
            return WorkState(Stage.NO_JOB)
        shows = self.solver.solution is not None
        running = self.tasks.running
        for lane, stage in ((Lane.SOLVING, Stage.WORKING_OUT), (Lane.LOOKING, Stage.LOOKING)):
            if lane in running:
                return replace(_running(stage, running[lane], shows), shown_of=self.solver.shown_of)
        if Lane.READING in running and not current.logs:
            drives = running[Lane.READING].title == DRIVE_TITLE
            return _running(
                Stage.DRIVING if drives else Stage.READING, running[Lane.READING], shows
            )
        if not current.logs:
            return WorkState(Stage.NO_LOG)
        return self._at_rest(shows)

    def _at_rest(self, shows: bool) -> WorkState:
        solver = self.solver
        if solver.failure:
            return WorkState(Stage.FAILED, why=solver.failure)
        if not solver.has_looked:
            # Between two tasks nothing runs for a moment; only the user's word stops the work.
            stage = Stage.STOPPED if solver.stopped else Stage.WORKING_OUT
            return WorkState(stage, shows_table=shows)
        stale = solver.stopped and not solver.is_wanted
        return WorkState(Stage.STALE if stale else Stage.WORKED_OUT, shows_table=True)


def _running(stage: Stage, task: Task, shows: bool) -> WorkState:
    return WorkState(stage, what=task.what, share=task.share, shows_table=shows)
