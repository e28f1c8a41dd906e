"""Check a channel's unit against its own values, and settle what the header leaves open."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from lean_trim.core.data.channels import LABELS, Role, in_words
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.meaning.scaled_units import parts_of
from lean_trim.formats.meaning.units import (
    AFR_SCALE,
    GAUGE,
    UNITS,
    Convert,
    allowed_units,
    converted,
    is_unit_of,
    scaled_readings,
    show_unit,
    tidy_unit,
)


class Say:
    """Sentences of this module."""

    UNKNOWN_UNIT = Message(
        "unit_check.unknown_unit", "{label} cannot be read in {unit!r}; allowed are {allowed}"
    )
    SPAN = Message("unit_check.span", "{low:.4g} to {high:.4g}")
    HEADED_OTHERWISE = Message(
        "unit_check.headed_otherwise",
        "{label} is headed {unit} but runs from {span}; that would fit {best}",
    )
    SOURCE_VALUES = Message(
        "unit_check.source_values",
        "Airflow source holds values other than 0 (VE table) to 1 (mass-airflow sensor); above 1 "
        "would count as the sensor",
    )
    LOOP_BETWEEN = Message(
        "unit_check.loop_between",
        "the closed-loop flag lies between off and on in places, as after resampling; the nearer "
        "is taken",
    )
    OPEN_FLAG = Message("unit_check.open_flag", "its name says that 1 is the open loop")
    LOOP_VALUES = Message(
        "unit_check.loop_values",
        "Closed loop holds values other than on and off; above 0 would count as closed",
    )
    NO_NUMBER = Message("unit_check.no_number", "{label} holds no number at all")
    IMPLAUSIBLE = Message(
        "unit_check.implausible",
        "{label} runs from {span} {unit}, which is not plausible in any unit",
    )
    UNIT_NOT_KNOWN = Message(
        "unit_check.unit_not_known",
        "unit {unit!r} is not known for {label}; {span} would fit {best}",
    )
    VOLTAGE = Message(
        "unit_check.voltage",
        "{label} is a voltage; give the two points of its scale, such as 0 V = 0.68, 5 V = 1.36",
    )
    HEADED_AFR = Message(
        "unit_check.headed_afr",
        "{label} is headed AFR but runs around {middle:.3g}; that would fit λ",
    )
    HEADED_LAMBDA = Message(
        "unit_check.headed_lambda",
        "{label} is headed λ but runs around {middle:.3g}; that would fit AFR",
    )
    NO_MIXTURE = Message(
        "unit_check.no_mixture", "{label} runs around {middle:.3g}, which is neither λ nor AFR"
    )
    READ_AS = Message("unit_check.read_as", "read as {settled}")
    NO_PERCENT = Message(
        "unit_check.no_percent", "{label} runs up to {top:.4g}, which is not plausible in percent"
    )
    SOURCE_PERCENT = Message(
        "unit_check.source_percent", "read as the share of the mass-airflow sensor in percent"
    )
    STATUS_CODE = Message(
        "unit_check.status_code", "read as fuel-system status code, 2 and 16 are closed loop"
    )
    NO_UNIT = Message("unit_check.no_unit", "no unit given; {span} is read as {best}")
    READ_AS_FORM = Message("unit_check.read_as_form", "read as a {name}")


LAMBDA_WORD = re.compile("lambda|λ|лямбда|ラムダ|过量空气系数|空気過剰率|luftzahl|luftverh|избытка")
"""Words that mean λ itself, not any of the ways to say the same."""
SAMPLE = 20_000
LARGEST = 1e20
"""No reading in any unit is larger: an epoch in nanoseconds is 1e18."""
PLAUSIBLE: dict[Role, tuple[float, float, float]] = {
    Role.RPM: (-1.0, 20000.0, 400.0),
    Role.MAP: (-100.0, 500.0, 25.0),
    Role.BARO: (50.0, 110.0, 50.0),
    Role.THROTTLE: (-10.0, 130.0, 1.6),
    Role.IAT: (-50.0, 110.0, -40.0),
    Role.COOLANT: (-50.0, 135.0, 1.0),
    Role.BATTERY: (0.0, 60.0, 6.0),
    Role.STFT: (-70.0, 70.0, -70.0),
    Role.LTFT: (-70.0, 70.0, -70.0),
    Role.PULSE_WIDTH: (0.0, 60.0, 0.4),
    Role.DUTY: (0.0, 150.0, 0.1),
    Role.FUEL_DP: (0.0, 30000.0, 60.0),
    Role.SPEED: (-1.0, 500.0, -1.0),
    Role.SPARK: (-40.0, 80.0, -40.0),
    Role.KNOCK: (-40.0, 40.0, -40.0),
    Role.MAF_HZ: (0.0, 30000.0, 20.0),
    Role.MAF_V: (0.0, 6.0, 0.1),
    Role.MAF_FLOW: (0.0, 3000.0, 1.0),
}
"""Lowest 1st percentile, highest 99th percentile, and what the 99th percentile must reach, in our
units."""
COMMON: dict[Role, tuple[str, ...]] = {
    Role.MAP: ("kpa", "bar", "psi", "mbar", "inhg"),
    Role.BARO: ("kpa", "bar", "psi", "inhg", "mbar", "mmhg"),
    Role.FUEL_DP: ("kpa", "bar", "psi"),
    Role.IAT: ("c", "f", "k"),
    Role.COOLANT: ("c", "f", "k"),
    Role.PULSE_WIDTH: ("ms", "us", "s"),
    Role.MAF_FLOW: ("g/s", "kg/h", "lb/min"),
    Role.BATTERY: ("v", "mv"),
    Role.MAF_V: ("v", "mv"),
    Role.MAF_HZ: ("hz", "khz"),
    Role.RPM: ("rpm",),
    Role.SPEED: ("km/h", "mph"),
}


@dataclass(frozen=True)
class UnitReading:
    """How a column is turned into a channel.

    Attributes
    ----------
    convert : from the column to our unit.
    unit : it is read in, as the user may say it.
    note : what was inferred.
    doubt : a question for the user, "" if there is none.
    rivals : other readings that the values allow as well; only the engine's physics can tell.
    """

    convert: Convert
    unit: str
    note: str = ""
    doubt: str = ""
    rivals: tuple[UnitReading, ...] = ()


def sample_of(values: Floats) -> Floats:
    """At most about 20 000 finite values, evenly taken.

    Parameters
    ----------
    values : a column, shape (n,).

    Returns
    -------
    Finite values.
    """
    part = values[:: max(1, len(values) // SAMPLE)]
    return part[np.isfinite(part) & (np.abs(part) < LARGEST)]


def _says_lambda(name: str) -> bool:
    # Equivalence ratio is λ to some and its inverse to others.
    return bool(LAMBDA_WORD.search(name)) and "equiv" not in name


def settle_unit(
    role: Role, unit_text: str, values: Floats, stoich_afr: float, name: str = ""
) -> UnitReading:
    """Settle the unit of a column that plays a role.

    Parameters
    ----------
    role : what the column is read as.
    unit_text : as the file gives it, "" if it does not.
    values : a column, shape (n,).
    stoich_afr : of the vehicle's fuel.
    name : of the column; lambda says λ.

    Returns
    -------
    How it is turned into our unit, with a note or a doubt.
    """
    part = sample_of(values)
    unit = tidy_unit(unit_text)
    if role in (Role.LAMBDA, Role.TARGET) and not unit and _says_lambda(name.lower()):
        unit = "λ" if not len(part) or float(np.median(part)) <= 4.0 else ""
    # An empty column still gets a unit, so that the sheet can show it with its question.
    if not len(part):
        return UnitReading(
            lambda x: x, LABELS[role][1], "", str(Say.NO_NUMBER(label=LABELS[role][0]))
        )
    if role in (Role.LAMBDA, Role.TARGET):
        return _scaled_mixture(role, unit, part, stoich_afr)
    if role is Role.CLOSED_LOOP:
        return _loop_status(part, says_open(name))
    if role is Role.AIRFLOW_SOURCE:
        return _source_share(unit, part)
    # Headed % or not at all, these come in several scales; with another unit they are settled like
    # the rest.
    if role in PERCENTS and unit in ("%", ""):
        return _percent(role, unit, part)
    if role in PERCENTS and not is_unit_of(role, unit):
        return _percent_in(role, unit, unit_text, part)
    if role not in UNITS:
        return UnitReading(lambda x: x, LABELS[role][1])
    return _by_unit(role, unit, unit_text, part)


PERCENTS = (Role.STFT, Role.LTFT, Role.THROTTLE, Role.DUTY)
"""Roles in percent, which are written in several scales."""
PERCENT_FORMS: dict[str, Convert] = {
    "factor around 1": lambda x: 100.0 * (x - 1.0),
    "percent around 100": lambda x: x - 100.0,
    "fraction": lambda x: 100.0 * x,
}
"""Ways to write a percentage that are not percent."""
PETROL_AFR = 14.7
"""What instruments made for petrol take for stoichiometric, whatever the tank holds (common
practice)."""
FUEL_SCALE = "AFR"
PETROL_SCALE = "AFR 14.7"
SAME_SCALE = 0.004
"""Two AFR scales that differ by less, as a share, are one: far below what a wideband can tell."""


def mixture_converts(stoich_afr: float) -> dict[str, Convert]:
    """The ways a mixture is logged.

    Parameters
    ----------
    stoich_afr : of the vehicle's fuel.

    Returns
    -------
    Unit as the user may say it → conversion to λ. Zero fuel is no mixture and becomes a gap.
    """
    return {
        "λ": lambda x: x,
        FUEL_SCALE: lambda x: x / stoich_afr,
        PETROL_SCALE: lambda x: x / PETROL_AFR,
        "φ": lambda x: 1.0 / np.where(x > 0, x, np.nan),
        "F/A": lambda x: 1.0 / (stoich_afr * np.where(x > 0, x, np.nan)),
    }


def by_word(role: Role, unit_text: str, stoich_afr: float) -> UnitReading:
    """The user's word on a unit, taken as it is.

    Parameters
    ----------
    role : what the column is read as.
    unit_text : what the user said.
    stoich_afr : of the vehicle's fuel.

    Returns
    -------
    How it is turned into our unit.

    Raises
    ------
    BadInputError
        If the role cannot be logged in that unit.
    """
    unit = tidy_unit(unit_text)
    percent = {name.split(" ")[0]: name for name in PERCENT_FORMS} | {
        name: name for name in PERCENT_FORMS
    }
    if role in PERCENTS and unit_text in percent:
        return UnitReading(PERCENT_FORMS[percent[unit_text]], percent[unit_text])
    if role in (Role.LAMBDA, Role.TARGET):
        forms = {
            tidy_unit(name): (name, convert)
            for name, convert in mixture_converts(stoich_afr).items()
        }
        # Any other scale of an instrument: "AFR 9.8".
        if unit.startswith("afr") and _number(unit[3:]) is not None and unit not in forms:
            scale = _number(unit[3:]) or stoich_afr
            return UnitReading(lambda x: x / scale, f"AFR {scale:g}")
        if unit in forms:
            return UnitReading(forms[unit][1], forms[unit][0])
        for part in parts_of(unit_text):
            if (base := tidy_unit(part.base) or "λ") in forms:
                return UnitReading(partial(converted, part, forms[base][1]), part.name)
        allowed = ", ".join(mixture_converts(stoich_afr))
        raise BadInputError(
            Say.UNKNOWN_UNIT(label=LABELS[role][0], unit=unit_text, allowed=allowed)
        )
    known = UNITS.get(role, {})
    if unit in known:
        return UnitReading(known[unit], unit)
    for name, convert in scaled_readings(role, unit_text):
        return UnitReading(convert, name)
    raise BadInputError(
        Say.UNKNOWN_UNIT(label=LABELS[role][0], unit=unit_text, allowed=allowed_units(role))
    )


def _number(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


def fits(role: Role, values: Floats) -> bool:
    """True if converted values are plausible for the role.

    Parameters
    ----------
    role : what the values are read as.
    values : finite, in our unit.

    Returns
    -------
    Whether an engine could have them.
    """
    if role not in PLAUSIBLE:
        return True
    low, high, reach = PLAUSIBLE[role]
    # Ends are taken off, for one spike in an hour must not change the unit of the whole.
    first, last = np.percentile(values, [1, 99])
    return bool(first >= low and last <= high and last >= reach)


ABOUT_BARO = 95.0
NEVER_UNSTATED = frozenset(("mbar", "mmhg"))
"""Units so rare that a log without a header is not suspected of them where another fits."""


def _by_unit(role: Role, unit: str, unit_text: str, part: Floats) -> UnitReading:
    known = UNITS[role]
    label = LABELS[role][0]
    ours = tidy_unit(LABELS[role][1])
    stated = unit if unit in known and unit else ""
    # What the header says is believed as long as an engine could have such values.
    if stated and fits(role, known[stated](part) + (ABOUT_BARO if GAUGE in stated else 0.0)):
        return UnitReading(known[stated], stated)
    if not stated and (scaled := scaled_readings(role, unit_text)):
        return _of_scaled(role, scaled, part, unit_text)
    # Several units may fit; the order is how often they are met, ours first.
    order = [u for u in (ours, *COMMON.get(role, ())) if u in known]
    possible = [u for u in dict.fromkeys(order) if fits(role, known[u](part))]
    span = str(Say.SPAN(low=np.percentile(part, 1), high=np.percentile(part, 99)))
    # It is still read, for the rest of the log may be good, but never without the question.
    if not possible:
        fallback = stated or (ours if ours in known else next(iter(known)))
        return UnitReading(
            known[fallback],
            fallback,
            "",
            str(Say.IMPLAUSIBLE(label=label, span=span, unit=unit_text)),
        )
    best = possible[0]
    # No header to contradict: the best unit is a note; a question would come up for every plain
    # log. Where other units fit as well, the engine's physics has to bear it out.
    if not stated and not unit:
        note = str(Say.NO_UNIT(span=span, best=show_unit(best))) if best != ours else ""
        others = tuple(UnitReading(known[u], u) for u in possible[1:] if u not in NEVER_UNSTATED)
        return UnitReading(known[best], best, note, "", others)
    if not stated:
        return UnitReading(
            known[best],
            best,
            "",
            str(
                Say.UNIT_NOT_KNOWN(
                    unit=unit_text, label=label.lower(), span=span, best=show_unit(best)
                )
            ),
        )
    return UnitReading(
        known[best],
        best,
        "",
        str(Say.HEADED_OTHERWISE(label=label, unit=unit_text, span=span, best=show_unit(best))),
    )


def _of_scaled(
    role: Role, scaled: tuple[tuple[str, Convert], ...], part: Floats, unit_text: str
) -> UnitReading:
    """A unit with a number in it: whichever way to read it an engine could have."""
    readings = [UnitReading(convert, name) for name, convert in scaled]
    lift = ABOUT_BARO if GAUGE in scaled[0][0] else 0.0
    able = [r for r in readings if fits(role, r.convert(part) + lift)]
    if not able:
        span = str(Say.SPAN(low=np.percentile(part, 1), high=np.percentile(part, 99)))
        said = Say.IMPLAUSIBLE(label=LABELS[role][0], span=span, unit=unit_text)
        return replace(readings[0], doubt=str(said))
    note = str(Say.READ_AS(settled=show_unit(able[0].unit)))
    return replace(able[0], note=note, rivals=tuple(able[1:]))


MIXTURE_RANGE = (0.4, 2.2)
"""λ a log's middle can have; a car that is parked with its sensor in free air reads more at
times."""


def _scaled_mixture(role: Role, unit: str, part: Floats, stoich_afr: float) -> UnitReading:
    """A mixture whose unit has a number in it, such as thousandths; any other as it is."""
    if found := AFR_SCALE.fullmatch(unit):
        scale = float(found[1]) if found[1] else PETROL_AFR
        name = PETROL_SCALE if scale == PETROL_AFR else f"AFR {scale:g}"
        return UnitReading(lambda x: x / scale, name)
    able = []
    for one in parts_of(unit):
        base = tidy_unit(one.base)
        if base not in MIXTURES_BY_UNIT:
            continue
        inner = _mixture(role, base, one.factor * part + one.plus, stoich_afr)
        if not inner.doubt:
            scaled = partial(converted, one, inner.convert)
            able.append(replace(inner, convert=scaled, unit=one.name, rivals=()))
    if not able:
        return _mixture(role, unit, part, stoich_afr)
    return replace(able[0], rivals=tuple(able[1:]))


MIXTURES_BY_UNIT = {"": "", "afr": FUEL_SCALE, "φ": "φ", "f/a": "F/A", "λ": "λ"}
"""Units of a mixture → how they are said; "" is told by its values."""


def _mixture(role: Role, unit: str, part: Floats, stoich_afr: float) -> UnitReading:
    label = LABELS[role][0]
    middle = float(np.median(part))
    # A scale guessed for a sensor would be wrong by percents, which is what is measured; so nothing
    # is read.
    if unit in ("v", "mv"):
        return UnitReading(
            lambda x: np.full(np.shape(x), np.nan), "V", "", str(Say.VOLTAGE(label=label))
        )
    converts = mixture_converts(stoich_afr)
    # No fuel has a stoichiometric ratio as low as 4, and no engine runs at λ 4; 1/4 is no λ either.
    guessed = FUEL_SCALE if middle > 4.0 else "F/A" if middle < 0.3 else "λ"
    stated = MIXTURES_BY_UNIT.get(unit, "")
    settled = stated or guessed
    if stated == FUEL_SCALE and guessed != FUEL_SCALE:
        return UnitReading(converts["λ"], "λ", "", str(Say.HEADED_AFR(label=label, middle=middle)))
    if stated == "λ" and guessed == FUEL_SCALE:
        return _of_scales(
            role, converts, stoich_afr, str(Say.HEADED_LAMBDA(label=label, middle=middle))
        )
    values = converts[settled](part)
    known = values[np.isfinite(values)]
    if not len(known) or not MIXTURE_RANGE[0] < float(np.median(known)) < MIXTURE_RANGE[1]:
        return UnitReading(
            converts[settled], settled, "", str(Say.NO_MIXTURE(label=label, middle=middle))
        )
    if settled == FUEL_SCALE:
        return _of_scales(role, converts, stoich_afr, "")
    note = "" if unit == "λ" else str(Say.READ_AS(settled=settled))
    # Around 1 both are the same sort of number, and one falls where the other rises.
    rivals = (UnitReading(converts["φ"], "φ"),) if settled == "λ" and not stated else ()
    return UnitReading(converts[settled], settled, note, "", rivals)


def _of_scales(
    role: Role, converts: dict[str, Convert], stoich_afr: float, doubt: str
) -> UnitReading:
    """AFR is on the scale of the fuel or, whatever the fuel, on that of petrol."""
    petrol = UnitReading(converts[PETROL_SCALE], PETROL_SCALE)
    apart = abs(stoich_afr / PETROL_AFR - 1.0) > SAME_SCALE
    return UnitReading(converts[FUEL_SCALE], FUEL_SCALE, "", doubt, (petrol,) if apart else ())


FEW_TENTHS = 0.6
"""Trims that stay within this read in percent would be a table nobody needs to correct."""


def _percent(role: Role, unit: str, part: Floats) -> UnitReading:
    label = LABELS[role][0]
    middle = float(np.median(part))
    top = float(np.percentile(np.abs(part), 99))
    trim = role in (Role.STFT, Role.LTFT)
    moves = float(part.max() - part.min()) > 0.0
    # Only what percent cannot be: a trim around 1 or 100, a throttle that never passes 1.
    forms = {
        "factor around 1": trim
        and 0.6 < middle < 1.6
        and top < 2.0
        and float(np.percentile(part, 1)) > 0.4,
        "percent around 100": trim and 60.0 < middle < 160.0,
        "fraction": role in (Role.THROTTLE, Role.DUTY) and top <= 1.05 and unit != "%",
    }
    percent = UnitReading(lambda x: x, "%")
    for name, holds in forms.items():
        if holds:
            note = str(Say.READ_AS_FORM(name=name))
            rivals = (percent,) if name == "factor around 1" and unit == "%" else ()
            return UnitReading(PERCENT_FORMS[name], name, note, "", rivals)
    if trim and moves and top <= FEW_TENTHS:
        fraction = UnitReading(
            PERCENT_FORMS["fraction"], "fraction", str(Say.READ_AS_FORM(name="fraction"))
        )
        return (
            replace(percent, rivals=(fraction,))
            if unit == "%"
            else replace(fraction, rivals=(percent,))
        )
    if not fits(role, part):
        return replace(percent, doubt=str(Say.NO_PERCENT(label=label, top=top)))
    return percent


def _percent_in(role: Role, unit: str, unit_text: str, part: Floats) -> UnitReading:
    """A percentage in a unit that is none of its own: as its numbers are, and asked."""
    reading = _percent(role, "", part)
    if any(one.base in PERCENT_FORMS and one.base == reading.unit for one in parts_of(unit_text)):
        return reading
    span = str(Say.SPAN(low=np.percentile(part, 1), high=np.percentile(part, 99)))
    label = in_words(role)
    said = Say.UNIT_NOT_KNOWN(unit=unit_text, label=label, span=span, best=reading.unit)
    return replace(reading, doubt=str(said))


def _source_share(unit: str, part: Floats) -> UnitReading:
    """Share of the mass-airflow sensor: 0 to 1, or percent."""
    low = float(part.min())
    high = float(part.max())
    if low >= 0.0 and high <= 1.0 and unit != "%":
        return UnitReading(lambda x: x, "")
    # Values of 2 or 3 may be codes of modes; as percent they would mean next to nothing.
    if low >= 0.0 and high <= 100.0 and (unit == "%" or high > 20.0):
        return UnitReading(lambda x: x / 100.0, "%", str(Say.SOURCE_PERCENT()))
    return UnitReading(lambda x: np.clip(x, 0.0, 1.0), "", "", str(Say.SOURCE_VALUES()))


def _closed_by_code(codes: Floats) -> Floats:
    # 16 is closed loop with one sensor failed: feedback still acts on the fuel.
    return np.where(np.isfinite(codes), ((codes == 2) | (codes == 16)).astype(float), np.nan)


MOST_BETWEEN = 0.2
"""Share of readings between off and on up to which a flag was resampled; more is something else."""


def _nearer_flag(x: Floats) -> Floats:
    return np.where(np.isfinite(x), (x > 0.5).astype(float), np.nan)


OPEN_WORD = re.compile(
    r"\bopen|\bol\b|offen|ouvert|abiert|apert|aberta|otwart|разомкн|オープン|開ループ|开环|開環"
)
CLOSED_WORD = re.compile(
    r"clos|\bcl\b|geschl|ferm|cerrad|chius|fechad|zamkn|замкнутый|クローズ|閉ループ|闭环"
)


def says_open(name: str) -> bool:
    """Whether a flag's name says that it stands for the open loop.

    Parameters
    ----------
    name : of the column.

    Returns
    -------
    False where it speaks of both.
    """
    plain = name.lower().replace("_", " ")
    return bool(OPEN_WORD.search(plain)) and not CLOSED_WORD.search(plain)


def _loop_status(part: Floats, is_open: bool = False) -> UnitReading:
    """The flag of the closed loop, also by one of the open loop.

    Parameters
    ----------
    part : finite readings.
    is_open : whether the name says that it stands for the open loop.

    Returns
    -------
    How it is read.
    """
    reading = _closed_status(part)
    # A code says of itself which loop it is.
    if not is_open or set(np.unique(part).tolist()) - {0.0, 1.0}:
        return reading
    return UnitReading(lambda x: 1.0 - reading.convert(x), "", str(Say.OPEN_FLAG()))


def _closed_status(part: Floats) -> UnitReading:
    """0/1 as it is; SAE J1979 PID 03 codes (1, 2, 4, 8, 16; from memory): 2 and 16 are closed loop."""
    kinds = set(np.unique(part).tolist())
    if kinds <= {0.0, 1.0}:
        return UnitReading(lambda x: x, "")
    if kinds <= {0.0, 1.0, 2.0, 4.0, 8.0, 16.0}:
        return UnitReading(_closed_by_code, "J1979 code", str(Say.STATUS_CODE()))
    # Resampling draws a line from off to on; the flag is the nearer of the two, and open in the
    # middle.
    between = (part > 0.0) & (part < 1.0)
    if part.min() >= 0.0 and part.max() <= 1.0 and between.mean() <= MOST_BETWEEN:
        return UnitReading(_nearer_flag, "", str(Say.LOOP_BETWEEN()))
    return UnitReading(lambda x: (x > 0).astype(float), "", "", str(Say.LOOP_VALUES()))
