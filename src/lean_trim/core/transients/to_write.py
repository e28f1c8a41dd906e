"""What quick changes, warm-up and film ask for, on the axes of the ECU's own tables.

Every class of quick change says by how much the table should be higher where its events read it.
Cells follow by least squares with a prior: no change, and the same change as their neighbours. A
table whose cells are not what the pulse width shows is not what the ECU adds, and nothing is
proposed for it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.fuel_corrections import (
    AFTER_CUT,
    AFTER_CUT_FADE,
    AIR_TEMPERATURE,
    COOLANT,
    ENRICHMENT,
    ENRICHMENT_FADE,
    KINDS,
    LEAST,
    MAP,
    MAP_RATE,
    NOTHING_ADDED_PCT,
    WALL_SHARE,
    WALL_TIME,
    WARM_UP,
    cells_of,
)
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision.proposal import quantise
from lean_trim.core.messages import Message, Said
from lean_trim.core.transients.cold_film import ColdFilm
from lean_trim.core.transients.events import Kind, Transient
from lean_trim.core.transients.needed import ENOUGH_PCT, LEAST_PCT, MOST_TAKEN_PCT, Change, Way
from lean_trim.core.transients.wall_film import WallFilm
from lean_trim.core.transients.warm_up import STEP_C, TemperatureBin
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    NO_FILM = Message("to_write.no_film", "The wall film is not known, so nothing is proposed.")
    NOT_DRIVEN = Message("to_write.not_driven", "Nothing this table speaks of was driven twice.")
    CLASSES = Message("to_write.classes", "From {events} quick changes; classes: {classes}.")
    NOT_WHAT_IS_ADDED = Message(
        "to_write.not_what_is_added",
        "The pulse width shows {seen:+.0f} % where this table has {here:+.0f} %: it is not what "
        "the ECU adds, or not in these units. Nothing is proposed.",
    )
    TEMPERATURES = Message(
        "to_write.temperatures",
        "{sizes} From {seconds:.0f} s over {low:.0f} to {high:.0f} °C. One drive does not tell "
        "fuel that "
        "stays unburnt from a charge the warm engine heats.",
    )
    LEAN = Message("to_write.lean", "Up to {most:.0f} % lean from {low:.0f} to {high:.0f} °C")
    RICH = Message("to_write.rich", "Up to {most:.0f} % rich from {low:.0f} to {high:.0f} °C")
    AS_IT_SHOULD = Message("to_write.as_it_should", "On target at every temperature.")
    FILM = Message(
        "to_write.film", "X {share:.0f} ± {share_se:.0f} %, τ {tau:.2f} ± {tau_se:.2f} s, warm."
    )


HALF_STEP_C = 0.5 * STEP_C
FEWEST_POINTS = 2
"""Readings of a class below which it says nothing of a table."""
MOST_EVENTS = 8
"""Events of a class beyond which more of them say the same (common practice, no source)."""
STAYS = 0.05
"""Weight with which a cell stays as it is, beside an event that speaks of it with weight 1."""
ALIKE = 1.0
"""Strength of the priors that nothing changes and that neighbours change alike, in events."""
LEAST_INFLUENCE = 0.02
"""Share of an event below which a cell is left as it is."""
APART = 0.35
"""A table that holds less than this of what is seen, or is held so by it, is another one."""
APART_PCT = 6.0
"""A difference below this may be noise, whatever its share."""
TAKEN_AT_ONCE = 0.5
"""Share of fuel that is too much which is taken back at once; lean is worse than rich."""
FADES_ALIKE = 1.5
"""Times another fade up to which both are the same one."""
LARGEST_CUT = 0.5
"""A cell is lowered by no more than this of itself at once (common practice, no source)."""
TEMPERATURE_PRIOR_PCT = 4.0
"""Standard deviation of what a cell over temperature may ask for, % (a choice)."""
FILM_SLOPE_SE = 0.1
"""Standard error of the rise of X over pressure up to which it is written, per 100 kPa."""
WARM_AT_C = 85.0
"""Coolant of a warm engine, °C, at which nothing is added."""
COLDER_C = 20.0
"""How far below a cold film that was measured its course is taken to go on."""
STEPS = {True: 0.1, False: 0.01}
"""Resolution of cells that add percent, and of shares and times, where the table's own shows no
finer."""


@dataclass(frozen=True, eq=False)
class Written:
    """A proposal for one table: the table, None where nothing is proposed, and what it rests on."""

    table: Table | None
    said: Said


@dataclass(frozen=True, eq=False)
class Told:
    """What a drive tells of fuel beyond the airflow table.

    Attributes
    ----------
    changes : asked of each class of quick changes.
    film, cold : of the walls, warm and, where it is told, cold.
    warm_up, intake : means over coolant and intake air.
    """

    changes: Sequence[Change]
    film: WallFilm
    warm_up: Sequence[TemperatureBin]
    intake: Sequence[TemperatureBin]
    cold: ColdFilm | None = None


@dataclass(frozen=True, eq=False)
class _Asked:
    """Changes asked of a table: coordinates by axis, shape (n,) each; change; weight; all of n."""

    at: tuple[Floats, ...]
    change: Floats
    weight: Floats


def correction_to_write(name: str, tables: Mapping[str, Table], told: Told) -> Written:
    """A table of corrections as a drive needs it.

    Parameters
    ----------
    name : one of ``tables``.
    tables : every correction that is known, as it was driven on.
    told : by the drive.

    Returns
    -------
    On the same axes, rounded to the field's resolution.
    """
    table = tables[name]
    if name in (WARM_UP, AIR_TEMPERATURE):
        return _by_temperature(table, told.warm_up if name == WARM_UP else told.intake)
    if not told.film.known:
        return Written(None, Say.NO_FILM())
    if name in (WALL_SHARE, WALL_TIME):
        return _of_film(name, table, told.film, told.cold)
    if name == ENRICHMENT:
        return _enrichment(table, told.changes, tables)
    return _beside_enrichment(name, table, told.changes)


def limits_of(name: str, table: Table) -> TableLimits:
    """Resolution and range of such a table's field.

    Parameters
    ----------
    name : one of ``CORRECTIONS``.
    table : of that kind.

    Returns
    -------
    In the ECU's own numbers; as fine as the cells show, and never coarser than is usual.
    """
    kind = KINDS[name]
    scale = 1.0 if table.own is None else table.own.scale
    usual = STEPS[kind.adds] * scale
    shown = np.asarray(table.shown, float)
    digits = next(
        (d for d in range(5) if np.allclose(shown, np.round(shown, d), rtol=0.0, atol=1e-9)), 5
    )
    step = min(10.0**-digits, 10.0 ** np.floor(np.log10(usual) + 1e-9))
    low, high = (float(x) for x in _own_of(name, table, np.array([kind.low, kind.high])))
    return TableLimits(float(step), low, high)


def _own_of(name: str, table: Table, cells: Floats) -> Floats:
    """Cells in the kind's unit as the ECU counts them."""
    return np.asarray(table.own_of(cells + NOTHING_ADDED_PCT if KINDS[name].adds else cells))


