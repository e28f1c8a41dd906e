"""Columns nobody reads that may be the channel a log seems to lack.

A name in words that are not known passes for a channel that was not logged, and the table is then worked
out without it. Where the unit and the numbers are those of a channel that is missing, and the name says
nothing else, it is asked.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message
from lean_trim.core.physics import STANDARD_KPA
from lean_trim.core.proof.fuel import fuel_of
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.meaning.missing import missing_roles
from lean_trim.formats.meaning.names import candidates, is_exhaust_sensor, says, says_another_thing
from lean_trim.formats.meaning.unit_check import sample_of, settle_unit
from lean_trim.formats.meaning.units import is_unit, is_unit_of, tidy_unit
from lean_trim.formats.meaning.words.tables import TABLES

if TYPE_CHECKING:
    from lean_trim.formats.meaning.match import MappedLog


class Say:
    """Sentences of this module."""

    MAY_BE = Message(
        "overlooked.may_be",
        "{label} was not found, but {names} may be it; say which column it is, or that none is",
    )


@dataclass(frozen=True)
class Overlooked:
    """A channel that was not found, the columns that may be it, and the question."""

    role: Role
    columns: tuple[Column, ...]
    doubt: str


REACHES: dict[Role, tuple[float, float]] = {
    Role.MAP: (-90.0, 200.0),
    Role.COOLANT: (50.0, 125.0),
    Role.IAT: (-20.0, 75.0),
    Role.BATTERY: (11.0, 15.5),
    Role.LAMBDA: (0.75, 1.3),
    Role.TARGET: (0.75, 1.3),
    Role.STFT: (-15.0, 15.0),
    Role.LTFT: (-15.0, 15.0),
}
"""Where the middle of most drives lies, in our units; of the coolant what it ends at."""
MOST_NAMED = 3
NONE: frozenset[str] = frozenset()
ALL_ATOMS = frozenset(atom for table in TABLES for atom in table)
# fmt: off
OBJECTIONS = frozenset((
    "oil", "pedal", "turbo", "cam", "egr", "fan", "wastegate", "purge", "idle", "tank", "pump",
    "alternator", "catalyst", "accel", "altitude", "dead", "exhaust", "ambient", "error", "limit",
    "wanted", "duty", "heater", "retard", "knock", "index", "current", "gearbox", "fuel", "rail",
    "spark", "gear", "wheel", "gps", "ethanol", "misfire", "date", "ve", "vehicle", "vss", "bankgap",
))
# fmt: on
"""Words that make another thing of a column whose unit and numbers are a role's: oil, a wish, a
limit."""
QUANTITY = {
    Role.COOLANT: ("temp", "coolant", "ect"),
    Role.IAT: ("temp", "iat"),
    Role.BATTERY: ("voltage", "vbat"),
}
"""What a name says that has no unit, of roles that are one of several such quantities."""
TRIMS = (Role.STFT, Role.LTFT)
OF_FUEL = frozenset(("injector", "fuel", "mixture"))
SHARE = re.compile(r"%of100|1=100%|0(?:\.\.|-|to)2|around(?:1|100)")
MOST_OF_ONE = 0.3
"""Units of trims that say a share of the fuel and not which way it is counted, and how far from all of
it, or from none, a trim is on average."""
OF_TRIMS = OF_FUEL | {"short", "long", "raw"}
OF_SUPPLY = frozenset(
    ("limit", "error", "wanted", "sensor", "wideband", "o2", "throttle", "map", "maf")
)
"""What makes another voltage of one: every other stays far below a supply's, or is no reading."""
WEAK_WORDS = frozenset(("gearbox",))
"""Shaft speed: of one without which nothing can be done it is no objection."""
USUAL_IDLE = (500.0, 1600.0)
LEAST_REVS = 1800.0
"""Where the slowest tenth of a drive lies, and what its fastest moments reach, rpm."""
OF_MANIFOLD = frozenset(("manifold", "map", "boost", "intake"))
WEATHER_KPA = (60.0, 107.0)
MOST_CLIMB_KPA = 6.0
"""What a barometer reads from high passes to the sea, and how much it moves on the way, kPa; any other
pressure of a car moves by more."""
MOST_FUEL_SCATTER = 0.2
"""Scatter of fuel over what is asked for, as a logarithm: a table that is off makes a tenth, a column
that is no fuel several times that."""
MOST_TRIM_PCT = 60.0
"""Trims are given less, %."""
RICHEST_WISH = 0.65
LEANEST_WISH = 1.15
NO_MOVE = 0.02
"""What is wanted, over its middle, and by how much it moves at least in a drive with full throttle."""
LEAST_KPA = 8.0
LEAST_MOVE_KPA = 30.0
RICHEST = 0.6
LEANEST = 2.2
QUICK = 0.1
"""Ends of lambda sensors; manifold pressure of overrun and how far a drive moves it at least, kPa, and
the share of its way it goes from row to row."""


