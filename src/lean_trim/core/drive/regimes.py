"""What the engine was doing at each sample."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import Log, as_loop, extend_mask
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.narrowband import closed_loop
from lean_trim.core.knobs import Knob, default_of
from lean_trim.core.types import Ints, Mask


class Regime(IntEnum):
    """Order is display order; every sample has exactly one."""

    STOPPED = 0
    WARM_UP = 1
    IDLE = 2
    OVERRUN = 3
    CRUISE = 4
    TRANSIENT = 5
    FULL_THROTTLE = 6


REGIME_LABELS = {
    Regime.STOPPED: "Stopped",
    Regime.WARM_UP: "Warm-up",
    Regime.IDLE: "Idle",
    Regime.OVERRUN: "Overrun",
    Regime.CRUISE: "Part throttle",
    Regime.TRANSIENT: "Transient",
    Regime.FULL_THROTTLE: "Full throttle",
}


LOOP_S = Knob("loop_s", "No coolant: after loop closes", 60.0, 0.0, 900.0, "s")
CUT_PULSE_MS = 0.01
"""Pulse width up to which nothing is injected, ms: loggers write 0 or the last digit they have."""
CUT_RPM = 1100.0
"""Engine speed from which lambda alone may tell a fuel cut: ECUs inject again above idle (common
practice, no source)."""
CUT_LAMBDA = 1.2
"""Lambda beyond which a warm engine on a closed throttle burns nothing: leaner than it can be lit
(lean limit of port-injected petrol engines about 1.2 to 1.3: Heywood, Internal Combustion Engine
Fundamentals, 1988, ch. 9; from memory)."""
STANDS_KMH = 5.0
"""Road speed below which a car stands: speed sensors say little lower down (common practice, no
source)."""
FULL_AFTER_S = 0.2
"""After the throttle has opened the air in the manifold is still filling up (common practice, no
source)."""
REGIME_KNOBS: tuple[Knob, ...] = (
    Knob("running_rpm", "Engine runs from", 300.0, 100.0, 600.0, "rpm"),
    Knob("warm_c", "Warm from", 70.0, 40.0, 95.0, "°C"),
    LOOP_S,
    Knob("idle_rpm", "Idle up to", 1250.0, 500.0, 2000.0, "rpm"),
    Knob("closed_pct", "Closed throttle up to", 2.0, 0.0, 10.0, "%"),
    Knob("full_pct", "Full throttle from", 80.0, 50.0, 100.0, "%"),
    Knob("map_rate", "Transient from MAP", 60.0, 5.0, 500.0, "%/s"),
    Knob("throttle_rate", "Transient from throttle", 30.0, 5.0, 500.0, "%/s"),
)
"""Thresholds that tell regimes apart (all common practice, no source).

The MAP slope is relative to the present MAP.
"""


@dataclass(frozen=True)
class RegimeSettings:
    """Values of ``REGIME_KNOBS``. Raises BadInputError outside a knob's range."""

    running_rpm: float = default_of(REGIME_KNOBS, "running_rpm")
    warm_c: float = default_of(REGIME_KNOBS, "warm_c")
    loop_s: float = default_of(REGIME_KNOBS, "loop_s")
    idle_rpm: float = default_of(REGIME_KNOBS, "idle_rpm")
    closed_pct: float = default_of(REGIME_KNOBS, "closed_pct")
    full_pct: float = default_of(REGIME_KNOBS, "full_pct")
    map_rate: float = default_of(REGIME_KNOBS, "map_rate")
    throttle_rate: float = default_of(REGIME_KNOBS, "throttle_rate")

    def __post_init__(self) -> None:
        for knob in REGIME_KNOBS:
            knob.checked(getattr(self, knob.name))


def fuel_cut(frame: Frame, settings: RegimeSettings | None = None) -> Mask:
    """True where no fuel was injected while the engine turned.

    By pulse width, else by lambda on a closed throttle.

    Parameters
    ----------
    frame : a log seen through its calibration.
    settings : from what speed the engine runs, and up to where the throttle is closed; the defaults
        if None.

    Returns
    -------
    True in a fuel cut, shape (n,).
    """
    settings = settings or RegimeSettings()
    log = frame.log
    rpm = log[Role.RPM]
    width = log.get(Role.PULSE_WIDTH)
    closed = log.get(Role.THROTTLE, 0.0) <= settings.closed_pct
    by_lambda = closed & (rpm > CUT_RPM) & (log[Role.LAMBDA] > CUT_LAMBDA)
    nothing = np.where(np.isfinite(width), width <= CUT_PULSE_MS, by_lambda)
    return np.asarray((rpm > settings.running_rpm) & nothing)


