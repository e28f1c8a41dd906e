"""Ten minutes by plan against ten more ordinary ones, on random cars: how far the table is off then."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from campaigns.runner import Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings, Proposal
from lean_trim.core.errors import BadInputError
from lean_trim.core.pipeline.carrying import Earlier
from lean_trim.core.pipeline.planning import plan_next
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.core.pipeline.summary import evidence_of, summary_of
from lean_trim.core.planning.choosing import HEAVY
from lean_trim.core.planning.plan import LEAD_S, Plan, Where
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import FleetCar, random_car
from lean_trim.simcar.planned import State, planned_legs

COUNT = 20
FIRST_SEED = 500
MINUTES = 10.0
WARM_C = 84.0
EVERY = 10
WHERES: tuple[Where, ...] = ("dyno", "road")
WANTED = {"dyno": 0.25, "road": 0.30}
"""Ratio of rms wanted over the states each can hold, in the median."""
LEAN_PCT = 5.0
MOST_LEAN_PCT = 7.0
"""Leaner than the first at most one offered state in 200 of load, than the second none."""


def planned_car(number: int) -> FleetCar:
    """One of the random cars with a VE table and a wideband, by its number."""
    seeds = range(FIRST_SEED, FIRST_SEED + 50 * (COUNT + number))
    cars = (random_car(seed) for seed in seeds)
    found = (c for c in cars if c.vehicle.feedback == "wideband" and c.vehicle.airflow == "ve")
    return next(c for i, c in enumerate(found) if i == number)


def rms_off(table: Table, car: FleetCar, at: tuple[np.ndarray, ...]) -> float:
    """How far a table is off the simulated engine at states, percent rms."""
    true = car.truth.airflow_value(car.vehicle, at)
    return float(np.sqrt(np.mean((100.0 * (table.lookup(*at) / true - 1.0)) ** 2)))


def _prepare(folder: Path) -> object:
    return None


def corrected(
    log: Log, vehicle: Vehicle, earlier: Sequence[Earlier] = ()
) -> tuple[Solution, Proposal]:
    """A round as the program works it out."""
    solution = solve([log], vehicle, earlier=earlier)
    return solution, propose_for(summary_of(solution), PolicySettings())


def _trial(folder: Path, seed: int) -> Trial:
    car = planned_car(seed)
    warm = replace(car.truth, start_coolant_c=WARM_C, soak_k=0.0)
    first = simulate(car.vehicle, car.seed, MINUTES, car.truth)
    solution, written = corrected(first, car.vehicle)
    driven = car.vehicle.with_table(written.table)
    before = [Earlier(1, evidence_of(solution))]
    ordinary = simulate(driven, car.seed + 8000, MINUTES, warm)
    _, by_ordinary = corrected(ordinary, driven, before)
    users = users_states(car)
    out: Trial = {"car": car.seed, "boost": car.truth.turbo}
    for where in WHERES:
        try:
            plan = plan_next(solution, written.step_pct, MINUTES, where)
        except BadInputError:
            # Nothing is known of the road.
            out[where] = None
            continue
        out[where] = _by_plan(plan, car, driven, before, by_ordinary.table, written.table, users)
    return out


def users_states(car: FleetCar) -> tuple[np.ndarray, ...]:
    """States of another driver's half hour on a table that is right."""
    right = car.vehicle.with_table(car.vehicle.table.with_values(car.best))
    warm = replace(car.truth, start_coolant_c=WARM_C)
    log = simulate(right, car.seed + 9000, 30.0, warm)
    at = (log[Role.MAP], log[Role.RPM])
    fuelled = (log[Role.PULSE_WIDTH] > 0.0) & car.vehicle.table.inside(*at)
    return tuple(a[fuelled][::EVERY] for a in at)