def overlooked(
    log: Log, unused: Sequence[Column], raw: RawColumns, vehicle: Vehicle, choices: Choices
) -> tuple[Overlooked, ...]:
    """What may have been overlooked.

    Parameters
    ----------
    log : as its columns are taken.
    unused : columns that play no role.
    raw : with at least the first readings of each.
    vehicle : tells what is needed.
    choices : what the user said of columns is no question any more.

    Returns
    -------
    One for each channel that is missing and has such a column.
    """
    lacks = missing_roles(log, vehicle)
    free = [c for c in unused if c.name not in choices.columns]
    # A clock may have its unit all the same.
    bare = sum(bool(c.unit) for c in raw.columns) <= 1
    out = []
    if Role.TARGET not in log:
        like = [c for c in free if may_be_target(c) and _like_a_wish(c, raw)]
        out += [_question(Role.TARGET, like)] if like else []
    for role, needed in ((lack.role, lack.needed) for lack in lacks):
        # Of the cams of an engine any may be meant, or a flap: the sheet or the user names it.
        if role is Role.TABLE_POSITION:
            continue
        like = [c for c in free if _may_be(role, c, raw, vehicle.stoich_afr, needed, bare)]
        if like and role not in {o.role for o in out}:
            out.append(_question(role, like))
    return tuple(out)


def _question(role: Role, like: Sequence[Column]) -> Overlooked:
    called = " or ".join(repr(c.name) for c in like[:MOST_NAMED])
    return Overlooked(role, tuple(like), str(Say.MAY_BE(label=LABELS[role][0], names=called)))


def _like_a_wish(column: Column, raw: RawColumns) -> bool:
    """Whether a mixture is one that is wanted: never at a sensor's lean end, and not the same throughout.

    In whatever unit: shares of its own middle are looked at.
    """
    values = raw.values.get(column.index, raw.samples.get(column.index, np.empty(0)))
    known = values[np.isfinite(values)]
    if not len(known) or float(np.median(known)) <= 0.0:
        return False
    shares = known / float(np.median(known))
    low, high = float(shares.min()), float(shares.max())
    return RICHEST_WISH < low < 1.0 - NO_MOVE and high < LEANEST_WISH


PROVABLE = frozenset(
    (
        Role.RPM,
        Role.MAP,
        Role.MAF_HZ,
        Role.LAMBDA,
        Role.TARGET,
        Role.PULSE_WIDTH,
        Role.STFT,
        Role.LTFT,
    )
)
"""Roles that the engine's physics bears out, whatever the column is called."""
WARM_C = (70.0, 112.0)
COOLS_C = 8.0
LEAST_READINGS = 100
"""Where coolant ends, °C, and by how much it may have been hotter when the drive began."""
BY_NUMBERS_ALONE = frozenset((Role.BATTERY, Role.COOLANT, Role.IAT, Role.BARO))
"""Roles that nothing else bears out than how their own numbers lie."""
LEAST_WARM_S = 180.0
MOST_AIR_C = 60.0
LEAST_AIR_MOVES = 3.0
"""Driving on a warm engine after which oil would be hotter than air gets, s and °C, and how far air moves
with load, K (common practice, no source)."""
SUPPLY_V = (8.0, 16.5)
STEADY_V = 1.0
"""No other voltage of a car stays between these, and as steady."""