def _written(name: str, table: Table, cells: Floats) -> Table:
    kind = KINDS[name]
    values = cells + NOTHING_ADDED_PCT if kind.adds else np.maximum(cells, LEAST)
    rounded, _ = quantise(values, limits_of(name, table), table.own)
    # What is not asked to change stays to its last digit.
    same = np.abs(values - table.values) < 1e-9
    return table.with_values(np.where(same, table.values, rounded))


def _enrichment(table: Table, changes: Sequence[Change], tables: Mapping[str, Table]) -> Written:
    # What an ECU does of itself about its film stands beside what this table adds.
    has_film_table = WALL_SHARE in tables
    by_map = table.axes[0].name == MAP_RATE
    low = table.axes[0].points[0]
    asked: list[_Asked] = []
    classes = events = 0
    for change in changes:
        if change.of.key.kind is Kind.AFTER_CUT:
            continue
        seen = [m.event for m in change.of.events]
        rates = np.array([_rate(e, by_map) for e in seen])
        # A table that begins at 0 knows no closing.
        good = np.isfinite(rates) & ((rates > 0.0) | (low < 0.0))
        if good.sum() < FEWEST_POINTS:
            continue
        at = _coordinates(table, rates[good], np.array([e.rpm for e in seen])[good])
        here = table.lookup(*at) - NOTHING_ADDED_PCT
        doubt = None if has_film_table else _other_table(change, float(np.median(here)))
        if doubt is not None:
            return Written(None, doubt)
        longer = _longer(change, tables, changes)
        # Taken back for longer than it is needed it would be lean afterwards.
        if change.proposed.percent < 0.0 and longer > FADES_ALIKE:
            continue
        more = _difference(change, here) if has_film_table else _more(change, here, longer)
        asked.append(_Asked(at, more, _weights(int(good.sum()))))
        classes = classes + 1
        events = events + int(good.sum())
    if not asked:
        return Written(None, Say.NOT_DRIVEN())
    cells = cells_of(ENRICHMENT, table)
    wanted = _no_deep_cut(cells, cells + _spread(table, _joined(asked)), _closing(table))
    return Written(_written(ENRICHMENT, table, wanted), Say.CLASSES(classes=classes, events=events))


