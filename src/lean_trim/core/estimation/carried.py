"""What one drive said of the table, gathered by place, so that later drives need not be without it.

A place is a sixteenth of a cell. What is kept of it does not hang on the table that was driven: the value
the table would have to hold there. Another table of the same kind, with other cells or other breakpoints,
is told by it as well.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Interpolation, Table
from lean_trim.core.estimation.cell_evidence import MIN_SHARE, SEEN_S, Evidence
from lean_trim.core.estimation.estimate import FitState
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.estimation.samples import numbers_of
from lean_trim.core.types import Floats, Mask

BETWEEN_DRIVES = 0.004
"""How far two drives of one day lie apart at one place for reasons nobody logs, as a share (a choice,
about what no table holds of a place)."""


@dataclass(frozen=True, eq=False)
class PlaceMeans:
    """What a drive said at each of p places.

    Attributes
    ----------
    at : where, in the units of the table's axes, (axes, p).
    wanted : value the table would have to hold there, (p,).
    weight : relative precision times seconds, (p,).
    seconds : used driving, (p,).
    others_pct : what errors of other VE tables may make of it, percent, (p,).
    rpm, map_kpa : means of what was logged, NaN where it was not, (p,).
    unit : precision of ln wanted per weight.
    scatter : standard deviation of one sample.
    """

    at: Floats
    wanted: Floats
    weight: Floats
    seconds: Floats
    others_pct: Floats
    rpm: Floats
    map_kpa: Floats
    unit: float
    scatter: float

    def __len__(self) -> int:
        return len(self.wanted)

    @property
    def noise(self) -> Floats:
        """Variance of ln wanted at each place, of this drive alone, (p,).

        A visit shorter than samples stay alike is no worse than one sample.
        """
        long = 1.0 / np.maximum(self.weight * self.unit, 1e-12)
        return np.asarray(np.minimum(long, self.scatter**2) + BETWEEN_DRIVES**2)

    def only(self, keep: Mask) -> PlaceMeans:
        """The places where ``keep``, (p,), is True."""
        return PlaceMeans(
            at=self.at[:, keep],
            wanted=self.wanted[keep],
            weight=self.weight[keep],
            seconds=self.seconds[keep],
            others_pct=self.others_pct[keep],
            rpm=self.rpm[keep],
            map_kpa=self.map_kpa[keep],
            unit=self.unit,
            scatter=self.scatter,
        )


@dataclass(frozen=True, eq=False)
class Carried:
    """Earlier drives as readings of the present table, one a place.

    Attributes
    ----------
    mesh : cells and weights read, (m, corners).
    k : factor by which the present table would have to be multiplied there, (m,).
    precision : one over the variance of that, less for age, (m,).
    seconds : driving behind it, (m,).
    """

    mesh: Interpolation
    k: Floats
    precision: Floats
    seconds: Floats

    def __len__(self) -> int:
        return len(self.k)

    def evidence(self, table: Table) -> Evidence:
        """Seconds behind each cell; a cell that was driven counts one visit.

        Parameters
        ----------
        table : the present one.

        Returns
        -------
        In its shape.
        """
        share = self.mesh.weights * self.seconds[:, None]
        cells = self.mesh.cells
        shape = table.shape
        seconds: Floats = np.bincount(cells.ravel(), share.ravel(), table.size).astype(float)
        near = np.where(self.mesh.weights >= MIN_SHARE, share, 0.0)
        seen = np.bincount(cells.ravel(), near.ravel(), table.size) >= SEEN_S
        square: Floats = np.bincount(cells[:, 0], self.seconds, table.size).astype(float)
        return Evidence(
            seconds.reshape(shape), seen.astype(np.intp).reshape(shape), square.reshape(shape)
        )


def place_means(
    table: Table,
    observations: Observations,
    at: Sequence[Floats],
    engine: tuple[Floats, Floats],
    left: Floats,
    state: FitState,
    huber: float,
) -> PlaceMeans:
    """Gather a drive by place.

    Parameters
    ----------
    table : that was driven on.
    observations : used samples, less what film, warm-up and other causes explain.
    at : coordinates of each, (m,) by axis.
    engine : engine speed and manifold pressure of each, (m,); NaN where not known.
    left : what the fit does not explain of each, (m,); wild samples lose influence.
    state : where the fit ended.
    huber : standard deviations from which a sample is wild.

    Returns
    -------
    The places.
    """
    o = observations
    far = np.abs(left) / (huber * state.scale)
    weight = o.weight / np.maximum(far, 1.0)
    numbers, inverse = np.unique(numbers_of(o.mesh), return_inverse=True)
    count = len(numbers)

    def total(values: Floats) -> Floats:
        return np.asarray(np.bincount(inverse, values, count), float)

    whole = total(weight)

    def mean(values: Floats) -> Floats:
        return total(weight * values) / whole

    # An ECU reads the end of an axis for all that lies beyond.
    ends = [(axis.points[0], axis.points[-1]) for axis in table.axes]
    inside = [np.clip(a, *end) for a, end in zip(at, ends, strict=True)]
    where = np.array([mean(a) for a in inside]).reshape(len(at), count)
    others = np.zeros(len(o)) if o.others_pct is None else o.others_pct
    return PlaceMeans(
        at=where,
        wanted=mean(o.k) * table.lookup(*where),
        weight=whole,
        seconds=total(o.seconds),
        others_pct=mean(others),
        rpm=mean(engine[0]),
        map_kpa=mean(engine[1]),
        unit=1.0 / (state.scale**2 * state.inflation),
        scatter=state.scale,
    )


def no_readings(table: Table) -> Carried:
    """Nothing carried."""
    corners = 2 ** len(table.axes)
    mesh = Interpolation(np.empty((0, corners), np.intp), np.empty((0, corners)))
    return Carried(mesh, *np.empty((3, 0)))


def as_carried(parts: Sequence[PlaceMeans], off: Sequence[float], table: Table) -> Carried:
    """Drives as readings of a table; what lies outside its breakpoints says nothing of it.

    Parameters
    ----------
    parts : drives.
    off : how far each may be off by its age, as a share.
    table : the present one.

    Returns
    -------
    One reading a place and drive; none where there is no drive.
    """
    meshes: list[Interpolation] = []
    columns: list[Floats] = []
    for means, share in zip(parts, off, strict=True):
        inside = means.only(table.inside(*means.at) & (means.wanted > 0.0))
        doubt = share**2 + BETWEEN_DRIVES**2 + (inside.others_pct / 100.0) ** 2
        precision = 1.0 / (1.0 / np.maximum(inside.weight * inside.unit, 1e-12) + doubt)
        k = inside.wanted / table.lookup(*inside.at)
        meshes.append(table.interpolate(*inside.at))
        columns.append(np.array([k, precision, inside.seconds]))
    if not meshes:
        return no_readings(table)
    mesh = Interpolation(
        np.concatenate([m.cells for m in meshes]), np.concatenate([m.weights for m in meshes])
    )
    return Carried(mesh, *np.concatenate(columns, axis=1))


@dataclass(frozen=True)
class Agreement:
    """How an earlier drive agrees with the present one, at the places both visited.

    Attributes
    ----------
    places : how many those are.
    apart_pct : mean of the present drive against the earlier, percent; NaN where there is no place.
    spread_pct : root mean square about that mean beyond what noise explains, percent.
    error_pct : standard error of the mean.
    """

    places: int
    apart_pct: float
    spread_pct: float
    error_pct: float


def agreement(own: PlaceMeans, earlier: PlaceMeans, table: Table) -> Agreement:
    """Hold an earlier drive against the present one.

    Parameters
    ----------
    own, earlier : drives.
    table : whose cells tell which places are the same.

    Returns
    -------
    The comparison.
    """
    here, there = (_by_place(means, table) for means in (own, earlier))
    _, a, b = np.intersect1d(here[0], there[0], return_indices=True)
    if not len(a):
        return Agreement(0, np.nan, np.nan, np.nan)
    apart = np.log(here[1][a] / there[1][b])
    variance = here[2][a] + there[2][b]
    weight = 1.0 / variance
    mean = float(np.sum(weight * apart) / weight.sum())
    beyond = max(float(np.sum(weight * ((apart - mean) ** 2 - variance)) / weight.sum()), 0.0)
    error = np.sqrt((1.0 + beyond * weight.mean()) / weight.sum())
    return Agreement(len(a), 100.0 * mean, 100.0 * float(np.sqrt(beyond)), 100.0 * float(error))


def _by_place(means: PlaceMeans, table: Table) -> tuple[Floats, Floats, Floats]:
    """Numbers of places, factor against the table there, variance of its logarithm."""
    inside = means.only(table.inside(*means.at) & (means.wanted > 0.0))
    mesh = table.interpolate(*inside.at)
    numbers, first = np.unique(numbers_of(mesh), return_index=True)
    k = inside.wanted / table.lookup(*inside.at)
    return numbers.astype(float), k[first], inside.noise[first]
