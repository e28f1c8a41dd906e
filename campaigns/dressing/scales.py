"""Units and scales in which loggers write a channel: unit text, and the conversion from ours."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.types import Floats

Scale = tuple[str, Callable[[Floats], Floats]]
STOICH = 14.1
"""Of the demo car's fuel; other cars' have their own."""
BARO_KPA = 98.0


def _times(factor: float) -> Callable[[Floats], Floats]:
    return lambda x: x * factor


PSI = 1 / 6.894757
INHG = 1 / 3.386389
BAR = 0.01
PRESSURE: dict[str, Scale] = {
    "kPa": ("kPa", _times(1.0)),
    "psi": ("psi", _times(PSI)),
    "bar": ("bar", _times(BAR)),
    "mbar": ("mbar", _times(10.0)),
    "hPa": ("hPa", _times(10.0)),
    "inHg": ("inHg", _times(INHG)),
}
MANIFOLD: dict[str, Scale] = {
    **PRESSURE,
    "gauge kPa": ("kPa", lambda x: x - BARO_KPA),
    "gauge psi": ("psig", lambda x: (x - BARO_KPA) * PSI),
    "gauge bar": ("bar(g)", lambda x: (x - BARO_KPA) * BAR),
}
VACUUM: dict[str, Scale] = {
    "vacuum kPa": ("kPa", lambda x: BARO_KPA - x),
    "vacuum inHg": ("inHg", lambda x: (BARO_KPA - x) * INHG),
}
TEMPERATURE: dict[str, Scale] = {
    "C": ("°C", _times(1.0)),
    "F": ("°F", lambda x: x * 1.8 + 32.0),
    "K": ("K", lambda x: x + 273.15),
}
MIXTURE: dict[str, Scale] = {
    "λ": ("λ", _times(1.0)),
    "AFR": ("AFR", _times(STOICH)),
    "AFR 14.7": ("AFR", _times(14.7)),
    "φ": ("phi", lambda x: 1.0 / x),
    "F/A": ("F/A", lambda x: 1.0 / (STOICH * x)),
}
TRIM: dict[str, Scale] = {
    "%": ("%", _times(1.0)),
    "fraction": ("", _times(0.01)),
    "factor": ("", lambda x: 1.0 + x / 100.0),
    "of 100": ("%", lambda x: 100.0 + x),
}
WIDTH: dict[str, Scale] = {
    "ms": ("ms", _times(1.0)),
    "us": ("µs", _times(1000.0)),
    "s": ("s", _times(1e-3)),
}
PERCENT: dict[str, Scale] = {"%": ("%", _times(1.0)), "fraction": ("", _times(0.01))}
VOLTS: dict[str, Scale] = {"V": ("V", _times(1.0)), "mV": ("mV", _times(1000.0))}
SPEED: dict[str, Scale] = {"km/h": ("km/h", _times(1.0)), "mph": ("mph", _times(1 / 1.609344))}
PLAIN: Scale = ("", _times(1.0))
SCALES: dict[Role, dict[str, Scale]] = {
    Role.MAF_HZ: {"Hz": ("Hz", _times(1.0)), "kHz": ("kHz", _times(1e-3))},
    Role.RPM: {"rpm": ("rpm", _times(1.0)), "1/min": ("1/min", _times(1.0))},
    Role.MAP: MANIFOLD | VACUUM,
    Role.BARO: PRESSURE,
    Role.FUEL_DP: {k: PRESSURE[k] for k in ("kPa", "psi", "bar")},
    Role.IAT: TEMPERATURE,
    Role.COOLANT: TEMPERATURE,
    Role.LAMBDA: MIXTURE,
    Role.TARGET: MIXTURE,
    Role.STFT: TRIM,
    Role.LTFT: TRIM,
    Role.PULSE_WIDTH: WIDTH,
    Role.THROTTLE: PERCENT,
    Role.BATTERY: VOLTS,
    Role.SPEED: SPEED,
    Role.SPARK: {"deg": ("deg", _times(1.0))},
    Role.KNOCK: {"deg": ("deg", _times(1.0))},
    Role.CLOSED_LOOP: {"": PLAIN},
}
DIGITS: dict[Role, int] = {
    Role.RPM: 0,
    Role.MAP: 2,
    Role.LAMBDA: 4,
    Role.TARGET: 4,
    Role.PULSE_WIDTH: 4,
    Role.CLOSED_LOOP: 0,
}
"""Decimals in our unit; a scale that makes numbers smaller gets as many more."""


def scale_of(role: Role, key: str, stoich: float) -> Scale:
    """Unit text and conversion of a channel, on the scale of a car's own fuel."""
    unit, convert = SCALES[role][key]
    if key == "AFR":
        return unit, _times(stoich)
    return (unit, lambda x: 1.0 / (stoich * x)) if key == "F/A" else (unit, convert)


def digits_for(role: Role, scale: Scale) -> int:
    """Decimals that keep the channel's own resolution."""
    spread = abs(float(np.diff(scale[1](np.array([1.0, 2.0])))[0]))
    return (
        max(0, DIGITS.get(role, 2) + max(0, int(np.ceil(-np.log10(max(spread, 1e-9))))))
        if spread < 1
        else (DIGITS.get(role, 2))
    )
