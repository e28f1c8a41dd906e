"""How long an hour at 100 Hz with 40 channels takes to open, beside the bare readers, in one run.

``.venv/bin/python -m benchmarks.import_speed [mdf]``: import of CSV against polars' read_csv, of
MDF4 against asammdf's select of all channels; peak memory against the float64 size of the kept
channels.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

ROWS = 360_000
REPEATS = 5
REPEATS_DRESSED = 3
RATE = 100.0
NAMES = (
    "Engine Speed [rpm]",
    "MAP [kPa]",
    "Throttle [%]",
    "IAT [°C]",
    "Coolant [°C]",
    "Battery [V]",
    "Wideband [λ]",
    "Target Lambda [λ]",
    "STFT [%]",
    "LTFT [%]",
    "Closed Loop",
    "Pulse Width [ms]",
    "Injector Duty [%]",
    "Fuel Pressure Diff [kPa]",
    "Barometer [kPa]",
    "Vehicle Speed [km/h]",
    "Gear",
    "Spark Advance [deg]",
    "Knock Retard [deg]",
    "Mass Airflow [g/s]",
)


def columns() -> dict[str, np.ndarray]:
    """Forty channels, half of them ones that play a role."""
    rng = np.random.default_rng(1)
    time_s = np.arange(ROWS) / RATE
    levels = (2500, 55, 20, 28, 88, 13.8, 1.0, 1.0, 1, 2, 1, 4, 20, 300, 98, 70, 4, 25, 0, 30)
    out: dict[str, np.ndarray] = {"Time [s]": np.round(time_s, 2)}
    for name, level in zip(NAMES, levels, strict=True):
        out[name] = np.round(
            np.maximum(
                level * (1 + 0.2 * np.sin(time_s / 7)) + 0.01 * level * rng.standard_normal(ROWS), 0
            ),
            3,
        )
    out["Closed Loop"] = (rng.random(ROWS) < 0.7).astype(float)
    for i in range(19):
        out[f"Extra {i}"] = np.round(rng.normal(100, 30, ROWS), 3)
    return out


def best(work: Callable[[], object], times: int = 0) -> float:
    """Fastest of several runs, s; of so many, else of the usual."""
    spent = []
    for _ in range(times or REPEATS):
        began = time.perf_counter()
        work()
        spent.append(time.perf_counter() - began)
    return min(spent)


MEMORY = """
import sys
from pathlib import Path
from lean_trim.formats.logs import read_raw
from lean_trim.formats.meaning.channel_map import map_channels
import polars, numpy
def peak():
    return int(next(l for l in open("/proc/self/status") if l.startswith("VmHWM")).split()[1])
before = peak()
log = map_channels(read_raw(Path(sys.argv[1])), "log", 14.7).log
print((peak() - before) * 1024, 8 * len(log) * (len(log.channels) + 1))
"""


def main() -> None:
    """Print ratios."""
    import polars as pl

    from lean_trim.formats.logs import hash_file, read_raw
    from lean_trim.formats.meaning.channel_map import map_channels

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "hour.csv"
        data = columns()
        pl.DataFrame(data).write_csv(path)
        bare = best(lambda: pl.read_csv(path))
        ours = best(lambda: map_channels(read_raw(path), "log", 14.7))
        print(
            f"CSV {path.stat().st_size / 1e6:.0f} MB: polars {bare:.3f} s, import {ours:.3f} s, "
            f"ratio {ours / bare:.2f} (wanted 1.2)"
        )
        _dressed(Path(folder), path, data)
        print(
            "  hash of the bytes, done once when the log is kept: "
            f"{best(lambda: hash_file(path)):.3f} s"
        )
        run = subprocess.run(
            [sys.executable, "-c", MEMORY, str(path)], capture_output=True, text=True, check=True
        )
        peak, kept = map(int, run.stdout.split())
        whole = 8 * ROWS * 40
        print(
            f"  peak {peak / 1e6:.0f} MB: {peak / kept:.2f} of {len(NAMES) + 1} kept channels, "
            f"{peak / whole:.2f} of all 40 (wanted 3)"
        )
        if "mdf" in sys.argv:
            _mdf(Path(folder) / "hour.mf4", data)


def _dressed(folder: Path, plain: Path, data: dict[str, np.ndarray]) -> None:
    """The same hour packed, and with clock times; the bare reader unpacks, but leaves clocks as text."""
    import gzip

    import polars as pl

    from lean_trim.formats.logs import read_raw
    from lean_trim.formats.meaning.channel_map import map_channels

    packed = folder / "hour.csv.gz"
    packed.write_bytes(gzip.compress(plain.read_bytes(), 6))
    seconds = data["Time [s]"]
    clock = [
        f"{8 + int(s // 3600):02d}:{int(s // 60) % 60:02d}:{s % 60:05.2f}" for s in seconds.tolist()
    ]
    timed = folder / "clock.csv"
    pl.DataFrame({**data, "Time [s]": clock}).write_csv(timed)
    for name, path in (("gz", packed), ("clock", timed)):
        bare = best(lambda path=path: pl.read_csv(path), REPEATS_DRESSED)  # type: ignore[misc]
        ours = best(lambda path=path: map_channels(read_raw(path), "log", 14.7), REPEATS_DRESSED)  # type: ignore[misc]
        print(
            f"  {name}: polars {bare:.3f} s, import {ours:.3f} s, ratio {ours / bare:.2f} (wanted "
            "1.6)"
        )


def _mdf(path: Path, data: dict[str, np.ndarray]) -> None:
    from asammdf import MDF, Signal

    from lean_trim.formats.logs import read_raw
    from lean_trim.formats.meaning.channel_map import map_channels

    time_s = data.pop("Time [s]")
    with MDF(version="4.10") as mdf:
        signals = [
            Signal(v, time_s, name=n.split(" [")[0], unit=n.partition("[")[2].rstrip("]"))
            for n, v in data.items()
        ]
        mdf.append(signals)
        mdf.save(path)

    def bare() -> None:
        with MDF(str(path)) as mdf:
            mdf.select([(None, 0, c) for c in range(1, len(mdf.groups[0].channels))])

    base = best(bare, REPEATS_DRESSED)
    ours = best(lambda: map_channels(read_raw(path), "log", 14.7), REPEATS_DRESSED)
    print(f"MDF4: asammdf {base:.3f} s, import {ours:.3f} s, ratio {ours / base:.2f} (wanted 1.3)")


if __name__ == "__main__":
    main()