def is_told_by_numbers(role: Role, mapped: MappedLog, before: MappedLog, vehicle: Vehicle) -> bool:
    """Whether a column whose name says nothing is borne out as a channel by its numbers.

    Parameters
    ----------
    role : it was taken for.
    mapped : the log read so.
    before : the log read without; what else is asked of it must not become more, and a doubt which
        of two columns it is must be gone.
    vehicle : whose log it is.

    Returns
    -------
    False where it is only possible.
    """
    match = next((m for m in mapped.matches if m.role is role), None)
    contested = any(m.role is role and m.doubt for m in before.matches)
    if match is None or match.doubt or len(_others(mapped)) > len(_others(before)) - contested:
        return False
    # What rests on numbers alone must not be named as another thing, not even by part of a word.
    column = match.columns[0]
    if role in BY_NUMBERS_ALONE and says_another_thing(role, column, _no_objection(role, True)):
        return False
    if role is Role.IAT:
        return _stays_cool(mapped.log)
    if role is Role.BATTERY:
        return _is_supply(mapped.log[role])
    if role is Role.COOLANT:
        return _warms_up(mapped.log[role])
    if role is Role.BARO:
        known = mapped.log[role][np.isfinite(mapped.log[role])]
        return bool(len(known)) and _rests_as_weather(known)
    if role is Role.LTFT:
        # Of two trims of one ECU the one is named as the short one.
        short = next((m for m in mapped.matches if m.role is Role.STFT), None)
        named = short is not None and says(short.columns[0], "short")
        if named and says(match.columns[0], "trim"):
            return True
    if role is Role.MAF_HZ:
        # The curve is read by it: without it there is no fuel to compare.
        match = next((m for m in mapped.matches if m.role is Role.PULSE_WIDTH), match)
    verdicts = {p.verdict for p in match.proofs}
    if role is Role.PULSE_WIDTH and not _follows_fuel(mapped.log, vehicle):
        return False
    return role in PROVABLE and "agrees" in verdicts and "contradicts" not in verdicts


def _follows_fuel(log: Log, vehicle: Vehicle) -> bool:
    """Whether a pulse width goes with the fuel that table and trims ask for, and not only by its middle."""
    fuel = fuel_of(log, vehicle)
    return fuel is not None and fuel.scatter < MOST_FUEL_SCATTER


def _others(mapped: MappedLog) -> tuple[str, ...]:
    """Doubts that are no question for a channel that was not found."""
    asked = {o.doubt for o in mapped.overlooked}
    return tuple(doubt for doubt in mapped.doubts if doubt not in asked)


def may_be_target(column: Column) -> bool:
    """Whether a column without a role may be the wanted lambda.

    Parameters
    ----------
    column : with name and unit.

    Returns
    -------
    True where its name or unit speak of a mixture and of nothing that no wish has.
    """
    by_unit = bool(column.unit) and is_unit_of(Role.TARGET, tidy_unit(column.unit))
    mixture = by_unit or says(column, "mixture")
    return mixture and not says_another_thing(Role.TARGET, column)


def _is_supply(volts: Floats) -> bool:
    """Whether a voltage rests where a car's supply does."""
    known = volts[np.isfinite(volts)]
    low, high = np.percentile(known, [1.0, 99.0]) if len(known) else (0.0, 0.0)
    return bool(SUPPLY_V[0] < low and high < SUPPLY_V[1] and float(np.std(known)) < STEADY_V)


def _stays_cool(log: Log) -> bool:
    """Whether a temperature is the air's: far below a warm engine's, and moving, as no fluid's does.

    Oil and fuel warm up with the engine; air outside hardly moves.
    """
    if Role.COOLANT not in log:
        return False
    air, coolant = log[Role.IAT], log[Role.COOLANT]
    warm = (coolant > WARM_C[0]) & np.isfinite(air)
    if float(log.durations_s[warm].sum()) < LEAST_WARM_S:
        return False
    low, high = np.percentile(air[warm], [5.0, 95.0])
    return bool(high < MOST_AIR_C and high - low > LEAST_AIR_MOVES)