def fuel_cuts(frame: Frame, least_s: float) -> Ints:
    """Rows at which each fuel cut of some length begins, and the rows after its last; shape (c, 2).

    Parameters
    ----------
    frame : a log seen through its calibration.
    least_s : shortest one that counts, s.

    Returns
    -------
    In the order of time; the second may be the number of rows, where the log ends in a cut.
    """
    time = frame.log.time_s
    edges = np.flatnonzero(np.diff(fuel_cut(frame).astype(np.int8), prepend=0, append=0)).reshape(
        -1, 2
    )
    lasts = time[np.minimum(edges[:, 1], len(time) - 1)] - time[edges[:, 0]]
    return np.asarray(edges[lasts >= least_s])


def cold_samples(log: Log, below_c: float, loop_s: float) -> Mask:
    """True before the engine is warm: by coolant.

    Where it was not logged, until ``loop_s`` after feedback first came on in each recording (0 for
    not at all). Shape (n,).

    Parameters
    ----------
    log : a log.
    below_c : coolant temperature from which the engine is warm, °C.
    loop_s : seconds, 0 to 900.

    Returns
    -------
    True while cold.
    """
    coolant = log.get(Role.COOLANT)
    out = np.asarray(coolant < below_c)
    begins = [0, *np.searchsorted(log.time_s, log.joints_s).tolist()]
    drives = zip(begins, [*begins[1:], len(log)], strict=True)
    blind = [(begin, end) for begin, end in drives if not np.isfinite(coolant[begin:end]).any()]
    if Role.STFT not in log or loop_s == 0.0 or not blind:
        return out
    closed = closed_loop(log)
    for begin, end in blind:
        on = np.flatnonzero(closed[begin:end])
        warm_s = log.time_s[begin + on[0]] + loop_s if len(on) else -np.inf
        out[begin:end] = log.time_s[begin:end] < warm_s
    return out


def classify(motion: Motion, settings: RegimeSettings) -> NDArray[np.int8]:
    """Regime of every sample as small integers, shape (n,). Unknown channels leave their regimes out.

    Parameters
    ----------
    motion : a log with its frame and rates.
    settings : thresholds that tell regimes apart.

    Returns
    -------
    A ``Regime`` per sample.
    """
    frame = motion.frame
    log = motion.frame.log
    rpm = held(log[Role.RPM])
    throttle = log.get(Role.THROTTLE)
    regime = np.full(len(log), Regime.CRUISE, np.int8)
    quick = np.abs(motion.throttle_rate) > settings.throttle_rate
    regime[quick | (np.abs(motion.map_rate) > settings.map_rate)] = Regime.TRANSIENT
    full = throttle >= settings.full_pct
    regime[full & ~extend_mask(~full & np.isfinite(throttle), log.time_s, 0.0, FULL_AFTER_S)] = (
        Regime.FULL_THROTTLE
    )
    idle = (
        (rpm <= settings.idle_rpm)
        & (throttle <= settings.closed_pct)
        & (log.get(Role.SPEED, 0.0) < STANDS_KMH)
    )
    regime[idle & (regime == Regime.CRUISE)] = Regime.IDLE
    regime[cold_samples(log, settings.warm_c, settings.loop_s)] = Regime.WARM_UP
    regime[fuel_cut(frame, settings)] = Regime.OVERRUN
    regime[standing(log, settings.running_rpm)] = Regime.STOPPED
    return regime


STOPPED_S = 1.0
"""Known samples below running speed for so long are a stopped engine; fewer are a lost reading."""


def standing(log: Log, running_rpm: float) -> Mask:
    """True where the engine stood still, by known samples for a second, or at either end of the log.

    Returns shape (n,).
    """
    from lean_trim.core.kernels.log_loops import lasting

    with np.errstate(invalid="ignore"):
        slow = np.asarray(log[Role.RPM] < running_rpm)
    return lasting(slow, as_loop(log.time_s), STOPPED_S)
