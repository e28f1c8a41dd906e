"""The steps of a round, in the order of the work, and how each stands."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from lean_trim.core.text import cells_in_words, signed
from lean_trim.job.kept_logs import seconds_of
from lean_trim.job.records import SWAP, Round
from lean_trim.ui.session import Session
from lean_trim.workspace.swap import is_large, size_ratio
from lean_trim.workspace.work_state import Stage

BACKUP = "Keep a copy of what is in the ECU before you write a table to it."
LOOKING = "Looking for faults"
PROVEN_PCT = 3.0
"""Residual up to which fuelling counts as proven before a swap (common practice, no source)."""


class State(StrEnum):
    """How a step stands; the mark says it without colour."""

    DONE = "✓"
    NOW = "●"
    OPEN = "○"
    FAILED = "✕"


@dataclass(frozen=True)
class Step:
    """One line: how it stands, what it says, and more about it."""

    state: State
    text: str
    tip: str


def steps_of(session: Session) -> tuple[Step, ...]:
    """The steps of the shown round, in the order of the work.

    Parameters
    ----------
    session : with or without a job.

    Returns
    -------
    Five lines, seven where other injectors went in, none without a job.
    """
    current = session.round
    if current is None or session.job is None:
        return ()
    if current.kind == SWAP:
        return _swap_steps(session, current)
    return (
        _log_step(session, current),
        _solve_step(session, current),
        _decide_step(session, current),
        _hand_over_step(session, current),
        _next_step(session, current),
    )


def _log_step(session: Session, current: Round) -> Step:
    tip = "Logs of this round: see the Logs page"
    resting = f", {len(current.resting)} left out" if current.resting else ""
    state = session.work.state
    if state.stage in (Stage.READING, Stage.DRIVING):
        return Step(State.NOW, state.said, "The log is saved as soon as it is there.")
    # Logs that are all left out are no logs to the solve, but the step says that they are there.
    if not current.logs:
        imports = session.imports
        if imports.questions or imports.waiting or imports.unplaced:
            tip = "Something of the log is not clear; the middle of the window asks what it is."
            return Step(State.NOW, "A log waits for your answer", tip)
        job = session.job
        demo = ", or drive the simulated car" if job is not None and job.car else ""
        return Step(State.NOW, f"Waiting for a log{resting}", f"Drop a log on the window{demo}.")
    minutes = seconds_of(current.logs) / 60.0
    count = "1 log" if len(current.logs) == 1 else f"{len(current.logs)} logs"
    return Step(State.DONE, f"{count}, {minutes:.1f} min{resting}", tip)


def _solve_step(session: Session, current: Round) -> Step:
    tip = "The correction this drive needs, and how far off the table was"
    state = session.work.state
    if state.stage is Stage.FAILED:
        return Step(State.FAILED, "Not worked out", state.why)
    if state.stage in (Stage.STOPPED, Stage.STALE):
        return Step(State.FAILED, "Stopped by you", state.said)
    if state.is_under_way:
        return Step(
            State.NOW, "Working it out" if state.stage is Stage.WORKING_OUT else LOOKING, state.said
        )
    solution = session.solution
    if solution is not None and math.isfinite(solution.residual.rms):
        return Step(State.DONE, f"Off by {solution.residual.rms:.1f} % rms", tip)
    return Step(State.OPEN, "Work out", tip)


def _decide_step(session: Session, current: Round) -> Step:
    done = current.decided.changed
    # New injector data moves every cell; what was proposed before is no longer true.
    if current.injectors_decided:
        tip = "The airflow table waits for a drive on the new injector data"
        return Step(State.DONE, "Injector data decided", tip)
    if current.scale_moved != 1.0:
        tip = str(session.scale.entry())
        return Step(
            State.DONE, f"Scale × {current.scale_moved:.2f}, {cells_in_words(done)} decided", tip
        )
    other = current.decided_in_other
    decided = f"{cells_in_words(done)} decided{f', {other} in the other' if other else ''}"
    waiting = session.deciding.waiting_in()
    if not session.is_last:
        return Step(State.DONE, decided, "An earlier round: kept as it was decided")
    if session.proposal is None and not done:
        return Step(State.OPEN, "Decide", "Accept, put back, pin or type, cell by cell")
    held = session.deciding.holds_accepting
    tip = (
        f"{waiting} of the proposed changes are not decided. Accept them all, or cell by cell: "
        "choose tiles, then accept, put back, pin, or type as +3%."
        if held is None
        else str(held)
    )
    # Waiting first: a decision half made must not look finished.
    if waiting and not done:
        words = "Corrections decided" if current.corrections_decided else "Nothing decided"
        words = f"{other} in the other table" if other else words
        return Step(State.NOW, f"{words}: {waiting} wait", tip)
    if waiting:
        return Step(State.NOW, f"{decided}, {waiting} wait", tip)
    return Step(
        State.DONE, decided if done else "Nothing to change", "Every proposed change is decided"
    )


def _hand_over_step(session: Session, current: Round) -> Step:
    if not current.handed_over:
        if not session.is_last:
            return Step(
                State.DONE, "Driven without a hand-over", "The next round was begun from here"
            )
        # It is the next thing to do only when nothing is left to decide.
        decided = current.changed > 0 and not session.deciding.waiting_in()
        tip = f"Write the decided table to a file, or copy it, for the editor of your ECU. {BACKUP}"
        entry = session.scale.entry()
        tip = tip if entry is None else f"{entry} {tip}"
        return Step(State.NOW if decided else State.OPEN, "Not handed over", tip)
    when, _, how = current.handed_over.partition(" ")
    moment = datetime.fromisoformat(when).strftime("%d %b %H:%M")
    # The ECU holds other values then, and the next log would be read on the wrong ones.
    if current.has_changed_since_handed_over and session.is_last:
        return Step(
            State.NOW,
            "Changed since handed over",
            f"Handed over {moment} ({how}); other values are decided now. Hand over again, or the "
            f"next log is "
            "taken as driven on what was handed over.",
        )
    return Step(State.DONE, f"Handed over {moment}", f"Handed over as {how}")


def _next_step(session: Session, current: Round) -> Step:
    assert session.job is not None
    after = session.job.round_after(current)
    if after is not None:
        return Step(State.DONE, f"Round {after.number} follows", "Driven on what was decided here")
    if current.handed_over and session.is_last:
        tip = (
            "Write the table to the ECU, drive, and add the log: it opens the next round and "
            "shows what changed."
        )
        return Step(State.NOW, "Waiting for the next log", tip)
    return Step(State.OPEN, "Drive again", "The next log shows what the new table did")


def _swap_steps(session: Session, current: Round) -> tuple[Step, ...]:
    """From the old injectors to the proof on the new ones."""
    return (
        _proven_step(session, current),
        _data_step(session, current),
        _first_start_step(session, current),
        _log_step(session, current),
        _split_step(session, current),
        _tables_step(session, current),
        _hand_over_step(session, current),
        _proof_step(session, current),
    )


def _proven_step(session: Session, current: Round) -> Step:
    assert session.job is not None
    before = session.job.round_before(current)
    verdict = before.verdict if before is not None else None
    tip = (
        "What the table was off by on the old injectors. Flow is only told as well as the table "
        "is known: put it right before the swap, or say on the Injectors desk how good it is."
    )
    if verdict is None or not math.isfinite(verdict.residual_rms):
        return Step(State.OPEN, "Old injectors: not driven here", tip)
    off = f"Old injectors: off by {verdict.residual_rms:.1f} %"
    if verdict.residual_rms > PROVEN_PCT:
        return Step(State.OPEN, f"{off}, not proven", tip)
    return Step(State.DONE, off, tip)


def _data_step(session: Session, current: Round) -> Step:
    assert session.job is not None
    before = session.job.round_before(current)
    ratio = size_ratio(session.job, current)
    if is_large(ratio):
        tip = (
            "So large a change leaves regions 20 % off even with good data: begin on the rich side."
        )
        return Step(State.DONE, f"New data: {ratio:.1f} × the old flow, ±20 %", tip)
    # A first round has nothing to compare: its data counts as entered.
    if before is None or not session.job.same_injectors(before, current):
        size = f", {ratio:.2f} × the old flow" if math.isfinite(ratio) else ""
        return Step(
            State.DONE, f"New data entered{size}", "Flow and dead times of the new injectors"
        )
    tip = "Paste flow and dead times of the new injectors on the Injectors desk: More, Paste."
    return Step(State.NOW, "Enter the new injectors' data", tip)


def _first_start_step(session: Session, current: Round) -> Step:
    tip = (
        "Start on the rich side: a tenth of a millisecond more dead time, or 5 % less flow, than "
        "the data say. Watch λ from the first second; at load stop at once if it is leaner than "
        "its target."
    )
    if current.logs:
        return Step(State.DONE, "First start", tip)
    return Step(State.OPEN, "First start, on the rich side", tip)


def _split_step(session: Session, current: Round) -> Step:
    tip = "On the Injectors desk: a percentage is flow, a time is dead time, a shape is airflow"
    report = session.study.report
    if report is not None:
        change = 100.0 * (report.split.flow_scale - 1.0)
        text = f"Told: {signed(change, 1)} %, {signed(report.split.dead_ms, 2)} ms"
        return Step(State.DONE, text, tip)
    if current.injectors_decided:
        return Step(State.DONE, "Told apart", tip)
    return Step(
        State.NOW if session.solution is not None else State.OPEN,
        "Tell flow and dead time apart",
        tip,
    )


def _tables_step(session: Session, current: Round) -> Step:
    if current.changed:
        return _decide_step(session, current)
    tip = "Accept flow and dead time as told; where there is nothing to write, go on to the airflow table"
    told = session.study.report is not None
    return Step(State.NOW if told else State.OPEN, "Accept the tables", tip)


def _proof_step(session: Session, current: Round) -> Step:
    assert session.job is not None
    after = session.job.round_after(current)
    verdict = after.verdict if after is not None else None
    if verdict is not None and math.isfinite(verdict.residual_rms):
        return Step(
            State.DONE, f"Proof: off by {verdict.residual_rms:.1f} %", "What the next drive showed"
        )
    return Step(State.OPEN, "Proof: drive again", "The next drive shows whether it was right")