def _rate(event: Transient, by_map: bool) -> float:
    return event.map_rate_kpa_per_s if by_map else event.throttle_rate_pct_per_s


def _coordinates(table: Table, first: Floats, rpm: Floats) -> tuple[Floats, ...]:
    return (first, rpm) if len(table.axes) > 1 else (first,)


def _longer(change: Change, tables: Mapping[str, Table], changes: Sequence[Change]) -> float:
    """How many times longer than a class wants it what the table adds will fade, 1 or above."""
    if ENRICHMENT_FADE not in tables:
        return 1.0
    fade = tables[ENRICHMENT_FADE]
    asked = _beside_enrichment(ENRICHMENT_FADE, fade, changes).table
    rpm = np.array([m.event.rpm for m in change.of.events])
    fades = max(float(np.median(t.lookup(rpm))) for t in (fade, fade if asked is None else asked))
    return max(1.0, fades / max(change.proposed.decay_s, LEAST))


def _more(change: Change, here_pct: Floats, longer: float) -> Floats:
    """By how much the table should be higher where a class reads it, percent of the fuel."""
    has = change.given.percent
    wants = change.proposed.percent
    if change.way is Way.ITS_OWN and abs(has) > LEAST_PCT:
        return np.asarray((wants / has - 1.0) * here_pct)
    if abs(wants - has) < ENOUGH_PCT:
        return np.zeros(len(here_pct))
    # What fades more slowly than it is needed is as much in all, and less at first.
    return np.asarray(wants / longer - here_pct)


def _difference(change: Change, here_pct: Floats) -> Floats:
    """The same where the table adds only part of what is beyond the steady amount."""
    more = change.proposed.percent - change.given.percent
    return np.full(len(here_pct), more if abs(more) >= ENOUGH_PCT else 0.0)


def _other_table(change: Change, here_pct: float) -> Said | None:
    """Why a table is not what the ECU adds, None where it may be."""
    seen = change.given.percent
    larger = max(abs(seen), abs(here_pct))
    smaller = min(abs(seen), abs(here_pct))
    if abs(seen - here_pct) <= APART_PCT or smaller > APART * larger:
        return None
    # Closing takes back what the table knows nothing of: an ECU with another way to do so.
    return Say.NOT_WHAT_IS_ADDED(seen=seen, here=here_pct) if seen > 0.0 or here_pct > 0.0 else None


def _weights(count: int) -> Floats:
    return np.full(count, min(count, MOST_EVENTS) / count)


def _joined(asked: Sequence[_Asked]) -> _Asked:
    at = tuple(np.concatenate(parts) for parts in zip(*(a.at for a in asked), strict=True))
    return _Asked(
        at, np.concatenate([a.change for a in asked]), np.concatenate([a.weight for a in asked])
    )


