"""What a learned map says of the learning itself: how fast it may go where, and what to lock."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.data.table_kinds import heavy_rows, row_pressures
from lean_trim.core.data.tables import Table
from lean_trim.core.learned.correction import NEVER_LEANER_KPA, OVERRUN_KPA, OVERRUN_RPM
from lean_trim.core.learned.reading import CellState, LearnedReading, off_neighbours
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import cells_in_words
from lean_trim.core.types import Mask


class Say:
    """Sentences of this module."""

    LOCK_LOAD = Message(
        "learned_advice.lock_load",
        "Lock it: under load feedback is off or slow, and a trim learned there is still applied at full "
        "throttle.",
    )
    LOCK_OVERRUN = Message(
        "learned_advice.lock_overrun",
        "Lock it: fuel that leaves the walls after the pedal was let go is learned as airflow.",
    )
    LOCK_IDLE = Message(
        "learned_advice.lock_idle",
        "Lock it until everything else is right: idle shares cells with overrun, and its lambda reads lean.",
    )
    HALVE = Message(
        "learned_advice.halve",
        "Halve the learning speed: cells stand {scatter:.1f} % off their neighbours.",
    )
    KEEP = Message(
        "learned_advice.keep",
        "Keep the learning speed: cells stand {scatter:.1f} % off their neighbours.",
    )
    FEW = Message("learned_advice.few", "Hardly learned: leave it on.")
    ZERO = Message(
        "learned_advice.zero",
        "Once the corrected table is written, set the learned map in the ECU to zero: otherwise both "
        "correct the same error, and the engine runs off by as much the other way.",
    )
    SPREAD = Message(
        "learned_advice.spread",
        "The ECU spreads what it learns: {cells} fade out towards cells it never visited and are not "
        "evidence.",
    )
    FLARE = Message(
        "learned_advice.flare",
        "{cells} off all neighbours, as a converter that lets go or a slipping clutch leaves behind: not "
        "used.",
    )
    SWINGS = Message(
        "learned_advice.swings",
        "Neighbouring cells go to and fro: the ECU learns faster than its sensor answers. Halve the "
        "learning speed, zero the map and drive again before you believe it.",
    )
    STOP = Message(
        "learned_advice.stop",
        "Several cells stand at {stop:g} %, the ECU's limit: there the table is off by that or more.",
    )
    BIAS = Message(
        "learned_advice.bias",
        "The drive asks {differs:+.1f} % beside the map where both speak. If the ECU learns richer than its "
        "target on purpose, say by how much.",
    )


class LearnedRegion(StrEnum):
    """What a cell of a learned map is for."""

    IDLE = "idle"
    OVERRUN = "overrun"
    CRUISE = "part throttle"
    LOAD = "load"


IDLE_RPM = 1100.0
"""Engine speed below which a lightly loaded engine idles (common practice, no source)."""
IDLE_KPA = 60.0
ROUGH_PCT = 2.5
"""Scatter between neighbours from which learning is too fast, percent (a choice)."""
LEAST_CELLS = 3
TELLING_PCT = 1.0
"""Mean difference of drive and map that is worth a word, percent (a choice)."""


@dataclass(frozen=True)
class RegionAdvice:
    """Of one region: cells learned, scatter between neighbours in percent (NaN unknown), what to do."""

    region: LearnedRegion
    learned: int
    scatter_pct: float
    lock: bool
    said: Said


def learned_regions(table: Table) -> np.ndarray:
    """Region of every cell of a learned map.

    Parameters
    ----------
    table : the map.

    Returns
    -------
    A ``LearnedRegion`` per cell, in its shape.
    """
    out = np.full(table.shape, LearnedRegion.CRUISE, object)
    pressures = row_pressures(table)
    speed = np.broadcast_to(table.axes[1].points[None, :], table.shape)
    if pressures is None:
        out[np.broadcast_to(heavy_rows(table)[:, None], table.shape)] = LearnedRegion.LOAD
        return out
    kpa = np.broadcast_to(pressures[:, None], table.shape)
    out[(speed < IDLE_RPM) & (kpa < IDLE_KPA)] = LearnedRegion.IDLE
    out[(speed > OVERRUN_RPM) & (kpa < OVERRUN_KPA)] = LearnedRegion.OVERRUN
    out[kpa > NEVER_LEANER_KPA] = LearnedRegion.LOAD
    return out


def advise(reading: LearnedReading) -> tuple[RegionAdvice, ...]:
    """Learning speed by region, and which to lock.

    Parameters
    ----------
    reading : the map as understood.

    Returns
    -------
    One line a region that the map has.
    """
    regions = learned_regions(reading.table)
    off = off_neighbours(reading.trim_pct, reading.state != CellState.UNVISITED)
    return tuple(
        _advice(region, reading, regions == region, off)
        for region in LearnedRegion
        if (regions == region).any()
    )


def _advice(
    region: LearnedRegion, reading: LearnedReading, here: Mask, off: np.ndarray
) -> RegionAdvice:
    known = off[here & np.isfinite(off)]
    scatter = float(np.sqrt(np.mean(known**2))) if len(known) >= LEAST_CELLS else float("nan")
    learned = int((here & (reading.state == CellState.LEARNED)).sum())
    locks = {
        LearnedRegion.IDLE: Say.LOCK_IDLE,
        LearnedRegion.OVERRUN: Say.LOCK_OVERRUN,
        LearnedRegion.LOAD: Say.LOCK_LOAD,
    }
    if region in locks:
        return RegionAdvice(region, learned, scatter, True, locks[region]())
    if learned < LEAST_CELLS or not np.isfinite(scatter):
        return RegionAdvice(region, learned, scatter, False, Say.FEW())
    rough = scatter > ROUGH_PCT or reading.swings
    said = Say.HALVE if rough else Say.KEEP
    return RegionAdvice(region, learned, scatter, False, said(scatter=scatter))


def remarks(reading: LearnedReading, differs_pct: float = float("nan")) -> tuple[Said, ...]:
    """What has to be known of a map before it is taken.

    Parameters
    ----------
    reading : the map as understood.
    differs_pct : what a drive asks beyond it where both speak; NaN without a drive.

    Returns
    -------
    Sentences, gravest first; the reminder to zero the map is the last.
    """
    out: list[Said] = []
    if reading.swings:
        out.append(Say.SWINGS())
    if reading.stop_pct:
        out.append(Say.STOP(stop=reading.stop_pct))
    flares = reading.count(CellState.FLARE)
    if flares:
        stand = "stands" if flares == 1 else "stand"
        out.append(Say.FLARE(cells=f"{cells_in_words(flares)} {stand}"))
    spread = reading.count(CellState.SPREAD)
    if spread:
        out.append(Say.SPREAD(cells=cells_in_words(spread)))
    if abs(differs_pct) >= TELLING_PCT:
        out.append(Say.BIAS(differs=differs_pct))
    return (*out, Say.ZERO())
