"""What a solve leaves to be explained, looked through for the shapes faults have."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.diagnosis.patterns import drift
from lean_trim.core.diagnosis.patterns.drift_knots import DriftCourse, follow, moving_between
from lean_trim.core.diagnosis.patterns.driving import Driving, driving_of
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.diagnosis.patterns.pattern_evidence import Candidate, Evidence, gather_evidence
from lean_trim.core.diagnosis.patterns.registry import PATTERNS
from lean_trim.core.diagnosis.patterns.telling import Told, tell
from lean_trim.core.drive.nuisance_terms import SharedTerms, Term, spreads_of
from lean_trim.core.estimation.cell_evidence import MIN_SHARE
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.explained import explained
from lean_trim.core.estimation.loop_rest import loop_rests
from lean_trim.core.estimation.noise import noise_of_a_second
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.estimation.places import gather, place_of
from lean_trim.core.pipeline.prepare import Prepared
from lean_trim.core.text import clock
from lean_trim.core.types import Floats, Ints, Mask

HUBER = 2.0
LEFT_SLOPE = 0.012
"""Least slope of what a fit leaves on a general course, at equal states, to bear it out (true
drifts of 4.5 %: 0.017 to 0.044; sound cars up to 0.010)."""
LEFT_SHARE = 0.35
"""Least part of the coefficient that slope is."""
FREE_SLOPE = 0.010
"""The same with slow terms free, times the root of the course's own part (true drifts beside a
soak: 0.010 to 0.015; sound cars up to 0.008)."""
FREE_MOST = 2.5
"""Times the coefficient; more is no sign of it but of something else."""
SLOW_TERMS = frozenset((Term.COLD, Term.SOAK, Term.HEAT))
"""Nuisance terms that go with the clock of a drive."""
WILD = 8.0
LEAST_SCALE = 0.005
"""Residuals beyond so many times the fit's scale, which is taken as no less, are no part of it."""
NO_SPREAD = 1e-4
"""Standard deviation of a coefficient that is known already."""
LEAST_PLACES = 8
MOST = 120_000
"""Samples that are looked at; of more only every second, third … counts, for as much longer."""


@dataclass(frozen=True, eq=False)
class PatternReport:
    """What was looked at and what was found.

    Attributes
    ----------
    patterns : that could show, with ``courses`` (t, m) over the used samples ``index`` (m,) of the
        log.
    evidence : of each.
    told : those worth telling.
    drift : when the need for fuel moved, where a drift was told.
    """

    patterns: tuple[Pattern, ...]
    courses: Floats
    observations: Observations
    evidence: Evidence | None
    told: tuple[Told, ...]
    drift: DriftCourse | None = None

    def shown(self, size: int) -> dict[str, Mask]:
        """Samples of the log that show each pattern.

        Returns masks of shape (size,) by the finding's id.
        """
        out = {}
        for told in self.told:
            mask = np.zeros(size, bool)
            mask[self.observations.index[told.shows]] = True
            out[told.finding.id] = mask
        return out

    def unsettled(self, table: Table) -> Mask:
        """Cells in which a pattern shows that has to be mended or settled first, in the table's shape.

        Returns true where nothing is made leaner until it is settled.
        """
        out = np.zeros(table.size, bool)
        mesh = self.observations.mesh
        for told in self.told:
            if told.blocks:
                shows = told.shows
                out[mesh.cells[shows][mesh.weights[shows] >= MIN_SHARE]] = True
        return out.reshape(table.shape)


def find_patterns(
    prepared: Prepared, observations: Observations, estimate: Estimate, film_spread: float
) -> PatternReport:
    """Look for every pattern.

    Parameters
    ----------
    prepared, observations, estimate : of one solve; the observations before anything was taken off
        them.
    film_spread : of the wall film's share before any driving.

    Returns
    -------
    The report; nothing told where too little was driven or the estimate has no state.
    """
    frame = prepared.frame
    state = estimate.state
    good = (
        np.isfinite(observations.k) & (observations.k > 0.0) & loop_rests(frame)[observations.index]
    )
    used = _thinned(observations, good)
    if state is None or not len(used):
        return PatternReport((), np.empty((0, len(used))), used, None, ())
    driving = driving_of(frame, used)
    patterns, courses = _courses(driving)
    along = _with_courses(used, courses, estimate)
    residual = used.k - explained(estimate, used)
    places = gather(frame, along, np.nan_to_num(driving.open_ms), residual, state.scale, HUBER)
    if not patterns or len(places) < LEAST_PLACES:
        return PatternReport(patterns, courses, used, None, ())
    weigh = partial(
        gather_evidence,
        places=places,
        courses=len(patterns),
        table=estimate.table,
        term_spreads=_spreads(used.terms.names, film_spread, estimate),
        candidates=[Candidate(p.spread, p.sign, p.in_time) for p in patterns],
    )
    unit = 1.0 / (state.scale**2 * state.inflation)
    evidence = weigh(unit=unit)
    in_time = [j for j, p in enumerate(patterns) if p.in_time]
    if in_time:
        # The fit knew no such course and took it for noise that stays alike for long.
        effect = evidence.together(in_time) @ courses[in_time]
        evidence = weigh(unit=unit * _quieter(residual, effect, used, place_of(frame, used)))
    place = place_of(frame, used)
    barred = [
        j
        for j, pattern in enumerate(patterns)
        if pattern.general
        and not _borne_out(
            residual, courses[j], used, place, evidence.weigh()[j].coefficient, state.scale
        )
    ]
    told = tell(evidence, patterns, courses, frame.log.time_s[used.index], used.seconds, barred)
    report = PatternReport(patterns, courses, used, evidence, told)
    return _with_shape(report, driving, residual, unit * used.weight, place)


