"""Did the table get into the ECU? Every table it may hold is weighed against what the drive shows of it.

By pulse width the drive shows the table itself, but for the injector data: a common factor and a dead time
may be off. By lambda and trims it shows what the table lacks of the engine, which the drive before
measured. Either way the distances at all places have one Gaussian distribution; the table under which they
are likeliest is named where it is twenty times likelier than all others, and fits.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.estimation.carried import PlaceMeans
from lean_trim.core.proving.common_places import beside_surface, read_known
from lean_trim.core.proving.places import Steady
from lean_trim.core.types import Floats, Ints, Mask

Kind = Literal["whole", "none", "half", "part", "other", "unknown", "untold"]
"""What is in the ECU: all that was written, the table before, half of every step, a part of the cells,
another known table, one that is not known; or nobody can tell."""
Route = Literal["pulse width", "lambda", ""]
SURE = 0.95
"""Posterior probability from which a table is named."""
LEAST_STEP_PCT = 0.5
"""Steps smaller than that, rms where the drive was, are not told from none."""
LEAST_PLACES = 4
WIDTH_OFFSET = 0.06
WIDTH_DELTA_MS = 0.10
LAMBDA_OFFSET = 0.02
"""How far injector flow and dead time, and the common level of lambda, may have moved between two drives
(standard deviations, a choice): what is asked is the shape of the step, and injector data that were changed
by 4 % or by 0.08 ms must not pass for a table."""
WIDTH_FIT = (0.03, 2.7)
LAMBDA_FIT = (0.015, 6.5)
"""The same offset where a fit is tested, and mean square distance per place from which a table does not
fit. By a trial on simulated cars."""
LEAST_ROUGHNESS = 0.05
NEIGHBOUR = 0.9
LEAST_NEIGHBOURS = 10
"""Likeness from which two places are neighbours, and how many of them show what noise makes."""
ERRORS_COUNT = 0.25
"""Variance of the drive before counts for so much: of ordinary drives the errors that are told are twice what
they are (rms of error over error told 0.5, by a trial on simulated cars)."""
APART = 6.0
"""Squared distance in errors, about what odds of twenty take, below which a part of the cells or an older
table is not told from one that is nearer at hand."""
NEAR = {"kPa": 20.0, "rpm": 800.0}
NEAR_SHARE = 8.0
"""Distance over which errors of the drive before are alike; of other axes an eighth of their span."""


@dataclass(frozen=True, eq=False)
class Written:
    """A round that was handed over: what was driven on, what was written, and what its drive knew.

    Attributes
    ----------
    before, after : the table as it was driven on and as it was written, on the same axes.
    asked_pct : what the drive asked of every cell, percent; NaN where it said nothing.
    error_pct : standard error of that, percent.
    seconds : of driving behind every cell.
    means : what the drive said place by place; None where that was not kept.
    """

    before: Table
    after: Table
    asked_pct: Floats
    error_pct: Floats
    seconds: Floats
    means: PlaceMeans | None = None

    @property
    def step(self) -> Floats:
        """Natural logarithm of after over before, in the table's shape."""
        return np.asarray(np.log(self.after.values / self.before.values))

    @property
    def wanted(self) -> Floats:
        """Natural logarithm of what the drive before said the table has to hold; NaN where nothing."""
        return np.asarray(np.log(self.before.values) + np.log1p(self.asked_pct / 100.0))


@dataclass(frozen=True, eq=False)
class Transfer:
    """What is in the ECU.

    Attributes
    ----------
    kind : see ``Kind``.
    route : by what it was told.
    name : of the table, or the part of the cells, "" for none.
    probability : of the named one.
    step_pct : what was written, rms where the drive was steady, percent.
    places, seconds : how much steady running tells of it.
    misfit : mean square distance per place of the likeliest table, in errors.
    taken, error : share of the written step that is in the ECU, and its error, by region.
    """

    kind: Kind
    route: Route
    name: str = ""
    probability: float = float("nan")
    step_pct: float = float("nan")
    places: int = 0
    seconds: float = 0.0
    misfit: float = float("nan")
    taken: Mapping[str, tuple[float, float]] | None = None


