"""The same drive written down otherwise: does any cell with evidence move, or any danger flip?"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from campaigns.fleet import driven_car
from campaigns.runner import Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.formats.logs import open_log
from lean_trim.formats.vehicle_sheet import read_vehicle

CARS = 8
FIRST = 20
"""Seed of the first of the random cars."""
TWICE = "rows twice"
IN_HG_KPA = 3.386389
"""One inch of mercury at 0 °C, kPa (NIST SP 811, appendix B; from memory)."""
DIGITS: Mapping[Role, float] = {Role.LAMBDA: 0.001, Role.MAP: 0.01, Role.STFT: 0.01}
"""Last digit of a usual log by channel."""
LATER_ROWS = 37
DAY_S = 86_400.0
EVIDENCE_S = 1.0
"""Seconds from which a cell may not move."""
MOST = 0.5
"""Own errors by which it may."""


def rows(log: Log, keep: np.ndarray) -> Log:
    """Some rows of a log."""
    channels = {role: values[keep] for role, values in log.channels.items()}
    return replace(log, time_s=log.time_s[keep], channels=channels)


def in_inches(log: Log) -> Log:
    """Pressure as a logger with two decimals of inHg writes it."""
    if Role.MAP not in log:
        return log
    kpa = np.round(log[Role.MAP] / IN_HG_KPA, 2) * IN_HG_KPA
    return replace(log, channels={**log.channels, Role.MAP: kpa})


def dithered(log: Log) -> Log:
    """The last digit of lambda, pressure and trim anywhere within its step.

    What stands at a channel's end stays there: a meter that has met it writes one number.
    """
    rng = np.random.default_rng(2)
    channels = dict(log.channels)
    for role, digit in DIGITS.items():
        if role in channels:
            values = channels[role]
            ends = (values == np.nanmin(values)) | (values == np.nanmax(values))
            moved = values + rng.uniform(-0.5, 0.5, len(log)) * digit
            inside = np.clip(moved, np.nanmin(values), np.nanmax(values))
            channels[role] = np.where(ends, values, inside)
    return replace(log, channels=channels)


def thinned(log: Log) -> Log:
    """One row in a thousand lost."""
    lost = np.random.default_rng(3).permutation(len(log))[: len(log) // 1000]
    return rows(log, np.setdiff1d(np.arange(len(log)), lost))


def begun_later(log: Log) -> Log:
    """Without its first rows."""
    return rows(log, np.arange(LATER_ROWS, len(log)))


def a_day_later(log: Log) -> Log:
    """The clock shifted by a day."""
    return replace(log, time_s=log.time_s + DAY_S)


def turned_round(log: Log) -> Log:
    """Columns in the other order."""
    return replace(log, channels=dict(reversed(list(log.channels.items()))))


REWRITTEN: Mapping[str, Callable[[Log], Log]] = {
    "inHg": in_inches,
    "last digit": dithered,
    "rows lost": thinned,
    "begun later": begun_later,
    "a day later": a_day_later,
    "columns turned round": turned_round,
}


def twice(path: Path, out: Path) -> Path:
    """A log file with each of its rows written twice, at the same time."""
    head, *body = path.read_text(encoding="utf-8").splitlines()
    out.write_text("\n".join([head, *(line for row in body for line in (row, row)), ""]))
    return out


def moved(plain: Solution, other: Solution) -> float:
    """Own errors by which the cell that moved furthest did, of those with a second of evidence."""
    driven = plain.estimate.seconds >= EVIDENCE_S
    if not driven.any():
        return 0.0
    gap = np.abs(other.estimate.correction_pct - plain.estimate.correction_pct)
    return float((gap / plain.estimate.own_error_pct)[driven].max())


def dangers(solution: Solution) -> frozenset[str]:
    """What is told as a danger."""
    return frozenset(f.id for f in solution.findings if f.severity == "danger")


def _prepare(folder: Path) -> object:
    return None


def _trial(folder: Path, seed: int) -> Trial:
    car, drive, _, _ = driven_car(FIRST + seed)
    vehicle, _ = read_vehicle(drive / "vehicle.json")
    file = drive / "drive.csv"
    log = open_log(file, vehicle.stoich_afr).log
    plain = solve([log], vehicle)
    logs = {name: rewrite(log) for name, rewrite in REWRITTEN.items()}
    double = twice(file, folder / f"twice-{seed}.csv")
    logs[TWICE] = open_log(double, vehicle.stoich_afr).log
    double.unlink()
    found: dict[str, object] = {}
    for name, other in logs.items():
        solution = solve([other], vehicle)
        flipped = sorted(dangers(solution) ^ dangers(plain))
        found[name] = {"moved": round(moved(plain, solution), 3), "flipped": flipped}
    return {"what": f"{car.vehicle.airflow}, {car.vehicle.feedback}, {car.minutes:g} min", **found}


def _table(results: Sequence[Trial]) -> list[str]:
    names = [*REWRITTEN, TWICE]
    lines = [
        "Own errors by which the cell that moved furthest did, of the cells with a second of evidence; "
        f"at most {MOST:g} is wanted. A danger that came or went is named.",
        "",
        "| car | " + " | ".join(names) + " |",
        "|---|" + "---|" * len(names),
    ]
    for r in results:
        cells = [" ".join([f"{r[n]['moved']:.2f}", *r[n]["flipped"]]) for n in names]
        lines.append(f"| {r['what']} | " + " | ".join(cells) + " |")
    return lines


def _failed(results: Sequence[Trial]) -> list[Trial]:
    names = [*REWRITTEN, TWICE]
    return [r for r in results if any(r[n]["moved"] >= MOST or r[n]["flipped"] for n in names)]


CAMPAIGN = Campaign(
    title="The same drive written otherwise",
    count=CARS,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)
