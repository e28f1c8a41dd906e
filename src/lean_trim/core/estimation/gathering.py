"""Observations of log after log, kept as the forty bytes a sample that the fit needs of them.

A batch of logs does not fit into memory as logs; what the fit asks of it does.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lean_trim.core.data.tables import Interpolation, Table
from lean_trim.core.drive.nuisance_terms import SharedTerms, Term
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.estimation.samples import Samples, place_numbers, places_per_square
from lean_trim.core.estimation.surface_fit import BLOCK, BLOCKS
from lean_trim.core.types import Floats, Places, Rows

TERMS = tuple(Term)
"""All terms there can be; the film comes first."""
FIRST_TERM = 5
"""Row in which they begin, as in ``kernels.fit_loops``."""


class Gathering:
    """What has been gathered so far.

    Parameters
    ----------
    table : that all logs are corrected for.
    logs : how many there will be; decides how much of each is kept to read the noise from.
    """

    def __init__(self, table: Table, logs: int) -> None:
        self.table = table
        self._rows: list[list[Rows]] = []
        self._places: list[Places] = []
        self._probes: list[Observations] = []
        self._stretches = max(1, BLOCKS // logs)
        self._every = -(-logs // BLOCKS)

    def __len__(self) -> int:
        return sum(len(places) for places in self._places)

    def add(self, observations: Observations) -> Observations:
        """Take what is needed of one log's observations.

        Parameters
        ----------
        observations : of one log, in time order.

        Returns
        -------
        The same with all terms, as ``with_all_terms``.
        """
        o = with_all_terms(observations)
        number = len(self._places)
        self._rows.append(_rows_of(o))
        self._places.append(place_numbers(o))
        if number % self._every == 0 and len(o):
            self._probes += _stretches(o, self._stretches)
        return o

    def samples(self) -> Samples:
        """All of them, sorted by place; the gathering is empty afterwards: they are held only once."""
        shown = [TERMS.index(t) for t in TERMS if t is Term.FILM or self._shows(t)]
        place = np.concatenate(self._places)
        order = np.argsort(place, kind="stable")
        numbers, first = np.unique(place[order], return_index=True)
        columns = [*range(FIRST_TERM), *(FIRST_TERM + j for j in shown)]
        rows = np.empty((len(columns), len(order)), np.float32)
        for row, j in zip(rows, columns, strict=True):
            row[:] = np.concatenate([parts[j] for parts in self._rows])[order]
            for parts in self._rows:
                parts[j] = row[:0]
        probe = _joined(self._probes)
        self._rows = []
        self._places = []
        self._probes = []
        terms = SharedTerms(tuple(TERMS[j] for j in shown), probe.terms.values[shown])
        return Samples(
            terms.names,
            rows,
            np.append(first, len(order)),
            numbers.astype(np.intp) // places_per_square(self.table),
            replace(probe, terms=terms),
            np.searchsorted(numbers, place_numbers(probe)).astype(np.int32),
        )

    def _shows(self, term: Term) -> bool:
        return any(parts[FIRST_TERM + TERMS.index(term)].any() for parts in self._rows)


def with_all_terms(observations: Observations) -> Observations:
    """With all terms in the order of ``TERMS``, so that sums over logs have the same shape.

    Those that cannot show have a course of zeros.
    """
    terms = observations.terms
    values = np.zeros((len(TERMS), terms.values.shape[1]))
    for name, course in zip(terms.names, terms.values, strict=True):
        values[TERMS.index(name)] = course
    return replace(observations, terms=SharedTerms(TERMS, values))


def _rows_of(o: Observations) -> list[Rows]:
    """Rows as ``kernels.fit_loops`` describes them, in time order, each with memory of its own."""
    w = o.mesh.weights
    grid = w.shape[1] == 4
    along = w[:, 1] + w[:, 3] if grid else w[:, 1]
    across = w[:, 2] + w[:, 3] if grid else np.zeros(len(o))
    columns = [along, across, o.k - 1.0, o.weight, o.seconds / o.weight, *o.terms.values]
    return [np.array(column, np.float32) for column in columns]


def _stretches(o: Observations, count: int) -> list[Observations]:
    """So many stretches of neighbouring observations, evenly spread; all in one if there are no more."""
    if len(o) <= count * BLOCK:
        return [o]
    starts = np.linspace(0, len(o) - BLOCK, count).astype(int)
    place = np.arange(len(o))
    return [o.only((place >= start) & (place < start + BLOCK)) for start in starts]


def _joined(parts: Sequence[Observations]) -> Observations:
    """Stretches end to end, each with runs of its own."""

    def whole(name: str) -> Floats:
        return np.concatenate([getattr(p, name) for p in parts])

    above = np.cumsum([0, *(int(p.run.max()) + 1 for p in parts)])
    return Observations(
        np.concatenate([p.index for p in parts]),
        whole("k"),
        whole("weight"),
        whole("seconds"),
        np.concatenate([p.run + a for p, a in zip(parts, above, strict=False)]),
        Interpolation(
            np.concatenate([p.mesh.cells for p in parts]),
            np.concatenate([p.mesh.weights for p in parts]),
        ),
        SharedTerms(TERMS, np.concatenate([p.terms.values for p in parts], axis=1)),
    )
