"""Samples of a surface fit in the order of their places, and what their noise is read from."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trim.core.data.tables import Interpolation, Table
from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Ints, Places, Rows

PLACES = 4
"""Parts of a cell along each axis; what the table cannot hold counts once for each."""


@dataclass(frozen=True, eq=False)
class Samples:
    """Samples sorted by place.

    Attributes
    ----------
    names : terms all samples share, in order.
    rows, starts, base : (5 + q, m), (places + 1,) and (places,); see ``kernels.fit_loops``.
    probe : samples in time order, of which some stretches tell the noise; all of them, or enough.
    probe_place : place of each of those, among the ones that hold samples.
    """

    names: tuple[Term, ...]
    rows: Rows
    starts: Ints
    base: Ints
    probe: Observations
    probe_place: Places


def place_numbers(observations: Observations) -> Places:
    """Number of the place each sample lies in, gaps among the numbers, shape (m,).

    Parameters
    ----------
    observations : m of them.
    """
    return numbers_of(observations.mesh)


def numbers_of(mesh: Interpolation) -> Places:
    """The same for readings of a table.

    Parameters
    ----------
    mesh : cells and weights of each, (m, corners).
    """
    from lean_trim.core.kernels.fit_loops import place_of

    return place_of(mesh.cells, mesh.weights, PLACES)


def places_per_square(table: Table) -> int:
    """Places a square of a grid, or an interval of a curve, is divided into."""
    return int(PLACES ** len(table.axes))


def sorted_samples(observations: Observations, table: Table) -> Samples:
    """Put the observations of one drive in the order of their places.

    Parameters
    ----------
    observations : in time order.
    table : that they read.

    Returns
    -------
    What a fit runs over.
    """
    from lean_trim.core.kernels.fit_loops import sort_rows

    o = observations
    per_square = places_per_square(table)
    rows, starts, base, place = sort_rows(
        o.mesh.cells,
        o.mesh.weights,
        o.k,
        o.terms.values,
        o.weight,
        o.seconds,
        place_numbers(o),
        table.size * per_square,
        per_square,
    )
    return Samples(o.terms.names, rows, starts, base, o, place)
