"""Lambda before and after alignment around the quick changes of mixture, to see whether the delay holds."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.drive.delay import DelaySettings
from lean_trim.core.drive.frame import Frame
from lean_trim.core.estimation.delay_fit import STEP, DelayEstimate, find_moments, sensor_response
from lean_trim.core.estimation.film_fit import FilmEstimate
from lean_trim.core.types import Floats, Mask

GRID_S = np.arange(-0.4, 1.21, 0.02)
SHOWN = (0.68, 1.32)
"""Lambda limits of the picture; a fuel cut leaves them, the sensor stops at its end."""
CUT_PHI = 0.35
BACK_PHI = 0.55
LASTS_S = 0.4
"""Equivalence ratios below and above which fuel is cut and back.

The wall film still feeds a cylinder whose fuel is cut.
A cut shorter than ``LASTS_S`` is a torque cut, which no sensor shows in full."""


class Kind(StrEnum):
    """What kind of change it was."""

    BACK = "fuel comes back"
    CUT = "fuel cut begins"
    OTHER = "enrichment or trim step"


@dataclass(frozen=True, eq=False)
class Alignment:
    """Traces around the quick changes, all (moments, time) over ``grid_s``, as lambda limited to ``SHOWN``.

    Attributes
    ----------
    cylinder : what was in the cylinder by injection, trims, table error and wall film, at the time
        of injection.
    measured : what the sensor showed at that time.
    expected : what the sensor should show: the cylinder's lambda, delayed and lagged.
    kinds : what each change was, (moments,).
    gap_before, gap_after : mean distance of measured lambda from the cylinder's and from the
        expected one, (moments,).
    """

    grid_s: Floats
    cylinder: Floats
    measured: Floats
    expected: Floats
    kinds: tuple[Kind, ...]
    gap_before: Floats
    gap_after: Floats

    def of(self, kind: Kind) -> Mask:
        """Moments of one kind, (moments,).

        Returns true for those.
        """
        return np.array([k is kind for k in self.kinds], bool)


def align_moments(
    frame: Frame, delay: DelayEstimate, k: Floats, film: FilmEstimate | None = None
) -> Alignment | None:
    """The picture of a delay; ``k`` is the factor by which the table is wrong along the log.

    None without quick changes.

    Parameters
    ----------
    frame : a log seen through its calibration.
    delay : as it was estimated.
    k : factor by which the table is wrong along the log, shape (n,).
    film : the wall film as estimated; the usual one if None.

    Returns
    -------
    Injected and measured mixture around quick changes, before and after alignment.
    """
    moments = find_moments(frame, k, film or FilmEstimate())
    if moments is None:
        return None
    shown = sensor_response(moments, _theta(frame, delay.settings))
    parts = []
    kinds = []
    for w in range(int(moments.window.max()) + 1):
        here = moments.window == w
        time = moments.time[here] - 100.0 * w
        phi = moments.phi[here]
        kind, begin = _kind(time, phi)
        kinds.append(kind)
        parts.append(
            [
                _lambda_on(time - begin, values)
                for values in (phi, moments.measured[here], shown[here])
            ]
        )
    cylinder, measured, expected = np.array(parts).transpose(1, 0, 2)
    after = GRID_S > 0.0
    before_gap, after_gap = (
        np.abs(measured - x)[:, after].mean(axis=1) for x in (cylinder, expected)
    )
    return Alignment(GRID_S, cylinder, measured, expected, tuple(kinds), before_gap, after_gap)


def _theta(frame: Frame, settings: DelaySettings) -> Floats:
    volume = settings.exhaust_volume_l
    volume = frame.vehicle.exhaust_volume_l if volume is None else volume
    return np.array(
        [np.log(max(volume, 1e-3)), np.log(max(settings.sensor_s, 1e-3)), settings.cycles]
    )


def _kind(time: Floats, phi: Floats) -> tuple[Kind, float]:
    """What a change was, and when the mixture in the cylinder began to change, s."""
    near = (time >= 0.0) & (time < 0.8)
    first = float(phi[time <= 0.0][-1])
    for kind, moved in (
        (Kind.CUT, (phi < CUT_PHI) if first > BACK_PHI else None),
        (Kind.BACK, (phi > BACK_PHI) if first < CUT_PHI else None),
        (Kind.OTHER, np.abs(phi - first) > 0.5 * STEP),
    ):
        if moved is None or not (moved & near).any():
            continue
        begin = float(time[moved & near][0])
        stay = (time >= begin) & (time < begin + LASTS_S)
        if kind is Kind.OTHER or moved[stay].all():
            return kind, begin
    return Kind.OTHER, 0.0


def _lambda_on(time: Floats, phi: Floats) -> Floats:
    return np.asarray(np.interp(GRID_S, time, np.clip(1.0 / np.maximum(phi, 1e-3), *SHOWN)))