@dataclass(frozen=True, eq=False)
class Shown:
    """What a drive shows of the table in the ECU, at p places.

    Attributes
    ----------
    at : coordinates, (axes, p).
    value : natural logarithm of the table's value, (p,).
    noise : covariance beside the common level, (p, p).
    common : courses of what is common to all places, (q, p), of unit standard deviation.
    seconds : (p,).
    place : number of each among the places of the drive, (p,).
    route : how.
    """

    at: Floats
    value: Floats
    noise: Floats
    common: Floats
    seconds: Floats
    place: Ints
    route: Route

    @property
    def whole(self) -> Floats:
        """Covariance of all that may be off, (p, p)."""
        return np.asarray(self.noise + self.common.T @ self.common)


def shown_by_width(steady: Steady, offset: float = WIDTH_OFFSET) -> Shown | None:
    """By pulse width: the table itself.

    Parameters
    ----------
    steady : of the drive.
    offset : standard deviation of the common level.

    Returns
    -------
    None where it is not known at enough places.
    """
    keep = np.isfinite(steady.table_by_width) & np.isfinite(steady.per_open_ms)
    if keep.sum() < LEAST_PLACES:
        return None
    seconds = steady.seconds[keep]
    noise = np.diag(0.0035**2 + 0.01**2 / (seconds / 0.3))
    common = np.array([np.full(keep.sum(), offset), WIDTH_DELTA_MS * steady.per_open_ms[keep]])
    value = steady.table_by_width[keep]
    return Shown(
        steady.at[:, keep], value, noise, common, seconds, np.flatnonzero(keep), "pulse width"
    )


def shown_by_lambda(
    steady: Steady, written: Written, offset: float = LAMBDA_OFFSET
) -> Shown | None:
    """By lambda and trims: what the engine needs, less what the table lacks of it.

    Parameters
    ----------
    steady : of the drive.
    written : with what the drive before knew of the engine.
    offset : standard deviation of the common level.

    Returns
    -------
    None where it is not known at enough places.
    """
    keep = np.isfinite(steady.k)
    table = written.before
    mesh = table.interpolate(*steady.at)
    wanted = read_known(mesh, written.wanted)
    error = read_known(mesh, written.error_pct / 100.0)
    keep &= np.isfinite(wanted) & np.isfinite(error)
    if keep.sum() < LEAST_PLACES:
        return None
    seconds = steady.seconds[keep]
    at = steady.at[:, keep]
    alike = likeness(table, at)
    noise = ERRORS_COUNT * np.outer(error[keep], error[keep]) * alike
    value = (wanted - steady.k)[keep]
    if written.means is not None:
        off, variance = beside_surface(table, written.wanted, written.means, at)
        both = np.isfinite(off)
        value = value + np.where(both, off, 0.0)
        # Where both drives were the surface and its errors play no part.
        noise[both, :] = 0.0
        noise[:, both] = 0.0
        noise[both, both] = variance[both]
    noise[np.diag_indices(len(noise))] += 0.004**2 + 0.012**2 / (seconds / 0.5)
    common = np.full((1, len(noise)), offset)
    return Shown(at, value, noise, common, seconds, np.flatnonzero(keep), "lambda")


def likeness(table: Table, at: Floats) -> Floats:
    """How alike errors of a surface are at two places, (p, p).

    Parameters
    ----------
    table : whose axes they lie on.
    at : coordinates, (axes, p).

    Returns
    -------
    1 at the same place, falling with distance.
    """
    distance = np.zeros((at.shape[1], at.shape[1]))
    for axis, x in zip(table.axes, at, strict=True):
        span = float(axis.points[-1] - axis.points[0])
        scale = NEAR.get(axis.unit, span / NEAR_SHARE)
        distance += ((x[:, None] - x[None, :]) / scale) ** 2
    return np.asarray(np.exp(-0.5 * distance))


