"""Full-throttle runs of random cars, from logs as people have them: are all found, and where they are?"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from campaigns.runner import Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.pipeline.pulls import find_pulls
from lean_trim.core.pulls.stretches import FULL_PCT, FULL_S
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import random_car
from lean_trim.simcar.fleet.dress import dressed

MINUTES = 14.0
ALLOWED_S = 0.3
"""By how much an end of a full pull may be off; a public contract."""


def true_pulls(log: Log) -> list[tuple[float, float]]:
    """Full pulls by the contract, from the throttle as it was before anything was lost or disturbed.

    The simulated driver lifts for every shift.
    """
    wide = log[Role.THROTTLE] > FULL_PCT
    edges = np.flatnonzero(np.diff(wide.astype(int), prepend=0, append=0))
    runs = [
        (log.time_s[a], log.time_s[b - 1]) for a, b in zip(edges[::2], edges[1::2], strict=True)
    ]
    return [(float(a), float(b)) for a, b in runs if b - a >= FULL_S]


def _prepare(folder: Path) -> object:
    return None


def _trial(folder: Path, seed: int) -> Trial:
    car = random_car(seed)
    drive = simulate(
        car.vehicle, seed, MINUTES, truth=car.truth, faults=car.faults, log_hz=car.dress.log_hz
    )
    wanted = true_pulls(drive)
    log = dressed(drive, car.dress, seed)
    result: Trial = {"seed": seed, "hz": car.dress.log_hz, "wanted": len(wanted)}
    try:
        report = find_pulls([log], car.vehicle)
    except Exception as error:
        return {**result, "failed": f"{type(error).__name__}: {error}"}
    full = [(p.start_s, p.end_s) for p in report.pulls if p.kind == "full"]
    if len(full) != len(wanted):
        return {**result, "found": len(full), "failed": f"{len(full)} found of {len(wanted)}"}
    off = max(
        (abs(x - y) for pair in zip(full, wanted, strict=True) for x, y in zip(*pair, strict=True)),
        default=0.0,
    )
    result |= {"found": len(full), "off_s": off}
    return {**result, "failed": f"an end is {off:.2f} s off"} if off > ALLOWED_S else result


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if "failed" in r]


def _table(results: Sequence[Trial]) -> list[str]:
    lines = [
        "| readings, Hz | drives | full pulls | found | drives with all within 0.3 s | farthest "
        "end, s |",
        "|---|---|---|---|---|---|",
    ]
    for rate in (*sorted({r["hz"] for r in results}), None):
        some = [r for r in results if rate is None or r["hz"] == rate]
        good = [r for r in some if "failed" not in r]
        farthest = max((r["off_s"] for r in some if "off_s" in r), default=0.0)
        lines.append(
            f"| {'all' if rate is None else f'{rate:g}'} | {len(some)} | "
            f"{sum(r['wanted'] for r in some)} | {sum(r.get('found', 0) for r in some)} | "
            f"{len(good)} | {farthest:.2f} |"
        )
    return lines


CAMPAIGN = Campaign(
    title="Full-throttle runs found in dressed logs of random cars",
    count=60,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)
