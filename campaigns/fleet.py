"""Random cars: how close one round comes to the truth, how honest its errors are, what it leaves lean.

Every car is driven once into a folder of its own (``.campaigns/cars-…``, kept as long as the
simulated car is the same): sheet, tables and log as their owner would bring them, and beside them
what is true.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Sequence
from dataclasses import asdict, replace
from functools import lru_cache
from pathlib import Path

import numpy as np

from campaigns.runner import CACHE, ROOT, Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.decision.driving_shares import driving_seconds
from lean_trim.core.decision.proposal import PolicySettings, Proposal, Status
from lean_trim.core.decision.regions import Region, regions_of
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import Method, Solution, SolveSettings, solve
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.formats.logs import open_log, write_log_csv
from lean_trim.formats.vehicle_sheet import read_vehicle, write_vehicle
from lean_trim.simcar.fleet.cars import FleetCar, random_car
from lean_trim.simcar.fleet.judge import Figures, errors_in_sigma, judge
from lean_trim.simcar.fleet.second_drive import States, first_drive, second_drive

COUNT = 80
METHODS: tuple[Method, ...] = ("surface", "average")
WORST_LEANED = 0


def cars_folder() -> Path:
    """Where driven cars are kept: one folder for every state of the simulated car's source."""
    digest = hashlib.sha256()
    for path in sorted((ROOT / "src" / "lean_trim" / "simcar").rglob("*.py")):
        digest.update(path.read_bytes())
    return CACHE / f"cars-{digest.hexdigest()[:12]}"


@lru_cache(maxsize=4)
def driven_car(seed: int) -> tuple[FleetCar, Path, States, np.ndarray]:
    """A car, the folder of its sheet and log, the states of its second drive, and seconds near each cell."""
    car = random_car(seed)
    folder = cars_folder() / str(seed)
    kept = folder / "truth.npz"
    if not kept.exists():
        log = first_drive(car)
        states, near_s = second_drive(car, log)
        write_vehicle(car.vehicle, folder)
        write_log_csv(log, folder / "drive.csv")
        part = folder / "truth.part.npz"
        np.savez(
            part,
            at=np.array(states.at),
            true=states.true,
            supported=states.supported,
            boost=states.boost,
            near_s=near_s,
        )
        # Renamed last, so that a drive that was broken off is driven again.
        os.replace(part, kept)
    with np.load(kept) as found:
        states = States(tuple(found["at"]), found["true"], found["supported"], found["boost"])
        return car, folder, states, found["near_s"]


def solved_car(
    seed: int, settings: SolveSettings | None = None, without: Role | None = None
) -> Solution:
    """One round on a car as its owner brings it, read from its files, or with a channel less."""
    _, folder, _, _ = driven_car(seed)
    vehicle, _ = read_vehicle(folder / "vehicle.json")
    log = open_log(folder / "drive.csv", vehicle.stoich_afr).log
    log = replace(log, channels={r: v for r, v in log.channels.items() if r is not without})
    return solve([log], vehicle, settings)


def figures_of(seed: int, solution: Solution, proposal: Proposal) -> Figures:
    """One round's figures on a car's second drive."""
    car, _, states, near_s = driven_car(seed)
    table = proposal.table
    asked = table.values.copy()
    free = np.isin(proposal.status, (Status.CORRECTED, Status.LIMITED))
    whole = solution.estimate.table.values * (
        1.0 + np.nan_to_num(solution.estimate.correction_pct) / 100.0
    )
    asked[free] = whole[free]
    axes = [a.points for a in table.axes]
    return judge(
        axes, solution.estimate.table.values, asked, table.values, states, car.best, near_s
    )


def _trial(folder: Path, seed: int) -> Trial:
    car, _, _, _ = driven_car(seed)
    table = car.vehicle.table
    result: Trial = {
        "what": f"{car.vehicle.airflow}, {car.vehicle.feedback}, {car.minutes:g} min, "
        + ", ".join(car.what)
    }
    for method in METHODS:
        try:
            solution = solve_with(seed, method)
        except LeanTrimError as error:
            result[method] = {"refused": str(error)}
            continue
        figures = asdict(
            figures_of(seed, solution, propose_for(summary_of(solution), PolicySettings()))
        )
        if method == "surface":
            estimate = solution.estimate
            sigma = errors_in_sigma(
                estimate.correction_pct, estimate.own_error_pct, table.values, car.best
            )
            figures["sigma"] = sigma[estimate.supported].tolist()
            shares = driving_seconds(solution.sifted, solution.observations).shares(
                estimate.table.shape
            )
            regions = regions_of(estimate.table, shares.idle, shares.full, shares.boost_from_kpa)
            figures["region"] = [str(r) for r in regions[estimate.supported]]
        result[method] = figures
    return result | _without_pressure(seed)


def _without_pressure(seed: int) -> Trial:
    """The same round where nobody logged the fuel pressure, and how many cells then wait for it."""
    try:
        solution = solved_car(seed, without=Role.FUEL_DP)
    except LeanTrimError:
        return {}
    proposal = propose_for(summary_of(solution), PolicySettings())
    waits = int((proposal.status == Status.WAITS).sum())
    return {"no_pressure": asdict(figures_of(seed, solution, proposal)) | {"waits": waits}}