@dataclass(frozen=True, eq=False)
class Candidate:
    """A table the ECU may hold: natural logarithm of its values, with its kind and its share of that kind."""

    kind: Kind
    name: str
    values: Floats
    prior: float = 1.0


def candidates(
    written: Written, others: Mapping[str, Table], shown: Shown
) -> tuple[Candidate, ...]:
    """Tables the ECU may hold, as far as this drive can tell them apart.

    Parameters
    ----------
    written : what was handed over.
    others : further known tables on the same axes, by name.
    shown : what the drive shows.

    Returns
    -------
    All kinds are as likely before; of those that are one where the drive was the first stays.
    """
    before = np.log(written.before.values)
    step = written.step
    found = [
        Candidate("whole", "", before + step),
        Candidate("none", "", before),
        Candidate("half", "", before + np.log1p(0.5 * np.expm1(step))),
    ]
    found += [
        Candidate("other", name, np.log(table.values))
        for name, table in others.items()
        if table.same_axes(written.before)
    ]
    parts = _parts(written)
    found += [
        Candidate("part", name, before + np.where(mask, step, 0.0), 1.0 / len(parts))
        for name, mask in parts
    ]
    mesh = written.before.interpolate(*shown.at)
    lower = np.linalg.cholesky(shown.whole)
    kept: list[tuple[Candidate, Floats]] = []
    for one in found:
        reads = np.linalg.solve(lower, read_known(mesh, one.values))
        apart = [float(np.sum((reads - other) ** 2)) for _, other in kept]
        if one.kind not in ("part", "other") or all(a >= APART for a in apart):
            kept.append((one, reads))
    return tuple(one for one, _ in kept)


def _parts(written: Written) -> list[tuple[str, Mask]]:
    """Cells from a row or column on, and up to it."""
    table = written.before
    out = []
    for number, axis in enumerate(table.axes):
        index = np.indices(table.shape)[number]
        for i in range(1, len(axis.points)):
            above = index >= i
            words = f"{axis.shown[i]:g} {axis.shown_unit}"
            last = f"{axis.shown[i - 1]:g} {axis.shown_unit}"
            out += [(f"from {words} up", above), (f"up to {last}", ~above)]
    return out


def tell(
    written: Written,
    others: Mapping[str, Table],
    steady: Steady,
    regions: Sequence[str],
    by_lambda: bool,
) -> Transfer:
    """Which table is in the ECU.

    Parameters
    ----------
    written : what was handed over.
    others : further known tables, by name.
    steady : the drive after it.
    regions : of every place of that.
    by_lambda : lambda and trims tell: every trim was logged.

    Returns
    -------
    By pulse width where that says it, else by lambda.
    """
    told = None
    ways = [(shown_by_width(steady), shown_by_width(steady, WIDTH_FIT[0]))]
    if by_lambda:
        ways.append(
            (shown_by_lambda(steady, written), shown_by_lambda(steady, written, LAMBDA_FIT[0]))
        )
    for shown, strict in ways:
        if shown is None or strict is None:
            continue
        found = _told(written, others, shown, strict, regions)
        # Lambda says less of the table than the pulse width: where that fits several, it may choose.
        if told is None or found.kind not in ("untold", "unknown"):
            told = found
        if told.kind != "untold":
            break
    return Transfer("untold", "") if told is None else told


