"""What a log tells of the vehicle it was driven with, before there is a sheet."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.fuels import FUELS, OWN, PETROL, fuel_of
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Airflow, Feedback
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.logs import OpenedLog, open_log
from lean_trim.formats.meaning.match import Match, by_role
from lean_trim.workspace.tasks import Report


class Say:
    """Sentences of this module."""

    LENGTH = Message("told.length", "{minutes:.0f} minutes at {rate:.0f} rows a second")
    SECONDS = Message("told.seconds", "{seconds:.0f} s at {rate:.0f} rows a second")
    BY_MAP = Message(
        "told.by_map",
        "manifold pressure {low:.0f} to {high:.0f} kPa, so the table is likely one over MAP",
    )
    BY_EITHER = Message(
        "told.by_either",
        "manifold pressure {low:.0f} to {high:.0f} kPa and a mass-airflow signal: a table or a "
        "curve; paste the one to be corrected",
    )
    BY_SENSOR = Message(
        "told.by_sensor", "a mass-airflow signal, so the table is likely a curve over it"
    )
    BY_THROTTLE = Message(
        "told.by_throttle",
        "neither manifold pressure nor an airflow signal; a table over throttle would do",
    )
    SPEED = Message("told.speed", "engine speed up to {high:.0f} rpm")
    FUEL = Message("told.fuel", "target AFR rests at {afr:.2f}, which is λ = 1 of {fuel}")
    TARGET = Message("told.target", "target λ is logged, so no target table is needed")
    NO_TARGET = Message("told.no_target", "no target λ; a target table is needed")
    WIDEBAND = Message(
        "told.wideband",
        "λ {low:.2f} to {high:.2f} and trims: wideband feedback, as far as it shows",
    )
    NARROWBAND = Message("told.narrowband", "trims, but no λ: narrowband feedback")
    OPEN_LOOP = Message("told.open_loop", "no trims: no feedback, as far as it shows")
    TOO_SHORT = Message(
        "told.too_short",
        "{seconds:.0f} s are too short to correct a table from; some minutes are needed",
    )
    NO_SPEED = Message("told.no_speed", "no engine speed: nothing can be corrected with it")
    NO_AIR = Message(
        "told.no_air",
        "neither manifold pressure, airflow signal nor throttle: nothing tells which cell is read",
    )
    NO_MIXTURE = Message(
        "told.no_mixture", "neither λ nor trims: nothing tells what the mixture was"
    )
    WIDTH = Message("told.width", "pulse width is logged; with the injectors' data it tells more")


MOST_FREQUENT = 0.15
"""Share of running time a target has to rest at one value to be that of λ = 1."""
RUNNING_RPM = 500.0
ROUND_TO_RPM = 250.0
LEAST_S = 60.0
"""A drive shorter than this settles nothing: warm-up alone takes longer (common practice)."""
AIR = (Role.MAP, Role.MAF_HZ, Role.MAF_V, Role.MAF_FLOW, Role.THROTTLE)
MIXTURE = (Role.LAMBDA, Role.STFT, Role.LTFT)


@dataclass(frozen=True)
class Told:
    """What a log tells.

    Attributes
    ----------
    path : of the log; None without one.
    airflow, feedback : what they seem to be; None if the log does not tell.
    fuel : name of the fuel, "" if it does not tell.
    highest_rpm, highest_kpa : reached; 0 if not logged.
    has_target, has_map, has_width : whether those were logged.
    lines : all of it as sentences.
    lacks : what keeps it from being of use, as sentences.
    """

    path: Path | None = None
    airflow: Airflow | None = None
    feedback: Feedback | None = None
    fuel: str = ""
    highest_rpm: float = 0.0
    highest_kpa: float = 0.0
    has_target: bool = False
    has_map: bool = False
    has_width: bool = False
    lines: tuple[str, ...] = ()
    lacks: tuple[str, ...] = ()


def open_alone(path: Path, report: Report) -> OpenedLog:
    """Open a log of which no vehicle is known yet.

    Returns it, understood as of a petrol engine. Raises LogError if it cannot be read.
    """
    return open_log(
        path,
        PETROL.stoich_afr,
        None,
        lambda share: report(share, f"Reading {path.name}"),
        hashed=False,
    )


def read_told(path: Path, report: Report) -> Told:
    """Read a log for what it tells.

    Returns what it tells. Raises LogError if it cannot be read.
    """
    return told_by(open_alone(path, report), path)


def told_by(opened: OpenedLog, path: Path) -> Told:
    """The same of a log that is open.

    Parameters
    ----------
    opened : understood without a vehicle.
    path : of its file.

    Returns
    -------
    What it tells.
    """
    log = opened.log
    rate = 1.0 / log.step_s
    long = log.duration_s >= 2.0 * LEAST_S
    length = Say.LENGTH(minutes=log.duration_s / 60.0, rate=rate)
    lines = [str(length if long else Say.SECONDS(seconds=log.duration_s, rate=rate))]
    airflow, said = _airflow(log)
    lines.append(said)
    rpm = _high(log.get(Role.RPM))
    if rpm:
        lines.append(str(Say.SPEED(high=rpm)))
    afr, fuel = _fuel(opened, by_role(opened.mapped.matches).get(Role.TARGET))
    if fuel:
        lines.append(str(Say.FUEL(afr=afr, fuel=fuel)))
    feedback, said = _feedback(log)
    lines.append(said)
    has_target = Role.TARGET in log
    lines.append(str(Say.TARGET() if has_target else Say.NO_TARGET()))
    has_width = Role.PULSE_WIDTH in log or Role.DUTY in log
    if has_width:
        lines.append(str(Say.WIDTH()))
    return Told(
        path=path,
        airflow=airflow,
        feedback=feedback,
        fuel=fuel,
        highest_rpm=float(np.ceil(rpm / ROUND_TO_RPM) * ROUND_TO_RPM),
        highest_kpa=_high(log.get(Role.MAP)) if Role.MAP in log else 0.0,
        has_target=has_target,
        has_map=Role.MAP in log,
        has_width=has_width,
        lines=tuple(lines),
        lacks=_lacks(log),
    )


def _lacks(log: Log) -> tuple[str, ...]:
    """What a table cannot be corrected without."""
    out = []
    if Role.RPM not in log:
        out.append(str(Say.NO_SPEED()))
    if not any(role in log for role in AIR):
        out.append(str(Say.NO_AIR()))
    if not any(role in log for role in MIXTURE):
        out.append(str(Say.NO_MIXTURE()))
    if log.duration_s < LEAST_S:
        out.append(str(Say.TOO_SHORT(seconds=log.duration_s)))
    return tuple(out)


def _high(values: Floats) -> float:
    """What was reached, but for spikes; 0 if nothing is known."""
    known = values[np.isfinite(values)]
    return float(np.percentile(known, 99.9)) if len(known) else 0.0


def _airflow(log: Log) -> tuple[Airflow | None, str]:
    if Role.MAP in log:
        known = log[Role.MAP][np.isfinite(log[Role.MAP])]
        low, high = np.percentile(known, [0.5, 99.5]) if len(known) else (np.nan, np.nan)
        # A car with both has a table for either, and only the user knows which is wrong.
        both = Role.MAF_HZ in log or Role.MAF_V in log
        return "ve", str((Say.BY_EITHER if both else Say.BY_MAP)(low=low, high=high))
    if Role.MAF_HZ in log or Role.MAF_V in log:
        return "maf", str(Say.BY_SENSOR())
    return None, str(Say.BY_THROTTLE())


def _feedback(log: Log) -> tuple[Feedback, str]:
    trims = Role.STFT in log or Role.LTFT in log
    if not trims:
        return "none", str(Say.OPEN_LOOP())
    if Role.LAMBDA not in log:
        return "narrowband", str(Say.NARROWBAND())
    known = log[Role.LAMBDA][np.isfinite(log[Role.LAMBDA])]
    low, high = np.percentile(known, [2, 98]) if len(known) else (np.nan, np.nan)
    return "wideband", str(Say.WIDEBAND(low=low, high=high))


def _fuel(opened: OpenedLog, match: Match | None) -> tuple[float, str]:
    """The fuel whose λ = 1 the logged target rests at, where it is logged as AFR."""
    if match is None or not match.unit.lower().startswith("afr"):
        return 0.0, ""
    running = (
        opened.log[Role.RPM] > RUNNING_RPM
        if Role.RPM in opened.log
        else np.ones(len(opened.log), bool)
    )
    target = opened.log[Role.TARGET][running & np.isfinite(opened.log[Role.TARGET])]
    if not len(target):
        return 0.0, ""
    afr = np.round(target * PETROL.stoich_afr, 2)
    values, counts = np.unique(afr, return_counts=True)
    # Enrichment and overrun have targets of their own; cruise rests at λ = 1 in most cars.
    rest = float(values[int(np.argmax(counts))])
    name = fuel_of(rest)
    if counts.max() < MOST_FREQUENT * len(afr) or name == OWN or name not in FUELS:
        return 0.0, ""
    return rest, name
