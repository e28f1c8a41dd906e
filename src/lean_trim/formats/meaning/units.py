"""Conversion of logged units to the computation's units (factors from NIST SP 811, from memory)."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from functools import partial

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.physics import STANDARD_KPA
from lean_trim.core.types import Floats
from lean_trim.formats.meaning.scaled_units import Part, parts_of

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
    "atm": _scale(STANDARD_KPA),
}
GAUGE = " gauge"
"""Behind the unit of a pressure that is measured above the barometer; the barometer is added
later."""
MANIFOLD = {**PRESSURE, **{f"{unit}{GAUGE}": convert for unit, convert in PRESSURE.items()}}
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
TIME: dict[str, float] = {
    "s": 1.0,
    "sec": 1.0,
    "ms": 1e-3,
    "us": 1e-6,
    "ns": 1e-9,
    "min": 60.0,
    "h": 3600.0,
    "d": 86400.0,
}
"""Seconds in a unit."""
TIME_WORDS = {
    word: unit
    for unit, words in (
        ("s", "second seconds secs sek sekunden seg segundos secondes secondi sekundy с сек 秒 초"),
        ("ms", "msec msecs millis milliseconds мс 毫秒 ミリ秒"),
        ("us", "µs μs usec micros microseconds мкс"),
        ("ns", "nsec nanos nanoseconds нс"),
        ("min", "mins minute minutes minuten minutos minuti minuty мин 分 분"),
        ("h", "hr hrs hour hours std stunden heures horas ore godziny ч 時間"),
        ("d", "day days tage jours"),
    )
    for word in words.split()
}
"""Other words for units of time."""
PARTS_OF_A_SECOND = {"cs": 1e-2, "csec": 1e-2, "ds": 1e-1}
_NUMBER = r"(\d+(?:[.,]\d+)?)(?:/(\d+(?:[.,]\d+)?))?"
_TIMES_UNIT = re.compile(rf"[x×*]?{_NUMBER}[x×*]?([^\d/x×*]+)")
_UNIT_TIMES = re.compile(rf"([^\d/x×*]+)[x×*/]{_NUMBER}")
"""A number of a unit: 1/100s, 0.1s, x10ms, 10*ms, and the other way round; tidied, so without
blanks."""


def seconds_per(unit: str) -> float | None:
    """Seconds in a unit of time, also in so many or such a part of one.

    Parameters
    ----------
    unit : as people write it: "s", "min.", "1/100 s", "0.1 s", "x10 ms", "cs".

    Returns
    -------
    > 0; None where it is not understood.
    """
    plain = tidy_unit(unit).rstrip(".").replace("·", "*")
    plain = TIME_WORDS.get(plain, plain)
    if plain in TIME:
        return TIME[plain]
    if plain in PARTS_OF_A_SECOND:
        return PARTS_OF_A_SECOND[plain]
    if found := _TIMES_UNIT.fullmatch(plain):
        over, under, word = found.groups()
    elif found := _UNIT_TIMES.fullmatch(plain):
        word, over, under = found.groups()
    else:
        return None
    base = seconds_per(word)
    above = _decimal(over)
    below = _decimal(under or "1")
    # s/100 is a part as 1/100 s is one.
    if f"{word}/" in plain:
        above, below = below, above
    return base * above / below if base is not None and above > 0.0 and below > 0.0 else None


def tells_time(unit: str) -> bool:
    """True if a unit is one of time, also in so many or such a part of one.

    Parameters
    ----------
    unit : as people write it.

    Returns
    -------
    Whether it is; False for no unit.
    """
    return seconds_per(unit) is not None


def _decimal(text: str) -> float:
    return float(text.replace(",", "."))


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
        "hz": _scale(60.0),
        "rad/s": _scale(60.0 / math.tau),
        "krpm": _scale(1000.0),
        "": _scale(1.0),
    },
    Role.MAP: MANIFOLD,
    Role.BARO: PRESSURE,
    Role.FUEL_DP: MANIFOLD,
    Role.IAT: TEMPERATURE,
    Role.COOLANT: TEMPERATURE,
    Role.THROTTLE: PERCENT,
    Role.STFT: PERCENT,
    Role.LTFT: PERCENT,
    Role.DUTY: PERCENT,
    Role.ETHANOL: PERCENT,
    Role.BANK_GAP: PERCENT,
    Role.BATTERY: {"v": _scale(1.0), "mv": _scale(1e-3), "": _scale(1.0)},
    Role.PULSE_WIDTH: {"ms": _scale(1.0), "us": _scale(1e-3), "s": _scale(1e3), "": _scale(1.0)},
    Role.SPEED: SPEED,
    Role.MAF_FLOW: AIRFLOW,
    Role.MAF_HZ: {"hz": _scale(1.0), "khz": _scale(1e3)},
    Role.MAF_V: {"v": _scale(1.0), "mv": _scale(1e-3)},
    Role.SPARK: {"deg": _scale(1.0), "": _scale(1.0)},
    Role.KNOCK: {"deg": _scale(1.0), "": _scale(1.0)},
}


_ALL_UNITS = frozenset(u for units in UNITS.values() for u in units if u)
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
    "afr": "AFR",
}


def show_unit(unit: str) -> str:
    """A unit as people write it.

    Returns as people write it.
    """
    number, space, rest = unit.partition(" ")
    if space and number.replace(".", "", 1).isdigit():
        return f"{number} {show_unit(rest)}"
    if shifted := _COUNTED_FROM.fullmatch(unit):
        return f"{show_unit(shifted[1])}{shifted[2]}"
    base, gauge, _ = unit.partition(GAUGE)
    return _SHOWN.get(base, base) + gauge


_COUNTED_FROM = re.compile(r"(\D+)([+\-]\d+(?:\.\d+)?)")


_SYNONYMS = {
    "degc": "c",
    "deg.c": "c",
    "celsius": "c",
    "gradc": "c",
    "grad c": "c",
    "degf": "f",
    "deg.f": "f",
    "fahrenheit": "f",
    "kelvin": "k",
    "degk": "k",
    "volt": "v",
    "volts": "v",
    "millivolt": "mv",
    "percent": "%",
    "pct": "%",
    "prozent": "%",
    "seconds": "s",
    "second": "s",
    "secs": "s",
    "sek": "s",
    "sec": "s",
    "sekunden": "s",
    "msec": "ms",
    "millis": "ms",
    "milliseconds": "ms",
    "usec": "us",
    "microseconds": "us",
    "nsec": "ns",
    "minutes": "min",
    "days": "d",
    "day": "d",
    "g/sec": "g/s",
    "gm/s": "g/s",
    "gps": "g/s",
    "kg/hr": "kg/h",
    "kg/hour": "kg/h",
    "kgh": "kg/h",
    "lb/minute": "lb/min",
    "lbs/min": "lb/min",
    "lbm/min": "lb/min",
    "ppm": "lb/min",
    "lbs/h": "lb/h",
    "lbs/hr": "lb/h",
    "pph": "lb/h",
    "degrees": "deg",
    "degree": "deg",
    "grad": "deg",
    "degbtdc": "deg",
    "btdc": "deg",
    "degca": "deg",
    "cadeg": "deg",
    "degkw": "deg",
    "kw": "deg",
    "crk": "deg",
    "µs": "us",
    "μs": "us",
    "kg/cm²": "kg/cm2",
    "kgf/cm2": "kg/cm2",
    "kgf/cm²": "kg/cm2",
    "inchhg": "inhg",
    "in.hg": "inhg",
    "inhg.": "inhg",
    '"hg': "inhg",
    "millibar": "mbar",
    "kmh": "km/h",
    "km/hr": "km/h",
    "km/hour": "km/h",
    "kmhr": "km/h",
    "kmph": "km/h",
    "mi/h": "mph",
    "u/min": "rpm",
    "upm": "rpm",
    "umdr/min": "rpm",
    "tr/min": "rpm",
    "giri/min": "rpm",
    "obr/min": "rpm",
    "об/мин": "rpm",
    "1/min": "rpm",
    "/min": "rpm",
    "min-1": "rpm",
    "min^-1": "rpm",
    "min⁻¹": "rpm",
    "r/min": "rpm",
    "rev/min": "rpm",
    "rpm.": "rpm",
    "кпа": "kpa",
    "бар": "bar",
    "км/ч": "km/h",
    "мс": "ms",
    "мкс": "us",
    "с": "s",
    "сек": "s",
    "в": "v",
    "г/с": "g/s",
    "кг/ч": "kg/h",
    "гц": "hz",
    "град": "deg",
    "秒": "s",
    "毫秒": "ms",
    "转/分": "rpm",
    "lambda": "λ",
    "lam": "λ",
    "a/f": "afr",
    "air/fuel": "afr",
    ":1": "afr",
    "afr:1": "afr",
    "phi": "φ",
    "er": "φ",
    "eqr": "φ",
    "eq.ratio": "φ",
    "far": "f/a",
    "fuel/air": "f/a",
    "rad/sec": "rad/s",
    "1/s": "hz",
    "rev/s": "hz",
    "rps": "hz",
    "u/s": "hz",
    "tr/s": "hz",
    "millisec": "ms",
    "microsec": "us",
    "permille": "‰",
    "factor": "",
    "multiplier": "",
    "mult": "",
    "x": "",
    "×": "",
    "fraction": "",
    "ratio": "",
    "-": "",
    "--": "",
    "none": "",
    "n/a": "",
    "[]": "",
}
GAUGE_MARKS = ("gauge", "(g)", "-g", "rel", "relative", "g")
ABSOLUTE_MARKS = ("absolute", "abs", "(a)", "-a", "a")
MIXTURE_UNITS = ("λ", "afr", "φ", "f/a")
OTHER_UNITS = frozenset(
    [
        "l/h",
        "l/min",
        "l",
        "nm",
        "n.m",
        "lbft",
        "ft-lb",
        "mg/stk",
        "mg/stroke",
        "mg/str",
        "mg/cyl",
        "g/rev",
        "g/cyl",
        "g/stroke",
        "a",
        "ma",
        "ohm",
        "km",
        "mi",
        "mpg",
        "l/100km",
        "m",
        "ft",
        "g",
        "m/s2",
        "m/s²",
        "hp",
        "ps",
        "lambda",
        "count",
        "counts",
        "bit",
        "bool",
        "on/off",
        "enum",
        "code",
        "state",
        "status",
        "cm3",
        "cc/min",
        "cm3/min",
        "cm³/min",
        "kg",
        "g/km",
        "ns",
        "d",
        "rpm/s",
        "kpa/s",
        "%/s",
        "deg/s",
        "v/s",
        "hex",
        "dec",
        "no",
    ]
)
"""Units that no role is logged in; a column headed by one of them is something else."""
AT_END = frozenset(
    [
        "kpa",
        "psi",
        "bar",
        "mbar",
        "hpa",
        "inhg",
        "mmhg",
        "c",
        "degc",
        "f",
        "degf",
        "v",
        "mv",
        "ms",
        "us",
        "s",
        "sec",
        "hz",
        "khz",
        "g/s",
        "kg/h",
        "lb/min",
        "km/h",
        "kmh",
        "kph",
        "mph",
        "%",
        "pct",
        "deg",
        "psia",
        "psig",
        "kpaa",
        "kpag",
        "volts",
        "volt",
        "msec",
        "ca",
        "λ",
    ]
)
"""Units that may stand at the end of a name without brackets: no word of a name is written
alike."""


def tidy_unit(unit: str) -> str:
    """Unit text as it is compared: lower case, without brackets, degree signs and spaces.

    Parameters
    ----------
    unit : as people write it.

    Returns
    -------
    As it is compared; "gauge" stands behind the unit of a pressure above the barometer.
    """
    # Two signs: the degree, and the ordinal that keyboards put in its place; CJK writes °C in one
    # character.
    plain = unit.strip().strip("[]").replace("℃", "c").replace("℉", "f").replace("％", "%").lower()
    plain = (
        plain.replace(" ", "").replace("°", "").replace("º", "").strip("()")
        if plain != "(g)"
        else plain
    )
    plain = _SYNONYMS.get(plain, plain)
    for mark in GAUGE_MARKS:
        if plain.endswith(mark) and plain[: -len(mark)].strip("(-_,") in PRESSURE:
            return f"{plain[: -len(mark)].strip('(-_,')} gauge"
    for mark in ABSOLUTE_MARKS:
        if (
            plain.endswith(mark)
            and plain not in PRESSURE
            and plain[: -len(mark)].strip("(-_,") in PRESSURE
        ):
            return plain[: -len(mark)].strip("(-_,")
    return plain


AFR_SCALE = re.compile(r"afr(?:(\d+(?:\.\d+)?)|\(?petrol\)?|\(?gasoline\)?)")
"""AFR with the ratio its instrument takes for stoichiometric."""


def is_unit(text: str) -> bool:
    """True if a text is a unit of anything, known to us or not ours."""
    unit = tidy_unit(text)
    if not unit:
        return bool(text.strip()) and text.strip().lower() in _SYNONYMS
    plain = _ALL_UNITS | OTHER_UNITS | set(MIXTURE_UNITS) | set(TIME)
    bases = {tidy_unit(p.base) for p in parts_of(text)}
    # A number alone is a reading; with a sign of multiplication it is a scale.
    if AFR_SCALE.fullmatch(unit):
        return True
    if unit in plain or bases & plain or ("" in bases and text.strip("[( ")[:1] in "x×*"):
        return True
    return tells_time(text)


def scaled_readings(role: Role, text: str) -> tuple[tuple[str, Convert], ...]:
    """The ways to read a channel in a unit that has a number in it.

    Parameters
    ----------
    role : what the column is read as.
    text : the unit as people write it: "0.1 °C", "rpm x1000", "°C+40", "0-255".

    Returns
    -------
    Unit as it may be said, and conversion to ours; the likelier first, none where it is no such unit.
    """
    known = UNITS.get(role, {})
    found = [(part, tidy_unit(part.base)) for part in parts_of(text)]
    return tuple(
        (Part(base, part.factor, part.plus).name, partial(converted, part, known[base]))
        for part, base in found
        if base in known
    )


def converted(part: Part, convert: Convert, x: Floats) -> Floats:
    """Numbers in a unit with a number in it, by the conversion of the unit it counts in."""
    return convert(part.factor * x + part.plus)


def is_unit_of(role: Role, unit: str) -> bool:
    """True if a role can be logged in a unit."""
    if role in (Role.LAMBDA, Role.TARGET):
        bases = {tidy_unit(part.base) for part in parts_of(unit)}
        if AFR_SCALE.fullmatch(unit):
            return True
        return unit in (*MIXTURE_UNITS, "v", "mv") or bool(bases & {"", *MIXTURE_UNITS})
    if role in (Role.CLOSED_LOOP, Role.GEAR, Role.AIRFLOW_SOURCE):
        return unit in ("", "%", "bool", "on/off", "enum", "code", "state", "status", "bit", "no")
    return unit in UNITS.get(role, {}) or bool(scaled_readings(role, unit))


def unit_behind_comma(header: str) -> tuple[str, str]:
    """A unit, of several words perhaps, behind the last comma; "" and "" if there is none.

    Parameters
    ----------
    header : a column's head.

    Returns
    -------
    Name and unit.
    """
    name, _, behind = header.rpartition(",")
    if name.strip() and (is_unit(behind) or parts_of(behind)):
        return name.strip(), behind.strip()
    return "", ""


def unit_at_end(header: str) -> tuple[str, str]:
    """A unit that stands behind a name without brackets; "" and "" if there is none.

    Parameters
    ----------
    header : a column's head.

    Returns
    -------
    Name and unit.
    """
    if (apart := unit_behind_comma(header))[0]:
        return apart
    found = re.fullmatch(r"(.*[^\W_].*?)[\s_,;:\-]+([^\s_,;:\-]+)", header)
    # Written out, lambda is a word of the name.
    if not found or (tidy_unit(found[2]) not in AT_END and found[2].lower() not in AT_END):
        return "", ""
    if found[2].lower() in ("lambda", "lam", "er", "far"):
        return "", ""
    # A small letter is more often a word of its own than a temperature.
    if len(found[2]) == 1 and found[2] in "cfv":
        return "", ""
    return found[1].rstrip(" _,;:-"), found[2]


def allowed_units(role: Role) -> str:
    """Units a role may be logged in, for messages.

    Returns units with commas between them.
    """
    return ", ".join(u for u in UNITS.get(role, {LABELS[role][1]: None}) if u)
