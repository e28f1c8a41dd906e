"""Before the drive: what has to be so, and which of it the last log answers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role, in_words
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import Frame
from lean_trim.core.messages import Message, Said
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    WARM = Message("readiness.warm", "coolant reached {celsius:.0f} °C")
    COLD = Message("readiness.cold", "coolant reached only {celsius:.0f} °C")
    PRESSURE = Message("readiness.pressure", "{kpa:.0f} kPa over the injectors, rated {rated:.0f}")
    KNOCK = Message("readiness.knock", "knock retard up to {degrees:.0f}° was seen")
    MOVED = Message(
        "readiness.moved", "the long-term trim moved by {pct:.0f} % on the way: the ECU learns"
    )
    RESTED = Message("readiness.rested", "the long-term trim rested")
    IN_FORCE = Message("readiness.in_force", "this table was in force throughout")
    PARTLY = Message("readiness.partly", "this table was in force for {share:.0f} % of the drive")
    CHANNELS = Message("readiness.channels", "all there, {hz:.0f} readings a second")
    SLOW = Message(
        "readiness.slow", "{hz:.1f} readings a second: enough for tables, not for quick changes"
    )
    MISSING = Message("readiness.missing", "not logged: {channels}")


@dataclass(frozen=True)
class Item:
    """One line of the checklist: its key, the words, and why."""

    key: str
    words: str
    why: str


ITEMS: tuple[Item, ...] = (
    Item("backup", "The ECU's calibration is saved", "what is written can then be taken back"),
    Item("codes", "No stored fault codes", "a fault answers for more fuel than any table"),
    Item("warm", "The engine gets warm", "wall film and warm-up fuel hide the table below 75 °C"),
    Item("pressure", "Fuel pressure is as rated", "a pump at its end leans where it hurts most"),
    Item("gauge", "Wideband heated, calibrated in free air", "it is what all is judged by"),
    Item("sound", "Timing and idle are sound", "a table is not asked to make up for either"),
    Item("learning", "Learning, enrichments as intended", "what moves is no evidence"),
    Item("airflow", "One airflow source is in force", "else two tables answer for one mixture"),
    Item("channels", "Channels are complete and fast enough", "what is not logged cannot be told"),
    Item("second", "A second person, or a dynamometer", "the driver never reads a screen"),
    Item("air", "Indoors: extraction and CO alarm on", "exhaust kills without a smell"),
    Item("fire", "A fire extinguisher is at hand", "fuel lines were touched"),
)
"""Common practice, no source. The local rules of road and workshop stand above it."""
WARM_C = 75.0
PRESSURE_SHARE = 0.05
LEARNED_PCT = 2.0
IN_FORCE = 0.99
FAST_HZ = 8.0
"""Readings a second from which quick changes can be read (common practice: 10 and more)."""
KNOCK_DEG = 0.5
LAST_S = 60.0


@dataclass(frozen=True)
class Fact:
    """What the last log shows of a line: whether it is so (None: it only adds something), and in words."""

    is_so: bool | None
    said: Said


def facts_of(frame: Frame, in_force: Floats) -> dict[str, Fact]:
    """Lines the last log answers.

    Parameters
    ----------
    frame : the last log seen through its calibration.
    in_force : share of the table under correction along it, (n,).

    Returns
    -------
    By key; lines it says nothing of are left out.
    """
    found = {
        "warm": _warm(frame),
        "pressure": _pressure(frame),
        "sound": _sound(frame),
        "learning": _learning(frame),
        "airflow": _airflow(in_force),
        "channels": _channels(frame),
    }
    return {key: fact for key, fact in found.items() if fact is not None}


def _known(frame: Frame, role: Role) -> Floats:
    values = np.asarray(frame.log.get(role), float)
    return np.asarray(values[np.isfinite(values)])


def _warm(frame: Frame) -> Fact | None:
    coolant = _known(frame, Role.COOLANT)
    if not len(coolant):
        return None
    last = float(np.median(coolant[-max(1, round(LAST_S / frame.log.step_s)) :]))
    return Fact(last >= WARM_C, (Say.WARM if last >= WARM_C else Say.COLD)(celsius=last))


def _pressure(frame: Frame) -> Fact | None:
    pressure = _known(frame, Role.FUEL_DP)
    rated = frame.vehicle.injectors.rated_pressure_kpa
    if not len(pressure) or not np.isfinite(rated):
        return None
    # Its low end: a mean over a drive hides what happens under load.
    low = float(np.percentile(pressure, 2.0))
    return Fact(low >= (1.0 - PRESSURE_SHARE) * rated, Say.PRESSURE(kpa=low, rated=rated))


def _sound(frame: Frame) -> Fact | None:
    knock = _known(frame, Role.KNOCK)
    if not len(knock) or float(knock.max()) < KNOCK_DEG:
        return None
    return Fact(False, Say.KNOCK(degrees=float(knock.max())))


def _learning(frame: Frame) -> Fact | None:
    trim = _known(frame, Role.LTFT)
    if not len(trim):
        return None
    moved = float(np.percentile(trim, 95.0) - np.percentile(trim, 5.0))
    # Whether it is meant to learn only the user knows.
    return Fact(None, Say.MOVED(pct=moved) if moved >= LEARNED_PCT else Say.RESTED())


def _airflow(in_force: Floats) -> Fact | None:
    if not len(in_force):
        return None
    share = float(np.mean(in_force >= IN_FORCE))
    so = share >= IN_FORCE
    return Fact(so, Say.IN_FORCE() if so else Say.PARTLY(share=100.0 * share))


def wanted_channels(vehicle: Vehicle) -> tuple[Role, ...]:
    """Channels a correction wants of a car."""
    trims = () if vehicle.feedback == "none" else (Role.STFT, Role.LTFT)
    signal = Role.MAF_HZ if vehicle.table.axes[0].unit == "Hz" else Role.MAF_V
    airflow = signal if len(vehicle.table.axes) == 1 else Role.MAP
    common = (Role.RPM, airflow, Role.LAMBDA, Role.PULSE_WIDTH, Role.COOLANT, Role.IAT)
    return (*common, Role.THROTTLE, *trims)


def _channels(frame: Frame) -> Fact:
    missing = [r for r in wanted_channels(frame.vehicle) if not len(_known(frame, r))]
    hz = 1.0 / frame.log.step_s
    if missing:
        names = ", ".join(in_words(r) for r in missing)
        return Fact(False, Say.MISSING(channels=names))
    return Fact(hz >= FAST_HZ, (Say.CHANNELS if hz >= FAST_HZ else Say.SLOW)(hz=hz))
