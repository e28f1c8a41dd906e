"""What the engine was doing at each sample."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from .channels import Role
from .frame import Frame
from .log import rate_per_s, spread
from .physics import Floats, Mask


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


@dataclass(frozen=True)
class RegimeSettings:
    """Thresholds that tell regimes apart (all common practice, no source).

    running_rpm : below it the engine counts as stopped, 100 to 600 rpm.
    warm_c : coolant from which the engine counts as warm, 40 to 95 °C.
    idle_rpm : at or below it a closed throttle is idle, 500 to 2000 rpm.
    closed_pct : throttle at or below it is closed, 0 to 10 %.
    full_pct : throttle at or above it is full throttle, 50 to 100 %.
    map_rate : MAP slope that makes a transient, in percent of the present MAP per second, 5 to 500.
    throttle_rate : throttle slope that makes a transient, %/s, 5 to 500.
    """

    running_rpm: float = 300.0
    warm_c: float = 70.0
    idle_rpm: float = 1250.0
    closed_pct: float = 2.0
    full_pct: float = 80.0
    map_rate: float = 60.0
    throttle_rate: float = 30.0


def quick_change(frame: Frame, settings: RegimeSettings) -> Mask:
    """True where throttle or MAP moves fast enough for the wall film to matter."""
    log = frame.log
    quick = np.zeros(len(log), bool)
    if Role.THROTTLE in log:
        quick |= np.abs(rate_per_s(log.time_s, log[Role.THROTTLE], 0.2)) > settings.throttle_rate
    if Role.MAP in log:
        quick |= np.abs(relative_map_rate(frame)) > settings.map_rate
    return quick


def relative_map_rate(frame: Frame) -> Floats:
    """MAP slope in percent of the present MAP per second, shape (n,)."""
    log = frame.log
    pressure = np.maximum(np.nan_to_num(log[Role.MAP], nan=100.0), 5.0)
    return 100.0 * rate_per_s(log.time_s, log[Role.MAP], 0.24) / pressure


def fuel_cut(frame: Frame) -> Mask:
    """True where no fuel was injected while the engine turned (by pulse width, else by lambda on a closed throttle)."""
    log = frame.log
    turning = log[Role.RPM] > 300
    if Role.PULSE_WIDTH in log:
        return turning & (log[Role.PULSE_WIDTH] <= 0.01)
    closed = log.get(Role.THROTTLE, 0.0) <= 2.0
    return turning & closed & (log[Role.RPM] > 1100) & (log[Role.LAMBDA] > 1.2)


def classify(frame: Frame, settings: RegimeSettings) -> NDArray[np.int8]:
    """Regime of every sample as small integers, shape (n,). Unknown channels leave their regimes out."""
    log = frame.log
    rpm, throttle = np.nan_to_num(log[Role.RPM]), log.get(Role.THROTTLE)
    regime = np.full(len(log), Regime.CRUISE, np.int8)
    regime[quick_change(frame, settings)] = Regime.TRANSIENT
    full = throttle >= settings.full_pct
    regime[full & ~spread(~full & np.isfinite(throttle), log.time_s, 0.0, 0.2)] = Regime.FULL_THROTTLE
    idle = (rpm <= settings.idle_rpm) & (throttle <= settings.closed_pct) & (log.get(Role.SPEED, 0.0) < 5.0)
    regime[idle & (regime == Regime.CRUISE)] = Regime.IDLE
    regime[(log.get(Role.COOLANT, 90.0) < settings.warm_c)] = Regime.WARM_UP
    regime[fuel_cut(frame)] = Regime.OVERRUN
    regime[rpm < settings.running_rpm] = Regime.STOPPED
    return regime
