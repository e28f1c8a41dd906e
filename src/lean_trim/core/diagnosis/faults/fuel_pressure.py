"""Fuel pressure that sags: a pump, a filter or a regulator, not airflow."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

SAGGED_SHARE = 0.93
"""Share of the rated differential pressure below which the pump or its regulator is at fault."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "fuel_pressure.seen",
        "Differential fuel pressure was more than 7 % below its rated value for {seconds:.1f} s, "
        "first at {first} min.",
    )
    EFFECT = Message(
        "fuel_pressure.effect",
        "Less fuel than the pulse width says. The correction reckons with the pressure that was "
        "logged, so the table is not bent; nothing gets leaner there until it is mended.",
    )
    NEXT = Message(
        "fuel_pressure.next", "Look at pump, filter and regulator before the airflow table."
    )


def _seen(conditions: Conditions) -> Seen:
    rated = conditions.frame.vehicle.injectors.rated_pressure_kpa
    low = np.asarray(conditions.frame.log.get(Role.FUEL_DP, rated) < SAGGED_SHARE * rated)
    return Seen(low & (conditions.regime != Regime.STOPPED))


FAULT = Fault(
    "fuel_pressure", "danger", Say.SEEN, 0.5, _seen, Say.EFFECT, Say.NEXT, "count_no_leaner"
)
