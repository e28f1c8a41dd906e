"""Which channels were missing, what was taken instead, and how far that can be trusted."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.table_kinds import table_words
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.frame import Frame, Piece, hidden_trim
from lean_trim.core.drive.fuel_pressure import PressureKind
from lean_trim.core.drive.narrowband import closed_loop
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    LOOP_BY_TRIM = Message(
        "inference.loop_by_trim", "taken as closed while the short-term trim moves"
    )
    IN_LOGS = Message("inference.in_logs", "{label} in {logs}")
    GEAR_BY_JUMPS = Message(
        "inference.gear_by_jumps", "gear changes are seen only where engine speed jumps"
    )
    TARGET_LOOKED_UP = Message("inference.target_looked_up", "looked up in the target table")
    CUT_BY_THROTTLE = Message(
        "inference.cut_by_throttle",
        "fuel cuts told from throttle and lambda; enrichments cannot be seen",
    )
    WARM_FROM_START = Message(
        "inference.warm_from_start",
        "engine taken as warm from the start; leave its first minutes out by hand",
    )
    STFT_ZERO = Message(
        "inference.stft_zero", "short-term trim taken as 0: only right if feedback was off"
    )
    LTFT_ZERO = Message(
        "inference.ltft_zero",
        "long-term trim taken as 0: only right if it was reset or switched off",
    )
    NO_THROTTLE = Message(
        "inference.no_throttle",
        "full throttle and overrun cannot be told; quick changes from MAP alone",
    )
    NO_KNOCK = Message(
        "inference.no_knock", "knock cannot be seen, so no cell is held against leaning"
    )
    NO_SPEED = Message(
        "inference.no_speed", "idle told by closed throttle alone, slip by engine speed alone"
    )
    NO_PRESSURE = Message(
        "inference.no_pressure",
        "taken at its rated value; a pump that sags would be taken for less air at high load",
    )
    NO_BATTERY = Message("inference.no_battery", "13.8 V taken for dead time")
    NO_CHARGE_TEMPERATURE = Message(
        "inference.no_charge_temperature",
        "25 °C taken; enters only the check of pulse width and the delay",
    )
    NO_BAROMETER = Message("inference.no_barometer", "100 kPa taken for the exhaust delay")
    GEARS_TOLD = Message("inference.gears_told", "{count} gears told from engine and road speed")
    SENSOR_BY_WIDTH = Message(
        "inference.sensor_by_width", "by pulse width the MAF sensor was in force for {other:.0f} %"
    )
    SOURCE_ASSUMED = Message(
        "inference.source_assumed", "the {name} is taken to be in force throughout"
    )
    WIDTH_FROM_DUTY = Message("inference.width_from_duty", "worked out from injector duty")
    CUT_BY_LAMBDA = Message(
        "inference.cut_by_lambda", "seen only where lambda runs lean; enrichments cannot be seen"
    )
    WARM_BY_LOOP = Message(
        "inference.warm_by_loop", "taken as warm some time after feedback first came on"
    )
    RAIL_PRESSURE = Message(
        "inference.rail_pressure",
        "the logged one follows MAP, so it is taken as the rail's, and MAP is taken off",
    )
    OTHER_PRESSURE = Message(
        "inference.other_pressure", "the logged one is far from the rated pressure and was not used"
    )
    TRIM_FROM_WIDTH = Message(
        "inference.trim_from_width", "read from the slow part of the pulse width"
    )


Trust = Literal["sure", "likely", "a guess"]


@dataclass(frozen=True)
class Inferred:
    """One thing the log did not say.

    ``share_pct`` is how much of the driving bears it out, NaN where nothing can be checked.
    """

    what: str
    taken: str
    trust: Trust
    share_pct: float = np.nan


def infer(conditions: Conditions) -> tuple[Inferred, ...]:
    """Everything that had to be inferred for this log, least trusted first.

    Parameters
    ----------
    conditions : one joined log with its regimes and aligned lambda.

    Returns
    -------
    What was missing, what stands in for it, and how far that can be trusted.
    """
    found = [i for check in CHECKS if (i := check(conditions)) is not None]
    order = {"a guess": 0, "likely": 1, "sure": 2}
    return tuple(sorted(found, key=lambda i: order[i.trust]))


def _graded(what: str, taken: str, share: float) -> Inferred:
    """Trust by the share of driving that bears an inference out: 95 % is sure, 70 % likely."""
    trust: Trust = "sure" if share >= 0.95 else "likely" if share >= 0.7 else "a guess"
    return Inferred(what, taken, trust, round(100.0 * share, 1))


def _missing(frame: Frame, role: Role) -> bool:
    """True if the whole log or one of the logs it was joined from lacks the channel."""
    if role not in frame.log:
        return True
    # Joined logs are filled with NaN where one lacks a channel.
    there = np.isfinite(frame.log[role])
    return not all(
        there[p.start : p.stop].any() for p in frame.pieces or (Piece("", 0, len(there)),)
    )


def _named(frame: Frame, role: Role) -> str:
    """The role's name; with the logs that lack it, where others have it."""
    label = LABELS[role][0]
    log = frame.log
    lack = [
        p.name
        for p in frame.pieces
        if role not in log or not np.isfinite(log[role][p.start : p.stop]).any()
    ]
    # Lacking in all is said of the log as a whole; names only where they tell logs apart.
    return (
        label
        if len(lack) in (0, len(frame.pieces))
        else str(Say.IN_LOGS(label=label, logs=", ".join(lack)))
    )


