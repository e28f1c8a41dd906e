"""Speed of sieve, observations and surface fit at a million samples on a 20 × 20 table, and of a threshold
dragged.

``.venv/bin/python -m benchmarks.solve_speed [REPEATS]``. The drive is the simulated car's, repeated
with fresh noise until it is long enough. Every figure is also given as a ratio to
``scipy.stats.binned_statistic_2d`` on the same samples, timed in the same run.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from scipy import stats

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, concatenate
from lean_trim.core.data.tables import ve_table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.delay import DelaySettings, aligned_lambda
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.regimes import RegimeSettings
from lean_trim.core.estimation.surface import SurfaceSettings, fit_surface
from lean_trim.core.pipeline.prepare import prepare
from lean_trim.core.pipeline.solve import refit, solve
from lean_trim.core.sieve.sieve import SieveSettings, sift
from lean_trim.simcar.drive import drive
from lean_trim.simcar.heron import heron

ROWS = 1_000_000
MINUTES = 40.0


def vehicle_20() -> Vehicle:
    """Heron with a 20 × 20 table."""
    car = heron()
    rpm = np.round(np.linspace(600, 7200, 20))
    pressure = np.round(np.linspace(20, 188, 20))
    x, y = np.meshgrid(rpm, pressure)
    values = car.table.lookup(y.ravel(), x.ravel()).reshape(x.shape)
    return car.with_table(ve_table(rpm, pressure, np.round(values, 1)))


def long_log(log: Log, rows: int) -> Log:
    """The log repeated end to end, with fresh noise on lambda, cut to ``rows`` samples."""
    rng = np.random.default_rng(5)
    pieces = []
    start = 0.0
    left = rows
    while left > 0:
        part = slice(0, min(left, len(log)))
        channels = {r: v[part] for r, v in log.channels.items()}
        lam = channels[Role.LAMBDA]
        channels[Role.LAMBDA] = lam * (1.0 + 0.003 * rng.standard_normal(len(lam)))
        pieces.append(Log(log.time_s[part] - log.time_s[0] + start, channels))
        start = float(pieces[-1].time_s[-1]) + log.step_s
        left = left - len(lam)
    return concatenate(pieces)


def best_ms(work: Callable[[], object], repeats: int) -> tuple[float, float]:
    """Best and median time of several calls, ms."""
    took = []
    for _ in range(repeats):
        began = time.perf_counter()
        work()
        took.append(1e3 * (time.perf_counter() - began))
    return min(took), float(np.median(took))


def main() -> None:
    """Print every figure with its ratio."""
    repeats = int(sys.argv[1]) if len(sys.argv) > 1 else 7
    car = vehicle_20()
    hour = long_log(concatenate(list(drive(car, 3, MINUTES)), "drive"), 90_000)
    million = long_log(hour, ROWS)
    frame = make_frame(million, car)
    prepared = prepare(Motion(frame), DelaySettings(), RegimeSettings())
    sifted = prepared.sift(SieveSettings())
    observations = prepared.observe(sifted)
    points = (frame.coordinates[0][observations.index], frame.coordinates[1][observations.index])
    k = observations.k
    edges = [axis.points for axis in car.table.axes]
    base, base_mid = best_ms(lambda: stats.binned_statistic_2d(*points, k, "mean", edges), repeats)
    print(
        f"{len(million)} samples, {len(observations)} used; ratios are to binned_statistic_2d "
        "(mean) of the used ones"
    )

    def whole() -> object:
        fresh = prepare(Motion(frame), DelaySettings(), RegimeSettings())
        return fresh.observe(fresh.sift(SieveSettings()))

    rows: list[tuple[str, Callable[[], object]]] = [
        ("frame (log seen through the table)", lambda: make_frame(million, car)),
        ("all before the fit, from the frame", whole),
        ("  of it aligning lambda", lambda: aligned_lambda(frame, DelaySettings())),
        ("  of it the sieve, rates known", lambda: sift(prepared.conditions, SieveSettings())),
        ("  of it picking the used samples", lambda: prepared.observe(sifted)),
        (
            "surface fit",
            lambda: fit_surface(observations, car.table, million.time_s, SurfaceSettings()),
        ),
    ]
    print(f"{'binned_statistic_2d':52s} {base:7.1f} ms best {base_mid:7.1f} median   1.00")
    for name, work in rows:
        best, median = best_ms(work, repeats)
        print(f"{name:52s} {best:7.1f} ms best {median:7.1f} median {best / base:6.2f}")
    solution = solve([hour], car)
    values = iter(np.linspace(25.0, 60.0, repeats))

    def drag() -> None:
        sieve = SieveSettings({"tip.throttle_rate": float(next(values))})
        refit(solution, replace(solution.settings, sieve=sieve))

    best, median = best_ms(drag, repeats)
    print(
        f"{'a threshold dragged, an hour at 25 Hz':52s} {best:7.1f} ms best {median:7.1f} median "
        f"{best / base:6.2f}"
    )


if __name__ == "__main__":
    main()
