"""Faults of what the injectors are fed with: fuel pressure, opening time, voltage."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.fuel_supply import supply_of
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message
from lean_trim.core.sieve.rules_limits import LOW_V

SAGGED_SHARE = 0.93
"""Share of the rated differential pressure below which the pump or its regulator is at fault."""
OFF_SHARE = 0.05
DUTY_PCT = 85.0
"""Injector duty from which no reserve is left (common practice, no source)."""
FULL_OPEN_PCT = 97.0
"""Duty at which an injector has no time left to close (common practice, no source)."""
USUAL_V = 14.0


class Say:
    """Sentences of this module."""

    PRESSURE = Message(
        "supply.pressure",
        "Differential fuel pressure was more than 7 % below its rated value for {seconds:.1f} s, first at "
        "{first} min: look at pump, filter and regulator before the airflow table.",
    )
    REGULATOR = Message(
        "supply.regulator",
        "The fuel rail follows the manifold by {follows:.2f} kPa per kPa instead of 1, so that the injectors "
        "stand under up to {off:.0f} kPa more or less than rated, {seconds:.1f} s by more than 5 %: look at "
        "the regulator and its hose before the airflow table or the injector data.",
    )
    DUTY = Message(
        "supply.duty",
        "Injector duty was above 85 % for {seconds:.1f} s, first at {first} min; larger injectors or more "
        "pressure are needed before more air.",
    )
    FULL_OPEN = Message(
        "supply.full_open",
        "The injectors were open all the time ({duty:.0f} % duty) for {seconds:.1f} s, first at {first} min: "
        "no more fuel exists, whatever the table asks for. Larger injectors or more pressure before the next "
        "run.",
    )
    VOLTAGE = Message(
        "supply.voltage",
        "Battery was below 12 V for {seconds:.1f} s while running, first at {first} min; dead time is "
        "uncertain there.",
    )


def _pressure(conditions: Conditions) -> Seen:
    rated = conditions.frame.vehicle.injectors.rated_pressure_kpa
    low = np.asarray(conditions.frame.log.get(Role.FUEL_DP, rated) < SAGGED_SHARE * rated)
    return Seen(low & (conditions.regime != Regime.STOPPED))


def _regulator(conditions: Conditions) -> Seen:
    frame = conditions.frame
    supply = supply_of(frame)
    if not supply.is_off:
        return Seen(np.zeros(len(frame.log), bool))
    rated = frame.vehicle.injectors.rated_pressure_kpa
    off = np.abs(frame.log[Role.FUEL_DP] - rated) > OFF_SHARE * rated
    seen = np.asarray(off & (conditions.regime != Regime.STOPPED))
    return Seen(seen, {"follows": supply.follows, "off": supply.off_kpa})


def _duty(conditions: Conditions) -> Seen:
    return Seen(np.asarray(conditions.motion.duty > DUTY_PCT))


def _full_open(conditions: Conditions) -> Seen | None:
    full = np.asarray(conditions.motion.duty >= FULL_OPEN_PCT)
    return Seen(full, {"duty": float(np.max(conditions.motion.duty[full]))}) if full.any() else None


def _voltage(conditions: Conditions) -> Seen:
    low = np.asarray(conditions.frame.log.get(Role.BATTERY, USUAL_V) < LOW_V.default)
    return Seen(low & (conditions.regime != Regime.STOPPED))


PRESSURE = Fault("fuel_pressure", "danger", Say.PRESSURE, 0.5, _pressure)
REGULATOR = Fault("regulator", "danger", Say.REGULATOR, 2.0, _regulator)
DUTY = Fault("injector_duty", "warning", Say.DUTY, 0.2, _duty)
FULL_OPEN = Fault("injectors_full_open", "danger", Say.FULL_OPEN, 0.2, _full_open)
VOLTAGE = Fault("low_voltage", "warning", Say.VOLTAGE, 2.0, _voltage)