def _spread(table: Table, asked: _Asked, stays: float = STAYS, alike: float = ALIKE) -> Floats:
    """Changes of cells by least squares under both priors, in the table's shape."""
    mesh = table.interpolate(*asked.at)
    reads = np.zeros((len(asked.change), table.size))
    np.put_along_axis(reads, mesh.cells, mesh.weights, axis=1)
    normal = reads.T @ (reads * asked.weight[:, None])
    # A cell at which nothing is added is a threshold: moved only by what reads it, and parting
    # neighbours.
    is_open = (table.values.ravel() != NOTHING_ADDED_PCT) | (np.diag(normal) > LEAST_INFLUENCE)
    normal += stays * np.eye(table.size) + alike * _roughness(table.shape, is_open)
    change = np.linalg.solve(normal, reads.T @ (asked.weight * asked.change))
    return np.where(is_open, change, 0.0).reshape(table.shape)


def _roughness(shape: tuple[int, ...], is_open: Mask) -> Floats:
    """Sum of squared differences of neighbours that are both open, as a matrix over the flat cells."""
    size = int(np.prod(shape))
    flat = np.arange(size).reshape(shape)
    out = np.zeros((size, size))
    for axis in range(len(shape)):
        first = np.take(flat, np.arange(shape[axis] - 1), axis=axis).ravel()
        second = np.take(flat, np.arange(1, shape[axis]), axis=axis).ravel()
        both = is_open[first] & is_open[second]
        for a, b in zip(first[both], second[both], strict=True):
            out[a, a] += 1.0
            out[b, b] += 1.0
            out[a, b] -= 1.0
            out[b, a] -= 1.0
    return out


def _closing(table: Table) -> Mask:
    """Cells that are read while the throttle closes."""
    rates = table.axes[0].points < 0.0
    return np.broadcast_to(rates.reshape(-1, *(1,) * (len(table.axes) - 1)), table.shape)


def _no_deep_cut(before: Floats, after: Floats, closing: Mask | None = None) -> Floats:
    """Nothing added is lowered by more than half of itself, or turned into something taken back.

    Of what is to be taken back while the throttle closes half is taken at once.
    """
    lowest = np.where(before > 0.0, (1.0 - LARGEST_CUT) * before, before)
    opening = np.maximum(after, lowest)
    if closing is None:
        return opening
    closes = np.clip(
        before + TAKEN_AT_ONCE * np.minimum(after - before, 0.0), -MOST_TAKEN_PCT, None
    )
    return np.where(closing, np.where(after < before, closes, after), opening)


def _beside_enrichment(name: str, table: Table, changes: Sequence[Change]) -> Written:
    """Fuel after a cut over its length, and both times of fading over engine speed."""
    asked: list[_Asked] = []
    events = 0
    for change in changes:
        # Fuel after a cut: the events' size is the length of the cut.
        is_cut = change.of.key.kind is Kind.AFTER_CUT
        if is_cut != (name in (AFTER_CUT, AFTER_CUT_FADE)) or change.of.key.kind is Kind.TIP_OUT:
            continue
        seen = [m.event for m in change.of.events]
        at = np.array([e.size if name == AFTER_CUT else e.rpm for e in seen])
        here = table.lookup(at)
        more = _more_beside(name, change, here)
        if more is None:
            continue
        asked.append(_Asked((at,), more, _weights(len(at))))
        events += len(at)
    if not asked:
        return Written(None, Say.NOT_DRIVEN())
    cells = cells_of(name, table)
    wanted = cells + _spread(table, _joined(asked))
    wanted = _no_deep_cut(cells, wanted) if name == AFTER_CUT else np.maximum(wanted, LEAST)
    return Written(_written(name, table, wanted), Say.CLASSES(classes=len(asked), events=events))


def _more_beside(name: str, change: Change, here: Floats) -> Floats | None:
    """The same for a table beside the enrichment; None where the class says nothing of it."""
    has = change.given
    wants = change.proposed
    if name == AFTER_CUT:
        little = abs(wants.percent - has.percent) < ENOUGH_PCT
        return np.zeros(len(here)) if little else np.full(len(here), wants.percent - has.percent)
    if name == AFTER_CUT_FADE:
        return None if wants.is_none else wants.decay_s - here
    if name == ENRICHMENT_FADE and change.way is Way.ITS_OWN and change.given.percent > LEAST_PCT:
        return (change.fade_times - 1.0) * here
    return None


