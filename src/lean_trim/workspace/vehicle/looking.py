"""A log looked at without a vehicle: what its columns are, where the time went, how the mixture was held."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.fuels import PETROL
from lean_trim.core.data.guess import guessed_table
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Injectors, TableLimits, Vehicle
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.regimes import REGIME_LABELS, Regime, RegimeSettings, classify
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.pulls.stretches import find_stretches
from lean_trim.core.types import Floats
from lean_trim.formats.logs import OpenedLog
from lean_trim.workspace.tasks import Report
from lean_trim.workspace.vehicle.told import Told, open_alone, told_by

SPEED_STEP_RPM = 500.0
LOAD_ROWS = 12
LOADS = (Role.MAP, Role.THROTTLE, Role.MAF_FLOW, Role.MAF_HZ, Role.MAF_V)
"""What stands for load where it is logged, the first of them."""


@dataclass(frozen=True)
class Channel:
    """One channel as understood.

    Attributes
    ----------
    name, column : what it is, and the column it is read from.
    unit : of the readings as they are shown.
    low, high : of its readings; NaN without any.
    holes_pct : share of rows without a reading.
    note : what was inferred, or what is in doubt.
    is_doubted : whether it would be asked about before it counts.
    """

    name: str
    column: str
    unit: str
    low: float
    high: float
    holes_pct: float
    note: str
    is_doubted: bool


@dataclass(frozen=True, eq=False)
class TimeSpent:
    """Seconds by engine speed and load; ``rpm`` and ``load`` are the edges, ``unit`` the load's."""

    rpm: Floats
    load: Floats
    what: str
    unit: str
    seconds: Floats


@dataclass(frozen=True)
class RegimeRow:
    """One regime: seconds, mean and rms of the applied trims, mean and rms of lambda against its target.

    NaN where it was not logged; percent, lambda leaner than its target is above 0.
    """

    name: str
    seconds: float
    trim_mean: float
    trim_rms: float
    lambda_mean: float
    lambda_rms: float


@dataclass(frozen=True)
class Run:
    """One run at full throttle; ``leanest`` is its highest lambda, NaN where none was logged."""

    start_s: float
    seconds: float
    rpm_from: float
    rpm_to: float
    leanest: float


@dataclass(frozen=True, eq=False)
class LogLook:
    """A log as it is looked at.

    Attributes
    ----------
    path : of its file.
    log : as understood.
    told : what it tells of the vehicle.
    channels, unused : what its columns are, and those nobody reads.
    spent : None without engine speed or anything that stands for load.
    regimes, runs : none without engine speed.
    has_target : whether lambda is held against a logged target, or against λ = 1.
    """

    path: Path
    log: Log
    told: Told
    channels: tuple[Channel, ...]
    unused: tuple[str, ...]
    spent: TimeSpent | None
    regimes: tuple[RegimeRow, ...]
    runs: tuple[Run, ...]
    has_target: bool


def read_look(path: Path, report: Report) -> LogLook:
    """Read a log to look at it.

    Parameters
    ----------
    path : of a log.
    report : is told how far it is.

    Returns
    -------
    The look.

    Raises
    ------
    LogError
        If it cannot be read.
    """
    return look_at(open_alone(path, report), path)


def look_at(opened: OpenedLog, path: Path) -> LogLook:
    """What an opened log shows without a vehicle.

    Parameters
    ----------
    opened : understood without one.
    path : of its file.

    Returns
    -------
    The look.
    """
    log = opened.log
    regimes: tuple[RegimeRow, ...] = ()
    runs: tuple[Run, ...] = ()
    if Role.RPM in log:
        # Regimes and runs follow from the log alone; the frame only carries it.
        motion = Motion(make_frame(log, _stand_in(log)))
        regimes = _regimes(log, classify(motion, RegimeSettings()))
        runs = _runs(log, motion)
    return LogLook(
        path=path,
        log=log,
        told=told_by(opened, path),
        channels=_channels(opened),
        unused=tuple(column.name for column in opened.mapped.unused),
        spent=_spent(log),
        regimes=regimes,
        runs=runs,
        has_target=Role.TARGET in log,
    )


def _stand_in(log: Log) -> Vehicle:
    """A vehicle that says nothing: a usual table and injectors, for what needs some."""
    limits = TableLimits(0.1, 5.0, 250.0)
    return Vehicle(
        "not known",
        2.0,
        4,
        PETROL.stoich_afr,
        "ve",
        "none",
        Injectors(5.0, 300.0, np.array([10.0, 14.0]), np.array([1.2, 0.8])),
        guessed_table(8000.0, 250.0),
        None,
        limits,
        3.0,
    )


