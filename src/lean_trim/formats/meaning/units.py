"""Conversion of logged units to the computation's units (factors from NIST SP 811, from memory)."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.types import Floats

Convert = Callable[[Floats], Floats]

PSI_KPA = 6.894757
INHG_KPA = 3.386389
LB_G = 453.59237


def _scale(factor: float) -> Convert:
    return (lambda x: x) if factor == 1.0 else (lambda x: x * factor)


PRESSURE: dict[str, Convert] = {
    "kpa": _scale(1.0),
    "pa": _scale(1e-3),
    "hpa": _scale(0.1),
    "mbar": _scale(0.1),
    "bar": _scale(100.0),
    "psi": _scale(PSI_KPA),
    "inhg": _scale(INHG_KPA),
    "mmhg": _scale(0.1333224),
    "torr": _scale(0.1333224),
    "mpa": _scale(1000.0),
    "kg/cm2": _scale(98.0665),
}
TEMPERATURE: dict[str, Convert] = {
    "c": _scale(1.0),
    "f": lambda x: (x - 32.0) / 1.8,
    "k": lambda x: x - 273.15,
}
AIRFLOW: dict[str, Convert] = {
    "g/s": _scale(1.0),
    "kg/h": _scale(1000.0 / 3600.0),
    "lb/min": _scale(LB_G / 60.0),
    "lb/h": _scale(LB_G / 3600.0),
    "lb/hr": _scale(LB_G / 3600.0),
    "kg/s": _scale(1000.0),
}
TIME: dict[str, Convert] = {
    "s": _scale(1.0),
    "sec": _scale(1.0),
    "ms": _scale(1e-3),
    "us": _scale(1e-6),
    "min": _scale(60.0),
    "h": _scale(3600.0),
}
SPEED: dict[str, Convert] = {
    "km/h": _scale(1.0),
    "kph": _scale(1.0),
    "mph": _scale(1.609344),
    "m/s": _scale(3.6),
}
PERCENT: dict[str, Convert] = {"%": _scale(1.0), "": _scale(1.0)}

UNITS: dict[Role, dict[str, Convert]] = {
    Role.RPM: {
        "rpm": _scale(1.0),
        "1/min": _scale(1.0),
        "min-1": _scale(1.0),
        "hz": _scale(60.0),
        "": _scale(1.0),
    },
    Role.MAP: PRESSURE,
    Role.BARO: PRESSURE,
    Role.FUEL_DP: PRESSURE,
    Role.IAT: TEMPERATURE,
    Role.COOLANT: TEMPERATURE,
    Role.THROTTLE: PERCENT,
    Role.STFT: PERCENT,
    Role.LTFT: PERCENT,
    Role.DUTY: PERCENT,
    Role.BATTERY: {"v": _scale(1.0), "mv": _scale(1e-3), "": _scale(1.0)},
    Role.PULSE_WIDTH: {"ms": _scale(1.0), "us": _scale(1e-3), "s": _scale(1e3), "": _scale(1.0)},
    Role.SPEED: SPEED,
    Role.MAF_FLOW: AIRFLOW,
    Role.MAF_HZ: {"hz": _scale(1.0), "khz": _scale(1e3)},
    Role.MAF_V: {"v": _scale(1.0), "mv": _scale(1e-3)},
    Role.SPARK: {"deg": _scale(1.0), "": _scale(1.0)},
    Role.KNOCK: {"deg": _scale(1.0), "": _scale(1.0)},
}


_SHOWN = {
    "kpa": "kPa",
    "pa": "Pa",
    "hpa": "hPa",
    "mpa": "MPa",
    "inhg": "inHg",
    "mmhg": "mmHg",
    "c": "°C",
    "f": "°F",
    "k": "K",
    "v": "V",
    "mv": "mV",
    "hz": "Hz",
    "khz": "kHz",
    "deg": "°",
    "us": "µs",
    "kg/cm2": "kg/cm²",
}


def show_unit(unit: str) -> str:
    """A unit as people write it.

    Parameters
    ----------
    unit : as it is compared.

    Returns
    -------
    As people write it.
    """
    return _SHOWN.get(unit, unit)


def tidy_unit(unit: str) -> str:
    """Unit text as it is compared: lower case, without brackets, degree signs and spaces.

    Parameters
    ----------
    unit : as people write it.

    Returns
    -------
    As it is compared.
    """
    # Two signs: the degree, and the ordinal that keyboards put in its place.
    plain = unit.strip().strip("[]()").lower().replace(" ", "").replace("°", "").replace("º", "")
    names = {
        "degc": "c",
        "celsius": "c",
        "degf": "f",
        "fahrenheit": "f",
        "kelvin": "k",
        "volt": "v",
        "volts": "v",
        "percent": "%",
        "pct": "%",
        "seconds": "s",
        "second": "s",
        "g/sec": "g/s",
        "degrees": "deg",
        "µs": "us",
        "kg/cm²": "kg/cm2",
        "kpaabs": "kpa",
        "kpa(abs)": "kpa",
        "inchhg": "inhg",
        "kmh": "km/h",
        "lb/minute": "lb/min",
    }
    return names.get(plain, plain)


def lambda_converter(unit: str, values: Floats, stoich_afr: float) -> Convert:
    """λ, AFR or φ to λ: by unit where it is clear, else by the range of the values themselves.

    Parameters
    ----------
    unit : tidy unit, "" if none was given.
    values : a sample of the column.
    stoich_afr : of the vehicle's fuel.

    Returns
    -------
    A function from the column to λ.
    """
    plain = tidy_unit(unit)
    finite = values[np.isfinite(values)]
    middle = float(np.median(finite)) if len(finite) else 1.0
    # Zero fuel is no mixture; it becomes a gap, not an infinite λ.
    if plain in ("phi", "φ", "er", "eqr"):
        return lambda x: 1.0 / np.where(x > 0, x, np.nan)
    # The vehicle's own ratio: a meter set to another fuel shows its AFR on that scale, which the user has to
    # say.
    if plain in ("afr", "a/f", "air/fuel", ":1") or middle > 4.0:
        return lambda x: x / stoich_afr
    return lambda x: x


def allowed_units(role: Role) -> str:
    """Units a role may be logged in, for messages.

    Parameters
    ----------
    role : a channel.

    Returns
    -------
    Units with commas between them.
    """
    return ", ".join(u for u in UNITS.get(role, {LABELS[role][1]: None}) if u)
