"""Rounds and minutes until a table is done: by plan, by ordinary driving, by a careful hand."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from campaigns.plan import WARM_C, planned_car
from campaigns.runner import Campaign, Trial
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings, Proposal
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.pipeline.carrying import Earlier
from lean_trim.core.pipeline.planning import plan_next
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import Solution, SolveSettings, solve
from lean_trim.core.pipeline.summary import evidence_of, summary_of
from lean_trim.core.planning.plan import LEAD_S
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import FleetCar
from lean_trim.simcar.planned import State, planned_legs

COUNT = 20
FIRST_CAR = 70
"""Cars of their own: none of them served to choose a threshold."""
MINUTES = 12.0
PLANNED_MINUTES = 10.0
MOST_ROUNDS = 5
WITHIN_PCT = 2.0
SHARE = 0.99
LESS = 0.95
HAND_GAIN = 0.5
"""A careful hand writes half of what its averages ask."""
WAYS = ("plan", "ordinary", "hand")
WORDS = {
    "plan": "first ordinary, then by plan on a dynamometer",
    "ordinary": "ordinary driving",
    "hand": "ordinary driving, averages, half steps",
}


def _prepare(folder: Path) -> object:
    return None


def _far_off(table: Table, true: np.ndarray, at: tuple[np.ndarray, ...]) -> np.ndarray:
    """How far a table is off the engine at states, percent, less what a gauge makes of all alike."""
    ratio = table.lookup(*at) / true
    return np.asarray(100.0 * (ratio / np.median(ratio) - 1.0))


def _trial(folder: Path, seed: int) -> Trial:
    car = planned_car(FIRST_CAR + seed)
    first = simulate(car.vehicle, car.seed, MINUTES, car.truth)
    solution = solve([first], car.vehicle)
    known = plan_next(solution, np.zeros(car.vehicle.table.shape), PLANNED_MINUTES).known
    out: Trial = {"car": car.seed, "boost": car.truth.turbo, "states": len(known)}
    for way in WAYS:
        out[way] = _rounds(car, way, first, known.at)
    return out


def _rounds(
    car: FleetCar, way: str, first: Log, at: tuple[np.ndarray, ...]
) -> list[dict[str, float]]:
    """Share of the states within the band and minutes driven, after each round."""
    best = car.vehicle.table.with_values(car.best.reshape(car.vehicle.table.shape))
    true = np.asarray(car.truth.airflow_value(car.vehicle, at))
    # Between its nodes even the best table is off an engine that bends there.
    at_best = np.abs(_far_off(best, true, at))
    vehicle = car.vehicle
    log = first
    minutes = MINUTES
    earlier: list[Earlier] = []
    out = []
    for number in range(1, MOST_ROUNDS + 1):
        solution, proposal = _corrected(log, vehicle, earlier, way)
        vehicle = vehicle.with_table(_written(vehicle.table, proposal, way))
        off = _far_off(vehicle.table, true, at)
        within = float(np.mean(np.abs(off) <= at_best + WITHIN_PCT))
        out.append({"within": within, "minutes": minutes, "rms": float(np.sqrt(np.mean(off**2)))})
        if within >= SHARE:
            break
        if way != "hand":
            earlier.append(Earlier(number, evidence_of(solution)))
        log, driven = _next_drive(car, way, vehicle, solution, proposal, number)
        minutes += driven
    return out


def _corrected(
    log: Log, vehicle: Vehicle, earlier: Sequence[Earlier], way: str
) -> tuple[Solution, Proposal]:
    settings = SolveSettings(method="average") if way == "hand" else SolveSettings()
    solution = solve([log], vehicle, settings, earlier=earlier)
    return solution, propose_for(summary_of(solution), PolicySettings())


def _written(table: Table, proposal: Proposal, way: str) -> Table:
    if way != "hand":
        return proposal.table
    # What averages ask, half of it, nothing where nobody drove.
    asked = np.where(proposal.status == "corrected", proposal.step_pct, 0.0)
    return table.with_values(table.values * (1.0 + HAND_GAIN * asked / 100.0))


def _next_drive(
    car: FleetCar, way: str, vehicle: Vehicle, solution: Solution, proposal: Proposal, number: int
) -> tuple[Log, float]:
    """The next drive and how long it was, min."""
    warm = replace(car.truth, start_coolant_c=WARM_C, soak_k=0.0)
    seed = car.seed + 400 * number
    if way == "plan":
        try:
            plan = plan_next(solution, proposal.step_pct, PLANNED_MINUTES)
            states = [State(h.rpm, h.map_kpa, h.seconds, 0) for h in plan.held]
            if states:
                legs = planned_legs(states, LEAD_S)
                return simulate(vehicle, seed, PLANNED_MINUTES, warm, legs=legs), PLANNED_MINUTES
        except LeanTrimError:
            # Nothing can be planned: driven as ever.
            pass
    return simulate(vehicle, seed, MINUTES, warm), MINUTES


def _done(rounds: Sequence[dict[str, float]], share: float) -> tuple[float, float]:
    """Rounds and minutes until so many states are within the band; infinite where never."""
    for number, r in enumerate(rounds, start=1):
        if r["within"] >= share:
            return float(number), r["minutes"]
    return np.inf, np.inf


def _figure(values: Sequence[float], of: Callable[[np.ndarray], float]) -> str:
    value = of(np.array(values))
    return "never" if not np.isfinite(value) else f"{value:.0f}"


def _table(results: Sequence[Trial]) -> list[str]:
    lines = [
        "Random cars with a VE table and a wideband that served for nothing else. Done is a table whose "
        f"states on a dynamometer are off the engine by at most {WITHIN_PCT:g} % more than the best table "
        f"of these axes is, what a gauge makes of all alike taken out. First {MINUTES:g} ordinary minutes; "
        f"then {PLANNED_MINUTES:g} by plan or {MINUTES:g} ordinary ones, up to {MOST_ROUNDS} rounds. Earlier "
        "drives count but for the hand. "
        "Median and ninth decile of the cars; never is more rounds than were driven.",
        "",
        f"| | rounds to {SHARE:.0%} | minutes | cars done | rounds to {LESS:.0%} | minutes | cars done | "
        "states within after two rounds | off then, % rms |",
        "|---|---|---|---|---|---|---|---|---|",
    ]
    for way in WAYS:
        cells = [WORDS[way]]
        for share in (SHARE, LESS):
            done = [_done(r[way], share) for r in results]
            rounds = [d[0] for d in done]
            minutes = [d[1] for d in done]

            def ninth(values: np.ndarray) -> float:
                return float(np.sort(values)[int(0.9 * len(values))])

            def middle(values: np.ndarray) -> float:
                return float(np.sort(values)[(len(values) - 1) // 2])

            cells.append(f"{_figure(rounds, middle)}, {_figure(rounds, ninth)}")
            cells.append(f"{_figure(minutes, middle)}, {_figure(minutes, ninth)}")
            cells.append(f"{int(np.isfinite(rounds).sum())} of {len(results)}")
        second = [r[way][min(1, len(r[way]) - 1)] for r in results]
        cells.append(f"{100.0 * np.median([s['within'] for s in second]):.0f} %")
        cells.append(f"{np.median([s['rms'] for s in second]):.2f}")
        lines.append("| " + " | ".join(cells) + " |")
    return lines


def _failed(results: Sequence[Trial]) -> list[Trial]:
    """Cars on which driving by plan needed more rounds than ordinary driving."""
    return [r for r in results if _done(r["plan"], LESS)[0] > _done(r["ordinary"], LESS)[0]]


CAMPAIGN = Campaign(
    title="Rounds and minutes to a table that is done",
    count=COUNT,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)
