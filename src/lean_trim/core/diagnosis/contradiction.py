"""Logs whose fuel does not follow from the vehicle sheet: another car's, or a sheet that does not fit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.frame import hidden_trim
from lean_trim.core.drive.pulse_width_proof import LEAST_S, OFF, STRAYING_SHARE
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message, Said
from lean_trim.core.robust import MAD_TO_SIGMA

IMPLAUSIBLE_PCT = 30.0
"""Off by more than this, percent rms, is no table an engine ran on. Common practice, no source."""
MOST_TRIM = 0.3
"""A trim read from the pulse width that is further from 1 than this, as a logarithm, is no trim.

ECUs allow about a quarter; common practice, no source.
"""
EVEN_SCATTER = 0.05
"""Scatter (robust standard deviation of the logarithm) up to which one factor explains the misfit.

Common practice, no source.
"""


class Say:
    """Sentences of this module."""

    TITLE = Message(
        "contradiction.title", "{name} does not fit this vehicle: {ratio:.2f} × the expected fuel"
    )
    UNEVEN_TITLE = Message(
        "contradiction.uneven_title",
        "{name} does not fit this vehicle: {low:.2f} to {high:.2f} × the expected fuel",
    )
    EVEN = Message(
        "contradiction.even",
        "Fuel by pulse width against table, trims and injector data, in steady running. Nearly "
        "the same factor everywhere (± {scatter:.0f} %): one number of the sheet is off by it. "
        "Check displacement, cylinders, injector flow and pressure, stoichiometric AFR, the pulse "
        "width's unit, and the table.",
    )
    IMPLAUSIBLE = Message(
        "contradiction.implausible",
        "Off by {rms:.0f} % rms: no engine runs on a table that is so far off",
    )
    IMPLAUSIBLE_ADVICE = Message(
        "contradiction.implausible_advice",
        "Is this another car's log, AFR read as lambda on the wrong scale, or a trim in another "
        "unit? Look at "
        "the log's columns and at the vehicle sheet before you believe any of it.",
    )
    UNEVEN = Message(
        "contradiction.uneven",
        "Fuel by pulse width against table, trims and injector data, in steady running. The "
        "factor changes from place to place (± {scatter:.0f} %): another car's log, or another "
        "table? Else check injector data, dead times, and the units of pressure and temperature.",
    )


@dataclass(frozen=True)
class Contradiction:
    """What speaks against a log.

    Attributes
    ----------
    name : of the log.
    ratio : median of fuel by pulse width over fuel by table, trims and injector data, in steady
        running.
    scatter : its robust standard deviation, as a share.
    seconds : of steady running it was read from.
    title, advice : what to say, large and beside it.
    """

    name: str
    ratio: float
    scatter: float
    seconds: float
    title: Said
    advice: Said


def find_contradictions(conditions: Conditions) -> tuple[Contradiction, ...]:
    """Logs whose steady running contradicts the vehicle sheet.

    Parameters
    ----------
    conditions : one joined log with its regimes.

    Returns
    -------
    One entry per log that does not fit, none for logs without a pulse width or too little steady
    running.
    """
    frame = conditions.frame
    steady = (conditions.regime == Regime.CRUISE) | (conditions.regime == Regime.IDLE)
    with np.errstate(invalid="ignore", divide="ignore"):
        off = np.log(frame.fuel_ratio)
        trim = np.log(frame.trim)
    hidden = hidden_trim(frame.log, frame.vehicle)
    told = steady & np.isfinite(off)
    pieces = [(p.name, slice(p.start, p.stop)) for p in frame.pieces] or [
        (frame.log.name, slice(0, len(frame.log)))
    ]
    found = []
    for name, part in pieces:
        seconds = conditions.motion.durations_s[part][told[part]]
        here = off[part][told[part]]
        # A trim nobody logged was read from the same pulse width; one that large is no trim.
        if hidden[part].any() and len(here):
            with_trim = here + trim[part][told[part]]
            here = with_trim if abs(np.median(with_trim)) > MOST_TRIM else here
        whole = float(seconds.sum())
        away = float(seconds[np.abs(np.expm1(here)) > OFF].sum())
        if whole < LEAST_S or away < STRAYING_SHARE * whole:
            continue
        middle = float(np.median(here))
        scatter = MAD_TO_SIGMA * float(np.median(np.abs(here - middle)))
        found.append(_misfit(name, middle, scatter, whole))
    return tuple(found)


def _misfit(name: str, middle: float, scatter: float, seconds: float) -> Contradiction:
    ratio = float(np.exp(middle))
    percent = 100.0 * scatter
    if scatter <= EVEN_SCATTER:
        title = Say.TITLE(name=name, ratio=ratio)
        advice = Say.EVEN(scatter=percent)
    else:
        low = float(np.exp(middle - scatter))
        high = float(np.exp(middle + scatter))
        title = Say.UNEVEN_TITLE(name=name, low=low, high=high)
        advice = Say.UNEVEN(scatter=percent)
    return Contradiction(name, ratio, scatter, seconds, title, advice)


def implausible(rms_pct: float) -> tuple[Said, Said] | None:
    """What to say of a drive that asks for more than any engine's table can be off.

    Parameters
    ----------
    rms_pct : how far off the drive was, percent rms; NaN where unknown.

    Returns
    -------
    Title and advice, None if it is plausible.
    """
    if not rms_pct > IMPLAUSIBLE_PCT:
        return None
    return Say.IMPLAUSIBLE(rms=rms_pct), Say.IMPLAUSIBLE_ADVICE()
