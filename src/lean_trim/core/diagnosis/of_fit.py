"""What a fit itself tells of the sensor, the engine and the driving."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trim.core.diagnosis.delivery import DeliveryEnd
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.odds import LEAST_TOLD, probability
from lean_trim.core.drive.gauge import TOLD, Gauge
from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.delay_fit import DelayEstimate
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.log_shares import LogShare
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import clock


class Say:
    """Sentences of this module."""

    NOT_CONVERGED = Message(
        "of_fit.not_converged",
        "The fit had not come to rest after {iterations} passes: corrections may be off by more "
        "than their errors say.",
    )
    NOT_CONVERGED_NEXT = Message(
        "of_fit.not_converged_next",
        "Drive longer, or leave out a log that does not agree with the others.",
    )
    NOTHING_NEAR = Message(
        "of_fit.nothing_near",
        "No cell can be changed: nowhere did the used driving stay {needed:g} s between the same "
        "points of the table; {seconds:.0f} s were used in all.",
    )
    NEAR_NEXT = Message(
        "of_fit.near_next",
        "Hold a steady speed and load for 5 s at a time, at as many states as the road allows.",
    )
    NOTHING_SURE = Message(
        "of_fit.nothing_sure",
        "No cell can be changed: the surest is known to ± {best:.1f} %, and {needed:g} % is asked "
        "for. Samples scatter by {scatter:.1f} % and stay alike for {alike:.1f} s{why}.",
    )
    SURE_NEXT = Message(
        "of_fit.sure_next", "Drive the same states again, warm and steady, 10 s each."
    )
    DRIFT = Message(
        "of_fit.drift",
        ": something drifts that is not the table, a sensor, heat or feedback still learning",
    )
    SLOW = Message(
        "of_fit.slow",
        "The lambda sensor answers with a time constant of {seconds:.2f} s (± {error:.2f}); a "
        "sound one has 0.05 to 0.15 s.",
    )
    SLOW_EFFECT = Message(
        "of_fit.slow_effect",
        "The delay is reckoned with, so steady states are right; quick changes are smeared, and "
        "feedback may swing.",
    )
    SLOW_NEXT = Message(
        "of_fit.slow_next",
        "Look at the sensor's age, its soot, a filter in the meter or in the logger.",
    )
    COLD = Message(
        "of_fit.cold",
        "Below 75 °C of coolant the engine needs {per_10k:+.1f} % fuel per 10 K (± "
        "{error:.1f}), beyond its warm-up enrichment.",
    )
    COLD_EFFECT = Message("of_fit.cold_effect", "It is taken off before the table is corrected.")
    COLD_NEXT = Message(
        "of_fit.cold_next",
        "After the airflow table changed, look at cold starts; fuel that does not burn cold and "
        "air that is heated on its way look alike in one drive.",
    )

    ENDS = Message(
        "of_fit.ends",
        "Fuel delivery ends at {flow:.0f} g/s (about {rpm:.0f} rpm): beyond it the mixture leans "
        "by "
        "all that is commanded above it, up to {lean:.0f} % lean for {seconds:.1f} s, first at "
        "{first} "
        "min. A weak pump, a clogged filter or its wiring; fuel pressure was not logged.",
    )
    ENDS_EFFECT = Message(
        "of_fit.ends_effect",
        "The table gets there what it lacks by itself and nothing for the fuel that does not "
        "arrive; "
        "from 85 % of that flow on nothing is proven, and nothing is leaned.",
    )
    ENDS_NEXT = Message(
        "of_fit.ends_next",
        "Stop full-throttle runs, and do not enrich for it. Look at pump, filter and wiring, then "
        "log "
        "differential fuel pressure on one short run.",
    )
    GAUGE = Message(
        "of_fit.gauge",
        "The wideband reads {mean:.3f} on average while the narrowband loop holds 1 ({seconds:.0f} "
        "s): "
        "it reads {size:.1f} % {side}.",
    )
    GAUGE_RICH = Message(
        "of_fit.gauge_rich",
        "Its error is taken off, everywhere: {pct:.1f} % more fuel than it asks.",
    )
    GAUGE_LEAN = Message(
        "of_fit.gauge_lean",
        "Its error is taken off where the loop works. Elsewhere its readings stand, for a leak "
        "ahead "
        "of it or a dead cylinder reads lean as well.",
    )
    GAUGE_OFF = Message(
        "of_fit.gauge_off", "You said that the gauge is off: its error is taken off, everywhere."
    )
    GAUGE_IS_RIGHT = Message(
        "of_fit.gauge_is_right",
        "You said that the gauge is right: its readings stand, and the loop holds another mixture "
        "than 1.",
    )
    GAUGE_ASKED = Message(
        "of_fit.gauge_asked",
        "So far apart, the gauge or the loop's own sensor is broken, and the table follows from "
        "which. "
        "Compare the gauge with another or in free air, look for leaks ahead of both sensors, then "
        "say "
        "which of them is off (Fit page).",
    )
    GAUGE_NEXT = Message(
        "of_fit.gauge_next",
        "Look at its free-air setting, its age, and the exhaust ahead of it for leaks.",
    )
    GAUGE_LOOP_NEXT = Message(
        "of_fit.gauge_loop_next",
        "Look at the loop's own sensor, and at the exhaust ahead of it for leaks.",
    )
    APART = Message(
        "of_fit.apart",
        "The logs do not agree: {high} needs {more:.1f} % more fuel than {low} at the same states.",
    )
    APART_EFFECT = Message(
        "of_fit.apart_effect", "The table becomes a mean of both, and is right for neither."
    )
    APART_NEXT = Message(
        "of_fit.apart_next",
        "Was the sensor read at another place, the tank another fuel, a hose or a part changed "
        "between them? Leave one out (Logs page) until that is known.",
    )


LONG_S = 2.0
"""Residuals that stay alike for longer than this are no noise (common practice, no source)."""
SLOW_S = 0.35
"""Time constant of a lambda sensor from which it is told; sound ones have a third of it (common
practice;
of random sound cars one in 240 is read as slower)."""
COLD_SIGMA = 4.0
COLD_PER_K = 0.001
"""A warm-up error so far beyond its standard error, and as large as fuel that does not burn, is
told."""
APART_PCT = 3.0
"""Difference of two logs from which they do not belong to one car as it stands (common
practice)."""
LEAST_WEIGHT_PCT = 8.0
"""Share of the evidence a log has to have to be held against another."""
APART_ID = "logs_disagree"
NOT_CONVERGED_ID = "fit_not_converged"
NOTHING_ID = "nothing_supported"
SLOW_ID = "sensor_slow"
ENDS_ID = "fuel_delivery_ends"
GAUGE_ID = "gauge_off"
COLD_ID = "cold_engine"


def sensor_slow(delay: DelayEstimate) -> Finding | None:
    """A lambda sensor that answers late.

    Returns None where the delay was not read from the log, or is usual.
    """
    if not delay.estimated:
        return None
    constant = delay.settings.sensor_s
    # Slow in proportion to what is usual, judged like the strength of a fault.
    share = probability(SLOW_ID, constant / SLOW_S)
    if constant < SLOW_S or share < LEAST_TOLD:
        return None
    said = Say.SLOW(seconds=constant, error=delay.sensor_se_s)
    return Finding(SLOW_ID, "note", 0.0, 0.0, said, share, Say.SLOW_EFFECT(), Say.SLOW_NEXT())


def delivery_ends(end: DeliveryEnd | None) -> Finding | None:
    """Fuel that does not arrive.

    Returns None where none was found.
    """
    if end is None:
        return None
    said = Say.ENDS(
        flow=end.flow_g_per_s,
        rpm=100.0 * round(end.rpm / 100.0),
        lean=end.lean_pct,
        seconds=end.seconds,
        first=clock(end.first_time_s),
    )
    return Finding(
        id=ENDS_ID,
        severity="danger",
        first_time_s=end.first_time_s,
        seconds=round(end.seconds, 2),
        said=said,
        effect=Say.ENDS_EFFECT(),
        next_step=Say.ENDS_NEXT(),
        samples="count_no_leaner",
    )


def gauge_off(gauge: Gauge) -> Finding | None:
    """A lambda gauge that the narrowband loop beside it shows to be off.

    Returns None where nothing is known of it, or it is right.
    """
    # Said to be right, it has no error; that it reads otherwise than the loop is told all the same.
    if not abs(gauge.mean - 1.0 if gauge.word == "right" else gauge.error) >= TOLD:
        return None
    reads_rich = gauge.mean < 1.0
    size = 100.0 * abs(gauge.mean - 1.0)
    return Finding(
        id=GAUGE_ID,
        severity="danger" if gauge.is_asked else "warning",
        first_time_s=0.0,
        seconds=round(gauge.seconds, 2),
        said=Say.GAUGE(
            mean=gauge.mean, seconds=gauge.seconds, size=size, side="rich" if reads_rich else "lean"
        ),
        effect=_effect_of(gauge),
        next_step=_next_of(gauge),
    )


def _effect_of(gauge: Gauge) -> Said:
    if gauge.word != "unsaid":
        return Say.GAUGE_OFF() if gauge.word == "off" else Say.GAUGE_IS_RIGHT()
    return Say.GAUGE_RICH(pct=-100.0 * gauge.error) if gauge.error < 0.0 else Say.GAUGE_LEAN()


def _next_of(gauge: Gauge) -> Said:
    if gauge.word == "right":
        return Say.GAUGE_LOOP_NEXT()
    return Say.GAUGE_ASKED() if gauge.is_asked else Say.GAUGE_NEXT()


def gauge_in_question(findings: Sequence[Finding]) -> Finding | None:
    """A gauge so far from the loop beside it that somebody has to say which of them is off.

    Parameters
    ----------
    findings : of a drive.

    Returns
    -------
    None where nothing is asked, or it was said.
    """
    return next((f for f in findings if f.id == GAUGE_ID and f.severity == "danger"), None)


def cold_engine(estimate: Estimate) -> Finding | None:
    """An engine that needs more, or less, while it is cold.

    Parameters
    ----------
    estimate : with the coefficients of what samples share.

    Returns
    -------
    None where no cold driving was seen, or it asks for nothing.
    """
    cold = estimate.of(Term.COLD)
    if cold is None or abs(cold.value) < max(COLD_PER_K, COLD_SIGMA * cold.std_error):
        return None
    said = Say.COLD(per_10k=1000.0 * cold.value, error=1000.0 * cold.std_error)
    return Finding(COLD_ID, "note", 0.0, 0.0, said, 1.0, Say.COLD_EFFECT(), Say.COLD_NEXT())


def logs_disagree(shares: Sequence[LogShare]) -> Finding | None:
    """Logs that need different things at the same states.

    Parameters
    ----------
    shares : of every log of the joint estimate.

    Returns
    -------
    None for one log, or logs that agree.
    """
    # A log that hardly counts cannot spoil the mean, however far apart it is.
    told = [s for s in shares if s.weight_pct >= LEAST_WEIGHT_PCT and np.isfinite(s.apart_pct)]
    if len(told) < 2:
        return None
    low = min(told, key=lambda s: s.apart_pct)
    high = max(told, key=lambda s: s.apart_pct)
    more = high.apart_pct - low.apart_pct
    if more < APART_PCT:
        return None
    said = Say.APART(high=high.name, low=low.name, more=more)
    return Finding(
        APART_ID, "warning", 0.0, 0.0, said, effect=Say.APART_EFFECT(), next_step=Say.APART_NEXT()
    )


def with_fit(
    findings: tuple[Finding, ...],
    estimate: Estimate,
    shares: Sequence[LogShare],
    least_s: float,
    most_error_pct: float,
) -> tuple[Finding, ...]:
    """Add what the fit of the table has to say.

    Parameters
    ----------
    findings : of the log; what an earlier fit said of itself is dropped.
    estimate : the fit's result.
    shares : of every log in it.
    least_s, most_error_pct : driving near a cell, and error, from which a change is accepted.

    Returns
    -------
    The findings, with more where the robust fit did not come to rest, or nothing is known well
    enough.
    """
    kept = tuple(f for f in findings if f.id not in (NOT_CONVERGED_ID, NOTHING_ID, APART_ID))
    apart = logs_disagree(shares)
    kept = kept if apart is None else (*kept, apart)
    if not estimate.converged:
        said = Say.NOT_CONVERGED(iterations=estimate.iterations)
        kept = (*kept, _of_fit(NOT_CONVERGED_ID, said, Say.NOT_CONVERGED_NEXT()))
    # Nothing supported is only said where it is so of every cell.
    if estimate.supported.any():
        return kept
    return (*kept, _of_fit(NOTHING_ID, *_why_nothing(estimate, least_s, most_error_pct)))


def _of_fit(finding_id: str, said: Said, next_step: Said) -> Finding:
    return Finding(finding_id, "warning", 0.0, 0.0, said, next_step=next_step)


def _why_nothing(estimate: Estimate, least_s: float, most_error_pct: float) -> tuple[Said, Said]:
    """Too little driving, or too much scatter for it: each needs another drive."""
    # Of the cells that were driven long enough the best: what kept even that one out is the reason.
    error = np.where(estimate.near_s >= least_s, estimate.own_error_pct, np.inf)
    state = estimate.state
    if state is None or not np.isfinite(error).any():
        seconds = float(estimate.seconds.sum())
        return Say.NOTHING_NEAR(needed=least_s, seconds=seconds), Say.NEAR_NEXT()
    said = Say.NOTHING_SURE(
        best=float(error.min()),
        needed=most_error_pct,
        scatter=100.0 * state.scale,
        alike=state.inflation,
        why=str(Say.DRIFT()) if state.inflation > LONG_S else "",
    )
    return said, Say.SURE_NEXT()
