"""Channels a log lacks, and what that costs."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.table_kinds import Rows, rows_of
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.coordinates import DEFAULT_VOLTS
from lean_trim.core.messages import Message, Said


class Say:
    """Sentences of this module."""

    NEEDED = Message("missing.needed", "without it nothing can be corrected")
    LOOP_ONLY = Message(
        "missing.loop_only",
        "only where feedback works is the mixture known; full throttle, boost and cold running are "
        "not, until a wideband is logged",
    )
    TARGET = Message(
        "missing.target",
        "and the sheet has no target table: without either nothing can be corrected",
    )
    TRIMS = Message(
        "missing.trims",
        "what feedback adds is then read from the slow part of the pulse width, or not at all",
    )
    WIDTH = Message(
        "missing.width",
        "enrichments, fuel pressure and the meaning of trims cannot be checked; warm running only",
    )
    AIR = Message("missing.air", "25 °C is taken throughout; 10 °C off is 3 % of air")
    BATTERY = Message("missing.battery", "dead time is taken at {volts:g} V throughout")
    COOLANT = Message("missing.coolant", "cold running cannot be told from warm")
    NOT_LOGGED = Message("missing.not_logged", "{label} is not logged: {cost}")


@dataclass(frozen=True)
class Missing:
    """A role that no column plays.

    Attributes
    ----------
    role : which.
    needed : whether nothing can be done without it.
    cost : what it costs.
    """

    role: Role
    needed: bool
    cost: Said

    def __str__(self) -> str:
        return str(Say.NOT_LOGGED(label=LABELS[self.role][0], cost=str(self.cost)))


def missing_roles(log: Log, vehicle: Vehicle) -> tuple[Missing, ...]:
    """What a log lacks for this vehicle, the needed first.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : whose log it is.

    Returns
    -------
    One entry a role whose absence costs something.
    """
    out = []
    needed = [Role.RPM, *_axis_roles(vehicle)]
    if vehicle.other is not None:
        needed += _axis_roles(vehicle.seen_by(vehicle.other.airflow))
    for layer in vehicle.layers:
        needed += _axis_roles(vehicle.seen_by(layer.name))
    if vehicle.layers:
        needed.append(Role.TABLE_POSITION)
    needed = list(dict.fromkeys(needed))
    # A working loop stands for the sensor, where its trim says that it works.
    by_loop = vehicle.feedback != "none" and Role.STFT in log
    if not by_loop:
        needed.append(Role.LAMBDA)
    out += [Missing(r, True, Say.NEEDED()) for r in needed if r not in log]
    if by_loop and Role.LAMBDA not in log:
        out.append(Missing(Role.LAMBDA, False, Say.LOOP_ONLY()))
    if Role.TARGET not in log and vehicle.target is None:
        out.append(Missing(Role.TARGET, True, Say.TARGET()))
    if vehicle.feedback != "none":
        out += [Missing(r, False, Say.TRIMS()) for r in (Role.STFT, Role.LTFT) if r not in log]
    if Role.PULSE_WIDTH not in log and Role.DUTY not in log:
        out.append(Missing(Role.PULSE_WIDTH, False, Say.WIDTH()))
    if vehicle.is_speed_density and Role.IAT not in log:
        out.append(Missing(Role.IAT, False, Say.AIR()))
    if Role.BATTERY not in log and Role.PULSE_WIDTH in log:
        out.append(Missing(Role.BATTERY, False, Say.BATTERY(volts=DEFAULT_VOLTS)))
    if Role.COOLANT not in log:
        out.append(Missing(Role.COOLANT, False, Say.COOLANT()))
    return tuple(out)


def _axis_roles(vehicle: Vehicle) -> list[Role]:
    """Channels the airflow table is read by, beside engine speed."""
    if len(vehicle.table.axes) == 1:
        return [Role.MAF_V if vehicle.table.axes[0].unit == "V" else Role.MAF_HZ]
    kind = rows_of(vehicle.table)
    if kind in (Rows.LOAD_PER_REV, Rows.LOAD_PER_STROKE):
        return [Role.MAF_FLOW]
    return [Role.THROTTLE if kind is Rows.THROTTLE else Role.MAP]
