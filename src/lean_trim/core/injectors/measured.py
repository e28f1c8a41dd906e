"""What was measured apart from the drive's mixture, as a statement on flow scale and dead-time shift.

Each says: ``flow`` · ln s + ``dead_per_ms`` · δ = ``value`` ± ``sd``. An injector on a flow bench
tells s alone; fuel weighed over a drive tells s less what the dead time took of it; one injection a
cycle against two, at the same state and mixture, tells the dead time alone: the fuel is the same,
the dead time counts once or twice, so that it is twice the shorter pulse less the longer one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import fill_missing
from lean_trim.core.data.vehicle import Injectors
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.open_time import open_time_ms
from lean_trim.core.errors import BadInputError
from lean_trim.core.injectors.measured_words import MeasuredWords
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    PULSES = Message(
        "measured.pulses",
        "{one:g} ms with one injection a cycle and {two:g} ms with two leave a dead time of "
        "{dead:g} ms; allowed are 0 to {most:g} ms, so the two were not at the same state",
    )
    NO_FUEL = Message(
        "measured.no_fuel",
        "weighed fuel can only be held against a log with pulse width and engine speed; this one "
        "lacks them",
    )


PULSE_ERROR_MS = 0.01
"""Of a pulse that was read off at a steady state."""
MOST_DEAD_MS = 5.0
"""Largest dead time two pulses may give, ms; more is a slip."""


@dataclass(frozen=True)
class Measured:
    """One statement; see the module."""

    flow: float
    dead_per_ms: float
    value: float
    sd: float


def statements(words: MeasuredWords, frame: Frame) -> tuple[Measured, ...]:
    """What was measured, as statements on this drive's injectors.

    Parameters
    ----------
    words : of the user.
    frame : all logs, seen through the calibration.

    Returns
    -------
    One statement for each measurement there is.

    Raises
    ------
    BadInputError
        If one cannot be.
    """
    injectors = frame.vehicle.injectors
    out = []
    if words.flow_g_per_s > 0.0:
        value = float(np.log(words.flow_g_per_s / injectors.flow_g_per_s))
        out.append(Measured(1.0, 0.0, value, words.flow_error_pct / 100.0))
    if words.fuel_g > 0.0:
        out.append(_weighed(words, frame))
    if words.one_ms > 0.0 and words.two_ms > 0.0:
        out.append(_pulses(words, injectors))
    return tuple(out)


def _pulses(words: MeasuredWords, injectors: Injectors) -> Measured:
    dead = 2.0 * words.two_ms - words.one_ms
    if not 0.0 <= dead <= MOST_DEAD_MS:
        raise BadInputError(
            Say.PULSES(one=words.one_ms, two=words.two_ms, dead=dead, most=MOST_DEAD_MS)
        )
    told = float(injectors.dead_time_at(words.at_volts))
    return Measured(0.0, 1.0, dead - told, float(np.sqrt(5.0)) * PULSE_ERROR_MS)


def _weighed(words: MeasuredWords, frame: Frame) -> Measured:
    """The fuel the ECU reckons with over the drive, against what the scales say."""
    fuel_g, per_ms = reckoned_fuel(frame)
    if not fuel_g > 0.0:
        raise BadInputError(Say.NO_FUEL())
    return Measured(
        1.0, -per_ms, float(np.log(words.fuel_g / fuel_g)), words.fuel_error_pct / 100.0
    )


def reckoned_fuel(frame: Frame) -> tuple[float, float]:
    """Fuel of the whole log by pulse width and the sheet's injector data.

    Parameters
    ----------
    frame : all logs, seen through the calibration.

    Returns
    -------
    g, and the share of it that a ms of dead time is worth, 1/ms.
    """
    log = frame.log
    # Worked out by the ECU's equation there would be fuel in fuel cuts, too.
    if Role.PULSE_WIDTH not in log:
        return 0.0, 0.0
    open_ms = open_time_ms(frame)
    rated = frame.vehicle.injectors.rated_pressure_kpa
    pressure = (
        fill_missing(log[Role.FUEL_DP], rated) if Role.FUEL_DP in log else np.full(len(log), rated)
    )
    with np.errstate(invalid="ignore"):
        pulses = log[Role.RPM] / 120.0 * frame.vehicle.cylinders * log.durations_s
        weight: Floats = pulses * np.sqrt(np.maximum(pressure, 0.0) / rated)
        flows = np.isfinite(open_ms) & np.isfinite(weight) & (open_ms > 0.0)
    total_ms = float(np.sum(weight[flows] * open_ms[flows]))
    if total_ms <= 0.0:
        return 0.0, 0.0
    fuel = total_ms * 1e-3 * frame.vehicle.injectors.flow_g_per_s
    return fuel, float(np.sum(weight[flows]) / total_ms)
