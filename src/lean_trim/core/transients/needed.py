"""How much fuel quick changes needed beyond the steady amount, how much they got, and what to write instead.

With the film known, the fuel to inject for a mixture on target follows from the film's own
equation; what the ECU injected is in the pulse width. Both over what steady running would take are
two traces; an amount and a decay are read from each. What is proposed is a multiple of what the ECU
adds in its own way, or, where it adds nothing and after fuel cuts, an amount that fades. A little
rich is accepted and lean is not: of all multiples the one is taken that costs least, lean counted
several times. A gear change is no matter of fuel alone: nothing is proposed for it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.messages import Message, Said
from lean_trim.core.transients.classes import TransientClass
from lean_trim.core.transients.errors import GRID, GRID_S
from lean_trim.core.transients.events import Kind
from lean_trim.core.transients.fuel_traces import (
    Extra,
    FuelTraces,
    chosen,
    fuel_traces,
    mean_trace,
    modelled_error,
    rows_near,
    with_extra,
)
from lean_trim.core.transients.quick_changes import Rows
from lean_trim.core.transients.wall_film import WallFilm
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    TIMES = Message(
        "needed.times",
        "{percent:.0f} % of what the ECU adds, so {amount:+.1f} % at first, fading over "
        "{decay:.2f} s",
    )
    TIMES_LONGER = Message(
        "needed.times_longer",
        "{percent:.0f} % of what the ECU adds, fading in {longer:.0f} % of the time, so "
        "{amount:+.1f} % at first, fading over {decay:.2f} s",
    )
    NEW = Message(
        "needed.new",
        "{amount:+.1f} % at first, fading over {decay:.2f} s; the ECU adds next to nothing",
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
"""Mean leanest moment from which a class is worth more fuel, % (common practice, no source)."""
MOST_TAKEN_PCT = 50.0
"""More than half taken back is a fuel cut (common practice, no source)."""
MOST_STEP_PCT = 20.0
"""Most that is taken back where less was before (common practice, no source)."""
LEAST_GAIN_PCT = 1.5
"""Gain at the leanest or richest moment below which a class is left as it is, percent."""
SURE = 2.0
"""Standard errors of that moment a gain must be."""
PEAK_S = 0.1
"""Width of the mean a peak is read from, s."""
FADE_ENDS = (0.5, 2.0)
"""Times tau (1 - X), the film's own course, between which another time to fade in is usual."""
FADE_PLAINLY_PAYS = 0.5
"""What one beyond has to leave at most."""
LEAST_DECAY_S = 0.05
"""Shortest fade that is told, s: one step of the grid."""
FADED = 0.1
"""Share of its largest at which what is added has faded."""
OWN_SHARE = 0.3
"""Share of the needed amount below which an ECU adds next to nothing in a way of its own."""
SHARES = np.round(np.arange(0.0, 1.75, 0.1), 1)
MULTIPLES = np.round(np.arange(0.0, 4.05, 0.1), 1)
"""Of the needed amount, and of what the ECU adds, that are tried."""
LEAN_COUNTS = 15.0
"""How many times a lean error counts for a rich one (common practice, no source)."""
FEWEST = 2
"""Events of a class from which anything is proposed."""
FADES = (0.5, 0.7, 1.4, 2.0, 2.8)
EVERY = 4
"""Of the shares that are tried first; about the best of them all are."""
FADE_PAYS = 0.7
"""Another time to fade in is proposed where it leaves no more than this of the cost."""
CLOSE_COST = 25.0
"""Cost of a mean error that is as good as none: half a percent lean, or two rich, for a third of
the time."""
TINY = 1e-9
"""Guard of divisions and of comparisons of shares."""


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
    way : how the proposed amount would be added.
    fade_times : times the time it fades in now, or is needed in.
    given_pct, needed_pct : mean traces, percent of the steady amount, on the grid.
    modelled_pct : the class's mean error by the model, percent, on the grid.
    expected_pct : its mean error as it would be once the proposal is written, on the grid.
    said : the proposal in a sentence.
    """

    of: TransientClass
    given: Amount
    needed: Amount
    proposed: Amount
    way: Way
    fade_times: float
    given_pct: Floats
    needed_pct: Floats
    modelled_pct: Floats
    expected_pct: Floats
    said: Said

    @property
    def expected_lean_pct(self) -> float:
        """Peak of the lean error that would be left, 0 or above."""
        after = (GRID >= 0.0) & np.isfinite(self.expected_pct)
        return max(0.0, float(self.expected_pct[after].max())) if after.any() else float("nan")


def changes_to_write(
    classes: Sequence[TransientClass], rows: Rows, film: WallFilm
) -> tuple[Change, ...]:
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
    edges = np.array([m.event.edge_s for m in chosen(one)])
    with np.errstate(invalid="ignore", divide="ignore"):
        given = mean_trace(traces.time_s, 100.0 * (traces.given / traces.steady - 1.0), edges)
        needed = mean_trace(traces.time_s, 100.0 * (traces.needed / traces.steady - 1.0), edges)
    way = -1.0 if one.key.kind in LEANED else 1.0
    has = amount_of(given, way)
    wants = amount_of(needed, way)
    choice = _Choice(one, rows, film, has, wants)
    best = choice.cheapest()
    # What is plainly lean gets whatever helps; the rest is left alone unless it pays.
    if not (choice.is_lean and way > 0.0) and not _pays(one, best.expected_pct):
        best = choice.as_it_is()
    return Change(
        of=one,
        given=has,
        needed=wants,
        proposed=best.amount,
        way=best.way,
        fade_times=best.fade_times,
        given_pct=given,
        needed_pct=needed,
        expected_pct=best.expected_pct,
        modelled_pct=choice.before,
        said=_said(has, best),
    )


def _pays(one: TransientClass, expected_pct: Floats) -> bool:
    """Whether a change takes away more of the leanest or the richest moment than is worth it and sure."""
    gains = []
    for figure, sign in (("lean_pct", 1.0), ("rich_pct", -1.0)):
        before = _peak(sign * one.mean_pct)
        error = one.mean_of(figure)[1]
        sure = SURE * error if np.isfinite(error) else before
        # Fuel is given where it is lean before that is sure, and taken away only where it is.
        least = LEAST_GAIN_PCT if figure == "lean_pct" else max(LEAST_GAIN_PCT, sure)
        gains.append(before - _peak(sign * expected_pct) >= least)
    return any(gains)


def _peak(error_pct: Floats) -> float:
    """Largest of a mean error after the edge, over a tenth of a second, 0 or above."""
    known = np.nan_to_num(error_pct[GRID >= 0.0])
    width = max(1, round(PEAK_S / GRID_S))
    return max(0.0, float(np.convolve(known, np.full(width, 1.0 / width), "same").max()))


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


class Way(StrEnum):
    """How an ECU would add a proposed amount."""

    ITS_OWN = "its own"
    FADING = "fading"
    AS_NEEDED = "as needed"


@dataclass(frozen=True, eq=False)
class _Try:
    """One thing that could be written: how, how much, fading in how many times its time; what it leaves."""

    way: Way
    amount: Amount
    share: float
    fade_times: float
    expected_pct: Floats
    cost: float


def _cost_of(tried: _Try) -> float:
    return tried.cost


def _way_of(kind: Kind, has: Amount, wants: Amount) -> Way:
    # Only fuel that comes back has an edge sharp enough for an amount that fades from there.
    if kind is Kind.AFTER_CUT:
        return Way.FADING
    own = not has.is_none and abs(has.percent) >= OWN_SHARE * abs(wants.percent)
    return Way.ITS_OWN if own else Way.AS_NEEDED


class _Choice:
    """Looks for what costs least for one class."""

    def __init__(
        self, one: TransientClass, rows: Rows, film: WallFilm, has: Amount, wants: Amount
    ) -> None:
        self.one = one
        self.film = film
        self.has = has
        self.wants = wants
        self.events = chosen(one)
        self.edges = np.array([m.event.edge_s for m in self.events])
        self.rows = rows_near(rows, self.edges)
        self.traces = fuel_traces(self.rows, film)
        self.before = modelled_error(self.events, self.rows, film, self.traces.given)
        self.is_lean = one.mean_of("lean_pct")[0] > LEAN_PCT

    def cheapest(self) -> _Try:
        """The best of what can be written."""
        way = _way_of(self.one.key.kind, self.has, self.wants)
        if way is Way.ITS_OWN:
            found = self._with_fade(way, self.has, MULTIPLES)
            # Where no multiple will do, its own way is too quick or too slow.
            if found.amount.percent != MULTIPLES[-1] * self.has.percent:
                return found
            way = Way.AS_NEEDED
        return self._with_fade(way, self.wants, SHARES)

    def as_it_is(self) -> _Try:
        """Nothing changed."""
        way = _way_of(self.one.key.kind, self.has, self.wants)
        return _Try(way, self.has, 1.0, 1.0, self.one.mean_pct, _cost(self.one.mean_pct))

    def _with_fade(self, way: Way, base: Amount, shares: Floats) -> _Try:
        """The best share, and another time to fade in where that is plainly better."""
        best = self._finer(self._best(way, base, shares[::EVERY], 1.0), base, shares)
        if way is Way.AS_NEEDED or best.cost <= CLOSE_COST:
            return best
        other = min(
            (self._best(way, base, shares[::EVERY], times) for times in FADES), key=_cost_of
        )
        usual = self._is_usual(base.decay_s * other.fade_times)
        pays = other.cost <= (FADE_PAYS if usual else FADE_PLAINLY_PAYS) * best.cost
        return self._finer(other, base, shares) if pays else best

    def _best(self, way: Way, base: Amount, shares: Floats, fade_times: float) -> _Try:
        tries = (
            self._try(way, base, float(s), fade_times) for s in shares if self._may(float(s), base)
        )
        return min(tries, key=_cost_of)

    def _finer(self, coarse: _Try, base: Amount, shares: Floats) -> _Try:
        """The best of the shares about one of every so many; the cost has one hollow."""
        width = float(shares[EVERY] - shares[0])
        near = [
            float(s)
            for s in shares
            if 0.0 < abs(s - coarse.share) < width - TINY and self._may(float(s), base)
        ]
        tries = (self._try(coarse.way, base, share, coarse.fade_times) for share in near)
        return min((coarse, *tries), key=_cost_of)

    def _may(self, share: float, base: Amount) -> bool:
        percent = share * base.percent
        if percent < -MOST_TAKEN_PCT:
            return False
        # More is taken back in small steps: what was not driven may be lean.
        if percent < min(self.has.percent, -MOST_STEP_PCT):
            return False
        # Where it is lean nothing is taken back, whatever else that would mend.
        return not (self.is_lean and percent < min(self.has.percent, base.percent))

    def _try(self, way: Way, base: Amount, share: float, fade_times: float) -> _Try:
        amount = Amount(share * base.percent, base.decay_s * fade_times)
        fuel = with_extra(self.traces, self.edges, self._extra(way, amount, share, fade_times))
        after = modelled_error(self.events, self.rows, self.film, fuel)
        expected = self.one.mean_pct + after - self.before
        return _Try(way, amount, share, fade_times, expected, _cost(expected))

    def _is_usual(self, decay_s: float) -> bool:
        """Whether a time to fade in is like the film's own course."""
        own = self.film.tau_s * (1.0 - self.film.share)
        return FADE_ENDS[0] * own <= decay_s <= FADE_ENDS[1] * own

    def _extra(self, way: Way, amount: Amount, share: float, fade_times: float) -> Extra:
        from lean_trim.core.kernels.fuel_loops import faded_anew

        traces = self.traces
        decay = max(amount.decay_s, LEAST_DECAY_S)
        if way is Way.FADING:
            return lambda part, since: np.asarray(
                traces.steady[part] * amount.percent / 100.0 * np.exp(-since / decay)
            )
        if way is Way.AS_NEEDED:
            return lambda part, _: share * (traces.needed[part] - traces.steady[part])
        if fade_times == 1.0:
            return lambda part, _: share * (traces.given[part] - traces.steady[part])
        sign = np.sign(amount.percent) or 1.0

        def slower(part: slice, _: Floats) -> Floats:
            beyond = traces.given[part] / np.maximum(traces.steady[part], TINY) - 1.0
            extra = sign * np.maximum(sign * beyond, 0.0)
            faded = faded_anew(traces.time_s[part], extra, decay / fade_times, decay)
            return np.asarray(share * faded * traces.steady[part])

        return slower


def _cost(error_pct: Floats) -> float:
    """Squares after the edge, lean ones several times."""
    known = error_pct[(GRID >= 0.0) & np.isfinite(error_pct)]
    return float(np.sum(np.where(known > 0.0, LEAN_COUNTS, 1.0) * known**2))


def _said(has: Amount, best: _Try) -> Said:
    proposed = best.amount
    if abs(proposed.percent - has.percent) < ENOUGH_PCT and best.fade_times == 1.0:
        return Say.ENOUGH()
    values = {"amount": proposed.percent, "decay": proposed.decay_s}
    if best.way is Way.ITS_OWN:
        times = 100.0 * proposed.percent / has.percent
        said = Say.TIMES if best.fade_times == 1.0 else Say.TIMES_LONGER
        return said(percent=times, longer=100.0 * best.fade_times, **values)
    return Say.NEW(**values) if has.is_none else Say.INSTEAD(given=has.percent, **values)
