"""Airflow tables: a grid over rpm × MAP or a curve over a sensor signal, with the ECU's own interpolation."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lean_trim.core.errors import TableError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Ints


class Say:
    """Sentences of this module."""

    CURVE_FALLS = Message(
        "tables.curve_falls",
        "{name}: airflow falls from {flow:g} to {following:g} g/s; it must rise",
    )
    POINT_COUNT = Message(
        "tables.point_count", "{label} has {size} points; allowed are 2 to {most}"
    )
    POINT_NOT_FINITE = Message(
        "tables.point_not_finite",
        "{label} has no number at point {where}; every point must be a finite number",
    )
    AXIS_NOT_RISING = Message(
        "tables.axis_not_rising",
        "{label} is not rising: {a:g} is followed by {b:g}; sort it strictly rising",
    )
    SHAPE_DIFFERS = Message(
        "tables.shape_differs",
        "{name} has shape {shape}, its axes make it {expected} (rows, columns)",
    )
    CELL_NOT_POSITIVE = Message(
        "tables.cell_not_positive", "{name}: {value:g} at {place} is not a number above 0"
    )


MAX_POINTS = 512
"""Most breakpoints of an axis (a choice: beyond any ECU, so that a slip is refused)."""


@dataclass(frozen=True)
class OwnUnit:
    """How the ECU's own numbers follow from ours: own = ours · scale + offset, with scale above 0.

    A VE held as a fraction has a scale of 0.01; a fuel trim of +3 % is what a correction
    multiplies, 103, with an offset of -100; an injection time may include a dead time.
    """

    unit: str
    scale: float = 1.0
    offset: float = 0.0

    def own(self, ours: ArrayLike) -> Floats:
        """Our numbers as the ECU has them.

        Parameters
        ----------
        ours : any shape.

        Returns
        -------
        The same shape.
        """
        return np.asarray(ours, float) * self.scale + self.offset

    def ours(self, own: ArrayLike) -> Floats:
        """The ECU's numbers as we have them.

        Parameters
        ----------
        own : any shape.

        Returns
        -------
        The same shape.
        """
        return (np.asarray(own, float) - self.offset) / self.scale


@dataclass(frozen=True, eq=False)
class Axis:
    """A strictly rising axis of 2 to 512 finite points with a name and a unit.

    ``own`` is how the ECU counts it, None if as we do.
    """

    name: str
    unit: str
    points: Floats
    own: OwnUnit | None = None

    def __post_init__(self) -> None:
        points = np.array(self.points, dtype=float)
        label = f"the {self.name} axis"
        if points.ndim != 1 or not 2 <= len(points) <= MAX_POINTS:
            raise TableError(Say.POINT_COUNT(label=label, size=points.size, most=MAX_POINTS))
        if not np.isfinite(points).all():
            where = int(np.flatnonzero(~np.isfinite(points))[0]) + 1
            raise TableError(Say.POINT_NOT_FINITE(label=label, where=where))
        drops = np.flatnonzero(np.diff(points) <= 0)
        if len(drops):
            a = points[drops[0]]
            b = points[drops[0] + 1]
            raise TableError(Say.AXIS_NOT_RISING(label=label, a=a, b=b))
        points.setflags(write=False)
        object.__setattr__(self, "points", points)

    def __len__(self) -> int:
        return len(self.points)

    @property
    def shown(self) -> Floats:
        """The points as the ECU counts them, shape (n,)."""
        # Points of 14.7 psi are kept in kPa; what comes back has to look as it was written.
        return self.points if self.own is None else np.round(self.own.own(self.points), 6)

    @property
    def shown_unit(self) -> str:
        """The unit the ECU counts it in."""
        return self.unit if self.own is None else self.own.unit

    def locate(self, at: ArrayLike) -> tuple[Ints, Floats]:
        """Lower point index and fraction towards the next one, clamped to the ends as an ECU does.

        NaN stays NaN in the fraction (with index 0).

        Parameters
        ----------
        at : coordinates in the axis' unit, shape (n,).

        Returns
        -------
        Index of the point at or below, and fraction of the way to the next, 0 to 1; both of shape
        (n,).
        """
        x = np.clip(np.asarray(at, float), self.points[0], self.points[-1])
        # The last point belongs to the last interval, or there would be none to its right.
        low = np.clip(np.searchsorted(self.points, x, side="right") - 1, 0, len(self.points) - 2)
        # A sample without a place still needs an index; its weight is what stays NaN.
        low = np.where(np.isnan(x), 0, low)
        fraction = (x - self.points[low]) / (self.points[low + 1] - self.points[low])
        return low.astype(np.intp), fraction

    def inside(self, at: ArrayLike) -> NDArray[np.bool_]:
        """True where the value lies within the axis.

        Parameters
        ----------
        at : coordinates in the axis' unit, shape (n,).

        Returns
        -------
        True from the first to the last point; False for NaN, shape (n,).
        """
        x = np.asarray(at, float)
        return np.asarray((x >= self.points[0]) & (x <= self.points[-1]))


@dataclass(frozen=True, eq=False)
class Interpolation:
    """Cells and weights each sample reads: ``cells`` and ``weights`` have shape (n, corners).

    Weights add to 1.
    """

    cells: Ints
    weights: Floats


@dataclass(frozen=True, eq=False)
class Table:
    """Values over one axis (a curve) or two (rows = first axis, columns = second axis).

    ``values`` is what a correction multiplies; ``own`` is how the ECU counts it, None if as we do.

    Raises
    ------
    TableError
        If the shape does not fit the axes or a cell is not a positive finite number.
    """

    axes: tuple[Axis, ...]
    values: Floats
    unit: str
    name: str = field(default="")
    own: OwnUnit | None = None

    def __post_init__(self) -> None:
        values = np.array(self.values, dtype=float)
        if values.shape != self.shape:
            raise TableError(
                Say.SHAPE_DIFFERS(
                    name=self.name or "the table", shape=values.shape, expected=self.shape
                )
            )
        bad = np.argwhere(~(np.isfinite(values) & (values > 0)))
        if len(bad):
            place = " / ".join(
                f"{a.name} {a.points[i]:g}" for a, i in zip(self.axes, bad[0], strict=True)
            )
            value = values[tuple(bad[0])]
            raise TableError(
                Say.CELL_NOT_POSITIVE(name=self.name or "the table", value=value, place=place)
            )
        # A table is a value: shared by rounds, threads and views, it must not change under them.
        values.setflags(write=False)
        object.__setattr__(self, "values", values)

    @property
    def shape(self) -> tuple[int, ...]:
        """Cells along each axis."""
        return tuple(len(a) for a in self.axes)

    @property
    def shown(self) -> Floats:
        """The ECU's own numbers, in the table's shape."""
        return self.own_of(self.values)

    @property
    def shown_unit(self) -> str:
        """The unit the ECU counts cells in."""
        return self.unit if self.own is None else self.own.unit

    def own_of(self, values: Floats) -> Floats:
        """Values of this table's kind as the ECU counts them.

        Parameters
        ----------
        values : what a correction multiplies, any shape.

        Returns
        -------
        The same shape.
        """
        return values if self.own is None else np.round(self.own.own(values), 9)

    @property
    def size(self) -> int:
        """Number of cells."""
        return int(np.prod(self.shape))

    def with_values(self, values: ArrayLike) -> Table:
        """The same axes and unit with other cells.

        Parameters
        ----------
        values : as many as the table has cells, in any shape that holds them in row order.

        Returns
        -------
        A new table; this one stays as it is.
        """
        return Table(
            self.axes, np.asarray(values, float).reshape(self.shape), self.unit, self.name, self.own
        )

    def same_axes(self, other: Table) -> bool:
        """True if both tables have the same axis points.

        Returns true if the cells of both stand for the same states.
        """
        return self.shape == other.shape and all(
            a is b or np.array_equal(a.points, b.points)
            for a, b in zip(self.axes, other.axes, strict=True)
        )

    def interpolate(self, *at: ArrayLike) -> Interpolation:
        """Cells and weights for coordinates given in the order of ``axes``, each of shape (n,).

        Parameters
        ----------
        *at : one array per axis, each of shape (n,), in the axis' unit.

        Returns
        -------
        Cells and weights an ECU reads, clamped to the ends of the axes; NaN weights where a
        coordinate is NaN.
        """
        cells = np.zeros((np.size(at[0]), 1), np.intp)
        weights = np.ones((np.size(at[0]), 1))
        for axis, x in zip(self.axes, at, strict=True):
            low, fraction = axis.locate(x)
            pair = np.stack([low, low + 1], axis=1)
            share = np.stack([1.0 - fraction, fraction], axis=1)
            # Axis by axis, so that a curve and a grid are the same loop, and three axes would be
            # too.
            cells = (cells[:, :, None] * len(axis) + pair[:, None, :]).reshape(len(pair), -1)
            weights = (weights[:, :, None] * share[:, None, :]).reshape(len(pair), -1)
        return Interpolation(cells, weights)

    def lookup(self, *at: ArrayLike) -> Floats:
        """Interpolated value at each coordinate, shape (n,).

        Parameters
        ----------
        *at : one array per axis, each of shape (n,), in the axis' unit.

        Returns
        -------
        In the table's unit, shape (n,); NaN where a coordinate is NaN.
        """
        mesh = self.interpolate(*at)
        return np.asarray(np.einsum("ij,ij->i", mesh.weights, self.values.ravel()[mesh.cells]))

    def nearest(self, *at: ArrayLike) -> Ints:
        """Flat index of the cell nearest to each coordinate (in units of the local axis step).

        Parameters
        ----------
        *at : one array per axis, each of shape (n,), in the axis' unit.

        Returns
        -------
        Flat index in row order, shape (n,).
        """
        cell = np.zeros(np.size(at[0]), np.intp)
        for axis, x in zip(self.axes, at, strict=True):
            low, fraction = axis.locate(x)
            # Nearest by index, not by unit: that is the cell whose weight is largest.
            cell = cell * len(axis) + low + (np.nan_to_num(fraction) >= 0.5)
        return cell

    def inside(self, *at: ArrayLike) -> NDArray[np.bool_]:
        """True where every coordinate lies within its axis.

        Parameters
        ----------
        *at : one array per axis, each of shape (n,), in the axis' unit.

        Returns
        -------
        True where the ECU reads the table without clamping, shape (n,).
        """
        return np.asarray(
            np.logical_and.reduce([a.inside(x) for a, x in zip(self.axes, at, strict=True)])
        )


def ve_table(rpm: ArrayLike, map_kpa: ArrayLike, ve_pct: ArrayLike, name: str = "VE") -> Table:
    """A VE table in percent: rows over MAP (kPa absolute), columns over engine speed.

    Parameters
    ----------
    rpm : columns, 1/min, strictly rising.
    map_kpa : rows, kPa absolute, strictly rising.
    ve_pct : percent, shape (rows, columns), > 0.
    name : of the table.

    Returns
    -------
    The table.

    Raises
    ------
    TableError
        If axes or cells are impossible.
    """
    rows = Axis("MAP", "kPa", np.asarray(map_kpa, float))
    columns = Axis("engine speed", "rpm", np.asarray(rpm, float))
    return Table((rows, columns), np.asarray(ve_pct, float), "%", name)


MAF_RANGES = {"Hz": (0.0, 30_000.0), "V": (0.0, 15.0), "g/s": (0.0, 5000.0)}
"""Any sensor's signal and any engine's airflow (common practice, no source)."""


def maf_curve(
    signal: ArrayLike,
    g_per_s: ArrayLike,
    signal_unit: str = "Hz",
    name: str = "MAF",
    signal_own: OwnUnit | None = None,
    flow_own: OwnUnit | None = None,
) -> Table:
    """A mass-airflow curve in g/s over sensor frequency (Hz) or voltage (V); it must rise.

    Parameters
    ----------
    signal : Hz or V, strictly rising, shape (n,).
    g_per_s : airflow at each point, g/s, > 0, never falling, shape (n,).
    signal_unit : "Hz" or "V".
    name : of the curve.
    signal_own, flow_own : how the ECU counts them, None if as we do.

    Returns
    -------
    The curve.

    Raises
    ------
    TableError
        If the axis is impossible or airflow falls.
    """
    flow = np.asarray(g_per_s, float)
    # A sensor that shows more for less air does not exist; a falling curve is a typing slip.
    drops = np.flatnonzero(np.diff(flow) < 0)
    if len(drops):
        raise TableError(
            Say.CURVE_FALLS(name=name, flow=flow[drops[0]], following=flow[drops[0] + 1])
        )
    axis = Axis("MAF signal", signal_unit, np.asarray(signal, float), signal_own)
    return Table((axis,), flow, "g/s", name, flow_own)
