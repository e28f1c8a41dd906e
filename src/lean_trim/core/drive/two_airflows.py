"""The airflow tables of an ECU with more than one along a log: the air each believes in, and its share."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, running_box
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.coordinates import believed_air_g, coordinates
from lean_trim.core.drive.layers import layer_shares, layer_values
from lean_trim.core.types import Floats

EXPLAINS = 0.03
"""Share within which an airflow explains the pulse width."""
MISSES = 0.05
"""Share beyond which it does not."""
OVER_S = 0.6
"""Width of the mean by which a pulse width is held against both, s."""
Told = Literal["flag", "rule", "pulse width", "position", "nothing"]


@dataclass(frozen=True, eq=False)
class TwoAirflows:
    """What both tables say along a log; arrays of shape (n,).

    Attributes
    ----------
    own_g, other_g : air per stroke by the table that is corrected, and by the other; of several VE
        tables, by all others together as they were in force.
    share : of the own table in force, 0 to 1; NaN where it is not told.
    how : what told it.
    """

    own_g: Floats
    other_g: Floats
    share: Floats
    how: Told

    @property
    def in_force_g(self) -> Floats:
        """Air per stroke the ECU believed in; the own table's where it is not told which was in force."""
        share = np.where(np.isfinite(self.share), self.share, 1.0)
        # Where only one of them can be read, nothing is to be learned from the other.
        other = np.where(share < 1.0, self.other_g, 0.0)
        return np.asarray(share * self.own_g + (1.0 - share) * other)


def two_airflows(log: Log, vehicle: Vehicle, own_g: Floats, target: Floats) -> TwoAirflows | None:
    """Read the other table of a blended ECU along a log.

    Parameters
    ----------
    log : with the channels both tables are read by.
    vehicle : as seen by the table that is corrected.
    own_g : air per stroke by that table, g, shape (n,).
    target : target lambda, shape (n,).

    Returns
    -------
    None of an ECU with one airflow table.

    Raises
    ------
    LogError
        If a channel is missing that the other table is read by.
    """
    if vehicle.layers:
        return _of_layers(log, vehicle, own_g)
    if vehicle.other is None:
        return None
    seen = vehicle.seen_by(vehicle.other.airflow)
    driven = seen.table.lookup(*coordinates(log, seen))
    other_g = believed_air_g(log, seen, driven, target)
    if Role.AIRFLOW_SOURCE in log:
        maf = np.clip(log[Role.AIRFLOW_SOURCE], 0.0, 1.0)
        share = maf if vehicle.airflow == "maf" else 1.0 - maf
        return TwoAirflows(own_g, other_g, np.asarray(share), "flag")
    return TwoAirflows(own_g, other_g, np.full(len(log), np.nan), "nothing")


def _of_layers(log: Log, vehicle: Vehicle, own_g: Floats) -> TwoAirflows:
    """The VE table under correction, and all others as they were in force beside it."""
    shares = layer_shares(log, vehicle)
    values = layer_values(log, vehicle)
    own = vehicle.table_name
    rest = sum((shares[n] * values[n] for n in shares if n != own), np.zeros(len(log)))
    # Air per stroke goes with VE, whatever pressure and temperature are.
    with np.errstate(divide="ignore", invalid="ignore"):
        others = rest / (1.0 - shares[own])
        other_g = np.where(shares[own] < 1.0, own_g * others / values[own], own_g)
    return TwoAirflows(own_g, other_g, shares[own], "position")


def told_by_width(found: TwoAirflows, log: Log, ratio: Floats) -> TwoAirflows:
    """The same, with what the pulse width shows of the table in force where no flag told it.

    Parameters
    ----------
    found : both airflows.
    log : they were read along.
    ratio : fuel by pulse width over fuel by the own table, target and trims, shape (n,).

    Returns
    -------
    Unchanged where a flag told it, or no pulse width can. A sample that both explain counts for neither
    alone: its share is one half.
    """
    if found.how != "nothing" or not np.isfinite(ratio).any():
        return found
    with np.errstate(divide="ignore", invalid="ignore"):
        by_own = np.log(ratio)
        by_other = by_own + np.log(found.own_g / found.other_g)
    seen = np.isfinite(by_own) & np.isfinite(by_other)
    own, other = (
        running_box(np.where(seen, np.abs(x), 1.0), log.time_s, OVER_S) for x in (by_own, by_other)
    )
    share = np.full(len(log), np.nan)
    share[seen & (own < EXPLAINS) & (other < EXPLAINS)] = 0.5
    share[seen & (own < EXPLAINS) & (other > MISSES)] = 1.0
    share[seen & (other < EXPLAINS) & (own > MISSES)] = 0.0
    return TwoAirflows(found.own_g, found.other_g, share, "pulse width")
