"""Time and peak memory of ``lean-trim correct`` as a process: a short log, two hours, a batch of logs.

``.venv/bin/python -m benchmarks.command_speed [batch]``. Times are also given beyond what
``python -c 'import numpy, numba, polars'`` takes in the same run. The batch is 200 logs of half an
hour at 25 Hz: twenty different drives of the simulated car, each ten times with fresh noise on
lambda. Making them takes four minutes.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, concatenate
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.drive import drive
from lean_trim.simcar.heron import heron

DRIVES = 20
COPIES = 10
MINUTES = 30.0
REPEATS = 5
FILES = {"16 000 rows": "short.csv", "2 h at 50 Hz": "two.csv"}
"""Logs a table is corrected from, by what is printed of them."""
IMPORTS = ("-c", "import numpy, numba, polars")


def half_hour(seed: int) -> Log:
    """One drive at 25 Hz."""
    return concatenate(list(drive(heron(), seed, MINUTES)), "drive")


def with_noise(log: Log, rng: np.random.Generator) -> Log:
    """The same drive, its lambda read by another sensor."""
    lam = log[Role.LAMBDA] * (1.0 + 0.003 * rng.standard_normal(len(log)))
    return Log(log.time_s, {**log.channels, Role.LAMBDA: np.round(lam, 4)})


def twice_as_fast(log: Log) -> Log:
    """The log at 50 Hz; every second row lies between two of the first."""
    time_s = np.linspace(log.time_s[0], log.time_s[-1], 2 * len(log) - 1)
    return Log(time_s, {r: np.interp(time_s, log.time_s, v) for r, v in log.channels.items()})


def end_to_end(logs: list[Log]) -> Log:
    """Several logs as one recording."""
    start = 0.0
    pieces = []
    for log in logs:
        pieces.append(Log(log.time_s - log.time_s[0] + start, log.channels))
        start = float(pieces[-1].time_s[-1]) + log.step_s
    return concatenate(pieces)


LAUNCHER = """
import os, sys, time
began = time.perf_counter()
pid = os.posix_spawn(sys.argv[1], sys.argv[1:], os.environ)
status, used = os.wait4(pid, 0)[1:]
print(time.perf_counter() - began, used.ru_maxrss / 1024.0)
sys.exit(os.waitstatus_to_exitcode(status))
"""
"""Starts the process from a small one: the peak that is counted begins with that of the one it
comes from."""


def process(*words: str) -> tuple[float, float]:
    """Seconds and peak memory, MB, of a Python process."""
    launch = [sys.executable, "-c", LAUNCHER, sys.executable, *words]
    done = subprocess.run(launch, check=True, capture_output=True, text=True)
    seconds, megabytes = done.stdout.split()[-2:]
    return float(seconds), float(megabytes)


def best(repeats: int, *words: str) -> tuple[float, float]:
    """The shortest time and the largest memory of several runs."""
    runs = [process(*words) for _ in range(repeats)]
    return min(s for s, _ in runs), max(mb for _, mb in runs)


def correct(folder: Path, logs: list[Path]) -> tuple[str, ...]:
    """Words of the command."""
    named = [word for path in logs for word in ("--log", str(path))]
    sheet = str(folder / "vehicle.json")
    return (
        "-m",
        "lean_trim",
        "--quiet",
        "correct",
        "--vehicle",
        sheet,
        "--out",
        str(folder / "out"),
        *named,
    )


def main() -> None:
    """Print every figure."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        rng = np.random.default_rng(1)
        write_vehicle(heron(), folder)
        drives = [half_hour(100 + i) for i in range(DRIVES if "batch" in sys.argv else 4)]
        short = Log(
            drives[0].time_s[:16_000], {r: v[:16_000] for r, v in drives[0].channels.items()}
        )
        write_log_csv(short, folder / "short.csv")
        write_log_csv(
            end_to_end([with_noise(twice_as_fast(d), rng) for d in drives[:4]]), folder / "two.csv"
        )
        imports, _ = best(REPEATS, *IMPORTS)
        print(f"imports alone {imports:.2f} s")
        for label, file in FILES.items():
            seconds, megabytes = best(REPEATS, *correct(folder, [folder / file]))
            print(
                f"{label}: {seconds:.2f} s, {seconds - imports:.2f} s beyond imports, "
                f"{megabytes:.0f} MB"
            )
        if "batch" in sys.argv:
            logs = []
            for i, log in enumerate(drives):
                for copy in range(COPIES):
                    logs.append(folder / f"drive-{i:02d}-{copy}.csv")
                    write_log_csv(with_noise(log, rng), logs[-1])
            seconds, megabytes = process(*correct(folder, logs))
            hours = len(logs) * MINUTES / 60.0
            print(f"batch, {len(logs)} logs, {hours:.0f} h: {seconds:.0f} s, {megabytes:.0f} MB")


if __name__ == "__main__":
    main()