def _with_courses(used: Observations, courses: Floats, estimate: Estimate) -> Observations:
    """Observations that carry the patterns' courses as terms, less what lies at its limit."""
    terms = used.terms
    return replace(
        used,
        k=used.k - _at_limit(terms.names, estimate) @ terms.values,
        terms=SharedTerms(terms.names, np.vstack([terms.values, courses]), terms.usual_k),
    )


def _with_shape(
    report: PatternReport, driving: Driving, residual: Floats, weight: Floats, place: Ints
) -> PatternReport:
    """A report that says when a drift moved, where one was told."""
    at = next((i for i, t in enumerate(report.told) if t.finding.id == drift.PATTERN.id), None)
    if at is None:
        return report
    told = report.told[at]
    terms = report.observations.terms
    slow = [v for n, v in zip(terms.names, terms.values, strict=True) if n in SLOW_TERMS]
    course = follow(
        driving.time_s,
        driving.joints_s,
        line=report.courses[report.patterns.index(drift.PATTERN)],
        coefficient=told.coefficient,
        residual=residual,
        weight=weight,
        place=place,
        beside=np.array(slow).reshape(-1, len(residual)),
    )
    begins, ends = moving_between(course)
    said = drift.Say.SEEN(
        coefficient_pct=course.moved_pct, begins=clock(begins, 0), ends=clock(ends, 0)
    )
    shaped = replace(told, finding=replace(told.finding, said=said))
    others = report.told[:at], report.told[at + 1 :]
    return replace(report, told=(*others[0], shaped, *others[1]), drift=course)


def _borne_out(
    residual: Floats,
    course: Floats,
    used: Observations,
    place: Ints,
    coefficient: float,
    scale: float,
) -> bool:
    """Whether a course shows at equal states in what the whole fit leaves, and not only beside it.

    A course that resembles a nuisance term can take that term's part; then nothing of it is left. Or
    the term has taken the course's: a soak that is read too small hides a drift. So it is borne out
    as well by what it would be if those terms were free, the more of it the less they leave of it.
    """
    which = np.unique(place, return_inverse=True)[1]
    near = np.abs(residual) < WILD * max(scale, LEAST_SCALE)
    weight = used.weight * near
    whole = np.maximum(np.bincount(which, weight), 1e-12)

    def apart(values: Floats) -> Floats:
        moved = values - (np.bincount(which, weight * values) / whole)[which]
        return np.asarray(np.sqrt(weight) * moved)

    moved = apart(course)
    left = apart(residual)
    power = max(float(moved @ moved), 1e-12)
    least = LEFT_SHARE * abs(coefficient)
    if np.sign(coefficient) * float(moved @ left) / power >= max(LEFT_SLOPE, least):
        return True
    free = [t for n, t in zip(used.terms.names, used.terms.values, strict=True) if n in SLOW_TERMS]
    if not free:
        return False
    terms = np.column_stack([apart(t) for t in free])
    # What of the course no slow term can stand for (Frisch and Waugh, Econometrica 1933; from
    # memory).
    own = moved - terms @ np.linalg.lstsq(terms, moved, rcond=None)[0]
    own_power = max(float(own @ own), 1e-12)
    slope = np.sign(coefficient) * float(own @ left) / own_power
    least = max(FREE_SLOPE / np.sqrt(own_power / power), least)
    return bool(least <= slope <= FREE_MOST * abs(coefficient))


def _spreads(names: Sequence[Term], film_spread: float, estimate: Estimate) -> Floats:
    """Of the nuisance terms; one that lies at its limit cannot explain anything more here either."""
    return np.where(
        _at_limit(names, estimate) != 0.0, NO_SPREAD, spreads_of(tuple(names), film_spread)
    )


def _at_limit(names: Sequence[Term], estimate: Estimate) -> Floats:
    """Values of the coefficients that lie at their limits, 0 for the others."""
    found = [estimate.of(name) for name in names]
    return np.array([c.value if c is not None and c.at_limit else 0.0 for c in found])


def _quieter(residual: Floats, effect: Floats, used: Observations, place: Ints) -> float:
    """How many times as precise a second is without an effect the fit did not know, 1 or more."""
    which = np.unique(place, return_inverse=True)[1]
    count = len(np.unique(place))

    def apart(values: Floats) -> Floats:
        seconds = np.bincount(which, used.weight, count)
        return values - (np.bincount(which, used.weight * values, count) / seconds)[which]

    step_s = float(np.median(used.seconds))
    rest = apart(residual)
    before = noise_of_a_second(rest, used.run, step_s)
    after = noise_of_a_second(rest - apart(effect), used.run, step_s)
    return max(1.0, before / after) if after else 1.0


def _thinned(observations: Observations, good: Mask) -> Observations:
    """The good samples; of a long log every second, third … of them, each for as many."""
    which = np.flatnonzero(good)
    every = max(1, -(-len(which) // MOST))
    keep = np.zeros(len(observations), bool)
    keep[which[::every]] = True
    few = observations.only(keep)
    return replace(few, weight=few.weight * every, seconds=few.seconds * every)


def _courses(driving: Driving) -> tuple[tuple[Pattern, ...], Floats]:
    found: list[Pattern] = []
    courses: list[Floats] = []
    for pattern in PATTERNS:
        course = pattern.course(driving)
        if course is not None and np.isfinite(course).all() and np.abs(course).max() > 0.0:
            found.append(pattern)
            courses.append(course)
    return tuple(found), np.array(courses).reshape(-1, len(driving.flow))
