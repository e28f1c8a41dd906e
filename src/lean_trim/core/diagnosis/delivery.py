"""Fuel that does not arrive: a delivery that ends at a flow, told from lambda alone.

A weak pump, a clogged filter or a relay gives up to some flow and no more. Beyond it the mixture
leans by all that is commanded above, so that ln k rises with ln(f / f_c) from a knee f_c on, with a
slope near 1, on top of whatever the table lacks. A table's own error bends with engine speed and
load and has no such knee in the flow of fuel.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.open_time import open_time_ms
from lean_trim.core.errors import LogError
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats, Ints, Mask

LOADED = 0.4
"""Share of the largest flow from which samples are looked at."""
PEAK = 99.5
"""Percentile of the flow that stands for the largest."""
KNEES = np.arange(0.5, 0.97, 0.02)
"""Knees tried, as shares of the largest flow."""
FEWEST = 60
"""Samples below which nothing is told."""
LEAST_BEYOND_S = 0.6
"""Driving beyond a knee that it needs, s."""
NOISE = 0.02
"""Standard deviation of one sample of ln k, as a share (common practice, no source)."""
ALIKE_S = 0.3
"""Seconds that say the same: noise of lambda stays alike for so long (common practice, no
source)."""
BEND = 0.3
"""Standard deviation of what the table's own error may do over engine speed and load."""
WILD = 0.06
"""Residual of ln k beyond which a sample counts no more."""
APART_S = 2.0
"""A gap in the samples that parts one run from the next, s."""
LEAST_SLOPE = 0.5
"""Slope beyond the knee from which it is one; a delivery that ends has 0.86 to 0.89 (measured on
capped cars), sound ones -0.53 to 0.34."""
SURE = 4.0
"""Standard errors the slope must be above 0."""
BETTER = 2.5
"""Times the misfit must be smaller with the knee than without."""
LEAST_GAIN = 0.03
"""Least lean error, as a share, that is told."""
NEAR = 0.85
"""Share of the knee's flow from which nothing is proven: a pump falls behind before it ends."""


@dataclass(frozen=True)
class DeliveryEnd:
    """Where fuel ends.

    Attributes
    ----------
    flow_g_per_s : largest flow that arrives, of all injectors together.
    rpm : engine speed at which it was met.
    slope, slope_se : of ln k over ln of the flow beyond it.
    lean_pct : error of the mixture it makes at the most, percent.
    first_time_s, seconds : when the flow was first beyond it, and for how long in all.
    """

    flow_g_per_s: float
    rpm: float
    slope: float
    slope_se: float
    lean_pct: float
    first_time_s: float
    seconds: float

    def effect(self, flow: Floats) -> Floats:
        """On ln k at a commanded flow, g/s; 0 below the knee and where the flow is not known."""
        with np.errstate(invalid="ignore", divide="ignore"):
            beyond = np.log(flow / self.flow_g_per_s)
        return np.asarray(self.slope * np.maximum(0.0, np.nan_to_num(beyond, neginf=0.0)))

    def near(self, flow: Floats) -> Mask:
        """Where a pump that ends there may already be falling behind."""
        return np.asarray(np.nan_to_num(flow) > NEAR * self.flow_g_per_s)


def commanded_flow(frame: Frame) -> Floats:
    """Fuel the ECU asks of all injectors together, g/s, shape (n,); NaN where it cannot be known.

    Without known injectors it is in units of the airflow over the stoichiometry.

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    By open time, or by air, target and trims.
    """
    vehicle = frame.vehicle
    known = np.isfinite(vehicle.injectors.flow_g_per_s)
    try:
        if known:
            per_cycle = vehicle.injectors.flow_g_per_s * open_time_ms(frame) / 1000.0
            return np.asarray(vehicle.cylinders * per_cycle * frame.log[Role.RPM] / 120.0)
    except LogError:
        pass
    return np.asarray(frame.flow_g_per_s * frame.trim / (vehicle.stoich_afr * frame.target))


