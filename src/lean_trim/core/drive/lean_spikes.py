"""Short jumps of lambda to lean that no change of fuel or air explains."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import extend_mask, fill_missing, running_box
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.robust import robust_sigma
from lean_trim.core.types import Floats, Mask

ABOUT_S = 3.0
"""What lambda is compared with: its mean over so long about it."""
JUMP = 0.05
"""From its surroundings, relative, that is no noise (common practice, no source)."""
LASTS_S = (0.12, 1.6)
CALM_S = 1.2
"""Nothing may have moved for so long before and after."""
FUEL_MOVED = 0.03
"""Change of the logarithm of fuel about which lean is no spike: it was asked for."""
THROTTLE_PCT_PER_S = 12.0
MAP_PCT_PER_S = 25.0
LEAST_PER_MIN = 1.5
"""Jumps in a minute of steady running from which it is told."""
LEAST_COUNT = 4
"""Spikes below which they are chance."""
DIP_SIGMA = 3.0
"""Standard errors by which speed has to dip at the spikes, as it does when a cylinder misses."""


@dataclass(frozen=True, eq=False)
class LeanSpikes:
    """Jumps that were found.

    Attributes
    ----------
    mask : samples in one, shape (n,).
    count, per_min : how many, and in a minute of the running that was looked at.
    size_pct : median height, percent.
    rpm_dips : whether engine speed fell with them, beyond its noise.
    """

    mask: Mask
    count: int = 0
    per_min: float = 0.0
    size_pct: float = 0.0
    rpm_dips: bool = False


def lean_spikes(motion: Motion, regime: NDArray[np.int8], lam: Floats) -> LeanSpikes:
    """Find them in steady running.

    Parameters
    ----------
    motion : a log with its frame and rates.
    regime, lam : of every sample, lambda moved to the moment of injection, shape (n,).

    Returns
    -------
    None found where lambda was not logged.
    """
    frame = motion.frame
    log = frame.log
    none = LeanSpikes(np.zeros(len(log), bool))
    if frame.lambda_of_loop or log.step_s > LASTS_S[0]:
        return none
    calm = _calm(motion, regime)
    if not calm.any():
        return none
    # What lambda would be with the fuel of every moment put back: feedback answers a jump as if it
    # were one.
    asked = np.log(lam * frame.trim / frame.target)
    known = calm & np.isfinite(asked)
    weight = running_box(known.astype(float), log.time_s, ABOUT_S)
    mean = running_box(np.where(known, asked, 0.0), log.time_s, ABOUT_S) / np.maximum(weight, 1e-6)
    above = np.where(known, asked - mean, 0.0)
    mask = np.zeros(len(log), bool)
    sizes = []
    starts = []
    edges = np.flatnonzero(np.diff((above > JUMP).astype(np.int8), prepend=0, append=0))
    for begin, end in edges.reshape(-1, 2).tolist():
        lasts = log.time_s[end - 1] - log.time_s[begin] + log.step_s
        if LASTS_S[0] <= lasts <= LASTS_S[1] and _alone(above, begin, end):
            mask[begin:end] = True
            sizes.append(100.0 * float(np.expm1(above[begin:end].max())))
            starts.append(begin)
    if len(sizes) < LEAST_COUNT:
        return none
    minutes = float(log.durations_s[known].sum()) / 60.0
    dips = _dips(log[Role.RPM], log.time_s, np.array(starts), known)
    return LeanSpikes(
        mask, len(sizes), len(sizes) / max(minutes, 0.1), float(np.median(sizes)), dips
    )


def _calm(motion: Motion, regime: NDArray[np.int8]) -> Mask:
    """Where neither foot nor fuel moved, for a while before and after."""
    log = motion.frame.log
    steady = np.isin(regime, (Regime.IDLE, Regime.CRUISE))
    steady &= np.abs(motion.throttle_rate) < THROTTLE_PCT_PER_S
    steady &= np.abs(motion.map_rate) < MAP_PCT_PER_S
    for fuel in (motion.enrichment, np.log(fill_missing(motion.frame.target, 1.0))):
        steady &= np.abs(fuel - running_box(fuel, log.time_s, ABOUT_S)) < FUEL_MOVED
    return np.asarray(~extend_mask(~steady, log.time_s, CALM_S, CALM_S))


def _alone(above: Floats, begin: int, end: int) -> bool:
    """A jump stands by itself; a swing has an equal one the other way beside it."""
    width = max(end - begin, 4)
    around = np.concatenate(
        [above[max(begin - 2 * width, 0) : begin], above[end : end + 2 * width]]
    )
    return bool(len(around) and -around.min() < 0.6 * above[begin:end].max())


def _dips(rpm: Floats, time_s: Floats, starts: Floats, known: Mask) -> bool:
    """Whether engine speed falls more about the jumps than elsewhere."""
    change = np.zeros(len(rpm))
    ahead = np.searchsorted(time_s, time_s + 0.4).clip(max=len(rpm) - 1)
    behind = np.searchsorted(time_s, time_s - 0.4)
    smooth = running_box(fill_missing(rpm), time_s, 0.3)
    change = smooth[ahead] - smooth[behind]
    usual = change[known]
    spread = robust_sigma(usual) + 1e-9
    at = change[starts.astype(int)]
    return bool((np.median(usual) - at.mean()) > DIP_SIGMA * spread / np.sqrt(len(at)))
