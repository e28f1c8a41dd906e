"""A fuel rail that does not follow the manifold one to one."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.fuel_supply import supply_of
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

OFF_SHARE = 0.05
"""Share of the rated differential pressure from which it is off (common practice, no source)."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "regulator.seen",
        "The fuel rail follows the manifold by {follows:.2f} kPa per kPa instead of 1, so that "
        "the injectors stand under up to {off:.0f} kPa more or less than rated, {seconds:.1f} s "
        "by more than 5 %.",
    )
    EFFECT = Message(
        "regulator.effect",
        "Rich at low load and lean at high load, or the other way round. The correction reckons "
        "with the pressure that was logged, so the table is not bent.",
    )
    NEXT = Message(
        "regulator.next",
        "Look at the regulator and its hose before the airflow table or the injector data.",
    )


def _seen(conditions: Conditions) -> Seen:
    frame = conditions.frame
    supply = supply_of(frame)
    if not supply.is_off:
        return Seen(np.zeros(len(frame.log), bool))
    rated = frame.vehicle.injectors.rated_pressure_kpa
    off = np.abs(frame.log[Role.FUEL_DP] - rated) > OFF_SHARE * rated
    seen = np.asarray(off & (conditions.regime != Regime.STOPPED))
    return Seen(seen, {"follows": supply.follows, "off": supply.off_kpa})


FAULT = Fault("regulator", "danger", Say.SEEN, 2.0, _seen, Say.EFFECT, Say.NEXT)
