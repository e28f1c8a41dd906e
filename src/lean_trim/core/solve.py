"""The whole path from logs to a correction, as one pure function."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from .averages import AverageSettings, average_cells
from .delay import DelaySettings, aligned_lambda
from .errors import CancelledError, LogError
from .estimate import Estimate
from .findings import Finding, find_faults
from .frame import Frame, make_frame
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
    """Settings of every stage."""

    method: Method = "surface"
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
    step(0.2, "Aligning lambda")
    lam = aligned_lambda(frame, settings.delay)
    regime = classify(frame, settings.regimes)
    step(0.35, "Sifting samples")
    sifted = sift(frame, regime, lam, settings.sieve, left_out_by_hand)
    observations = observe(frame, lam, sifted.used)
    step(0.5, "Fitting the surface" if settings.method == "surface" else "Averaging cells")
    if settings.method == "surface":
        estimate = fit_surface(observations, vehicle.table, frame.log.time_s, settings.surface)
    else:
        estimate = average_cells(observations, vehicle.table, frame.at, frame.log.time_s, settings.averages)
    step(0.95, "Looking for faults")
    findings = find_faults(frame, regime, lam)
    step(1.0, "Done")
    return Solution(
        frame, lam, regime, sifted, observations, estimate, residual_of(frame, observations), findings, settings
    )


def _stepper(progress: Progress | None) -> Callable[[float, str], None]:
    def step(share: float, what: str) -> None:
        if progress is not None and not progress(share, what):
            raise CancelledError("solving was cancelled; nothing was changed")

    return step
