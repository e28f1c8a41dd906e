"""Lean as the throttle is opened wide: fuel that lands on the walls, and no matter of the table."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.diagnosis.faults.lean_full_throttle import LEAN_FACTOR
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.narrowband import lasting
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message
from lean_trim.core.physics import STANDARD_KPA

PEAK_S = 0.3
"""How long a peak lasts that is told, s."""
NEAR_BARO = 0.9
"""Share of the barometer from which the throttle is wide open."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "tip_in_thin.seen",
        "Tip-in fuel is thin: up to {lean:.0f} % lean for {seconds:.1f} s in all as the throttle "
        "opened wide, first at {first} min. The wall film explains it; the table does not cause "
        "it.",
    )
    EFFECT = Message("tip_in_thin.effect", "Not counted against the airflow table.")
    NEXT = Message(
        "tip_in_thin.next",
        "Raise the enrichment of quick changes; the Transients desk says by what.",
    )


def _seen(conditions: Conditions) -> Seen | None:
    log = conditions.frame.log
    if Role.MAP not in log or conditions.thin is None:
        return None
    baro = held(log[Role.BARO]) if Role.BARO in log else np.full(len(log), STANDARD_KPA)
    with np.errstate(invalid="ignore"):
        lean = conditions.lam / conditions.frame.target
        wide = log[Role.MAP] > NEAR_BARO * baro
        peak = wide & (lean > LEAN_FACTOR) & (conditions.regime != Regime.WARM_UP)
    # The table may be off as well; a peak is the film's where nothing of it is left without.
    mask = lasting(peak, log.time_s, PEAK_S) & (conditions.lean <= LEAN_FACTOR)
    if not mask.any():
        return None
    return Seen(mask, {"lean": 100.0 * float(lean[mask].max() - 1.0)})


FAULT = Fault("tip_in_thin", "warning", Say.SEEN, 0.3, _seen, Say.EFFECT, Say.NEXT)