def _warms_up(coolant: Floats) -> bool:
    """Whether a temperature ends where an engine's does, and is never above that for long.

    An engine's oil or its metal would do as well: what is asked of it is whether the engine is warm.
    """
    known = coolant[np.isfinite(coolant)]
    if len(known) < LEAST_READINGS:
        return False
    first, last = float(np.median(known[: len(known) // 50 + 1])), float(np.median(known[-50:]))
    high = float(np.percentile(known, 99.0))
    return WARM_C[0] < last < WARM_C[1] and high < WARM_C[1] and first <= last + COOLS_C


def may_be_told(column: Column) -> bool:
    """Whether a column's unit and name leave room for a channel that its numbers can tell.

    Parameters
    ----------
    column : with name and unit.

    Returns
    -------
    False for a column without a unit whose name speaks of no voltage or temperature.
    """
    if not column.unit:
        return says(column, "voltage") or says(column, "temp")
    told = (*PROVABLE, Role.BATTERY, Role.COOLANT, Role.BARO)
    return any(
        _fits_in_words(role, column)
        and not says_another_thing(role, column, _no_objection(role, needed=False), surely=True)
        for role in told
    )


def may_be_trim(column: Column, values: Floats) -> bool:
    """Whether a column without a unit may be a trim that was not logged by any name.

    Nobody is asked about it: much swings about nothing. Whether fuel follows it is what tells.

    Parameters
    ----------
    column : with its name.
    values : its readings, or the first of them.

    Returns
    -------
    True for what goes both ways from 0, or is small and mostly there.
    """
    known = values[np.isfinite(values)]
    if column.unit or not len(known) or says_another_thing(Role.STFT, column, OF_TRIMS):
        return False
    low, high = float(known.min()), float(known.max())
    return low < 0.0 < high and max(-low, high) < MOST_TRIM_PCT


def may_be_pulse_width(column: Column, values: Floats) -> bool:
    """Whether a column without a unit, or in one of short times, may be the pulse width.

    Nobody is asked about it: fuel tells.

    Parameters
    ----------
    column : with its name.
    values : its readings, or the first of them.

    Returns
    -------
    True for what is never negative and moves.
    """
    role = Role.PULSE_WIDTH
    known = values[np.isfinite(values)]
    by_unit = not column.unit or is_unit_of(role, tidy_unit(column.unit))
    if not by_unit or not len(known) or says_another_thing(role, column, ALL_ATOMS - OBJECTIONS):
        return False
    return float(known.min()) >= 0.0 and len(np.unique(known)) >= LEAST_READINGS


def may_be_barometer(column: Column, values: Floats) -> bool:
    """Whether a column in a unit of pressure may be the barometer.

    Nobody is asked about it: a pressure that rests where weather and height have it is one.

    Parameters
    ----------
    column : with its name.
    values : its readings, or the first of them.

    Returns
    -------
    True for a pressure whose name says nothing else.
    """
    by_unit = bool(column.unit) and is_unit_of(Role.BARO, tidy_unit(column.unit))
    other = says_another_thing(Role.BARO, column, ALL_ATOMS - OBJECTIONS - OF_MANIFOLD)
    return by_unit and not other and bool(np.isfinite(values).any())


def _rests_as_weather(baro_kpa: Floats) -> bool:
    low, high = np.percentile(baro_kpa, [1.0, 99.0])
    return bool(WEATHER_KPA[0] < low and high < WEATHER_KPA[1] and high - low < MOST_CLIMB_KPA)


def may_be_bare(column: Column) -> bool:
    """Whether a column without a unit may be a channel whose numbers alone tell it.

    Parameters
    ----------
    column : with its name.

    Returns
    -------
    False where its name says that it is none of them.
    """
    return any(
        not says_another_thing(role, column, _no_objection(role, needed=True))
        for role in (*SHAPES, Role.BATTERY, Role.PULSE_WIDTH, *TRIMS)
    )


def _may_be(
    role: Role, column: Column, raw: RawColumns, stoich_afr: float, needed: bool, bare: bool
) -> bool:
    """Whether a column may be what is missing.

    Parameters
    ----------
    role : that is missing.
    column : nobody reads.
    raw : with its first readings at least.
    stoich_afr : of the vehicle's fuel.
    needed : nothing can be done without the role: a question is better than a refusal.
    bare : the log states no unit at all.

    Returns
    -------
    True where unit, or name, and numbers are those of the role.
    """
    unit = tidy_unit(column.unit)
    by_unit = bool(column.unit) and is_unit_of(role, unit)
    by_unit |= role in TRIMS and bool(SHARE.fullmatch(unit))
    named = any(says(column, word) for word in QUANTITY.get(role, ()))
    # A column without a unit is told by its numbers, so that only what makes another thing of it counts.
    alike = by_unit or not column.unit
    allowed = _no_objection(role, needed) if alike else NONE
    if says_another_thing(role, column, allowed, surely=True):
        return False
    # A ratio has no unit in many a log that states all others.
    by_shape = not column.unit and role in (SHAPES if needed or bare else (Role.LAMBDA,))
    named &= not column.unit
    if not (by_unit or by_shape or named or _fits_in_words(role, column)):
        return False
    values = raw.values.get(column.index, raw.samples.get(column.index))
    part = sample_of(values) if values is not None else np.empty(0)
    if not len(part) or float(np.ptp(part)) == 0.0:
        return False
    if role in TRIMS and SHARE.fullmatch(tidy_unit(column.unit)):
        middle = float(np.median(part))
        return any(abs(middle - one) < MOST_OF_ONE * max(one, 1.0) for one in (0.0, 1.0, 100.0))
    reading = settle_unit(role, column.unit, part, stoich_afr, column.name)
    if by_unit and reading.doubt:
        return False
    converted = reading.convert(part)
    if by_shape and not named and not SHAPES[role](converted):
        return False
    if by_shape and role is Role.COOLANT and not _warms_up(converted):
        return False
    if role is Role.BATTERY and not (by_unit or named) and not _is_supply(converted):
        return False
    return _is_usual(role, converted)


def _fits_in_words(role: Role, column: Column) -> bool:
    """Whether unit or name speak for it; without a unit a name has to, or the numbers be like no others."""
    unit = tidy_unit(column.unit)
    named = any(c.role is role for c in candidates(column))
    if unit:
        return is_unit_of(role, unit) or (named and not is_unit(column.unit))
    return named or role is Role.BATTERY or (role is Role.LAMBDA and is_exhaust_sensor(column))


def _no_objection(role: Role, needed: bool) -> frozenset[str]:
    """What a name may say beside the role, whose unit it has, and be asked about all the same."""
    # What is counted has no unit: a block of trims in percent is a trim.
    if role in TRIMS:
        return OF_FUEL | {"index"}
    if role is Role.BATTERY:
        return ALL_ATOMS - OF_SUPPLY
    objections = OBJECTIONS - WEAK_WORDS if needed else OBJECTIONS
    return ALL_ATOMS - objections


def _like_an_engine_speed(values: Floats) -> bool:
    low, idle, high = np.percentile(values, [1.0, 10.0, 98.0])
    return bool(low >= 0.0 and USUAL_IDLE[0] < idle < USUAL_IDLE[1] and high > LEAST_REVS)


def _like_a_temperature(values: Floats) -> bool:
    """Slow, and never back and forth: heat takes its time."""
    steps = np.abs(np.diff(values))
    return bool(np.ptp(values) > 1.0 and steps.max() < 2.0 * QUICK * np.ptp(values))


def _like_a_manifold(values: Floats) -> bool:
    """Between overrun and full throttle, and quick: no temperature moves so."""
    low, middle, high = np.percentile(values, [1.0, 50.0, 99.0])
    quick = np.abs(np.diff(values)).max() > QUICK * np.ptp(values)
    return bool(low > LEAST_KPA and middle < STANDARD_KPA and high - low > LEAST_MOVE_KPA and quick)


def _like_a_lambda(values: Floats) -> bool:
    """About 1 all the time, richer and leaner now and then, and up to a sensor's lean end."""
    low, middle, high = np.percentile(values, [1.0, 50.0, 99.0])
    return bool(low > RICHEST and 0.9 < middle < 1.1 and high < LEANEST and high - low > 0.05)


SHAPES = {
    Role.LAMBDA: _like_a_lambda,
    Role.RPM: _like_an_engine_speed,
    Role.MAP: _like_a_manifold,
    Role.COOLANT: _like_a_temperature,
    Role.IAT: _like_a_temperature,
}
"""What a role's numbers are like where neither unit nor name speak of it."""


def _is_usual(role: Role, values: Floats) -> bool:
    low, high = REACHES.get(role, (-np.inf, np.inf))
    level = float(np.percentile(values, 98 if role is Role.COOLANT else 50))
    return low <= level <= high
