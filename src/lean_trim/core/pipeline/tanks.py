"""Logs of different tanks: a flex-fuel car's may only be pooled where the ethanol of each is known."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    UNKNOWN_TANK = Message(
        "tanks.unknown_tank",
        "{name}: this car's fuel varies and the log holds no ethanol content, so it may be of "
        "another tank than the other logs; correct it alone, name its ethanol column, or say that "
        "the fuel does not vary",
    )


def refuse_unknown_tank(log: Log, vehicle: Vehicle, count: int) -> None:
    """Refuse to pool a log whose fuel is not known.

    Without the ethanol every tank has a fuel factor of its own, and the table would hold their
    mean.

    Parameters
    ----------
    log : one of the logs.
    vehicle : whose logs they are.
    count : how many there are; one alone needs nothing.

    Raises
    ------
    LogError
        If the fuel varies and this log does not tell it.
    """
    if count > 1 and vehicle.fuel_varies and not np.isfinite(log.get(Role.ETHANOL)).any():
        raise LogError(Say.UNKNOWN_TANK(name=log.name))