def _told(
    written: Written,
    others: Mapping[str, Table],
    shown: Shown,
    strict: Shown,
    regions: Sequence[str],
) -> Transfer:
    mesh = written.before.interpolate(*shown.at)
    step = read_known(mesh, written.step)
    size = 100.0 * float(np.sqrt(np.average(step**2, weights=shown.seconds)))
    plain = Transfer(
        "untold", shown.route, step_pct=size, places=len(step), seconds=float(shown.seconds.sum())
    )
    if size < LEAST_STEP_PCT:
        return plain
    listed = candidates(written, others, shown)
    reads = [read_known(mesh, c.values) for c in listed]
    log_odds = np.array(
        [np.log(c.prior) - 0.5 * _distance(shown, r) for c, r in zip(listed, reads, strict=True)]
    )
    odds = np.exp(log_odds - log_odds.max())
    odds /= odds.sum()
    by_kind: dict[tuple[Kind, str], float] = {}
    for c, p in zip(listed, odds, strict=True):
        key = (c.kind, c.name if c.kind == "other" else "")
        by_kind[key] = by_kind.get(key, 0.0) + float(p)
    (kind, _), probability = max(by_kind.items(), key=lambda item: item[1])
    best = int(np.argmax(odds))
    limit = WIDTH_FIT[1] if shown.route == "pulse width" else LAMBDA_FIT[1]
    misfit = (
        _distance(strict, reads[best]) / len(step) / roughness(written.before, strict, reads[best])
    )
    taken = shares_taken(written, shown, [regions[i] for i in shown.place])
    result = Transfer(
        kind="untold",
        route=shown.route,
        step_pct=size,
        places=len(step),
        seconds=float(shown.seconds.sum()),
        misfit=float(misfit),
        taken=taken,
    )
    if misfit > limit:
        return replace(result, kind="unknown")
    if probability < SURE:
        return replace(result, probability=probability)
    likeliest = max(
        (i for i, c in enumerate(listed) if c.kind == kind), key=lambda i: float(odds[i])
    )
    return replace(result, kind=kind, name=listed[likeliest].name, probability=probability)


def _distance(shown: Shown, reads: Floats) -> float:
    """Squared distance of a table from what is shown, in errors (Mahalanobis)."""
    apart = shown.value - reads
    return float(apart @ np.linalg.solve(shown.whole, apart))


def roughness(table: Table, shown: Shown, reads: Floats) -> float:
    """How much neighbouring places differ, in their errors: what noise makes, and no other table does.

    Parameters
    ----------
    table : whose axes they lie on.
    shown : what the drive shows.
    reads : of the likeliest table, (p,).

    Returns
    -------
    Mean square difference of each place from its nearest neighbour, not below ``LEAST_ROUGHNESS``; 1, which
    is what the errors say, where few places have a neighbour.
    """
    near = likeness(table, shown.at)
    np.fill_diagonal(near, 0.0)
    mate = np.argmax(near, axis=1)
    rest = shown.value - reads
    close = near[np.arange(len(mate)), mate] >= NEIGHBOUR
    if close.sum() < LEAST_NEIGHBOURS:
        return 1.0
    noise = np.diag(shown.noise)
    apart = (rest - rest[mate]) ** 2 / (noise + noise[mate])
    return max(float(np.mean(apart[close])), LEAST_ROUGHNESS)


def shares_taken(
    written: Written, shown: Shown, regions: Sequence[str]
) -> dict[str, tuple[float, float]]:
    """Share of the written step that is in the ECU, by region, with its standard error.

    By generalised least squares; the common level is fitted along.

    Parameters
    ----------
    written : what was handed over.
    shown : what the drive shows.
    regions : of every place.

    Returns
    -------
    Regions in which something was written and driven.
    """
    mesh = written.before.interpolate(*shown.at)
    step = read_known(mesh, written.step)
    before = read_known(mesh, np.log(written.before.values))
    names = [
        name
        for name in dict.fromkeys(regions)
        if np.sum(step[np.array(regions) == name] ** 2) > 0.0
    ]
    if not names:
        return {}
    columns = np.array([np.where(np.array(regions) == name, step, 0.0) for name in names])
    weighed = np.linalg.solve(shown.whole, columns.T)
    normal = columns @ weighed
    # Two regions whose steps go together cannot be told apart; the inverse says so by its errors.
    inverse = np.linalg.pinv(normal)
    found = inverse @ (weighed.T @ (shown.value - before))
    error = np.sqrt(np.maximum(np.diag(inverse), 0.0))
    return {n: (float(s), float(e)) for n, s, e in zip(names, found, error, strict=True)}
