"""How well faults that are not airflow stay out of the table: the simulated car with one fault at a time.

``.venv/bin/python -m benchmarks.faults [FAULT ...]`` prints, for every fault, how far one round's
table is from the truth (rms, percent, mean of three cars and drives): over the states that were
used, with everything on and with one part of the estimator off; and over all states a sound drive
would have supported ("driven"), with everything on and without the sieve. ``used`` is the time used
over that of the sound drive.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from benchmarks.ablations import VARIANTS
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings, propose
from lean_trim.core.pipeline.solve import Solution, SolveSettings, solve
from lean_trim.core.sieve.sieve import SieveSettings
from lean_trim.core.types import Floats
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import KINDS, fault_named
from lean_trim.simcar.heron import heron
from lean_trim.simcar.judge import rms_where_driven
from lean_trim.simcar.truth import truth_for

SEEDS = (1, 2, 3)
MINUTES = 12.0
UNFELT = ("knock", "airflow-sensor")
"""Faults that a car with a VE table does not show in its mixture."""
SIEVE_OFF = "no sieve but lambda's range"
PARTS_OFF = ("not robust", SIEVE_OFF, "cell averages")


@dataclass(frozen=True, eq=False)
class Faulty:
    """A drive with a fault, and what its user would have told the program about it."""

    name: str
    log: Log
    vehicle: Vehicle
    settings: SolveSettings


def faulty_drives(vehicle: Vehicle, seed: int, names: list[str]) -> Iterator[Faulty]:
    """One drive for every fault; the pump's also without its pressure sensor."""
    for name in names:
        log = simulate(vehicle, seed, MINUTES, faults=fault_named(name))
        settings = SolveSettings()
        told = vehicle
        if name == "tailpipe":
            told = replace(vehicle, sensor_place="tailpipe")
        if name == "after-flash":
            settings = replace(settings, sieve=SieveSettings({"settling.minutes": 4.0}))
        yield Faulty(name, log, told, settings)
        if name == "pump":
            channels: dict[Role, Floats] = {
                r: v for r, v in log.channels.items() if r is not Role.FUEL_DP
            }
            yield Faulty(
                "pump, pressure not logged", replace(log, channels=channels), vehicle, settings
            )


def error_pct(solution: Solution, vehicle: Vehicle, judged_on: Solution) -> float:
    """How far one round's table is from the truth over the states of another solution."""
    table = propose(solution.estimate, PolicySettings(), vehicle.limits).table
    return rms_where_driven(table, judged_on, truth_for(vehicle))


def row(case: Faulty, sound: Solution) -> list[float]:
    """Figures of one drive."""
    whole = solve([case.log], case.vehicle, case.settings)
    solved = [whole]
    for name in PARTS_OFF:
        variant = VARIANTS[name]
        if not variant.sieve.disabled:
            variant = replace(variant, sieve=case.settings.sieve)
        solved.append(solve([case.log], case.vehicle, variant))
    used = whole.observations.seconds.sum() / sound.observations.seconds.sum()
    over_used = [error_pct(s, case.vehicle, whole) for s in solved]
    over_all = [
        error_pct(s, case.vehicle, sound) for s in (whole, solved[PARTS_OFF.index(SIEVE_OFF) + 1])
    ]
    return [*over_used, *over_all, 100.0 * used]


def main() -> None:
    """Print a line a fault."""
    names = sys.argv[1:] or [n for n in KINDS if n not in UNFELT]
    found: dict[str, list[list[float]]] = {}
    for seed in SEEDS:
        vehicle = heron(seed)
        log = simulate(vehicle, seed, MINUTES)
        sound = solve([log], vehicle)
        for case in [
            Faulty("none", log, vehicle, SolveSettings()),
            *faulty_drives(vehicle, seed, names),
        ]:
            found.setdefault(case.name, []).append(row(case, sound))
    heads = (
        "everything on",
        "not robust",
        "no sieve",
        "averages",
        "driven",
        "no sieve, driven",
        "used %",
    )
    print(f"{'fault':28s}" + "".join(f"{h:>18s}" for h in heads))
    for name, rows in found.items():
        print(f"{name:28s}" + "".join(f"{v:18.2f}" for v in np.mean(rows, axis=0)), flush=True)


if __name__ == "__main__":
    main()
