"""Logs whose headings say one thing and whose numbers are another: asked about, put right, never taken.

Every column has a plain name and a plain unit, and one of them lies: it holds its neighbour, half,
ten times, the inverse, another unit of its family. A person who knows engines sees each of them.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from operator import itemgetter
from pathlib import Path

import numpy as np

from campaigns.dresses import MINOR, TOLERANCE
from campaigns.dressing.cars import CARS, drive_of
from campaigns.runner import Campaign, Trial
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.types import Floats
from lean_trim.formats.logs import open_log, write_log_csv
from lean_trim.formats.meaning.match import MappedLog

Lie = Callable[[Log], Log | None]
ETHANOL_STOICH = 9.0
OVER_HEATED_F = 1.8
"""Slope from °C to °F."""


def _with(log: Log, **roles: Floats) -> Log:
    channels = {**log.channels, **{Role[name]: values for name, values in roles.items()}}
    return replace(log, channels=channels)


def scaled(role: Role, factor: float, plus: float = 0.0) -> Lie:
    """A channel that is so many times what its heading says."""

    def lie(log: Log) -> Log | None:
        if role not in log or not np.ptp(log[role][np.isfinite(log[role])]):
            return None
        return replace(log, channels={**log.channels, role: factor * log[role] + plus})

    return lie


def swapped(one: Role, other: Role) -> Lie:
    """Two channels under each other's heading."""

    def lie(log: Log) -> Log | None:
        if one not in log or other not in log:
            return None
        return replace(log, channels={**log.channels, one: log[other], other: log[one]})

    return lie


def copied(of: Role, to: Role) -> Lie:
    """A channel that holds its neighbour."""

    def lie(log: Log) -> Log | None:
        if of not in log or to not in log:
            return None
        return replace(log, channels={**log.channels, to: log[of]})

    return lie


def inverse(role: Role) -> Lie:
    """Fuel per air where air per fuel is said."""
    return lambda log: (
        replace(log, channels={**log.channels, role: 1.0 / log[role]}) if role in log else None
    )


def gauge_pressure(log: Log) -> Log | None:
    """Manifold pressure against the atmosphere under a heading of absolute pressure."""
    if Role.MAP not in log:
        return None
    return _with(log, MAP=log[Role.MAP] - 98.5)


def clock(factor: float) -> Lie:
    """Time that runs so many times too quick."""
    return lambda log: replace(log, time_s=log.time_s * factor)


LIES: Mapping[str, Lie] = {
    "rpm half": scaled(Role.RPM, 0.5),
    "rpm double": scaled(Role.RPM, 2.0),
    "rpm / 10": scaled(Role.RPM, 0.1),
    "speed x 10": scaled(Role.SPEED, 10.0),
    "speed / 10": scaled(Role.SPEED, 0.1),
    "time x 10": clock(10.0),
    "time / 10": clock(0.1),
    "time x 60": clock(60.0),
    "time / 60": clock(1.0 / 60.0),
    "lambda and target swapped": swapped(Role.LAMBDA, Role.TARGET),
    "lambda is the target": copied(Role.TARGET, Role.LAMBDA),
    "target is lambda": copied(Role.LAMBDA, Role.TARGET),
    "lambda inverse": inverse(Role.LAMBDA),
    "target inverse": inverse(Role.TARGET),
    "lambda 4 % high": scaled(Role.LAMBDA, 14.7 / 14.1),
    "trims swapped": swapped(Role.STFT, Role.LTFT),
    "short trim's sign": scaled(Role.STFT, -1.0),
    "long trim's sign": scaled(Role.LTFT, -1.0),
    "short trim half": scaled(Role.STFT, 0.5),
    "short trim / 100": scaled(Role.STFT, 0.01),
    "long trim / 100": scaled(Role.LTFT, 0.01),
    "pressure is gauge": gauge_pressure,
    "pressure and barometer swapped": swapped(Role.MAP, Role.BARO),
    "pressure / 2": scaled(Role.MAP, 0.5),
    "temperatures swapped": swapped(Role.IAT, Role.COOLANT),
    "intake air in °F": scaled(Role.IAT, OVER_HEATED_F, 32.0),
    "coolant in °F": scaled(Role.COOLANT, OVER_HEATED_F, 32.0),
    "pulse width double": scaled(Role.PULSE_WIDTH, 2.0),
    "pulse width half": scaled(Role.PULSE_WIDTH, 0.5),
    "pulse width / 10": scaled(Role.PULSE_WIDTH, 0.1),
    "frequency x 10": scaled(Role.MAF_HZ, 10.0),
    "frequency half": scaled(Role.MAF_HZ, 0.5),
    "barometer in inHg": scaled(Role.BARO, 1.0 / 3.386389),
    "fuel pressure is the rail's": scaled(Role.FUEL_DP, 1.0, 98.5),
    "battery / 10": scaled(Role.BATTERY, 0.1),
    "the truth": lambda log: log,
}
ALL = tuple((car, lie) for car in CARS for lie in LIES)


