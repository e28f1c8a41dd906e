"""A test that tells the dead time without trust in any table: one injection a cycle against two.

At one warm, steady state the engine needs the same fuel either way, and the dead time counts once
or twice. Two stretches of a log are enough, where the ECU can be told how often to inject.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.coordinates import DEFAULT_VOLTS
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    NO_PULSE = Message("steady.no_pulse", "this log has no pulse width to read a steady state from")
    NO_LOAD = Message(
        "steady.no_load", "this log has neither manifold pressure nor airflow to tell a state by"
    )
    SHORT = Message(
        "steady.short",
        "the stretch holds {seconds:.0f} s of readings; {least:g} s or more are needed",
    )
    MOVES = Message(
        "steady.moves",
        "{what} moves by {pct:.1f} % within the stretch; choose one in which it stays within "
        "{most:g} %",
    )
    APART = Message(
        "steady.apart",
        "{what} is {one:.4g} {unit} in one stretch and {two:.4g} {unit} in the other; they are "
        "not one state",
    )


LEAST_S = 10.0
"""Common practice is a minute at each, no source."""
MOST_MOVE_PCT = 4.0
"""Standard deviation within a stretch."""
MOST_APART_PCT = 5.0
"""Most the load of two stretches may differ to be a pair, percent."""
MOST_VOLTS_APART = 0.3
"""Most their voltage may differ, V."""


@dataclass(frozen=True)
class SteadyState:
    """Means over a stretch: pulse in ms, battery in V, rpm, load in ``load_unit``, λ (1 if not logged)."""

    pulse_ms: float
    volts: float
    rpm: float
    load: float
    load_unit: str
    lam: float
    seconds: float


def steady_state(log: Log, start_s: float, end_s: float) -> SteadyState:
    """What a stretch of a log shows, if it is steady.

    Parameters
    ----------
    log : with pulse width, engine speed, and manifold pressure or airflow.
    start_s, end_s : on its clock.

    Returns
    -------
    Its means.

    Raises
    ------
    BadInputError
        If something is missing, or moves.
    """
    if Role.PULSE_WIDTH not in log or Role.RPM not in log:
        raise BadInputError(Say.NO_PULSE())
    inside = (log.time_s >= start_s) & (log.time_s <= end_s)
    rpm = log[Role.RPM][inside]
    pulse = log[Role.PULSE_WIDTH][inside]
    if Role.MAP in log:
        load = log[Role.MAP][inside]
        unit = "kPa"
    elif Role.MAF_FLOW in log:
        load = 60.0 * log[Role.MAF_FLOW][inside] / rpm
        unit = "g/rev"
    else:
        raise BadInputError(Say.NO_LOAD())
    seconds = float((np.isfinite(pulse) & (pulse > 0.0)).sum()) * log.step_s
    if seconds < LEAST_S:
        raise BadInputError(Say.SHORT(seconds=seconds, least=LEAST_S))
    for what, values in (("engine speed", rpm), ("load", load), ("pulse width", pulse)):
        pct = 100.0 * float(np.nanstd(values) / np.nanmean(values))
        if not pct <= MOST_MOVE_PCT:
            raise BadInputError(Say.MOVES(what=what, pct=pct, most=MOST_MOVE_PCT))
    return SteadyState(
        pulse_ms=float(np.nanmean(pulse)),
        volts=_mean(log.get(Role.BATTERY, DEFAULT_VOLTS), inside, DEFAULT_VOLTS),
        rpm=float(np.nanmean(rpm)),
        load=float(np.nanmean(load)),
        load_unit=unit,
        lam=_mean(log.get(Role.LAMBDA, 1.0), inside, 1.0),
        seconds=seconds,
    )


def _mean(values: Floats, inside: np.ndarray, otherwise: float) -> float:
    part = np.broadcast_to(np.asarray(values, float), inside.shape)[inside]
    return float(np.nanmean(part)) if np.isfinite(part).any() else otherwise


def pulses_of(one: SteadyState, two: SteadyState) -> tuple[float, float, float]:
    """Pulses with one and with two injections a cycle, brought to the state of the second.

    Parameters
    ----------
    one, two : stretches with one and with two injections a cycle.

    Returns
    -------
    Both pulses, ms, and the battery, V.

    Raises
    ------
    BadInputError
        If they are not one state.
    """
    for what, a, b, unit in (
        ("Engine speed", one.rpm, two.rpm, "rpm"),
        ("Load", one.load, two.load, one.load_unit),
    ):
        if one.load_unit != two.load_unit or abs(b / a - 1.0) > MOST_APART_PCT / 100.0:
            raise BadInputError(Say.APART(what=what, one=a, two=b, unit=unit))
    if abs(one.volts - two.volts) > MOST_VOLTS_APART:
        raise BadInputError(Say.APART(what="Battery", one=one.volts, two=two.volts, unit="V"))
    # What little they differ by is a share of the fuel, not of the dead time.
    more = two.load / one.load * one.lam / two.lam
    dead = (2.0 * two.pulse_ms - more * one.pulse_ms) / (2.0 - more)
    brought = more * (one.pulse_ms - dead) + dead
    return brought, two.pulse_ms, 0.5 * (one.volts + two.volts)
