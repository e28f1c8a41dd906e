"""Is the wall film found on random cars, with honest errors, whatever the pressure sensor's lag is?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from campaigns.runner import Campaign, Trial
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.core.pipeline.transients import COLD_C, cold_film_of, drive_rows, wall_film_of
from lean_trim.core.transients.wall_film import WallFilm, fuelled
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import FleetCar, random_car
from lean_trim.simcar.fleet.dress import dressed
from lean_trim.simcar.truth import Truth

COUNT = 40
FIRST_CAR = 90_000
MINUTES = (8.0, 16.0)
MAP_LAGS_S = (0.0, 0.03, 0.06)
MOST_SHARE_SE = 0.05
MOST_TAU_SE = 0.25
MEANT = (0.90, 0.98)
"""Share of errors within two standard errors that honest ones leave there."""


def _prepare(folder: Path) -> object:
    return None


def _car(seed: int) -> FleetCar:
    """A car whose log tells fuel and mixture, with a film that depends on load and speed in its own way."""
    rng = np.random.default_rng([seed, 14])
    start = FIRST_CAR + 100 * seed
    car = next(
        c
        for c in map(random_car, range(start, start + 100))
        if not (c.dress.without_lambda or c.dress.without_width)
    )
    # Every other one begins cold.
    cold_c = float(rng.uniform(-5.0, 20.0))
    truth = replace(
        car.truth,
        start_coolant_c=cold_c if seed % 2 else car.truth.start_coolant_c,
        map_lag_s=MAP_LAGS_S[seed % len(MAP_LAGS_S)],
        wall_load=float(rng.uniform(0.0, 0.6)),
        wall_rpm=float(rng.uniform(-0.05, 0.15)),
    )
    return replace(car, truth=truth)


def _trial(folder: Path, seed: int) -> Trial:
    car = _car(seed)
    truth = car.truth
    minutes = float(np.random.default_rng([seed, 15]).uniform(*MINUTES))
    result: Trial = {"seed": seed, "map_lag_s": truth.map_lag_s, "log_hz": car.dress.log_hz}
    drive = simulate(car.vehicle, seed, minutes, truth, log_hz=car.dress.log_hz)
    try:
        solution = solve([dressed(drive, car.dress, seed)], car.vehicle)
        film, changes = wall_film_of(solution)
    except LeanTrimError as error:
        return {**result, "failed": f"{type(error).__name__}: {error}"}
    if changes is None or not film.known:
        return {**result, "known": False, "why": str(film.why)}
    at = fuelled(changes)
    states = zip(changes.rows.map_kpa[at], changes.rows.cycle_s[at], strict=True)
    walls = [truth.wall(90.0, m, 120.0 / c) for m, c in states]
    share, tau = np.mean(walls, axis=0)
    return {
        **result,
        "known": True,
        "share_error": round(film.share - float(share), 5),
        "share_se": round(film.share_se, 5),
        "tau_error": round(film.tau_s / float(tau) - 1.0, 5),
        "tau_se": round(film.tau_se_s / film.tau_s, 5),
        "map_lag_error_s": round(film.map_lag_s - truth.map_lag_s, 5),
        "windows": film.windows,
        **_cold(solution, film, truth),
    }


def _cold(solution: Solution, film: WallFilm, truth: Truth) -> Trial:
    """The same of the film before the engine is warm, where it is told."""
    with np.errstate(all="ignore"):
        cold, seen = cold_film_of(solution, film, drive_rows(solution))
    if cold is None or seen is None:
        return {}
    changes, coolant = seen
    here = np.isin(changes.judged, fuelled(changes))
    at = changes.judged[here]
    states = zip(coolant[here], changes.rows.cycle_s[at], strict=True)
    share, tau = np.mean([truth.wall(t, film.map_kpa, 120.0 / c) for t, c in states], axis=0)
    return {
        "cold_share_error": round(cold.share - float(share), 5),
        "cold_share_se": round(cold.share_se, 5),
        "cold_tau_error": round(cold.tau_s / float(tau) - 1.0, 5),
        "cold_tau_se": round(cold.tau_se_s / cold.tau_s, 5),
        "cold_windows": cold.windows,
    }


def _z(results: Sequence[Trial], what: str) -> np.ndarray:
    return np.array([r[f"{what}_error"] / r[f"{what}_se"] for r in results])


def _known(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if r.get("known")]


def _table(results: Sequence[Trial]) -> list[str]:
    known = _known(results)
    lines = [
        f"{len(results)} random cars, drives of {MINUTES[0]:g} to {MINUTES[1]:g} min, a film that "
        "depends on load and engine speed in its own way, every other start cold, a pressure "
        "sensor with a lag of 0, 30 or 60 ms. Known: "
        f"{len(known)}.",
        "",
        "| | share X | time constant |",
        "|---|---|---|",
    ]
    share = _z(known, "share")
    tau = _z(known, "tau")
    rows = (
        (
            "error, rms",
            f"{_rms(known, 'share_error'):.3f}",
            f"{100 * _rms(known, 'tau_error'):.0f} %",
        ),
        ("within two standard errors, %", f"{_within(share):.0f}", f"{_within(tau):.0f}"),
        (
            f"standard error at most {MOST_SHARE_SE:g} / {100 * MOST_TAU_SE:.0f} %, % of drives",
            f"{100 * np.mean([r['share_se'] <= MOST_SHARE_SE for r in known]):.0f}",
            f"{100 * np.mean([r['tau_se'] <= MOST_TAU_SE for r in known]):.0f}",
        ),
    )
    lines += [f"| {' | '.join(row)} |" for row in rows]
    cold = [r for r in known if "cold_windows" in r]
    if cold:
        share = _z(cold, "cold_share")
        tau = _z(cold, "cold_tau")
        lines += [
            "",
            f"Below {COLD_C:.0f} °C, told in {len(cold)} drives: X off by "
            f"{_rms(cold, 'cold_share_error'):.3f} rms, {_within(share):.0f} % within two "
            f"standard errors; the time constant by {100 * _rms(cold, 'cold_tau_error'):.0f} %, "
            f"{_within(tau):.0f} %.",
        ]
    lines += [
        "",
        "| lag of MAP, ms | cars | X off by, mean | lag found, ms off, rms |",
        "|---|---|---|---|",
    ]
    for lag in MAP_LAGS_S:
        mine = [r for r in known if r["map_lag_s"] == lag]
        off = np.mean([r["share_error"] for r in mine]) if mine else np.nan
        lines.append(
            f"| {1000 * lag:.0f} | {len(mine)} | {off:+.3f} | "
            f"{1000 * _rms(mine, 'map_lag_error_s'):.0f} |"
        )
    return lines


def _rms(results: Sequence[Trial], key: str) -> float:
    return float(np.sqrt(np.mean([r[key] ** 2 for r in results]))) if results else float("nan")


def _within(z: np.ndarray) -> float:
    return 100.0 * float(np.mean(np.abs(z) < 2.0))


def _failed(results: Sequence[Trial]) -> list[Trial]:
    """Trials that broke, and errors beyond three standard errors."""
    broke = [r for r in results if "failed" in r]
    known = _known(results)
    far = [
        r
        for r, a, b in zip(known, _z(known, "share"), _z(known, "tau"), strict=True)
        if max(abs(a), abs(b)) > 3.0
    ]
    return [*broke, *far]


CAMPAIGN = Campaign(
    title="Wall film of random cars",
    count=COUNT,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
    section="transients",
)
