"""Pulse width against table, target and trims: the one place where nearly every channel meets."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core import physics
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, rate_per_s
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.coordinates import (
    DEFAULT_VOLTS,
    believed_air_g,
    coordinates,
    fuel_is_told,
    stoich_along,
)
from lean_trim.core.drive.frame import target_lambda
from lean_trim.core.drive.two_airflows import two_airflows
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.core.proof.proof_evidence import Proof, judged
from lean_trim.core.robust import MAD_TO_SIGMA, robust_sigma
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    RATIO = Message(
        "proof.fuel_ratio",
        "the pulse width holds {ratio:.2f} × the fuel that table, target, trims and injectors need",
    )
    SLOPE = Message(
        "proof.trim_slope",
        "fuel follows this trim with a slope of {slope:.2f} (± {error:.2f}); 1 is applied",
    )
    DUTY = Message("proof.duty", "{ratio:.2f} × pulse width · rpm / 1200")


MOST_SAMPLES = 40_000
"""Looked at, evenly taken: medians of more are the same."""
LEAST_SAMPLES = 200
"""Fewest samples a proof speaks from."""
RUNNING_RPM = 500.0
"""Engine speed from which the engine runs, not cranks."""
QUIET_SHARE_PER_S = 0.3
"""MAP moves by less than this share of itself a second where running is steady enough to compare
fuel."""
WARM_C = 70.0
"""Coolant from which warm-up no longer enriches enough to matter here, °C."""
RATIO_AGREES = 0.10
"""ln of fuel shown over fuel asked up to which units agree (common practice)."""
RATIO_CONTRADICTS = 0.28
"""Natural logarithms. Other revisions and wrong injectors stay below the second (common
practice)."""
SLOPE_AGREES = 0.25
"""Distance from 1 of the slope of fuel over trim up to which the trim is what it is taken for."""
SLOPE_CONTRADICTS = 0.4
"""Beyond it the trim is in another unit, or of another sign."""
CLEAN = 0.008
"""Scatter, as a logarithm, below which table and trims explain the fuel."""
WILD = 3.0
"""Distance from 1 that no other table can explain."""
MOST_ERROR = 0.12
"""Standard error of the slope beyond which the trim moved too little to tell."""
DUTY_AGREES = 0.06
"""Share by which duty may miss pulse width times speed, and still be that."""
DUTY_CONTRADICTS = 0.2
"""Beyond it duty is of another kind, such as of a cycle of one turn."""


@dataclass(frozen=True, eq=False)
class Fuel:
    """Steady running in which fuel can be compared.

    Attributes
    ----------
    at : samples of the log, shape (m,).
    shown : logarithm of fuel by pulse width over fuel by table and target, trims left out, shape
        (m,).
    trims : logarithm of what each trim multiplies fuel by, by role, each of shape (m,).
    """

    at: np.ndarray
    shown: Floats
    trims: dict[Role, Floats]

    @property
    def off(self) -> float:
        """Median of fuel shown over fuel asked, trims counted, as a logarithm; NaN for too few samples."""
        left = self.shown - sum(self.trims.values())
        return float(np.median(left)) if len(left) >= LEAST_SAMPLES else float("nan")

    @property
    def scatter(self) -> float:
        """Robust standard deviation of the same."""
        left = self.shown - sum(self.trims.values())
        return robust_sigma(left) if len(left) >= LEAST_SAMPLES else np.inf


def fuel_of(log: Log, vehicle: Vehicle) -> Fuel | None:
    """Fuel by pulse width beside fuel by table, in steady running.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : with the table that was in the ECU.

    Returns
    -------
    None where a channel is missing that the comparison needs.
    """
    if Role.PULSE_WIDTH not in log or Role.RPM not in log or not fuel_is_told(vehicle):
        return None
    try:
        points = coordinates(log, vehicle)
        target = target_lambda(log, vehicle)
    except LeanTrimError:
        return None
    step = max(1, len(log) // MOST_SAMPLES)
    moving = log[Role.MAP] if Role.MAP in log else points[0]
    with np.errstate(invalid="ignore", divide="ignore"):
        quiet = np.abs(rate_per_s(log.time_s, moving, 0.4)) < QUIET_SHARE_PER_S * np.abs(moving)
        good = (
            quiet
            & (log[Role.RPM] > RUNNING_RPM)
            & (log[Role.PULSE_WIDTH] > 0)
            & np.isfinite(target)
        )
        if Role.COOLANT in log and float(np.nanmax(log[Role.COOLANT], initial=-1.0)) > WARM_C:
            good &= ~(log[Role.COOLANT] < WARM_C)
    for points_of in points:
        good &= np.isfinite(points_of)
    at = np.flatnonzero(good)[::step]
    if len(at) < LEAST_SAMPLES:
        return None
    volts = _at(log, Role.BATTERY, at, DEFAULT_VOLTS)
    air = _air_g(log, vehicle, points, target, at)
    if air is None:
        return None
    injectors = vehicle.injectors
    open_ms = injectors.open_time_ms(log[Role.PULSE_WIDTH][at], volts)
    fuel = physics.injected_fuel_g(open_ms, 0.0, injectors.flow_g_per_s)
    with np.errstate(invalid="ignore", divide="ignore"):
        stoich = np.broadcast_to(stoich_along(log, vehicle), len(log))[at]
        shown = np.log(fuel / (air / (stoich * target[at])))
        trims = {r: np.log1p(log[r][at] / 100.0) for r in (Role.STFT, Role.LTFT) if r in log}
    known = np.isfinite(shown) & np.all([np.isfinite(t) for t in trims.values()], axis=0)
    return Fuel(at[known], shown[known], {r: t[known] for r, t in trims.items()})


def _air_g(
    log: Log, vehicle: Vehicle, points: tuple[Floats, ...], target: Floats, at: np.ndarray
) -> Floats | None:
    """Air per stroke the ECU believed in; None of a blended ECU that does not log which table it took."""
    base = vehicle.table.lookup(*(p[at] for p in points))
    own = believed_air_g(log, vehicle, base, target[at], at)
    if vehicle.other is None and not vehicle.layers:
        return own
    whole = believed_air_g(log, vehicle, vehicle.table.lookup(*points), target)
    try:
        two = two_airflows(log, vehicle, whole, target)
    except LeanTrimError:
        return None
    return two.in_force_g[at] if two is not None and two.how in ("flag", "position") else None


def _at(log: Log, role: Role, at: np.ndarray, instead: float) -> Floats:
    if role not in log:
        return np.full(len(at), instead)
    values = log[role][at]
    return np.where(np.isfinite(values), values, instead)


def prove_fuel(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Pulse width against everything it is made from, and each trim against the fuel.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : with the table that was in the ECU.

    Returns
    -------
    Proofs of pulse width and trims; none where nothing can be compared.
    """
    fuel = fuel_of(log, vehicle)
    if fuel is None:
        return []
    off = fuel.off
    out = [
        judged(
            Role.PULSE_WIDTH,
            Say.RATIO(ratio=np.exp(off)),
            abs(off),
            RATIO_AGREES,
            RATIO_CONTRADICTS,
        )
    ]
    found = slopes(fuel)
    for role, (slope, error) in found.by_role.items():
        sure = error < MOST_ERROR * max(1.0, abs(slope))
        # Another table's cells bend the slope; only where it explains the fuel does it speak of the
        # trim.
        plain = found.scatter < CLEAN or abs(slope - 1.0) > WILD
        told = sure and (plain or abs(slope - 1.0) <= SLOPE_AGREES)
        misfit = abs(slope - 1.0) if told else float("nan")
        said = Say.SLOPE(slope=slope, error=error)
        out.append(judged(role, said, misfit, SLOPE_AGREES, SLOPE_CONTRADICTS))
    return out