def _by_temperature(table: Table, bins: Sequence[TemperatureBin]) -> Written:
    known = [b for b in bins if np.isfinite(b.error_pct)]
    if len(known) < FEWEST_POINTS:
        return Written(None, Say.NOT_DRIVEN())
    at = np.array([b.at_c for b in known])
    errors = np.array([b.error_pct for b in known])
    spread = np.array([b.std_error_pct for b in known])
    name = WARM_UP if table.axes[0].name == COOLANT else AIR_TEMPERATURE
    errors -= _level(name, at, errors, spread)
    # What may be chance, or is not worth a change, asks for nothing, but holds its place.
    plain = (np.abs(errors) > 2.0 * spread) & (np.abs(errors) >= ENOUGH_PCT)
    errors = np.where(plain, errors, 0.0)
    weight = (TEMPERATURE_PRIOR_PCT / spread) ** 2
    asked = _Asked((at,), table.lookup(at) * errors / 100.0, weight)
    # Beyond what was driven the table stays as it is.
    driven = (table.axes[0].points >= at.min() - 10.0) & (table.axes[0].points <= at.max() + 10.0)
    change = np.where(driven, _spread(table, asked, stays=1.0, alike=4.0), 0.0)
    said = Say.TEMPERATURES(
        sizes=_sizes(at, errors),
        seconds=sum(b.seconds for b in known),
        low=at.min() - HALF_STEP_C,
        high=at.max() + HALF_STEP_C,
    )
    cells = cells_of(name, table)
    wanted = cells + change
    # A cold engine that was given too much at one temperature may need it at the next start.
    return Written(
        _written(name, table, _no_deep_cut(cells, wanted) if name == WARM_UP else wanted), said
    )


def _sizes(at_c: Floats, errors: Floats) -> str:
    """How lean and how rich it was, and over which temperatures, in words."""
    out = []
    for message, side in ((Say.LEAN, errors > 0.0), (Say.RICH, errors < 0.0)):
        if side.any():
            low, high = at_c[side].min() - HALF_STEP_C, at_c[side].max() + HALF_STEP_C
            out.append(str(message(most=np.abs(errors[side]).max(), low=low, high=high)))
    return (
        f"{'; '.join([out[0], *(o.lower() for o in out[1:])])}." if out else str(Say.AS_IT_SHOULD())
    )


def _level(name: str, at_c: Floats, errors: Floats, spread: Floats) -> float:
    """What is the airflow table's: the error of a warm engine, and the mean over air temperature."""
    if name == AIR_TEMPERATURE:
        return float(np.average(errors, weights=spread**-2.0))
    return float(errors[-1]) if at_c[-1] >= WARM_AT_C - 5.0 else 0.0


def _of_film(name: str, table: Table, film: WallFilm, cold: ColdFilm | None) -> Written:
    said = Say.FILM(
        share=100.0 * film.share,
        share_se=100.0 * film.share_se,
        tau=film.tau_s,
        tau_se=film.tau_se_s,
    )
    axis = table.axes[0]
    if name == WALL_SHARE and axis.name == MAP and film.slope_se < FILM_SLOPE_SE:
        share = film.share + film.slope * (axis.points - film.map_kpa) / 100.0
        return Written(_written(name, table, 100.0 * np.clip(share, 0.01, 0.9)), said)
    if name == WALL_TIME and axis.name == COOLANT and cold is not None:
        slope = np.log(cold.tau_s / film.tau_s) / (cold.coolant_c - WARM_AT_C)
        beyond = np.clip(axis.points, cold.coolant_c - COLDER_C, WARM_AT_C) - WARM_AT_C
        return Written(_written(name, table, film.tau_s * np.exp(slope * beyond)), said)
    at, measured = (
        (film.map_kpa, 100.0 * film.share) if name == WALL_SHARE else (WARM_AT_C, film.tau_s)
    )
    here = float(table.lookup(np.array([at]))[0])
    # A cold film was not measured: it keeps its ratio to the warm one.
    return Written(_written(name, table, table.values * measured / max(here, LEAST)), said)
