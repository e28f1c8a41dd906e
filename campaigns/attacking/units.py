"""Units as people write them: text, conversion from ours, whether a reader knows at once what is meant."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from campaigns.dressing.scales import BARO_KPA
from lean_trim.core.data.channels import Role
from lean_trim.core.types import Floats


@dataclass(frozen=True)
class Written:
    """One way to write a channel's numbers."""

    text: str
    convert: Callable[[Floats], Floats]
    clear: bool = True
    gauge: bool = False


def _by(factor: float, *texts: str, clear: bool = True) -> list[Written]:
    return [Written(text, lambda x: x * factor, clear) for text in texts]


def _gauge(factor: float, *texts: str, clear: bool = True) -> list[Written]:
    return [Written(text, lambda x: (x - BARO_KPA) * factor, clear, True) for text in texts]


PSI = 1.0 / 6.894757
INHG = 1.0 / 3.386389
MMHG = 1.0 / 0.1333224
PRESSURE = [
    *_by(1.0, "kPa", "kPa", "kpa", "KPA"),
    *_by(10.0, "mbar", "hPa", "mBar"),
    *_by(0.01, "bar", "Bar"),
    *_by(PSI, "psi", "PSI"),
    *_by(INHG, "inHg", "in Hg", "inch Hg"),
    *_by(MMHG, "mmHg", "Torr", "mm Hg"),
    *_by(1000.0, "Pa"),
    *_by(10.0, "kPa x10", "0.1 kPa", "kPa*10"),
]
MANIFOLD = [
    *PRESSURE,
    *_by(1.0, "kPa abs", "kPa(a)", "kPa absolute"),
    *_by(0.01, "bar abs", "bara", "bar(a)"),
    *_by(PSI, "psia", "psi abs"),
    *_gauge(PSI, "psig", "psi gauge", "psi(g)"),
    *_gauge(1.0, "kPa gauge", "kPa(g)", "kPag", "kPa rel"),
    *_gauge(0.01, "barg", "bar gauge", "bar(g)", "bar rel"),
    *_gauge(10.0, "mbar rel", "mbar gauge"),
    *_by(1.0, "", clear=True),
]
TEMPERATURE = [
    *_by(1.0, "°C", "C", "degC", "deg C", "Celsius", "℃", "grad C", "° C"),
    *[Written(t, lambda x: x * 1.8 + 32.0) for t in ("°F", "F", "degF", "deg F", "℉")],
    *[Written(t, lambda x: x + 273.15) for t in ("K", "Kelvin")],
    *_by(10.0, "0.1 °C", "°C x10", "°C*10"),
    Written("°C+40", lambda x: x + 40.0),
    *_by(1.0, ""),
]
TRIM = [
    *_by(1.0, "%", "pct", "percent", "%", "[%]"),
    *_by(10.0, "‰", "per mille", "0.1 %", "% x10"),
    *[Written(t, lambda x: 1.0 + x / 100.0) for t in ("factor", "multiplier", "x")],
    Written("0..2", lambda x: 1.0 + x / 100.0, clear=False),
    Written("ratio", lambda x: 1.0 + x / 100.0),
    *_by(0.01, "fraction", "1 = 100 %", "-1..1", clear=False),
    Written("% of 100", lambda x: 100.0 + x, clear=False),
    *_by(1.0, ""),
]
UNITS: dict[Role, list[Written]] = {
    Role.RPM: [
        *_by(1.0, "rpm", "1/min", "min-1", "r/min", "RPM", "rev/min", "/min", "min^-1", "rpm", ""),
        *_by(np.pi / 30.0, "rad/s", "rad/sec"),
        *_by(1.0 / 60.0, "Hz", "1/s", "rev/s", "rps"),
        *_by(0.001, "krpm", "rpm x1000", "1000 rpm", "x1000 rpm", "1000/min"),
        *_by(0.01, "x100 rpm", "100/min", "rpm/100"),
    ],
    Role.MAP: MANIFOLD,
    Role.BARO: [*PRESSURE, *_by(1.0, "")],
    Role.FUEL_DP: [*_by(1.0, "kPa"), *_by(0.01, "bar"), *_by(PSI, "psi"), *_by(0.001, "MPa")],
    Role.IAT: TEMPERATURE,
    Role.COOLANT: TEMPERATURE,
    Role.THROTTLE: [
        *_by(1.0, "%", "pct", ""),
        *_by(0.01, "0-1", "0..1", "fraction"),
        *_by(2.55, "0-255", "0..255"),
        *_by(10.0, "‰", "0.1 %"),
    ],
    Role.BATTERY: [
        *_by(1.0, "V", "Volt", "volts", ""),
        *_by(1000.0, "mV"),
        *_by(10.0, "0.1 V", "V x10"),
    ],
    Role.STFT: TRIM,
    Role.LTFT: TRIM,
    Role.CLOSED_LOOP: _by(1.0, "", "0/1", "bool"),
    Role.PULSE_WIDTH: [
        *_by(1.0, "ms", "msec", "ms", "millisec", ""),
        *_by(1000.0, "us", "µs", "usec", "microsec"),
        *_by(1e-3, "s", "sec"),
        *_by(100.0, "0.01 ms", "ms x100", "10 us"),
    ],
    Role.SPEED: [
        *_by(1.0, "km/h", "kph", "kmh", "km/hr", ""),
        *_by(1.0 / 1.609344, "mph", "mi/h"),
        *_by(1.0 / 3.6, "m/s"),
    ],
    Role.SPARK: _by(1.0, "°", "deg", "°BTDC", "deg BTDC", "°CA", "° KW", ""),
    Role.MAF_HZ: [*_by(1.0, "Hz", "hz", "1/s"), *_by(1e-3, "kHz", "KHZ")],
}
MIXTURES = ("λ", "λ", "AFR", "AFR 14.7", "φ", "λ x1000")


def mixture(kind: str, stoich: float) -> list[Written]:
    """Ways to write both mixtures of one dress."""
    if kind == "AFR":
        return _by(stoich, "AFR", "A/F", "afr", ":1")
    if kind == "AFR 14.7":
        return _by(14.7, "AFR", "A/F", "afr 14.7", "AFR (petrol)")
    if kind == "φ":
        return [Written(t, lambda x: 1.0 / x) for t in ("phi", "φ", "EQR")]
    if kind == "λ x1000":
        return _by(1000.0, "λ x1000", "0.001", "lambda*1000", "x1000")
    return _by(1.0, "λ", "lambda", "λ", "")


TIMES: dict[str, tuple[float, tuple[str, ...]]] = {
    "s": (1.0, ("s", "sec", "seconds", "")),
    "ms": (1e3, ("ms", "msec", "")),
    "us": (1e6, ("us", "µs")),
    "min": (1.0 / 60.0, ("min", "minutes", "min.")),
    "cs": (100.0, ("1/100 s", "cs", "10 ms", "s/100")),
    "ds": (10.0, ("1/10 s", "0.1 s", "s x10")),
    "h": (1.0 / 3600.0, ("h", "hours")),
}
