"""Used samples gathered by place, where flow, dead time and airflow show between places and not within."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core import physics
from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.drive.coordinates import DEFAULT_VOLTS, stoich_along
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.shared_terms import Term
from lean_trim.core.errors import LogError
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Ints, Mask


class Say:
    """Sentences of this module."""

    NO_DATA = Message(
        "injectors.no_data",
        "{name}: neither pulse width, duty nor known injector data to work it out from; without an open time "
        "nothing can be told of injectors",
    )
    CONSTANT = Message(
        "injectors.constant",
        "{name}: the open time hardly moves ({low:.2f} to {high:.2f} ms); flow and dead time cannot be told "
        "apart",
    )


PER_CELL = 4
"""Places to a cell along each axis of a grid; steps of a curve are halved and split by engine speed."""
PER_POINT = 2
RPM_STEP = 100.0
LEAST_OPEN_MS = 0.2
"""Below it no injector meters (common practice, no source)."""
LEAST_SPREAD = 0.15
"""Share by which open times have to differ for anything to be told."""


def open_time_ms(frame: Frame) -> Floats:
    """Time the ECU lets fuel flow by its own reckoning: pulse width less its dead time.

    Without a pulse width it follows from the ECU's own equation: air, target, trims and flow.

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    ms, shape (n,); NaN where it is not known.

    Raises
    ------
    LogError
        If neither way is open.
    """
    log = frame.log
    injectors = frame.vehicle.injectors
    if Role.PULSE_WIDTH in log and len(injectors.volts):
        volts = held(log[Role.BATTERY]) if Role.BATTERY in log else np.full(len(log), DEFAULT_VOLTS)
        volts = np.where(np.isfinite(volts), volts, DEFAULT_VOLTS)
        open_ms = injectors.open_time_ms(log[Role.PULSE_WIDTH], volts)
    elif np.isfinite(injectors.flow_g_per_s):
        fuel_g = frame.air_g * frame.trim / (stoich_along(log, frame.vehicle) * frame.target)
        open_ms = 1000.0 * fuel_g / injectors.flow_g_per_s
    else:
        raise LogError(Say.NO_DATA(name=log.name))
    return np.where(open_ms > LEAST_OPEN_MS, open_ms, np.nan)


@dataclass(frozen=True, eq=False)
class Places:
    """What is known at each place; p places, q shared terms.

    Attributes
    ----------
    cells : cells a place reads, shape (p, corners); ``shares`` how much of each, the same shape.
    y : mean of ln k, shape (p,).
    open_ms : mean open time, shape (p,).
    terms : means of the shared terms, shape (p, q).
    weight : seconds at a sample's full worth, shape (p,).
    within, within_y : weighted products of the terms' deviations from their place's mean with each other,
        (q, q), and with those of ln k, (q,).
    seconds : driven, shape (p,).
    names : of the terms.
    """

    cells: Ints
    shares: Floats
    y: Floats
    open_ms: Floats
    terms: Floats
    weight: Floats
    within: Floats
    within_y: Floats
    seconds: Floats
    names: tuple[Term, ...]

    def __len__(self) -> int:
        return len(self.y)


def gather(frame: Frame, observations: Observations, residual: Floats, scale: float, huber: float) -> Places:
    """Sums by place, robustly weighted.

    Parameters
    ----------
    frame : a log seen through its calibration.
    observations : used samples.
    residual : of the surface fit at each of them, shape (m,); wild samples lose influence.
    scale : its robust standard deviation.
    huber : standard deviations from which they do.

    Returns
    -------
    The places.

    Raises
    ------
    LogError
        If there is no open time, or it hardly moves.
    """
    open_ms = open_time_ms(frame)[observations.index]
    k = observations.k
    good = np.isfinite(open_ms) & np.isfinite(k) & (k > 0.0)
    _refuse_constant(frame, open_ms[good])
    used = observations.only(good)
    y, e = np.log(used.k), open_ms[good]
    far = np.abs(residual[good]) / (huber * scale)
    weight = used.weight / np.maximum(far, 1.0)
    place = _place_of(frame, used)
    _, first, inverse = np.unique(place, return_index=True, return_inverse=True)
    count = len(first)

    def sums(values: Floats) -> Floats:
        return np.asarray(np.bincount(inverse, values, count), float)

    total = sums(weight)
    terms = np.array([sums(weight * t) / total for t in used.terms.values]).reshape(-1, count).T
    mean_y = sums(weight * y) / total
    apart = used.terms.values - terms[inverse].T
    return Places(
        cells=used.mesh.cells[first],
        shares=np.stack([sums(weight * w) / total for w in used.mesh.weights.T], axis=1),
        y=mean_y,
        # The mean first: the inverse of a noisy open time is too large on average.
        open_ms=sums(weight * e) / total,
        terms=terms,
        weight=total,
        within=(apart * weight) @ apart.T,
        within_y=(apart * weight) @ (y - mean_y[inverse]),
        seconds=sums(used.seconds),
        names=used.terms.names,
    )


def _refuse_constant(frame: Frame, open_ms: Floats) -> None:
    if not len(open_ms):
        raise LogError(Say.NO_DATA(name=frame.log.name))
    low, high = (float(x) for x in np.percentile(open_ms, [2.0, 98.0]))
    if high < low * (1.0 + LEAST_SPREAD):
        raise LogError(Say.CONSTANT(name=frame.log.name, low=low, high=high))


def _place_of(frame: Frame, used: Observations) -> Ints:
    """A number for the place of each sample: a part of a cell."""
    weights = used.mesh.weights
    base = used.mesh.cells[:, 0].astype(np.int64)
    if weights.shape[1] == 2:
        part = np.minimum((PER_POINT * weights[:, 1]).astype(np.int64), PER_POINT - 1)
        speed = (frame.log[Role.RPM][used.index] / RPM_STEP).astype(np.int64)
        return (base * PER_POINT + part) * 1000 + speed
    across = weights[:, 1] + weights[:, 3]
    up = weights[:, 2] + weights[:, 3]
    parts = [np.minimum((PER_CELL * x).astype(np.int64), PER_CELL - 1) for x in (up, across)]
    return (base * PER_CELL + parts[0]) * PER_CELL + parts[1]


def fuel_per_pulse_mg(frame: Frame, open_ms: Floats) -> Floats:
    """Fuel of a pulse by the sheet's flow.

    Parameters
    ----------
    frame : a log seen through its calibration.
    open_ms : shape (n,).

    Returns
    -------
    mg, shape (n,); NaN where the flow is not known.
    """
    return physics.injected_fuel_g(open_ms, 0.0, frame.vehicle.injectors.flow_g_per_s) * 1000.0


def driven_cells(places: Places, size: int) -> Mask:
    """Cells that any place reads.

    Parameters
    ----------
    places : of a drive.
    size : cells of the table.

    Returns
    -------
    Flat.
    """
    seen = np.zeros(size, bool)
    seen[places.cells[places.shares > 1e-6]] = True
    return seen