def _channels(opened: OpenedLog) -> tuple[Channel, ...]:
    log = opened.log
    out = []
    for match in opened.mapped.matches:
        values = log.get(match.role)
        known = values[np.isfinite(values)]
        label, unit = LABELS[match.role]
        # Readings are shown as we keep them; how they were logged is part of what was understood.
        other = match.unit and match.unit.lower() not in (unit.lower(), unit.lower().strip("°"))
        logged = f"logged in {match.unit}" if other else ""
        said = match.doubt or match.note
        out.append(
            Channel(
                name=label,
                column=" + ".join(c.name for c in match.columns),
                unit=unit,
                low=float(known.min()) if len(known) else np.nan,
                high=float(known.max()) if len(known) else np.nan,
                holes_pct=100.0 * (1.0 - len(known) / max(len(values), 1)),
                note="; ".join(part for part in (logged, said) if part),
                is_doubted=bool(match.doubt),
            )
        )
    return tuple(out)


def _spent(log: Log) -> TimeSpent | None:
    load_role = next((role for role in LOADS if role in log), None)
    if Role.RPM not in log or load_role is None:
        return None
    rpm = log[Role.RPM]
    load = log[load_role]
    known = np.isfinite(rpm) & np.isfinite(load) & (rpm > 0.0)
    if not known.any():
        return None
    top = np.ceil(rpm[known].max() / SPEED_STEP_RPM) * SPEED_STEP_RPM
    rpm_edges = np.arange(0.0, top + SPEED_STEP_RPM, SPEED_STEP_RPM)
    high = float(np.percentile(load[known], 99.9)) or 1.0
    load_edges = np.linspace(min(0.0, float(load[known].min())), high * 1.001, LOAD_ROWS + 1)
    seconds, _, _ = np.histogram2d(
        load[known], rpm[known], [load_edges, rpm_edges], weights=log.durations_s[known]
    )
    label, unit = LABELS[load_role]
    return TimeSpent(rpm_edges, load_edges, label, unit, seconds)


def _regimes(log: Log, regime: np.ndarray) -> tuple[RegimeRow, ...]:
    target = log.get(Role.TARGET) if Role.TARGET in log else np.ones(len(log))
    error = 100.0 * (log.get(Role.LAMBDA) / target - 1.0)
    # A trim that was not logged is not a trim of 0, unless the other one was.
    logged = [log[role] for role in (Role.STFT, Role.LTFT) if role in log]
    trims = np.sum(logged, axis=0) if logged else np.full(len(log), np.nan)
    out = []
    for kind in Regime:
        here = regime == kind
        seconds = float(log.durations_s[here].sum())
        if seconds > 0.0:
            trim_mean, trim_rms = _figures(trims[here], log.durations_s[here])
            mean, rms = _figures(error[here], log.durations_s[here])
            # Nothing burns in a fuel cut, and nothing is asked of a stopped engine.
            if kind in (Regime.OVERRUN, Regime.STOPPED):
                mean = rms = np.nan
            row = RegimeRow(REGIME_LABELS[kind], seconds, trim_mean, trim_rms, mean, rms)
            out.append(row)
    return tuple(out)


def _figures(values: Floats, seconds: Floats) -> tuple[float, float]:
    """Mean and root mean square by time; NaN where nothing is known."""
    known = np.isfinite(values)
    weight = seconds[known]
    if not known.any() or weight.sum() <= 0.0:
        return np.nan, np.nan
    mean = float(np.average(values[known], weights=weight))
    return mean, float(np.sqrt(np.average(values[known] ** 2, weights=weight)))


def _runs(log: Log, motion: Motion) -> tuple[Run, ...]:
    try:
        stretches = find_stretches(log, motion.gears)
    except LeanTrimError:
        return ()
    out = []
    for stretch in stretches:
        if stretch.kind != "full":
            continue
        part = slice(stretch.start, stretch.stop)
        rpm = log[Role.RPM][part]
        lam = log.get(Role.LAMBDA)[part]
        known = lam[np.isfinite(lam)]
        out.append(
            Run(
                start_s=float(log.time_s[stretch.start]),
                seconds=float(log.durations_s[part].sum()),
                rpm_from=float(np.nanmin(rpm)),
                rpm_to=float(np.nanmax(rpm)),
                leanest=float(known.max()) if len(known) else np.nan,
            )
        )
    return tuple(out)