def _share(mask: Mask, of: Mask) -> float:
    return float(mask[of].mean()) if of.any() else 0.0


def _loop(conditions: Conditions) -> Inferred | None:
    frame = conditions.motion.frame
    if (
        not _missing(frame, Role.CLOSED_LOOP)
        or frame.vehicle.feedback == "none"
        or _missing(frame, Role.STFT)
    ):
        return None
    closed = closed_loop(frame.log)
    taken = str(Say.LOOP_BY_TRIM())
    if frame.vehicle.feedback == "narrowband":
        # Such a loop can only hold 1: it cannot be closed where anything else is wanted.
        at_one = np.abs(frame.target - 1.0) < 0.02
        return _graded(
            LABELS[Role.CLOSED_LOOP][0], taken, _share(at_one, closed & np.isfinite(frame.target))
        )
    # A wideband loop that works brings lambda to its target, whatever that is.
    on_target = np.abs(conditions.lam / frame.target - 1.0) < 0.04
    return _graded(
        LABELS[Role.CLOSED_LOOP][0], taken, _share(on_target, closed & np.isfinite(conditions.lam))
    )


def _gear(conditions: Conditions) -> Inferred | None:
    gears = conditions.motion.gears
    if gears.how == "logged":
        return None
    if gears.how == "inferred":
        count = len(np.unique(gears.gear[gears.gear > 0]))
        return _graded("Gear", str(Say.GEARS_TOLD(count=count)), gears.sure)
    return Inferred("Gear", str(Say.GEAR_BY_JUMPS()), "a guess")


def _target(conditions: Conditions) -> Inferred | None:
    frame = conditions.motion.frame
    if not _missing(frame, Role.TARGET):
        return None
    steady = (conditions.regime == Regime.CRUISE) & np.isfinite(frame.fuel_ratio)
    # Without a pulse width nothing says which target the ECU had in mind.
    if not steady.any():
        return Inferred("Target lambda", str(Say.TARGET_LOOKED_UP()), "likely")
    return _graded(
        "Target lambda", str(Say.TARGET_LOOKED_UP()), _share(_near_one(frame.fuel_ratio), steady)
    )


def _near_one(ratio: Floats) -> Mask:
    with np.errstate(invalid="ignore"):
        return np.asarray(np.abs(ratio - 1.0) < 0.03)


def _source(conditions: Conditions) -> Inferred | None:
    source = conditions.airflow_source
    frame = conditions.motion.frame
    if source.how == "pulse width":
        # The other source's part, for that is what the table was not in force for.
        other = 100.0 * float(np.mean(source.share < 0.5))
        return _graded("Airflow source", str(Say.SENSOR_BY_WIDTH(other=other)), source.sure)
    both = Role.MAF_FLOW in frame.log and Role.MAP in frame.log
    if source.how == "assumed" and both:
        name = table_words(frame.vehicle.table)
        return Inferred("Airflow source", str(Say.SOURCE_ASSUMED(name=name)), "likely")
    return None