def solve_with(seed: int, method: Method) -> Solution:
    """One round by a method, everything else as it comes."""
    return solved_car(seed, SolveSettings(method=method))


def _table(results: Sequence[Trial]) -> list[str]:
    lines = [
        "Residual of the table on a second drive, percent; *asked* with the step limits lifted, "
        "*everywhere* and *lean* over every state of that drive, also where the first one never "
        "came. *2σ*: share of the supported cells within two standard errors of the truth.",
        "",
        "| car | start | asked | written | everywhere | lean 1 % | leaned | 2σ | averages | what |",
        "|---|---|---|---|---|---|---|---|---|---|",
    ]
    lines += [_row(result) for result in results]
    return [*lines, "", *summary(results)]


def _row(result: Trial) -> str:
    """One car's line."""
    surface = result["surface"]
    average = result["average"]
    by_hand = f"{average['written']:.2f}" if "written" in average else "refused"
    if "written" not in surface:
        return f"| {result['seed']} | | refused | | | | | | {by_hand} | {result['what']} |"
    sigma = surface["sigma"]
    within = 100.0 * np.mean(np.abs(sigma) <= 2.0) if sigma else np.nan
    cells = [f"{surface[name]:.2f}" for name in ("start", "asked", "written", "everywhere")]
    cells += [
        f"{surface['lean']:.1f}",
        f"{surface['leaned']}",
        f"{within:.0f}",
        by_hand,
        result["what"],
    ]
    return f"| {result['seed']} | " + " | ".join(cells) + " |"


def summary(results: Sequence[Trial]) -> list[str]:
    """Medians and the ninth decile over all cars that were not refused."""
    done = [r["surface"] for r in results if "asked" in r["surface"]]
    by_hand = [r["average"]["written"] for r in results if "written" in r["average"]]
    names = ("asked", "written", "everywhere", "lean")
    middle = {n: float(np.median([s[n] for s in done])) for n in names}
    sigma = np.concatenate([s["sigma"] for s in done])
    within = 100.0 * np.mean(np.abs(sigma) <= 2.0)
    return [
        f"Over {len(done)} cars: asked {middle['asked']:.2f} (median), "
        f"{np.percentile([s['asked'] for s in done], 90):.2f} (p90); written "
        f"{middle['written']:.2f}; everywhere {middle['everywhere']:.2f}; worst lean 1 % "
        f"{middle['lean']:.1f}; wrongly leaned {sum(s['leaned'] for s in done)}; within 2σ "
        f"{within:.1f} %; averages, written {np.median(by_hand):.2f}.",
        "",
        _pressure_words([r["no_pressure"] for r in results if "no_pressure" in r]),
        "",
        "Within two standard errors by region: " + ", ".join(_honesty(done)) + ".",
        "",
        "Even and odd seeds apart: " + "; ".join(_halves(results)) + ".",
    ]


def _halves(results: Sequence[Trial]) -> list[str]:
    """What is tuned on one half has to hold on the other."""
    out = []
    for parity, name in enumerate(("even", "odd")):
        done = [
            r["surface"] for r in results if r["seed"] % 2 == parity and "asked" in r["surface"]
        ]
        asked = [s["asked"] for s in done] or [np.nan]
        everywhere = [s["everywhere"] for s in done] or [np.nan]
        out.append(
            f"{name} asked {np.median(asked):.2f} (p90 {np.percentile(asked, 90):.2f}), everywhere "
            f"{np.median(everywhere):.2f}"
        )
    return out


def _pressure_words(done: Sequence[Trial]) -> str:
    if not done:
        return "No car could be corrected without its fuel pressure."
    asked, written, everywhere = (
        float(np.median([d[name] for d in done])) for name in ("asked", "written", "everywhere")
    )
    return (
        f"With the fuel pressure taken out of the logs: asked {asked:.2f}, written {written:.2f}, "
        f"everywhere {everywhere:.2f} (medians); wrongly leaned {sum(d['leaned'] for d in done)}; in "
        f"{sum(d['waits'] > 0 for d in done)} of {len(done)} cars some cells wait for it."
    )


def _honesty(done: Sequence[Trial]) -> list[str]:
    """Share of the supported cells of each region whose truth lies within two standard errors."""
    sigma = np.concatenate([s["sigma"] for s in done])
    region = np.array([r for s in done for r in s["region"]])
    return [
        f"{name} {100.0 * np.mean(np.abs(sigma[region == name]) <= 2.0):.0f} % of "
        f"{(region == name).sum()}"
        for name in Region
        if (region == name).any()
    ]


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if r["surface"].get("leaned", 0) > WORST_LEANED]


CAMPAIGN = Campaign(
    title="Random cars",
    count=COUNT,
    prepare=lambda folder: None,
    trial=_trial,
    table=_table,
    failed=_failed,
)
