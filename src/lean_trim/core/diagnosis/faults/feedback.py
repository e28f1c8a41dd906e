"""Faults of the feedback loop: at its limit, or swinging by itself."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import fill_missing, running_box
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.narrowband import closed_loop
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

LEAST_LIMIT_PCT = 8.0
AT_LIMIT_PCT = 0.1
STILL_OFF = 0.02
"""A short trim this large, so near its own extreme, with the mixture still so far off, is at its limit."""
SWING_MEAN_S, SWING_OVER_S = 3.0, 8.0
SWING_RMS_PCT = 3.0
"""Standard deviation of the short trim about its mean over some seconds from which it swings (common
practice, no source); a swing of 8 % from peak to peak has 2.8."""
PERIOD_S = (0.4, 5.0)
"""Time between the trim's crossings of its mean, doubled, that makes it a swing and not a change of state."""
LEAST_CROSSINGS = 4


class Say:
    """Sentences of this module."""

    LIMIT = Message(
        "feedback.limit",
        "Feedback was at its limit ({trim:+.0f} % short trim) for {seconds:.1f} s, first at {first} min, "
        "and the mixture still {off:+.1f} % off. Trims alone hide how far the table is off; the correction "
        "counts both.",
    )
    SWINGS = Message(
        "feedback.swings",
        "The short trim swings by itself, {size:.0f} % from peak to peak every {period:.1f} s, for "
        "{seconds:.0f} s in steady driving, first at {first} min: feedback is too quick for the sensor's "
        "delay. Its mean is right; calm the loop before judging idle.",
    )


def _at_limit(conditions: Conditions) -> Seen | None:
    log = conditions.frame.log
    if Role.STFT not in log:
        return None
    trim = log[Role.STFT]
    with np.errstate(invalid="ignore"):
        off = conditions.lam / conditions.frame.target - 1.0
        # Lean with the trim at its highest, rich at its lowest: it would go on if it could.
        high, low = np.nanmax(trim), np.nanmin(trim)
        above = (trim >= high - AT_LIMIT_PCT) & (high >= LEAST_LIMIT_PCT) & (off > STILL_OFF)
        below = (trim <= low + AT_LIMIT_PCT) & (low <= -LEAST_LIMIT_PCT) & (off < -STILL_OFF)
    steady = np.isin(conditions.regime, (Regime.IDLE, Regime.CRUISE))
    # A trim at its limit does not move, which without the flag would pass for an open loop.
    closed = closed_loop(log) if Role.CLOSED_LOOP in log else np.ones(len(log), bool)
    mask = (above | below) & steady & closed
    if not mask.any():
        return None
    return Seen(mask, {"trim": float(np.median(trim[mask])), "off": 100.0 * float(np.median(off[mask]))})


def _swings(conditions: Conditions) -> Seen | None:
    """A loop of a narrowband sensor swings by its nature and is not told."""
    frame = conditions.frame
    log = frame.log
    if Role.STFT not in log or frame.vehicle.feedback != "wideband":
        return None
    time = log.time_s
    steady = np.isin(conditions.regime, (Regime.IDLE, Regime.CRUISE)) & closed_loop(log)
    trim = fill_missing(log[Role.STFT], 0.0)
    about = np.where(steady, trim - running_box(trim, time, SWING_MEAN_S), 0.0)
    size = np.sqrt(running_box(about**2, time, SWING_OVER_S))
    crossing = np.zeros(len(time))
    crossing[1:] = (about[1:] * about[:-1] < 0.0).astype(float)
    count = running_box(crossing, time, SWING_OVER_S) * SWING_OVER_S / log.step_s
    with np.errstate(divide="ignore"):
        period = 2.0 * SWING_OVER_S / count
    regular = (count >= LEAST_CROSSINGS) & (period >= PERIOD_S[0]) & (period <= PERIOD_S[1])
    mask = steady & (size >= SWING_RMS_PCT) & regular
    if not mask.any():
        return None
    peak = 2.0 * np.sqrt(2.0) * float(np.median(size[mask]))
    return Seen(mask, {"size": peak, "period": float(np.median(period[mask]))})


LIMIT = Fault("trim_at_limit", "warning", Say.LIMIT, 2.0, _at_limit)
SWINGS = Fault("feedback_swings", "note", Say.SWINGS, 15.0, _swings)