@dataclass(frozen=True)
class Slopes:
    """By how much fuel follows each trim (slope, standard error), and the logarithm's scatter left."""

    by_role: dict[Role, tuple[float, float]]
    scatter: float = float("inf")


def slopes(fuel: Fuel) -> Slopes:
    """By how much fuel follows each trim: slope and standard error.

    Parameters
    ----------
    fuel : compared in steady running.

    Returns
    -------
    1 for a trim that is applied as it is read; NaN error for one that never moves.
    """
    moving = {r: t for r, t in fuel.trims.items() if len(t) and float(np.ptp(t)) > 0.0}
    if not moving or len(fuel.shown) < LEAST_SAMPLES:
        return Slopes({})
    design = np.column_stack([*moving.values(), np.ones(len(fuel.shown))])
    weight = np.ones(len(fuel.shown))
    for _ in range(4):
        # Enrichments and another table's cells are outliers of a line that most samples lie on.
        scaled = design * weight[:, None]
        solution = np.linalg.lstsq(scaled, fuel.shown * weight, rcond=None)[0]
        left = np.abs(fuel.shown - design @ solution)
        scale = max(MAD_TO_SIGMA * float(np.median(left)), 1e-4)
        weight = np.sqrt(1.0 / np.maximum(left / (2.0 * scale), 1.0))
    # A second of running is one piece of evidence, not its rows.
    independent = max(len(fuel.shown) / 25.0, 1.0)
    normal = design.T @ (design * weight[:, None] ** 2) / len(fuel.shown) * independent
    errors = scale * np.sqrt(np.maximum(np.diag(np.linalg.pinv(normal)), 0.0))
    return Slopes({r: (float(solution[i]), float(errors[i])) for i, r in enumerate(moving)}, scale)


def prove_duty(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Injector duty against pulse width and engine speed; one injection in two turns.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : not used.

    Returns
    -------
    One proof, none where a channel is missing. Half and double speak against it: an ECU may count so,
    and so does one of the three columns that is half or double.
    """
    if not all(r in log for r in (Role.DUTY, Role.PULSE_WIDTH, Role.RPM)):
        return []
    with np.errstate(invalid="ignore", divide="ignore"):
        ratio = log[Role.DUTY] / (log[Role.PULSE_WIDTH] * log[Role.RPM] / 1200.0)
    known = ratio[np.isfinite(ratio) & (log[Role.DUTY] > 1.0) & (log[Role.RPM] > RUNNING_RPM)]
    if len(known) < LEAST_SAMPLES:
        return []
    middle = float(np.median(known))
    misfit = abs(np.log(middle)) if middle > 0 else float("inf")
    return [judged(Role.DUTY, Say.DUTY(ratio=middle), misfit, DUTY_AGREES, DUTY_CONTRADICTS)]
