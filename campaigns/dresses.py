"""One drive in many dresses: what is read must be the drive, or nothing at all.

Trials below ``len(NAMED)`` are the dresses by name, the others are put together at random by their
seed.
"""

from __future__ import annotations

import tempfile
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from campaigns.dressing.cars import drive_of
from campaigns.dressing.dress import Dress, wares_of
from campaigns.dressing.naming import NAMED, random_dress
from campaigns.dressing.writing import write
from campaigns.runner import Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import LeanTrimError
from lean_trim.formats.decode.columns import ReadOptions
from lean_trim.formats.logs import open_log
from lean_trim.formats.meaning.choices import Choices

TOLERANCE: dict[Role, float] = {
    Role.RPM: 12.0,
    Role.MAP: 0.6,
    Role.LAMBDA: 0.004,
    Role.TARGET: 0.004,
    Role.STFT: 0.12,
    Role.LTFT: 0.12,
    Role.PULSE_WIDTH: 0.02,
    Role.IAT: 0.6,
    Role.COOLANT: 0.6,
    Role.BATTERY: 0.06,
    Role.THROTTLE: 0.7,
    Role.BARO: 0.6,
    Role.SPEED: 0.8,
    Role.SPARK: 0.5,
    Role.KNOCK: 0.3,
    Role.FUEL_DP: 3.0,
    Role.CLOSED_LOOP: 0.01,
    Role.MAF_HZ: 12.0,
}
"""Median difference from the drive that is still the same reading, in our units."""
TRIMS = (Role.STFT, Role.LTFT)
MINOR = frozenset(
    (Role.SPEED, Role.SPARK, Role.KNOCK, Role.FUEL_DP, Role.CLOSED_LOOP, Role.BARO, Role.THROTTLE)
)
"""Roles whose absence is told in a note and bends no table by much."""


def judge(dress: Dress, log: Log, vehicle: Vehicle, folder: Path) -> Trial:
    """Write the drive in a dress, read it, and compare.

    Returns
    -------
    ``outcome``: right, refused, asked or wrong; ``why`` in words.
    """
    path = folder / "drive.log"
    # Some writers take minutes for what others write at once.
    if "last_s" in dress.marks:
        log = ending(log, float(dress.marks["last_s"]))
    write(log, dress, path)
    dbc = path.with_suffix(".dbc")
    options = ReadOptions(dbc=dbc if dbc.exists() else None)
    choices = Choices(rate_hz=float(dress.marks.get("rate", 0.0)))
    result: Trial = {"name": dress.name, "clear": dress.clear}
    try:
        mapped = open_log(path, vehicle.stoich_afr, choices, None, False, vehicle, options).mapped
    except LeanTrimError as error:
        return {**result, "outcome": "refused", "why": str(error).replace(str(folder), "")}
    wrong = differences(mapped.log, log, dress, vehicle.airflow == "maf")
    if mapped.doubts:
        return {**result, "outcome": "asked", "why": mapped.doubts[0]}
    return {**result, "outcome": "wrong" if wrong else "right", "why": "; ".join(wrong)}


def ending(log: Log, seconds: float) -> Log:
    """The last part of a drive."""
    keep = log.time_s >= log.time_s[-1] - seconds
    return Log(
        log.time_s[keep] - log.time_s[keep][0],
        {r: v[keep] for r, v in log.channels.items()},
        log.name,
    )


def differences(got: Log, log: Log, dress: Dress, by_curve: bool = False) -> list[str]:
    """What was read otherwise than it was driven."""
    out = []
    length = got.time_s[-1] - got.time_s[0]
    if abs(length - log.duration_s) > 0.02 * log.duration_s + 1.0:
        out.append(f"time runs for {length:.1f} s instead of {log.duration_s:.1f}")
        return out
    # Counted from the first row of the file, of which the log's first row may not be one.
    # Polled in turn a channel is read every three seconds, and the drive goes on between.
    slack = 4.0 if dress.shape == "in turn" else 1.0
    at = got.time_s if 0.0 <= got.time_s[0] < 5.0 else got.time_s - got.time_s[0]
    truth_t = log.time_s - log.time_s[0]
    for ware in wares_of(log, dress):
        role = ware.role
        if role is None:
            continue
        if role not in got:
            # A trim that never does anything makes no table another one.
            nothing = role in TRIMS and not np.nan_to_num(log[role]).any()
            # A curve read by its meter's signal needs no temperature of the air.
            nothing |= role is Role.IAT and by_curve
            if role not in MINOR and not nothing:
                out.append(f"{role} is missing")
            continue
        truth = log[role]
        known = np.isfinite(truth)
        expected = np.interp(at, truth_t[known], truth[known])
        difference = np.abs(got[role] - expected)
        # Held readings are right when they are read; between them the drive goes on.
        if role in got.updates:
            difference = difference[got.updates[role]]
        difference = difference[np.isfinite(difference)]
        if len(difference) < 0.03 * len(got) and dress.shape == "wide":
            out.append(f"{role} is nearly empty")
        elif not len(difference) or float(np.median(difference)) > TOLERANCE[role] * slack:
            middle = float(np.median(difference)) if len(difference) else float("nan")
            out.append(f"{role} differs by {middle:.3g}")
    extra = set(got.channels) - {Role.SPEED} - {w.role for w in wares_of(log, dress)}
    return out + [f"{role} was never logged" for role in sorted(extra)]


def _prepare(folder: Path) -> object:
    return None


def _trial(folder: Path, seed: int) -> Trial:
    dress = NAMED[seed] if seed < len(NAMED) else random_dress(seed)
    vehicle, log = drive_of(dress.car)
    with tempfile.TemporaryDirectory() as scratch:
        return judge(dress, log, vehicle, Path(scratch))


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if r["outcome"] == "wrong"]


def _table(results: Sequence[Trial]) -> list[str]:
    lines = ["| dresses | right | asked | refused | silently wrong |", "|---|---|---|---|---|"]
    for title, some in (
        ("clear", [r for r in results if r["clear"]]),
        ("a person would ask", [r for r in results if not r["clear"]]),
    ):
        counts = Counter(r["outcome"] for r in some)
        shown = " | ".join(str(counts[k]) for k in ("right", "asked", "refused", "wrong"))
        lines.append(f"| {title}: {len(some)} | {shown} |")
    lines += ["", "What was not read although it is clear:", ""]
    lines += [
        f"- {r['name']}: {r['outcome']}, {r['why']}"
        for r in results
        if r["clear"] and r["outcome"] != "right"
    ]
    return lines


CAMPAIGN = Campaign("One drive in many dresses", 600, _prepare, _trial, _table, _failed)
