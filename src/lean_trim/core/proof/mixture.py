"""Target against the target table, and measured lambda against target while feedback holds."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message
from lean_trim.core.proof.evidence import Proof, judged
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    TARGET_TABLE = Message("proof.target_table", "{ratio:.3f} × the sheet's target table")
    ROUND_TARGET = Message(
        "proof.round_target", "most often {value:.3f}; targets are set in round numbers about 1"
    )
    HELD = Message("proof.lambda_held", "{ratio:.3f} × target while feedback holds ({seconds:.0f} s)")
    HELD_AT_ONE = Message(
        "proof.lambda_at_one", "{ratio:.3f} on average while a narrowband loop holds 1 ({seconds:.0f} s)"
    )
    CUT = Message("proof.lambda_cut", "reads {value:.2f} where no fuel is injected")


LEAST_SAMPLES = 100
LEAST_S = 10.0
TARGET_AGREES = 0.012
TARGET_CONTRADICTS = 0.03
HELD_AGREES = 0.02
HELD_CONTRADICTS = 0.035
"""14.7 for 14.1 is 4.2 % off. Slow loops and those at a limit leave a percent or two (common practice)."""
RUNNING_RPM = 500.0
WARM_C = 65.0
LEAST_CUT = 1.15
"""Below this no sensor reads over seconds of fuel cut (common practice)."""


def prove_target(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Logged target against the sheet's target table.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : with its target table.

    Returns
    -------
    One proof, none without a logged target and a table.
    """
    table = vehicle.target
    if Role.TARGET not in log or table is None or Role.MAP not in log or Role.RPM not in log:
        return []
    step = max(1, len(log) // 40_000)
    # Warm-up and catalyst heating have targets of their own.
    part = _running(log)[::step]
    with np.errstate(invalid="ignore"):
        ratio = log[Role.TARGET][::step][part] / table.lookup(
            log[Role.MAP][::step][part], log[Role.RPM][::step][part]
        )
    known = ratio[np.isfinite(ratio)]
    if len(known) < LEAST_SAMPLES:
        return []
    middle = float(np.median(known))
    said = Say.TARGET_TABLE(ratio=middle)
    return [judged(Role.TARGET, said, abs(middle - 1.0), TARGET_AGREES, TARGET_CONTRADICTS)]


def prove_lambda(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Measured lambda against target where feedback holds it there.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : tells what feedback there is.

    Returns
    -------
    One proof, none where there is no lambda or no feedback.
    """
    if Role.LAMBDA not in log or vehicle.feedback == "none" or Role.RPM not in log:
        return []
    held = _running(log) & _closed(log)
    target = _target(log, vehicle)
    with np.errstate(invalid="ignore"):
        ratio = log[Role.LAMBDA] / target
    held &= np.isfinite(ratio) & (np.abs(target - 1.0) < 0.2)
    if vehicle.feedback == "narrowband":
        held &= np.abs(target - 1.0) < 0.02
    seconds = float(log.durations_s[held].sum())
    if held.sum() < LEAST_SAMPLES or seconds < LEAST_S:
        return []
    middle = float(np.median(ratio[held]))
    words = Say.HELD_AT_ONE if vehicle.feedback == "narrowband" else Say.HELD
    said = words(ratio=middle, seconds=seconds)
    return [judged(Role.LAMBDA, said, abs(middle - 1.0), HELD_AGREES, HELD_CONTRADICTS)]


def _target(log: Log, vehicle: Vehicle) -> Floats:
    if Role.TARGET in log:
        return log[Role.TARGET]
    if vehicle.target is not None and Role.MAP in log:
        return np.asarray(vehicle.target.lookup(log[Role.MAP], log[Role.RPM]))
    return np.ones(len(log)) if vehicle.feedback == "narrowband" else np.full(len(log), np.nan)


def _running(log: Log) -> Mask:
    with np.errstate(invalid="ignore"):
        running = log[Role.RPM] > RUNNING_RPM
        if Role.COOLANT in log and float(np.nanmax(log[Role.COOLANT], initial=-1.0)) > WARM_C:
            running = running & ~(log[Role.COOLANT] < WARM_C)
        if Role.PULSE_WIDTH in log:
            running = running & ~(log[Role.PULSE_WIDTH] <= 0)
    return np.asarray(running)


def _closed(log: Log) -> Mask:
    if Role.CLOSED_LOOP in log:
        with np.errstate(invalid="ignore"):
            return np.asarray(log[Role.CLOSED_LOOP] > 0.5)
    # Without a flag a trim that moves shows that feedback works.
    if Role.STFT not in log:
        return np.zeros(len(log), bool)
    values = log[Role.STFT]
    with np.errstate(invalid="ignore"):
        moved = np.abs(np.diff(values, prepend=values[:1])) > 0.0
    window = max(1, round(2.0 / max(log.step_s, 1e-3)))
    return np.asarray(np.convolve(moved, np.ones(window), "same") > 0)