def wrong_in(mapped: MappedLog, truth: Log, is_speed_density: bool) -> list[str]:
    """What was read otherwise than it was driven, of what a table rests on."""
    got = mapped.log
    length = got.time_s[-1] - got.time_s[0]
    if abs(length - truth.duration_s) > 0.02 * truth.duration_s + 1.0:
        return [f"time runs for {length:.1f} s instead of {truth.duration_s:.1f}"]
    out = []
    # Both trims multiply alike: which of them is which changes no table, only their product does.
    out += _off("trims", got, truth, lambda x: 100.0 * (applied(x) - 1.0), TOLERANCE[Role.STFT])
    for role, tolerance in TOLERANCE.items():
        if role in (Role.STFT, Role.LTFT):
            continue
        if role not in truth or role not in got:
            if role in truth and role not in MINOR:
                out.append(f"{role} is missing")
            continue
        # What an air mass meter weighs does not depend on its temperature.
        if role is Role.IAT and not is_speed_density:
            continue
        out += _off(str(role), got, truth, itemgetter(role), tolerance)
    return out


def applied(log: Log) -> Floats:
    """What both trims multiply fuel by."""
    product = np.ones(len(log))
    for role in (Role.STFT, Role.LTFT):
        if role in log:
            product = product * (1.0 + log[role] / 100.0)
    return product


def _off(
    name: str, got: Log, truth: Log, of: Callable[[Log], Floats], tolerance: float
) -> list[str]:
    gap = np.abs(np.interp(got.time_s, truth.time_s, of(truth)) - of(got))
    gap = gap[np.isfinite(gap)]
    # A trim that swings is held between rows that are a twelfth of a second apart; a mean as well,
    # for what is only wrong at full throttle is not seen in the middle.
    if len(gap) and (np.median(gap) > 3.0 * tolerance or np.mean(gap) > 6.0 * tolerance):
        return [f"{name} differs by {np.median(gap):.3g}, on average {np.mean(gap):.3g}"]
    return []


def _prepare(folder: Path) -> object:
    return None


def _trial(folder: Path, seed: int) -> Trial:
    car, name = ALL[seed]
    vehicle, truth = drive_of(car)
    told = LIES[name](truth)
    result: Trial = {"car": car, "lie": name}
    if told is None:
        return {**result, "outcome": "none"}
    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "drive.csv"
        write_log_csv(told, path)
        try:
            mapped = open_log(path, vehicle.stoich_afr, vehicle=vehicle).mapped
        except LeanTrimError as error:
            return {**result, "outcome": "asked", "why": str(error)[:200]}
    if mapped.doubts:
        return {**result, "outcome": "asked", "why": mapped.doubts[0]}
    wrong = wrong_in(mapped, truth, vehicle.is_speed_density)
    return {**result, "outcome": "wrong" if wrong else "right", "why": "; ".join(wrong)}


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [
        r
        for r in results
        if r["outcome"] == "wrong" or (r["lie"] == "the truth" and r["outcome"] != "right")
    ]


def _table(results: Sequence[Trial]) -> list[str]:
    lines = ["| lie | " + " | ".join(CARS) + " |", "|---|" + "---|" * len(CARS)]
    by = {(r["lie"], r["car"]): r["outcome"] for r in results}
    for lie in LIES:
        lines.append(f"| {lie} | " + " | ".join(by.get((lie, car), "") for car in CARS) + " |")
    return lines


CAMPAIGN = Campaign(
    title="Headings that lie",
    count=len(ALL),
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)
