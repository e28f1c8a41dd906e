"""Target against the target table, and measured lambda against target while feedback holds."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import target_by_table
from lean_trim.core.messages import Message
from lean_trim.core.proof.proof_evidence import Proof, judged
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    TARGET_TABLE = Message("proof.target_table", "{ratio:.3f} × the sheet's target table")
    ROUND_TARGET = Message(
        "proof.round_target", "most often {value:.3f}; targets are set in round numbers about 1"
    )
    HELD = Message(
        "proof.lambda_held", "{ratio:.3f} × target while feedback holds ({seconds:.0f} s)"
    )
    HELD_AT_ONE = Message(
        "proof.lambda_at_one",
        "{ratio:.3f} on average while a narrowband loop holds 1 ({seconds:.0f} s)",
    )
    RICH = Message("proof.lambda_rich", "{ratio:.2f} × target where that is rich")


LEAST_SAMPLES = 60
"""Fewest samples a proof speaks from."""
LEAST_S = 10.0
"""And least time of them, s: slow logs have few rows, quick ones many alike."""
TARGET_AGREES = 0.012
"""Share by which λ may stray from the target looked up, and still bear it out (common practice)."""
TARGET_CONTRADICTS = 0.03
"""Share beyond which it is another target (common practice)."""
HELD_AGREES = 0.02
"""Share by which a loop that holds λ may miss the target (common practice)."""
HELD_CONTRADICTS = 0.035
"""14.7 for 14.1 is 4.2 % off. Slow loops and those at a limit leave a percent or two (common
practice)."""
RUNNING_RPM = 500.0
"""Engine speed from which the engine runs, not cranks."""
WARM_C = 65.0
"""Coolant from which warm-up no longer enriches enough to matter here, °C."""
AWAY_FROM_ONE = 0.04
"""Distance of a target from 1 from which an AFR of another fuel would show."""
RICH_TARGET = 0.93
"""Target below which a rich mixture is asked for, so that its scale can be told."""
LEAST_RICH = 20
"""Fewest samples of it."""
RICH_AGREES = 0.15
"""ln of λ over target up to which a rich reading agrees: enrichment is seldom held exactly."""
RICH_CONTRADICTS = 0.30
"""ln beyond which it is another scale (AFR for λ is 2.7)."""
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
    meant = target_by_table(log, vehicle)
    if Role.TARGET not in log or meant is None:
        return []
    step = max(1, len(log) // 40_000)
    # Warm-up and catalyst heating have targets of their own.
    part = _running(log)[::step]
    with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
        expected = meant[::step][part]
        ratio = log[Role.TARGET][::step][part] / expected
    middle = _clearest(ratio, expected)
    if not np.isfinite(middle):
        return []
    said = Say.TARGET_TABLE(ratio=middle)
    return [judged(Role.TARGET, said, abs(np.log(middle)), TARGET_AGREES, TARGET_CONTRADICTS)]


def _clearest(ratio: Floats, expected: Floats) -> float:
    """Median ratio, all over and where something else than 1 is expected; the one that is further from 1.

    Around 1 a ratio and its inverse are alike.
    """
    known = np.isfinite(ratio) & (ratio > 0)
    away = known & (np.abs(expected - 1.0) > AWAY_FROM_ONE)
    parts = ((known, LEAST_SAMPLES), (away, LEAST_RICH))
    middles = [float(np.median(ratio[p])) for p, least in parts if p.sum() >= least]
    return max(middles, key=lambda m: abs(np.log(m)), default=float("nan"))


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
    with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
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
    proofs = [judged(Role.LAMBDA, said, abs(middle - 1.0), HELD_AGREES, HELD_CONTRADICTS)]
    rich = _running(log) & np.isfinite(ratio) & (target < RICH_TARGET)
    if rich.sum() >= LEAST_RICH:
        there = float(np.median(ratio[rich]))
        # The table may be wrong by much here; only an inverse or another scale is off by more.
        proofs.append(
            judged(
                Role.LAMBDA,
                Say.RICH(ratio=there),
                abs(np.log(there)),
                RICH_AGREES,
                RICH_CONTRADICTS,
            )
        )
    return proofs


def lambda_in_cut(log: Log) -> float:
    """Middle of measured lambda where no fuel is injected, a second into it.

    Parameters
    ----------
    log : as its columns are taken.

    Returns
    -------
    NaN where fuel was never cut for long, or pulse width was not logged.
    """
    if Role.LAMBDA not in log or Role.PULSE_WIDTH not in log or Role.RPM not in log:
        return float("nan")
    with np.errstate(invalid="ignore"):
        cut = (log[Role.PULSE_WIDTH] <= 0.0) & (log[Role.RPM] > RUNNING_RPM)
    rows = max(1, round(1.0 / max(log.step_s, 1e-3)))
    # Gas of before the cut passes the sensor for up to a second.
    deep = np.convolve(cut, np.ones(rows), "full")[: len(cut)] >= rows
    values = log[Role.LAMBDA][deep]
    values = values[np.isfinite(values)]
    return float(np.median(values)) if len(values) >= 5 else float("nan")


def _target(log: Log, vehicle: Vehicle) -> Floats:
    if Role.TARGET in log:
        return log[Role.TARGET]
    meant = target_by_table(log, vehicle)
    if meant is not None:
        return meant
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
