"""How much fuel quick changes needed beyond the steady amount, how much they got, and what to write instead.

With the film known, the fuel to inject for a mixture on target follows from the film's own equation; what the
ECU injected is in the pulse width. Both over what steady running would take are two traces; an amount and a
decay are read from each. What is proposed is a multiple of what the ECU adds in its own way, or, where it
adds nothing and after fuel cuts, an amount that fades. A little rich is accepted and lean is not: of all
multiples the one is taken that costs least, lean counted several times. A gear change is no matter of fuel
alone: nothing is proposed for it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import partial

import numpy as np

from lean_trim.core.drive.film import GAP_S
from lean_trim.core.messages import Message, Said
from lean_trim.core.transients.classes import TransientClass
from lean_trim.core.transients.errors import AFTER_S, BEFORE_S, GRID, GRID_S
from lean_trim.core.transients.events import Kind
from lean_trim.core.transients.quick_changes import Rows
from lean_trim.core.transients.wall_film import MAP_LAG, TAU, WallFilm, cylinder_mixture, film_share
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    TIMES = Message(
        "needed.times",
        "{percent:.0f} % of what the ECU adds, so {amount:+.1f} % at first, fading over {decay:.2f} s",
    )
    NEW = Message(
        "needed.new", "{amount:+.1f} % at first, fading over {decay:.2f} s; the ECU adds next to nothing"
    )
    INSTEAD = Message(
        "needed.instead",
        "{amount:+.1f} % at first, fading over {decay:.2f} s, where the ECU has {given:+.1f} %",
    )
    ENOUGH = Message("needed.enough", "as it is")


LEANED = (Kind.TIP_OUT, Kind.LIFT)
LEAST_PCT = 1.5
"""Amounts below this are noise."""
WITHIN_S = 1.0
"""An amount is looked for so long after the edge."""
ENOUGH_PCT = 2.0
"""A difference that is not worth a change (common practice, no source)."""
LEAN_PCT = 3.0
MOST_TAKEN_PCT = 50.0
"""More than half taken back is a fuel cut (common practice, no source)."""
LEAST_DECAY_S = 0.05
FADED = 0.1
OWN_SHARE = 0.3
"""Share of the needed amount below which an ECU adds next to nothing in a way of its own."""
SHARES = np.round(np.arange(0.0, 1.75, 0.1), 1)
MULTIPLES = np.round(np.arange(0.0, 4.05, 0.1), 1)
"""Of the needed amount, and of what the ECU adds, that are tried."""
LEAN_COUNTS = 15.0
"""How many times a lean error counts for a rich one (common practice, no source)."""
RUN_IN_S = 4.0
MOST_EDGES = 24
FEWEST = 2


@dataclass(frozen=True)
class Amount:
    """Fuel beyond the steady amount: percent at its largest (below 0 for a reduction), and how it fades."""

    percent: float
    decay_s: float

    @property
    def is_none(self) -> bool:
        """True where it is no more than noise."""
        return abs(self.percent) < LEAST_PCT


@dataclass(frozen=True, eq=False)
class Change:
    """What to write for a class of quick changes.

    Attributes
    ----------
    of : the class.
    given, needed, proposed : amounts.
    given_pct, needed_pct : mean traces, percent of the steady amount, on the grid.
    expected_pct : the class's mean error as it would be then, on the grid.
    said : the proposal in a sentence.
    """

    of: TransientClass
    given: Amount
    needed: Amount
    proposed: Amount
    given_pct: Floats
    needed_pct: Floats
    expected_pct: Floats
    said: Said

    @property
    def expected_lean_pct(self) -> float:
        """Peak of the lean error that would be left, 0 or above."""
        after = (GRID >= 0.0) & np.isfinite(self.expected_pct)
        return max(0.0, float(self.expected_pct[after].max())) if after.any() else float("nan")


@dataclass(frozen=True, eq=False)
class FuelTraces:
    """Along a drive, shape (n,): fuel for steady running, injected and needed, in one unit."""

    time_s: Floats
    steady: Floats
    given: Floats
    needed: Floats


def fuel_traces(rows: Rows, film: WallFilm) -> FuelTraces:
    """What was injected and what a mixture on target needed.

    Parameters
    ----------
    rows : every row of a drive.
    film : of its engine.

    Returns
    -------
    The traces; 0 in fuel cuts.
    """
    from lean_trim.core.kernels.fuel_loops import fuel_for

    steady = _steady(rows, film)
    wanted = np.where(rows.fuel > 0.0, steady, 0.0)
    needed = fuel_for(
        rows.time_s, wanted, film_share(rows, film.theta), float(np.exp(film.theta[TAU])), GAP_S
    )
    return FuelTraces(rows.time_s, steady, rows.fuel, np.asarray(needed))


def _steady(rows: Rows, film: WallFilm) -> Floats:
    """Fuel the ECU injects in steady running at that state, at once in the cylinder."""
    air = rows.air * (1.0 + np.clip(film.theta[MAP_LAG] * rows.rate, -0.4, 0.4))
    return np.asarray(air / rows.target * rows.held)


def changes_to_write(classes: Sequence[TransientClass], rows: Rows, film: WallFilm) -> tuple[Change, ...]:
    """A proposal for each class of which enough was seen.

    Parameters
    ----------
    classes : of a drive.
    rows : every row of it.
    film : of its engine, ``known``.

    Returns
    -------
    In the order of the classes.
    """
    traces = fuel_traces(rows, film)
    return tuple(_change(one, rows, film, traces) for one in classes if _may_change(one))


def _may_change(one: TransientClass) -> bool:
    return len(one.events) >= FEWEST and one.key.kind is not Kind.SHIFT and one.key.warm


def _change(one: TransientClass, rows: Rows, film: WallFilm, traces: FuelTraces) -> Change:
    edges = _edges(one)
    with np.errstate(invalid="ignore", divide="ignore"):
        given = _mean_trace(traces.time_s, 100.0 * (traces.given / traces.steady - 1.0), edges)
        needed = _mean_trace(traces.time_s, 100.0 * (traces.needed / traces.steady - 1.0), edges)
    way = -1.0 if one.key.kind in LEANED else 1.0
    has, wants = amount_of(given, way), amount_of(needed, way)
    proposed, expected, form = _cheapest(one, _near(rows, edges), film, has, wants)
    return Change(
        of=one,
        given=has,
        needed=wants,
        proposed=proposed,
        given_pct=given,
        needed_pct=needed,
        expected_pct=expected,
        said=_said(has, proposed, form),
    )


def amount_of(trace_pct: Floats, way: float) -> Amount:
    """Amount and decay of fuel beyond the steady amount.

    Parameters
    ----------
    trace_pct : percent, on the grid.
    way : 1 for fuel added, -1 for fuel taken back.

    Returns
    -------
    The decay is the area over the amount, as of an exponential.
    """
    after = GRID >= 0.0
    values = np.maximum(way * np.nan_to_num(trace_pct[after]), 0.0)
    largest = float(values[GRID[after] <= WITHIN_S].max())
    if largest <= 0.0:
        return Amount(0.0, 0.0)
    top = int(values.argmax())
    # What comes after it has faded is another change, or noise.
    faded = np.flatnonzero(values[top:] < max(FADED * largest, LEAST_PCT))
    end = top + (int(faded[0]) if len(faded) else len(values) - top)
    return Amount(way * largest, max(LEAST_DECAY_S, float(values[:end].sum()) * GRID_S / largest))


class _Way(StrEnum):
    """How an ECU would add a proposed amount."""

    ITS_OWN = "its own"
    FADING = "fading"
    AS_NEEDED = "as needed"


def _way_of(kind: Kind, has: Amount, wants: Amount) -> _Way:
    # Only fuel that comes back has an edge sharp enough for an amount that fades from there.
    if kind is Kind.AFTER_CUT:
        return _Way.FADING
    own = not has.is_none and abs(has.percent) >= OWN_SHARE * abs(wants.percent)
    return _Way.ITS_OWN if own else _Way.AS_NEEDED


def _cheapest(
    one: TransientClass, near: Rows, film: WallFilm, has: Amount, wants: Amount
) -> tuple[Amount, Floats, _Way]:
    """The amount that costs least, the mean error it leaves, percent, and how it would be added."""
    way = _way_of(one.key.kind, has, wants)
    if way is _Way.ITS_OWN:
        found = _best(one, near, film, has, has, way)
        # Where no multiple will do, its own way is too quick or too slow.
        if found[0].percent != MULTIPLES[-1] * has.percent:
            return found
        way = _Way.AS_NEEDED
    return _best(one, near, film, has, wants, way)


def _best(
    one: TransientClass, near: Rows, film: WallFilm, has: Amount, base: Amount, way: _Way
) -> tuple[Amount, Floats, _Way]:
    """The share of an amount, added in one way, that costs least."""
    traces = fuel_traces(near, film)
    edges = _edges(one)
    before = _modelled(edges, near, film, traces.given)
    is_lean = one.mean_of("lean_pct")[0] > LEAN_PCT
    best: tuple[float, Amount, Floats] | None = None
    for times in MULTIPLES if way is _Way.ITS_OWN else SHARES:
        amount = Amount(times * base.percent, base.decay_s)
        if amount.percent < -MOST_TAKEN_PCT:
            continue
        # Where it is lean nothing is taken back, whatever else that would mend.
        if is_lean and amount.percent < min(has.percent, base.percent):
            continue
        if way is _Way.ITS_OWN:
            fuel = _between(traces, edges, traces.given, times)
        elif way is _Way.AS_NEEDED:
            fuel = _between(traces, edges, traces.needed, times)
        else:
            fuel = _with_extra(traces, edges, partial(_fading, amount))
        expected = one.mean_pct + _modelled(edges, near, film, fuel) - before
        cost = _cost(expected)
        if best is None or cost < best[0]:
            best = cost, amount, expected
    assert best is not None
    return best[1], best[2], way


def _fading(amount: Amount, since_s: Floats) -> Floats:
    return np.asarray(amount.percent * np.exp(-since_s / max(amount.decay_s, LEAST_DECAY_S)))


def _between(traces: FuelTraces, edges: Floats, fuel: Floats, times: float) -> Floats:
    """What was injected, with so many times what some fuel is beyond the steady amount after every edge."""
    out = traces.given.copy()
    for edge in edges:
        first, last = np.searchsorted(traces.time_s, [edge, edge + AFTER_S])
        steady = traces.steady[first:last]
        wanted = np.maximum(steady + times * (fuel[first:last] - steady), 0.0)
        out[first:last] = np.where(traces.given[first:last] > 0.0, wanted, 0.0)
    return out


def _cost(error_pct: Floats) -> float:
    """Squares after the edge, lean ones several times."""
    known = error_pct[(GRID >= 0.0) & np.isfinite(error_pct)]
    return float(np.sum(np.where(known > 0.0, LEAN_COUNTS, 1.0) * known**2))


def _edges(one: TransientClass) -> Floats:
    """Edges of the class's changes; of very many so many evenly taken, for they say the same."""
    edges = np.array([m.event.edge_s for m in one.events])
    return (
        edges if len(edges) <= MOST_EDGES else edges[np.linspace(0, len(edges) - 1, MOST_EDGES).astype(int)]
    )


