"""What the marks of the tape mean, in words."""

from __future__ import annotations

import numpy as np

from lean_trim.core.drive.regimes import REGIME_LABELS, Regime
from lean_trim.core.sieve.sieve import MANUAL_BIT, reasons_at
from lean_trim.core.text import clock
from lean_trim.job.records import Mark
from lean_trim.ui.tape.lanes import SHORT
from lean_trim.ui.tape.tape_data import Lane, TapeData

REGIME_WORDS = {
    Regime.STOPPED: "the engine does not run",
    Regime.WARM_UP: "coolant is below the warm threshold, or the loop has just closed",
    Regime.IDLE: "closed throttle and low speed",
    Regime.OVERRUN: "closed throttle above idle: fuel is cut, or about to be",
    Regime.CRUISE: "steady between idle and full throttle",
    Regime.TRANSIENT: "throttle or manifold pressure change quickly",
    Regime.FULL_THROTTLE: "throttle above the full-throttle threshold",
}
AXIS_HINT = (
    "Time, minutes and seconds. Wheel zooms, Shift+wheel or middle button moves, dragging chooses "
    "a stretch. With the keyboard: arrows move the spot, Shift+arrows choose, Up and Down zoom, "
    "Home shows everything."
)
REGIME_HINT = (
    "What the engine did: stopped, warm-up, idle, overrun, part throttle, transient, full throttle."
)
LEGEND = (
    (
        "out",
        "left out",
        "Hatched: a rule of the sieve leaves these samples out; point at them for the reason.",
    ),
    (
        "hand",
        "by hand",
        "Crossed in the accent's ink: left out by you; Ctrl+D on the same stretch keeps it again.",
    ),
    (
        "lit",
        "chosen",
        "Shaded: the seconds that stand behind the chosen cells, or the chosen stretch.",
    ),
)
"""Marks over the lanes: kind, word, and what they mean."""


def lane_hint(lane: Lane) -> str:
    """What a lane shows: every series with its unit, and its scale.

    Parameters
    ----------
    lane : of the tape.

    Returns
    -------
    Several lines.
    """
    lines = []
    for trace in lane.traces:
        series = trace.series
        short = f" (“{SHORT[series.key]}”)" if len(lane.traces) > 1 and series.key in SHORT else ""
        unit = lane.own.unit
        lines.append(f"{series.name}{short}, {unit}" if unit else f"{series.name}{short}")
    lines.append(
        "The figures at the side are the ends of the lane's scale, the same for the whole log."
    )
    if lane.unit in ("λ", "%"):
        lines.append("Dashed line: λ 1." if lane.unit == "λ" else "Dashed line: zero.")
    return "\n".join(lines)


def regime_hint(data: TapeData, time_s: float) -> str:
    """The regime at a time, what it means, and how long this stretch of it lasts.

    Parameters
    ----------
    data : the tape.
    time_s : on the joined log.

    Returns
    -------
    One line.
    """
    if data.regime is None:
        return ""
    at = index_at(data, time_s)
    regime = Regime(int(data.regime[at]))
    other = np.flatnonzero(data.regime != data.regime[at])
    later = other[other > at]
    before = other[other < at]
    first = int(before[-1]) + 1 if len(before) else 0
    last = int(later[0]) if len(later) else len(data.regime) - 1
    seconds = float(data.log.time_s[last] - data.log.time_s[first])
    return f"{REGIME_LABELS[regime]}: {REGIME_WORDS[regime]}. This stretch lasts {seconds:.1f} s."


def sample_hint(data: TapeData, time_s: float) -> str:
    """Why the sample at a time does not count, every reason; "" if it does.

    Parameters
    ----------
    data : the tape.
    time_s : on the joined log.

    Returns
    -------
    One line a reason.
    """
    if data.bits is None:
        return ""
    bits = int(data.bits[index_at(data, time_s)])
    lines = (
        ["Left out by hand; Ctrl+D on the same stretch keeps it again."]
        if bits & int(MANUAL_BIT)
        else []
    )
    lines += [f"{rule.label}: {rule.why}." for rule in reasons_at(bits)]
    if not lines:
        return ""
    return f"At {clock(time_s)} min this is left out:\n" + "\n".join(lines)


def mark_hint(mark: Mark) -> str:
    """What a flag is."""
    note = f": {mark.text}" if mark.text else ""
    return f"Bookmark at {clock(mark.time_s)} min{note}. Ctrl+B at the same spot removes one without a note."


def index_at(data: TapeData, time_s: float) -> int:
    """The sample at a time, or the one after it.

    Parameters
    ----------
    data : the tape.
    time_s : on the joined log.

    Returns
    -------
    Its index.
    """
    return int(np.clip(np.searchsorted(data.log.time_s, time_s), 0, len(data.log) - 1))
