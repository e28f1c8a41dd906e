"""Several VE tables over a position (cam angle, runner flap): how much of each is in force along a log.

The ECU reads the two tables whose positions lie around where the cam or flap is, and takes the value
between them on a straight line. Positions beyond the first and the last table are held.
"""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.coordinates import coordinates
from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    NO_POSITION = Message(
        "layers.no_position",
        "{name} does not tell where the cam or flap was that this car's VE tables are blended over: log it, "
        "and name its column (--column table_position=NAME, or table_position.channel in the vehicle sheet)",
    )


def shares_at(position: Floats, at: Floats) -> Floats:
    """Share of each table at positions.

    Parameters
    ----------
    position : of the cam or flap, in the unit of ``at``, shape (n,); NaN where it is not known.
    at : where each of m tables is in force alone, rising, shape (m,).

    Returns
    -------
    Shape (m, n); each column adds up to 1, NaN where the position is not known.
    """
    place = np.interp(position, at, np.arange(len(at), dtype=float))
    place = np.where(np.isfinite(position), place, np.nan)
    rows = np.arange(len(at), dtype=float)[:, None]
    with np.errstate(invalid="ignore"):
        return np.asarray(np.maximum(0.0, 1.0 - np.abs(place[None, :] - rows)))


def layer_shares(log: Log, vehicle: Vehicle) -> dict[str, Floats]:
    """Share of each of a vehicle's VE tables along a log.

    Parameters
    ----------
    log : with the position.
    vehicle : with several VE tables.

    Returns
    -------
    By name of the table, shape (n,); 0 where the position is not known.

    Raises
    ------
    LogError
        If the position was not logged.
    """
    if Role.TABLE_POSITION not in log:
        raise LogError(Say.NO_POSITION(name=log.name))
    tables = sorted((vehicle.own_layer, *vehicle.layers), key=lambda layer: layer.at)
    at = np.array([layer.at for layer in tables])
    shares = np.nan_to_num(shares_at(held(log[Role.TABLE_POSITION]), at))
    return {layer.name: share for layer, share in zip(tables, shares, strict=True)}


def layer_values(log: Log, vehicle: Vehicle) -> dict[str, Floats]:
    """What each VE table of a vehicle says along a log.

    Parameters
    ----------
    log : with the channels they are read by.
    vehicle : with several VE tables.

    Returns
    -------
    By name of the table, VE in percent, shape (n,).
    """
    return {
        name: vehicle.seen_by(name).table.lookup(*coordinates(log, vehicle.seen_by(name)))
        for name in vehicle.airflow_tables
    }