def _near(rows: Rows, edges: Floats) -> Rows:
    """Rows about the edges, with what a film remembers."""
    keep = np.zeros(len(rows.time_s), bool)
    for edge in edges:
        first, last = np.searchsorted(rows.time_s, [edge - RUN_IN_S, edge + AFTER_S + 0.3])
        keep[first:last] = True
    return rows.at(np.flatnonzero(keep))


def _said(has: Amount, proposed: Amount, form: _Way) -> Said:
    if abs(proposed.percent - has.percent) < ENOUGH_PCT:
        return Say.ENOUGH()
    values = {"amount": proposed.percent, "decay": proposed.decay_s}
    if form is _Way.ITS_OWN:
        return Say.TIMES(percent=100.0 * proposed.percent / has.percent, **values)
    return Say.NEW(**values) if has.is_none else Say.INSTEAD(given=has.percent, **values)


def _with_extra(traces: FuelTraces, edges: Floats, percent_after: Callable[[Floats], Floats]) -> Floats:
    """Fuel with so much beyond the steady amount after every edge, in place of what the ECU added."""
    out = traces.given.copy()
    for edge in edges:
        first, last = np.searchsorted(traces.time_s, [edge, edge + AFTER_S])
        extra = np.nan_to_num(percent_after(traces.time_s[first:last] - edge)) / 100.0
        fuelled = traces.given[first:last] > 0.0
        out[first:last] = np.where(fuelled, traces.steady[first:last] * np.maximum(1.0 + extra, 0.0), 0.0)
    return out


def _modelled(edges: Floats, rows: Rows, film: WallFilm, fuel: Floats) -> Floats:
    """Mean lambda error about the edges by the model, percent, on the grid."""
    mixture = cylinder_mixture(rows, film.theta, fuel)
    with np.errstate(invalid="ignore", divide="ignore"):
        error = np.where(fuel > 0.0, 100.0 * (rows.held / (mixture * rows.target) - 1.0), np.nan)
    return _mean_trace(rows.time_s, error, edges)


def _mean_trace(time_s: Floats, values: Floats, edges: Floats) -> Floats:
    """Median over the edges, on the grid; single rows of single events may be wild."""
    traces = []
    for edge in edges:
        first, last = np.searchsorted(time_s, [edge - BEFORE_S - 0.2, edge + AFTER_S + 0.2])
        traces.append(
            np.interp(edge + GRID, time_s[first:last], values[first:last], left=np.nan, right=np.nan)
        )
    known = np.isfinite(traces).any(axis=0)
    out = np.full(len(GRID), np.nan)
    out[known] = np.nanmedian(np.array(traces)[:, known], axis=0)
    return out
