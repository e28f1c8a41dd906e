"""A lambda sensor that does not reach its lean end in free air."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

LONG_CUT_S = 4.0
"""A fuel cut so long fills the exhaust with air, s."""
LOOK_S = 1.0
"""The last second of a cut so long is free air at the sensor."""
LEAST_CUTS = 2
"""Such cuts that have to show it."""
AT_MOST = 5e-4
"""Distance in λ at which readings stand at one end: the last digit of a logger."""
MOST_AT_END = 0.1
"""A meter at its end gives its largest reading again and again; one that measures does so now and
then."""
MOST_SCATTER = 0.03
"""Scatter of the levels of several cuts, as λ; a sensor that measures them agrees with itself."""
HIGHEST = 1.8
"""A plateau above this is as good as free air on most meters (common practice, no source)."""
LEAST_LEAN = 1.08
"""λ that has to be read at least; below it fuel was not cut."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "free_air.seen",
        "In {cuts} fuel cuts the lambda reading settled at {lam:.2f}, where free air drives a "
        "sound sensor to its end, first at {first} min: worn, badly heated, or never calibrated "
        "in free air.",
    )
    EFFECT = Message(
        "free_air.effect",
        "What is lean reads less lean than it is, so that a lean table is corrected by too little.",
    )
    NEXT = Message(
        "free_air.next",
        "Calibrate the sensor in free air, or put in a new one, before the next drive.",
    )


def _seen(conditions: Conditions) -> Seen | None:
    frame = conditions.frame
    log = frame.log
    if frame.lambda_of_loop:
        return None
    lam = log[Role.LAMBDA]
    cut = conditions.regime == Regime.OVERRUN
    edges = np.flatnonzero(np.diff(cut.astype(np.int8), prepend=0, append=0))
    out = np.zeros(len(lam), bool)
    plateaus = []
    highest = float(np.nanmax(lam, initial=0.0))
    for begin, end in edges.reshape(-1, 2).tolist():
        if log.time_s[end - 1] - log.time_s[begin] < LONG_CUT_S:
            continue
        last = slice(int(np.searchsorted(log.time_s, log.time_s[end - 1] - LOOK_S)), end)
        here = lam[last][np.isfinite(lam[last])]
        if len(here) < 4:
            continue
        at_end = float(np.mean(here >= highest - AT_MOST))
        plateaus.append((float(np.median(here)), float(np.std(here)), at_end))
        out[begin:end] = True
    if len(plateaus) < LEAST_CUTS:
        return None
    level, scatter, at_end = (float(x) for x in np.median(np.array(plateaus), axis=0))
    measures = scatter < MOST_SCATTER and at_end < MOST_AT_END
    if not (measures and LEAST_LEAN < level < HIGHEST):
        return None
    return Seen(out, {"cuts": len(plateaus), "lam": level}, len(plateaus) / LEAST_CUTS)


FAULT = Fault("free_air", "warning", Say.SEEN, LONG_CUT_S, _seen, Say.EFFECT, Say.NEXT)
