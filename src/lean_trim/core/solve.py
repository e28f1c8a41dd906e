"""The whole path from logs to a correction, as one pure function."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from .averages import AverageSettings, average_cells
from .delay import DelaySettings, aligned_lambda
from .delay_fit import DelayEstimate, estimate_delay
from .errors import CancelledError, LogError
from .estimate import Estimate
from .findings import Finding, find_faults
from .frame import Frame, make_frame, read_along
from .log import Log, concatenate
from .observations import Observations, observe
from .physics import Floats
from .regimes import Mask, RegimeSettings, classify
from .residual import Residual, residual_of
from .sieve import SieveSettings, Sifted, sift
from .surface import SurfaceSettings, fit_surface
from .vehicle import Vehicle

JOINT_GAP_S = 10.0
Method = Literal["surface", "average"]
Progress = Callable[[float, str], bool]
"""Called with the share done and what is being done; returns False to cancel."""


@dataclass(frozen=True)
class SolveSettings:
    """Settings of every stage. ``fit_delay`` reads the sensor delay from the log (surface method only)."""

    method: Method = "surface"
    fit_delay: bool = True
    regimes: RegimeSettings = field(default_factory=RegimeSettings)
    delay: DelaySettings = field(default_factory=DelaySettings)
    sieve: SieveSettings = field(default_factory=SieveSettings)
    surface: SurfaceSettings = field(default_factory=SurfaceSettings)
    averages: AverageSettings = field(default_factory=AverageSettings)


@dataclass(frozen=True, eq=False)
class Solution:
    """Everything one solve produced. ``lam`` is aligned lambda, ``k`` the factor per sample, NaN where left out."""

    frame: Frame
    lam: Floats
    regime: NDArray[np.int8]
    sifted: Sifted
    observations: Observations
    estimate: Estimate
    residual: Residual
    findings: tuple[Finding, ...]
    settings: SolveSettings
    delay: DelayEstimate

    @property
    def k_along(self) -> Floats:
        """k per log sample, shape (n,), NaN where the sample was left out."""
        out = np.full(len(self.frame.log), np.nan)
        out[self.observations.index] = self.observations.k
        return out


def join_logs(logs: Sequence[Log]) -> Log:
    """Put the logs of a round on one time base, ten seconds apart, so that no rule reaches across a joint."""
    if not logs:
        raise LogError("no log given; at least one is needed")
    if len(logs) == 1:
        return logs[0]
    pieces, start = [], 0.0
    for i, log in enumerate(logs):
        shift = start - float(log.time_s[0])
        joints = (*((start,) if i else ()), *(j + shift for j in log.joints_s))
        pieces.append(Log(log.time_s + shift, log.channels, log.name, joints, log.updates))
        start = float(pieces[-1].time_s[-1]) + JOINT_GAP_S
    return concatenate(pieces, " + ".join(log.name for log in logs))


def solve(
    logs: Sequence[Log],
    vehicle: Vehicle,
    settings: SolveSettings | None = None,
    left_out_by_hand: Mask | None = None,
    progress: Progress | None = None,
) -> Solution:
    """Logs driven on ``vehicle.table`` → correction per cell with evidence, residual and findings.

    Parameters
    ----------
    left_out_by_hand : samples of the joined log the user left out.
    progress : called between the stages; returning False raises CancelledError.

    Raises
    ------
    LogError
        If a channel is missing or too little is left to fit.
    """
    settings = settings or SolveSettings()
    step = _stepper(progress)
    step(0.0, "Reading the log")
    frame = make_frame(join_logs(logs), vehicle)
    regime = classify(frame, settings.regimes)
    step(0.2, "Sifting samples")
    first = _Pass(frame, regime, settings, settings.delay, left_out_by_hand)
    step(0.3, "Fitting the surface" if settings.method == "surface" else "Averaging cells")
    estimate = first.estimate()
    delay = DelayEstimate(settings.delay, False, note="defaults")
    last = first
    if settings.method == "surface" and settings.fit_delay:
        step(0.6, "Reading the sensor delay from the log")
        delay = estimate_delay(frame, settings.delay, table_factor(frame, estimate))
        if delay.estimated:
            step(0.7, "Fitting again with that delay")
            last = _Pass(frame, regime, settings, delay.settings, left_out_by_hand)
            estimate = last.estimate()
    step(0.95, "Looking for faults")
    findings = find_faults(frame, regime, last.lam)
    step(1.0, "Done")
    observations = without_film(last.observations, estimate)
    residual = residual_of(frame, observations)
    return Solution(frame, last.lam, regime, last.sifted, observations, estimate, residual, findings, settings, delay)


class _Pass:
    """One way from the frame to observations, with one set of delay parameters."""

    def __init__(
        self,
        frame: Frame,
        regime: NDArray[np.int8],
        settings: SolveSettings,
        delay: DelaySettings,
        by_hand: Mask | None,
    ) -> None:
        self.frame, self.settings = frame, settings
        self.lam = aligned_lambda(frame, delay)
        self.sifted = sift(frame, regime, self.lam, settings.sieve, by_hand)
        self.observations = observe(frame, self.lam, self.sifted.used)

    def estimate(self) -> Estimate:
        """Correction per cell by the chosen method."""
        table, time_s, settings = self.frame.vehicle.table, self.frame.log.time_s, self.settings
        if settings.method == "surface":
            return fit_surface(self.observations, table, time_s, settings.surface)
        return average_cells(self.observations, table, self.frame.at, time_s, settings.averages)


def without_film(observations: Observations, estimate: Estimate) -> Observations:
    """The observations less what the wall film explains, so that residuals and visits speak of the table alone."""
    if not np.isfinite(estimate.wall_x):
        return observations
    return replace(observations, k=observations.k - estimate.wall_x * observations.film)


def table_factor(frame: Frame, estimate: Estimate) -> Floats:
    """Factor by which the table is wrong along the log, by an estimate, shape (n,)."""
    wanted = estimate.table.values * (1.0 + np.nan_to_num(estimate.correction_pct) / 100.0)
    return np.asarray(read_along(frame.mesh, wanted) / frame.base)


def _stepper(progress: Progress | None) -> Callable[[float, str], None]:
    def step(share: float, what: str) -> None:
        if progress is not None and not progress(share, what):
            raise CancelledError("solving was cancelled; nothing was changed")

    return step