def _by_plan(
    plan: Plan,
    car: FleetCar,
    driven: Vehicle,
    before: Sequence[Earlier],
    ordinary: Table,
    written: Table,
    users: tuple[np.ndarray, ...],
) -> dict[str, object]:
    on_road = plan.where == "road"
    states = [State(h.rpm, h.map_kpa, h.seconds, h.gear if on_road else 0) for h in plan.held]
    warm = replace(car.truth, start_coolant_c=WARM_C, soak_k=0.0)
    log = simulate(driven, car.seed + 7000, MINUTES, warm, legs=planned_legs(states, LEAD_S))
    found, by_plan = corrected(log, driven, before)
    asked = np.nan_to_num(found.estimate.correction_pct) / 100.0
    best = car.vehicle.table.with_values(car.best.reshape(car.vehicle.table.shape))
    at = plan.known.at
    true = car.truth.airflow_value(car.vehicle, at)
    lean = 100.0 * (true / written.lookup(*at) - 1.0)
    open_to = tuple(a[plan.offered] for a in at)
    heavy = plan.offered & (plan.known.map_kpa >= HEAVY * plan.baro_kpa)
    return {
        "held": len(plan.held),
        "before": rms_off(written, car, at),
        "by_plan": rms_off(by_plan.table, car, at),
        "asked": rms_off(driven.table.with_values(driven.table.values * (1.0 + asked)), car, at),
        "best": rms_off(best, car, at),
        "offered_by_plan": rms_off(by_plan.table, car, open_to),
        "offered_by_ordinary": rms_off(ordinary, car, open_to),
        "by_ordinary": rms_off(ordinary, car, at),
        "users_by_plan": rms_off(by_plan.table, car, users),
        "users_by_ordinary": rms_off(ordinary, car, users),
        "expected": plan.rms_after_pct,
        "offered": int(heavy.sum()),
        "lean": int((lean[heavy] > LEAN_PCT).sum()),
        "leanest": float(lean[heavy].max()) if heavy.any() else 0.0,
    }


def ratios(results: Sequence[Trial], where: str, mine: str, theirs: str) -> np.ndarray:
    """Of every car the first figure over the second."""
    return np.array([r[where][mine] / r[where][theirs] for r in results])


def beyond(part: Sequence[dict[str, float]]) -> np.ndarray:
    """Of every car what a plan leaves above the best table, over what ordinary driving leaves."""
    mine, theirs = (
        [np.sqrt(max(p[key] ** 2 - p["best"] ** 2, 0.0)) for p in part]
        for key in ("by_plan", "by_ordinary")
    )
    return np.array(mine) / np.maximum(theirs, 1e-9)


def _table(results: Sequence[Trial]) -> list[str]:
    lines = [
        f"Random cars with a VE table and a wideband: {MINUTES:g} ordinary minutes, corrected and written; "
        f"then {MINUTES:g} minutes by plan, and in another life {MINUTES:g} more ordinary ones, each with "
        "what the first said carried on. How far the written table is off the simulated engine then, percent "
        "rms, over the states that can be held on a dynamometer or a road, and over another driver's half "
        "hour. Where it may be driven are states that are offered after the drive. "
        "Medians of the cars; of some the road is not told, for their drives were held by a brake. "
        "“Best” is the table whose nodes are right: between them no table follows the engine. “Asked” is "
        "what the plan's drive told; what is written is leaned less where the error is larger, and not where "
        "nobody drove. The ratio beyond the best is of what is left above it (root of the difference of "
        "squares).",
        "",
        "| | cars | before | by plan | asked by plan | best | by ordinary driving | ratio per car | wanted | "
        "ratio beyond the best | ratio where it may be driven | over users' states, ratio | expected | "
        "held | offered under load | of these over 5 % lean | leanest |",
        "|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|",
    ]
    for where in WHERES:
        told = [r for r in results if r[where] is not None]
        part = [r[where] for r in told]
        figures = {key: np.array([p[key] for p in part]) for key in part[0]}
        mine = ratios(told, where, "by_plan", "by_ordinary")
        open_to = ratios(told, where, "offered_by_plan", "offered_by_ordinary")
        users = ratios(told, where, "users_by_plan", "users_by_ordinary")
        lines.append(
            f"| {where} | {len(told)} | {np.median(figures['before']):.2f} | "
            f"{np.median(figures['by_plan']):.2f} | {np.median(figures['asked']):.2f} | "
            f"{np.median(figures['best']):.2f} | {np.median(figures['by_ordinary']):.2f} | "
            f"{np.median(mine):.2f} | {WANTED[where]:.2f} | {np.median(beyond(part)):.2f} | "
            f"{np.median(open_to):.2f} | {np.median(users):.2f} | "
            f"{np.median(figures['expected']):.2f} | {np.median(figures['held']):.0f} | "
            f"{figures['offered'].sum()} | {figures['lean'].sum()} | {figures['leanest'].max():.1f} |"
        )
    return lines


def _failed(results: Sequence[Trial]) -> list[Trial]:
    """Cars with a state offered under load that is leaner than none may be."""
    return [r for r in results if any(r[w] and r[w]["leanest"] > MOST_LEAN_PCT for w in WHERES)]


CAMPAIGN = Campaign(
    title="The next drive by plan",
    count=COUNT,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)