def _cut(conditions: Conditions) -> Inferred | None:
    frame = conditions.motion.frame
    if frame.width_from_duty:
        known = np.isfinite(frame.fuel_ratio)
        return _graded(
            "Pulse width", str(Say.WIDTH_FROM_DUTY()), _share(_near_one(frame.fuel_ratio), known)
        )
    if not _missing(frame, Role.PULSE_WIDTH):
        return None
    if _missing(frame, Role.THROTTLE):
        return Inferred("Fuel cut", str(Say.CUT_BY_LAMBDA()), "a guess")
    return Inferred("Pulse width", str(Say.CUT_BY_THROTTLE()), "likely")


def _warm(conditions: Conditions) -> Inferred | None:
    frame = conditions.motion.frame
    if not _missing(frame, Role.COOLANT):
        return None
    if frame.vehicle.feedback != "none" and not _missing(frame, Role.STFT):
        return Inferred(_named(frame, Role.COOLANT), str(Say.WARM_BY_LOOP()), "likely")
    return Inferred(_named(frame, Role.COOLANT), str(Say.WARM_FROM_START()), "a guess")


def _pressure(conditions: Conditions) -> Inferred | None:
    label = LABELS[Role.FUEL_DP][0]
    kind = conditions.frame.pressure
    if kind is PressureKind.RAIL:
        return Inferred(label, str(Say.RAIL_PRESSURE()), "likely")
    if kind is PressureKind.OTHER:
        return Inferred(label, str(Say.OTHER_PRESSURE()), "likely")
    return None


ASSUMED: tuple[tuple[Role, str, Trust], ...] = (
    (Role.STFT, str(Say.STFT_ZERO()), "a guess"),
    (Role.LTFT, str(Say.LTFT_ZERO()), "a guess"),
    (Role.THROTTLE, str(Say.NO_THROTTLE()), "a guess"),
    (Role.KNOCK, str(Say.NO_KNOCK()), "a guess"),
    (Role.SPEED, str(Say.NO_SPEED()), "likely"),
    (Role.FUEL_DP, str(Say.NO_PRESSURE()), "likely"),
    (Role.BATTERY, str(Say.NO_BATTERY()), "likely"),
    (Role.IAT, str(Say.NO_CHARGE_TEMPERATURE()), "likely"),
    (Role.BARO, str(Say.NO_BAROMETER()), "sure"),
)
"""What stands in for a missing channel, and how far it can be trusted (common practice, no
source)."""


def _assumed(role: Role, taken: str, trust: Trust) -> Callable[[Conditions], Inferred | None]:
    def check(conditions: Conditions) -> Inferred | None:
        frame = conditions.motion.frame
        # It was logged and not used; that has a sentence of its own.
        if role is Role.FUEL_DP and frame.pressure is PressureKind.OTHER:
            return None
        trims = role in (Role.STFT, Role.LTFT)
        if not _missing(frame, role) or (trims and frame.vehicle.feedback == "none"):
            return None
        # A pulse width that strays slowly from table and target is the trim nobody logged.
        if trims and hidden_trim(frame.log, frame.vehicle).any():
            return Inferred(_named(frame, role), str(Say.TRIM_FROM_WIDTH()), "likely")
        # With the short-term trim there, a forgotten long-term trim shows in lambda and is counted.
        if role is Role.LTFT and not _missing(frame, Role.STFT):
            return Inferred(_named(frame, role), taken, "likely")
        # A mass-airflow meter weighs air; nothing is worked out from its temperature.
        if role is Role.IAT and not frame.vehicle.is_speed_density:
            return None
        return Inferred(_named(frame, role), taken, trust)

    return check


CHECKS: tuple[Callable[[Conditions], Inferred | None], ...] = (
    _loop,
    _gear,
    _target,
    _source,
    _cut,
    _warm,
    _pressure,
    *(_assumed(*a) for a in ASSUMED),
)
