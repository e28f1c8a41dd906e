"""All proofs: a new one is a function and a line here."""

from __future__ import annotations

from collections.abc import Callable

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.proof.behaviour import (
    prove_air,
    prove_differential,
    prove_idle,
    prove_measured,
    prove_speed,
    prove_trims,
)
from lean_trim.core.proof.fuel import prove_duty, prove_fuel
from lean_trim.core.proof.mixture import prove_lambda, prove_target
from lean_trim.core.proof.motion import prove_constant, prove_map, prove_rpm, prove_temperatures
from lean_trim.core.proof.proof_evidence import Proof

PROOFS: tuple[Callable[[Log, Vehicle], list[Proof]], ...] = (
    prove_constant,
    prove_rpm,
    prove_map,
    prove_temperatures,
    prove_target,
    prove_lambda,
    prove_fuel,
    prove_duty,
    prove_idle,
    prove_speed,
    prove_measured,
    prove_trims,
    prove_air,
    prove_differential,
)


def prove(log: Log, vehicle: Vehicle) -> tuple[Proof, ...]:
    """What the engine's physics says of a log.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : with the calibration that was in the ECU.

    Returns
    -------
    Proofs, several a channel where several comparisons were possible.
    """
    return tuple(proof for check in PROOFS for proof in check(log, vehicle))
