"""Injector tables to write: flow over pressure, dead time over voltage."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from lean_trim.core import physics
from lean_trim.core.data.injector_tables import OPEN_AXIS, PRESSURES_KPA, VOLTS_AXIS
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Injectors, TableLimits
from lean_trim.core.decision.proposal import quantise
from lean_trim.core.errors import BadInputError
from lean_trim.core.injectors.identify import Split
from lean_trim.core.injectors.small_pulses import SmallPulses
from lean_trim.core.injectors.voltage import VoltageSlope
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    NO_FLOW = Message(
        "injector_tables.no_flow",
        "key injectors.flow_g_per_s is not known, so there is nothing to compare the true flow "
        "with",
    )
    NO_PRESSURE = Message(
        "injector_tables.no_pressure",
        "key injectors.rated_pressure_kpa is not known; the flow is one at a pressure",
    )
    NO_DEAD_TIME = Message(
        "injector_tables.no_dead_time",
        "key injectors.dead_time_ms is not known, so there is nothing to compare the true dead "
        "time with",
    )
    NOT_FALLING = Message(
        "injector_tables.not_falling",
        "key injectors.dead_time_ms is {ms:g} ms at {volts:g} V and {next_ms:g} ms at "
        "{next_volts:g} V; it has to fall with voltage",
    )


LEAST_DEAD_MS = 0.0
"""No injector opens before it is told to."""
FINEST_DIGITS = 6
"""Decimals a cell may show; more are noise of the arithmetic."""
FLOW_STEP_G_PER_S = 0.001
"""Resolution of a flow whose table does not show one, g/s."""
DEAD_STEP_MS = 0.001
"""Steps taken where the ECU's own are not known; a table that shows finer ones keeps them."""
MOST_FLOW_G_PER_S = 200.0
"""Larger than any injector of a car, g/s."""
MOST_DEAD_MS = 20.0
"""Longer than any dead time, ms."""
LEAST_ADDED_MS = -0.5
"""A small-pulse table may take back so much, ms."""


def refuse_unknown(injectors: Injectors) -> None:
    """Refuse injector data that cannot be corrected.

    Parameters
    ----------
    injectors : as the sheet has them.

    Raises
    ------
    BadInputError
        Naming the key and what is wrong.
    """
    if not np.isfinite(injectors.flow_g_per_s):
        raise BadInputError(Say.NO_FLOW())
    if not injectors.pressure_known:
        raise BadInputError(Say.NO_PRESSURE())
    if not len(injectors.volts):
        raise BadInputError(Say.NO_DEAD_TIME())
    rises = np.flatnonzero(np.diff(injectors.dead_time_ms) > 0.0)
    if len(rises):
        i = int(rises[0])
        raise BadInputError(
            Say.NOT_FALLING(
                ms=float(injectors.dead_time_ms[i]),
                volts=float(injectors.volts[i]),
                next_ms=float(injectors.dead_time_ms[i + 1]),
                next_volts=float(injectors.volts[i + 1]),
            )
        )


def flow_over_pressure(
    injectors: Injectors, split: Split, pressures: ArrayLike = PRESSURES_KPA
) -> Floats:
    """True flow of one injector over differential pressure, by the square-root law.

    Parameters
    ----------
    injectors : as the sheet has them.
    split : with the flow scale.
    pressures : kPa, shape (n,).

    Returns
    -------
    g/s, shape (n,).
    """
    rated = injectors.flow_g_per_s * split.flow_scale
    return np.array(
        [
            physics.injector_flow_at(rated, injectors.rated_pressure_kpa, p)
            for p in np.asarray(pressures, float)
        ]
    )


def dead_time_over_voltage(
    injectors: Injectors, split: Split, slope: VoltageSlope | None = None
) -> Floats:
    """True dead time at the sheet's own voltages.

    Parameters
    ----------
    injectors : as the sheet has them.
    split : with the shift.
    slope : how it changes with voltage; counted where it is known and off.

    Returns
    -------
    ms, shape (n,); never below 0.
    """
    shift = split.dead_ms + _along(slope, injectors.volts)
    return np.asarray(np.maximum(injectors.dead_time_ms + shift, LEAST_DEAD_MS))


def flow_to_write(table: Table, split: Split) -> Table:
    """True flow on the ECU's own axis.

    Parameters
    ----------
    table : flow over pressure as it is in the ECU, g/s.
    split : with the flow scale.

    Returns
    -------
    Rounded to what the ECU can hold.
    """
    return _written(table, table.values * split.flow_scale)


def dead_time_to_write(table: Table, split: Split, slope: VoltageSlope | None = None) -> Table:
    """True dead time on the ECU's own axes.

    Parameters
    ----------
    table : dead time over voltage, or voltage and pressure, as it is in the ECU, ms.
    split : with the shift, the same everywhere.
    slope : how the shift changes with voltage; counted where it is known and off.

    Returns
    -------
    Rounded to what the ECU can hold; never below its least step.
    """
    return _written(table, table.values + split.dead_ms + _by_voltage(table, slope))


def small_pulses_to_write(table: Table, small: SmallPulses) -> Table:
    """What short pulses have to get, on the ECU's own axis.

    Parameters
    ----------
    table : added time over open time as it is in the ECU.
    small : what is still lost.

    Returns
    -------
    Rounded to what the ECU can hold; as it was where the drive has no evidence.
    """
    open_ms = table.axes[0].points
    return _written(table, table.values + small.loss_at(open_ms))


def _by_voltage(table: Table, slope: VoltageSlope | None) -> Floats:
    """What the voltage slope adds to each cell; nothing where it is not known or not off."""
    place = [a.name for a in table.axes].index(VOLTS_AXIS)
    along = _along(slope, table.axes[place].points)
    return along.reshape([-1 if i == place else 1 for i in range(len(table.axes))])


def _along(slope: VoltageSlope | None, volts: Floats) -> Floats:
    if slope is None or not slope.is_off:
        return np.zeros(len(volts))
    return np.asarray(slope.ms_per_v * (volts - slope.about_v))


def _written(table: Table, values: Floats) -> Table:
    held, _ = quantise(values, limits_of(table), table.own)
    return table.with_values(held)


def limits_of(table: Table) -> TableLimits:
    """Resolution and range of an injector table's field, told by the cells it holds.

    Parameters
    ----------
    table : of flow or of dead time.

    Returns
    -------
    In the ECU's own numbers. Its steps are as fine as the cells show, and never coarser than a
    thousandth of our unit, for round numbers show nothing.
    """
    flows = table.unit == "g/s"
    least = LEAST_ADDED_MS if table.axes[0].name == OPEN_AXIS else 0.0
    scale = 1.0 if table.own is None else table.own.scale
    usual = (FLOW_STEP_G_PER_S if flows else DEAD_STEP_MS) * scale
    shown = np.asarray(table.shown, float)
    digits = next(
        (
            d
            for d in range(FINEST_DIGITS)
            if np.allclose(shown, np.round(shown, d), rtol=0.0, atol=1e-9)
        ),
        FINEST_DIGITS,
    )
    step = min(10.0**-digits, 10.0 ** np.floor(np.log10(usual) + 1e-9))
    most = (MOST_FLOW_G_PER_S if flows else MOST_DEAD_MS) * scale
    return TableLimits(float(step), least * scale, float(most))
