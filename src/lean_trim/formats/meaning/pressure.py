"""Manifold pressure as it is meant: absolute, above the barometer, or below it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.meaning.lexicon import meaning_of
from lean_trim.formats.meaning.unit_check import sample_of
from lean_trim.formats.meaning.units import GAUGE

if TYPE_CHECKING:
    from lean_trim.formats.meaning.match import Match


class Say:
    """Sentences of this module."""

    GAUGE = Message("pressure.gauge", "gauge pressure; {baro:.1f} kPa of barometer added")
    GAUGE_STANDARD = Message(
        "pressure.gauge_standard",
        "gauge pressure; {baro:.1f} kPa added for want of a barometer, say the real one",
    )
    VACUUM = Message("pressure.vacuum", "vacuum; taken from {baro:.1f} kPa of barometer")
    RESTING_PRESSURE = Message(
        "pressure.resting_pressure",
        "Manifold pressure reads {resting:.0f} kPa with the engine off; neither absolute nor "
        "gauge pressure does",
    )
    LOW_PRESSURE = Message(
        "pressure.low_pressure",
        "Manifold pressure falls to {low:.1f} kPa; is it gauge pressure or another unit?",
    )
    BARO_WANTED = Message(
        "pressure.baro_wanted",
        "Manifold pressure is gauge pressure and no barometer is logged; say the barometer of the "
        "drive",
    )


BAROMETERS_KPA = (40.0, 115.0)
"""A barometer anybody may name: from a pass at 7000 m to the bottom of a mine."""
STANDARD_BARO_KPA = 101.3
VACUUM_KPA = -5.0
"""Below it no absolute pressure reads."""
LOWEST_KPA = 8.0
"""Below it no running engine's manifold falls."""
RESTING_KPA = (60.0, 112.0)
"""Barometers of any road."""


def is_vacuum(match: Match, pressure: Floats) -> bool:
    """True for a pressure below the barometer that is counted upwards.

    Parameters
    ----------
    match : of the manifold pressure.
    pressure : in kPa as read, shape (n,).

    Returns
    -------
    Whether its sign has to be turned to make gauge pressure of it.
    """
    if "vacuum" not in meaning_of(match.columns[0].name).atoms:
        return False
    part = sample_of(pressure)
    return bool(len(part)) and float(np.median(part)) > 0.0


def absolute(
    match: Match, pressure: Floats, rpm: Floats | None, baro: Floats | None, said_kpa: float
) -> tuple[Match, Floats]:
    """Turn gauge pressure and vacuum into absolute pressure where name, unit or values show which it is.

    Parameters
    ----------
    match : of the manifold pressure.
    pressure : in kPa as read, vacuum with its sign turned, shape (n,).
    rpm : engine speed, shape (n,), None if not logged.
    baro : barometer, kPa, shape (n,), None if not logged.
    said_kpa : barometer of the drive by the user's word, 0 if not said.

    Returns
    -------
    The match with what was done or is doubted, and absolute pressure.
    """
    level = said_kpa or _level(baro)
    stands = level or STANDARD_BARO_KPA
    meaning = meaning_of(match.columns[0].name)
    part = sample_of(pressure)
    low = float(np.percentile(part, 0.5)) if len(part) else 20.0
    middle = float(np.median(part)) if len(part) else 20.0
    if "vacuum" in meaning.atoms and middle < 0.0:
        return _with(match, str(Say.VACUUM(baro=stands)), _unknown_baro(level)), stands + pressure
    resting = _at_rest(pressure, rpm)
    # Engine off, gauge pressure reads about 0 and absolute pressure about the barometer.
    by_values = low < VACUUM_KPA or (resting is not None and abs(resting) < LOWEST_KPA)
    if by_values or GAUGE in match.unit:
        said = (Say.GAUGE if level else Say.GAUGE_STANDARD)(baro=stands)
        return _with(match, str(said), _unknown_baro(level)), pressure + stands
    # No barometer on any road reads like that, so the column is something else.
    if resting is not None and not RESTING_KPA[0] < resting < RESTING_KPA[1]:
        return _with(match, "", str(Say.RESTING_PRESSURE(resting=resting))), pressure
    if low < LOWEST_KPA and len(part):
        return _with(match, "", str(Say.LOW_PRESSURE(low=low))), pressure
    return match, pressure


def wants_barometer(doubt: str) -> bool:
    """True if a doubt is settled by saying the barometer of the drive."""
    return doubt == str(Say.BARO_WANTED())


def _unknown_baro(level: float) -> str:
    return "" if level else str(Say.BARO_WANTED())


def _with(match: Match, note: str, doubt: str) -> Match:
    return replace(
        match, note="; ".join(n for n in (match.note, note) if n), doubt=match.doubt or doubt
    )


def _level(values: Floats | None) -> float:
    part = sample_of(values) if values is not None else np.array([])
    return float(np.median(part)) if len(part) else 0.0


def _at_rest(pressure: Floats, rpm: Floats | None) -> float | None:
    if rpm is None:
        return None
    off = (rpm < 50.0) & np.isfinite(pressure)
    return float(np.median(pressure[off])) if off.sum() >= 20 else None
