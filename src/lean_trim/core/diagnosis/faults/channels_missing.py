"""Full throttle driven without the channels that would show what goes wrong there."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from lean_trim.core.data.channels import Role, in_words
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

UNSEEN: Mapping[Role, str] = {
    Role.FUEL_DP: "a pump that sags",
    Role.KNOCK: "knock",
    Role.PULSE_WIDTH: "fuel that no table names, or an injector at its end",
}
"""What nobody can see without a channel."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "channels_missing.seen",
        "Full throttle was driven without {channels} in the log: {unseen} would not be seen.",
    )
    EFFECT = Message(
        "channels_missing.effect",
        "Such a fault would be taken for air, and written into the table.",
    )
    NEXT = Message(
        "channels_missing.next", "Log it on the next drive, if the ECU or a gauge has it."
    )


def _seen(conditions: Conditions) -> Seen | None:
    log = conditions.frame.log
    missing = [role for role in UNSEEN if role not in log or not np.isfinite(log[role]).any()]
    if Role.DUTY in log and Role.PULSE_WIDTH in missing:
        missing.remove(Role.PULSE_WIDTH)
    if not missing:
        return None
    channels = ", ".join(in_words(role) for role in missing)
    unseen = ", ".join(UNSEEN[role] for role in missing)
    full = np.asarray(conditions.regime == Regime.FULL_THROTTLE)
    return Seen(full, {"channels": channels, "unseen": unseen})


FAULT = Fault("channels_missing", "note", Say.SEEN, 2.0, _seen, Say.EFFECT, Say.NEXT)
