"""Causes that nobody logged, planted in drives of random cars whose table is right: kept off it, and said?

Each kind is planted in what the sensors and the loop show, so that the truth stays known: the table
is the engine's own as far as it can hold it, and whatever is written is the cause's.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from campaigns.runner import Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings, Proposal
from lean_trim.core.diagnosis.delivery import commanded_flow
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.pulls import find_pulls
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.core.pulls.pull_verdict import verdict_on_pull
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import Faults
from lean_trim.simcar.fleet.cars import random_car

SEEDS = 20
MINUTES = 14.0
STEP_PCT = 8.0
"""Most that may be written into an exact table for a cause."""
CAP = 0.78
"""Share of the largest flow that a weak pump delivers."""
GAUGE = 0.97
DRIFT = 0.045
LOADED_KPA = 85.0


def _without(log: Log, *roles: Role) -> Log:
    return replace(log, channels={r: v for r, v in log.channels.items() if r not in roles})


def _with(log: Log, role: Role, values: np.ndarray) -> Log:
    return replace(log, channels={**log.channels, role: values})


def sound(log: Log, vehicle: Vehicle) -> Log:
    """Nothing planted."""
    return log


def no_sensor(log: Log, vehicle: Vehicle) -> Log:
    """Neither lambda nor the loop's flag."""
    return _without(log, Role.LAMBDA, Role.CLOSED_LOOP, Role.PULSE_WIDTH, Role.DUTY)


def pump(log: Log, vehicle: Vehicle) -> Log:
    """No more than a share of the largest flow arrives; its pressure was not logged."""
    flow = commanded_flow(make_frame(log, vehicle))
    lean = np.maximum(1.0, np.nan_to_num(flow) / (CAP * np.nanpercentile(flow, 99.8)))
    shown = np.minimum(log[Role.LAMBDA] * lean, 1.33)
    return _without(_with(log, Role.LAMBDA, shown), Role.FUEL_DP)


def gauge(log: Log, vehicle: Vehicle) -> Log:
    """The wideband reads rich beside a narrowband loop."""
    return _with(log, Role.LAMBDA, GAUGE * log[Role.LAMBDA])


def drift(log: Log, vehicle: Vehicle) -> Log:
    """The fuel's need moves along the drive."""
    share = (log.time_s - log.time_s[0]) / log.duration_s - 0.5
    return _with(log, Role.LAMBDA, log[Role.LAMBDA] * np.exp(DRIFT * share))


def _largest(proposal: Proposal, loaded: bool) -> float:
    table = proposal.table
    step = np.abs(proposal.step_pct)
    if loaded and len(table.axes) == 2:
        step = step[table.axes[0].points >= LOADED_KPA]
    return float(step.max()) if step.size else 0.0


def _enriching(log: Log, vehicle: Vehicle) -> int:
    return sum("enrich" in str(verdict_on_pull(p)) for p in find_pulls([log], vehicle).pulls)


def _said(solution: Solution) -> set[str]:
    return {f.id for f in solution.findings}


def _dangers(solution: Solution) -> list[str]:
    return [f.id for f in solution.findings if f.severity == "danger"]


def _judge(kind: str, solution: Solution, proposal: Proposal, log: Log, vehicle: Vehicle) -> str:
    """Why a trial is not as it should be; "" if it is."""
    if kind == "sound":
        dangers = _dangers(solution)
        return f"told {dangers[0]}" if dangers else ""
    if kind == "no sensor":
        if (step := _largest(proposal, loaded=True)) > 3.0:
            return f"{step:.1f} % at load"
        return "a danger of lambda" if "lean_full_throttle" in _said(solution) else ""
    if kind == "pump":
        if not {"fuel_delivery_ends", "unseen_sag"} & _said(solution):
            return "not told"
        if (step := _largest(proposal, loaded=True)) > STEP_PCT + 2.0:
            return f"{step:.1f} % written"
        return "a pull says enrich" if _enriching(log, vehicle) else ""
    if kind == "gauge":
        seen = solution.frame.gauge
        if vehicle.feedback == "narrowband":
            return (
                "" if abs(seen.error + 1.0 - GAUGE) < 0.01 else f"error {100 * seen.error:+.1f} %"
            )
        return ""
    return "" if "drift" in _said(solution) else "not told"


KINDS: dict[str, Callable[[Log, Vehicle], Log]] = {
    "sound": sound,
    "no sensor": no_sensor,
    "pump": pump,
    "gauge": gauge,
    "drift": drift,
}


def _car(seed: int, kind: str) -> tuple[Vehicle, Log]:
    """A random car on the table its engine has, sound in all its parts."""
    car = random_car(seed)
    vehicle = replace(
        car.vehicle.with_table(car.vehicle.table.with_values(car.best)),
        feedback="narrowband" if kind in ("no sensor", "gauge") else "wideband",
    )
    log = simulate(vehicle, seed, MINUTES, truth=car.truth, faults=Faults(), log_hz=20.0)
    return vehicle, log


def _prepare(folder: Path) -> object:
    return None


def _trial(folder: Path, seed: int) -> Trial:
    kind = list(KINDS)[seed // SEEDS]
    vehicle, drive = _car(1000 + seed % SEEDS, kind)
    log = KINDS[kind](drive, vehicle)
    result: Trial = {"kind": kind}
    try:
        solution = solve([log], vehicle)
        proposal = propose_for(summary_of(solution), PolicySettings())
        why = _judge(kind, solution, proposal, log, vehicle)
    except LeanTrimError as error:
        why = f"refused: {error}"[:90]
    return result | ({"failed": why} if why else {})


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if "failed" in r]


def _table(results: Sequence[Trial]) -> list[str]:
    lines = ["| cause | cars | as it should be | else |", "|---|---|---|---|"]
    for kind in KINDS:
        some = [r for r in results if r["kind"] == kind]
        if some:
            bad = [str(r["failed"]) for r in some if "failed" in r]
            lines.append(f"| {kind} | {len(some)} | {len(some) - len(bad)} | {'; '.join(bad)} |")
    return lines


CAMPAIGN = Campaign(
    title="Causes nobody logged, on random cars whose table is right",
    count=SEEDS * len(KINDS),
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)