def find_delivery_end(
    frame: Frame, observations: Observations, estimate: Estimate
) -> DeliveryEnd | None:
    """Look for a knee of ln k in the flow of fuel.

    Parameters
    ----------
    frame : a log seen through its calibration.
    observations : used samples, with what nuisance terms explain still in them.
    estimate : fitted to them.

    Returns
    -------
    None where there is none, and where the pressure was logged, which says more, or no lambda was.
    """
    if Role.FUEL_DP in frame.log or frame.lambda_of_loop:
        return None
    flow = commanded_flow(frame)[observations.index]
    coefficients = np.array([c.value for c in estimate.shared])
    terms = coefficients @ observations.terms.values if len(coefficients) else 0.0
    with np.errstate(invalid="ignore", divide="ignore"):
        y = np.log(np.clip(observations.k - terms, 0.3, 3.0))
    good = np.isfinite(flow) & np.isfinite(y) & (flow > 0.0)
    if good.sum() < FEWEST:
        return None
    peak = float(np.percentile(flow[good], PEAK))
    at = np.flatnonzero(good & (flow > LOADED * peak))
    if len(at) < FEWEST:
        return None
    x = np.log(flow[at] / peak)
    log = frame.log
    rpm = log[Role.RPM][observations.index][at]
    time_s = log.time_s[observations.index][at]
    seconds = observations.seconds[at]
    shapes = _shapes(rpm, log.get(Role.MAP)[observations.index][at])
    found = _knee(x, y[at], shapes, seconds, _runs(time_s))
    if found is None:
        return None
    knee, slope, error = found
    met = np.abs(x - knee) < -np.log(NEAR)
    beyond = x > knee
    return DeliveryEnd(
        flow_g_per_s=float(peak * np.exp(knee)),
        rpm=float(np.median(rpm[met] if met.any() else rpm)),
        slope=slope,
        slope_se=error,
        lean_pct=100.0 * float(np.expm1(slope * (x.max() - knee))),
        first_time_s=float(time_s[beyond][0]),
        seconds=float(seconds[beyond].sum()),
    )


def _shapes(rpm: Floats, map_kpa: Floats) -> Floats:
    """What a table's own error may be over engine speed and load: a quadratic, shape (m, 6)."""
    r = np.log(np.maximum(rpm, 1.0))
    p = np.log(np.maximum(np.nan_to_num(map_kpa, nan=50.0), 1.0))
    r = r - r.mean()
    p = p - p.mean()
    return np.column_stack([np.ones(len(r)), r, r**2, p, p**2, r * p])


def _runs(time_s: Floats) -> Ints:
    return np.concatenate([[0], np.cumsum(np.diff(time_s) > APART_S)])


def _knee(
    x: Floats, y: Floats, shapes: Floats, seconds: Floats, run: Ints
) -> tuple[float, float, float] | None:
    """Place (ln of flow over peak), slope and its error of the best knee; None where none is told."""
    weight = seconds / ALIKE_S / NOISE**2
    prior = np.concatenate([[1e-4], np.full(shapes.shape[1] - 1, 1.0 / BEND**2)])
    plain = _misfit(y - shapes @ _ridge(shapes, y, weight, prior), seconds)
    best: tuple[float, float, Floats] | None = None
    for knee in np.log(KNEES):
        if seconds[x > knee].sum() < LEAST_BEYOND_S:
            continue
        columns = np.column_stack([shapes, np.maximum(0.0, x - knee)])
        theta = _ridge(columns, y, weight, np.append(prior, 1.0))
        misfit = _misfit(y - columns @ theta, seconds)
        if best is None or misfit < best[0]:
            best = misfit, float(knee), theta
    if best is None:
        return None
    misfit, knee, theta = best
    columns = np.column_stack([shapes, np.maximum(0.0, x - knee)])
    error = _slope_error(columns, y, theta, weight, np.append(prior, 1.0), run)
    slope = float(theta[-1])
    gain = slope * max(0.0, float(x.max()) - knee)
    told = slope > LEAST_SLOPE and slope > SURE * error
    if not told or plain < BETTER * misfit or gain < LEAST_GAIN:
        return None
    return knee, slope, error


def _ridge(columns: Floats, y: Floats, weight: Floats, prior: Floats) -> Floats:
    matrix = (columns * weight[:, None]).T @ columns + np.diag(prior)
    return np.asarray(np.linalg.solve(matrix, columns.T @ (weight * y)))


def _misfit(residual: Floats, seconds: Floats) -> float:
    return float((seconds * np.minimum(residual**2, WILD**2)).sum())


def _slope_error(
    columns: Floats, y: Floats, theta: Floats, weight: Floats, prior: Floats, run: Ints
) -> float:
    """Standard error of the last unknown, from how the runs disagree (the sandwich of clustered data)."""
    residual = y - columns @ theta
    matrix = (columns * weight[:, None]).T @ columns + np.diag(prior)
    scores = np.zeros((int(run.max()) + 1, columns.shape[1]))
    np.add.at(scores, run, columns * (weight * residual)[:, None])
    inverse = np.linalg.inv(matrix)
    spread = inverse @ (scores.T @ scores + np.diag(prior)) @ inverse
    return float(np.sqrt(spread[-1, -1]))
