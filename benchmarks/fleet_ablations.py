"""What each rule of the sieve and each part of the estimate is worth, on cars of ``./campaign fleet``.

``python -m benchmarks.fleet_ablations``; the cars are driven first if they were not.
"""

from __future__ import annotations

import multiprocessing
import os
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np

from campaigns.fleet import COUNT, driven_car, figures_of
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import SolveSettings, solve
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.core.sieve.sieve import RULES, SieveSettings
from lean_trim.formats.logs import open_log
from lean_trim.formats.vehicle_sheet import read_vehicle
from lean_trim.simcar.fleet.judge import Figures

PLAIN = SolveSettings()
VARIANTS: dict[str, SolveSettings] = {
    "nothing": PLAIN,
    "wall film": replace(PLAIN, surface=replace(PLAIN.surface, film_spread=0.001, film_doubt=0.0)),
    "delay and film's time constant from the log": replace(PLAIN, fit_delay=False),
    "robust weights": replace(PLAIN, surface=replace(PLAIN.surface, huber=1e6)),
    "surface (averages instead)": replace(PLAIN, method="average"),
} | {
    f"rule: {rule.label}": replace(PLAIN, sieve=SieveSettings(disabled=frozenset({rule.name})))
    for rule in RULES
    if not rule.marks
}


def figures_by_variant(seed: int) -> dict[str, Figures | None]:
    """One car's figures with each part off in turn; None where too little was left."""
    _, folder, _, _ = driven_car(seed)
    vehicle, _ = read_vehicle(folder / "vehicle.json")
    log = open_log(folder / "drive.csv", vehicle.stoich_afr).log
    found: dict[str, Figures | None] = {}
    for name, settings in VARIANTS.items():
        try:
            solution = solve([log], vehicle, settings)
        except LeanTrimError:
            found[name] = None
            continue
        found[name] = figures_of(
            seed, solution, propose_for(summary_of(solution), PolicySettings())
        )
    return found


def main() -> None:
    """Print a line a variant."""
    with ProcessPoolExecutor(
        os.cpu_count(), mp_context=multiprocessing.get_context("spawn")
    ) as pool:
        cars = list(pool.map(figures_by_variant, range(COUNT)))
    print(
        "| off | asked, median | p90 | mean | worst lean 1 % | cars worse by 10 % | better by 10 "
        "% |"
    )
    print("|---|---|---|---|---|---|---|")
    usual = np.array([c["nothing"].asked if c["nothing"] else np.nan for c in cars])
    for name in VARIANTS:
        figures = [c[name] for c in cars]
        asked = np.array([f.asked if f else np.nan for f in figures])
        lean = [f.lean for f in figures if f]
        worse = int((asked > 1.1 * usual).sum())
        better = int((asked < usual / 1.1).sum())
        middle = (
            np.nanmedian(asked),
            np.nanpercentile(asked, 90),
            np.nanmean(asked),
            np.median(lean),
        )
        print(
            f"| {name} | " + " | ".join(f"{x:.2f}" for x in middle) + f" | {worse} | {better} |",
            flush=True,
        )


if __name__ == "__main__":
    main()
