"""From columns to a log: roles, units, banks, gauge pressure and the rows, proved by the engine's physics."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache, partial

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Mask
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.assign import LEAST_SCORE, SURE_SCORE, Settle, assign_roles
from lean_trim.formats.meaning.banks import bank_columns, bank_gap_pct, bank_of_lambda, banks_note
from lean_trim.formats.meaning.by_numbers import told_by_numbers
from lean_trim.formats.meaning.choices import Choices, two_point_scale
from lean_trim.formats.meaning.held import held_between_changes
from lean_trim.formats.meaning.match import MappedLog, Match, by_role
from lean_trim.formats.meaning.names import candidates, time_score
from lean_trim.formats.meaning.overlooked import TRIMS, may_be_bare, may_be_told, overlooked
from lean_trim.formats.meaning.pressure import absolute
from lean_trim.formats.meaning.rows import (
    DOUBTFUL_TIME,
    LEAST_TIME,
    Rows,
    may_be_clock,
    rows_of,
    time_columns,
)
from lean_trim.formats.meaning.second_set import with_one_set
from lean_trim.formats.meaning.settling import Reading, settled
from lean_trim.formats.meaning.shared_prefix import without_shared
from lean_trim.formats.meaning.unit_check import UnitReading, by_word, settle_unit
from lean_trim.formats.meaning.units import show_unit, tells_time

__all__ = ["MappedLog", "Match", "by_role", "map_channels", "wanted_columns"]


class Say:
    """Sentences of this module."""

    BY_TWO_POINTS = Message("channel_map.by_two_points", "from volts by your two points")
    BY_NUMBERS = Message(
        "channel_map.by_numbers", "its name says nothing to us; told by its numbers"
    )
    YOU_SAID = Message("channel_map.you_said", "as you said")
    RIVALS = Message("channel_map.rivals", "{label} could be {names}; which one?")
    WEAK = Message("channel_map.weak", "is {name!r} really {label}? Its name alone does not say so")
    UNREAD = Message(
        "channel_map.unread",
        "{label}: {cells:,} of {rows:,} cells of {name!r} are no numbers, such as {example!r}",
    )
    NOT_CONVERTED = Message(
        "channel_map.not_converted", "{label}: {name!r} is not used, for {reason}"
    )
    LEFT_OUT = Message("channel_map.left_out", "{label} is left out: {doubt}")
    WEAK_TIME = Message(
        "channel_map.weak_time",
        "is {name!r} the time of the rows? Its name does not say so clearly",
    )


OF_EVERY_LOG = frozenset(
    (Role.RPM, Role.LAMBDA, Role.BATTERY, Role.COOLANT, Role.STFT, Role.LTFT, Role.PULSE_WIDTH)
)
"""What most logs hold, under whatever name."""
NOTHING_PCT = 0.1
"""A trim that never is larger makes no table another one, %."""
AIR = frozenset((Role.MAP, Role.MAF_HZ, Role.MAF_V, Role.MAF_FLOW))
"""What the air is told by."""
LIKELY = 0.6
"""How sure a column is that its numbers alone tell, at most."""
MINOR = frozenset((Role.SPEED, Role.GEAR, Role.SPARK, Role.MAF_FLOW, Role.ETHANOL, Role.BANK_GAP))
"""Roles a correction can do without: left out where they are in doubt, instead of stopping it."""


@dataclass(frozen=True)
class _Found:
    """A role with its columns before anything is read."""

    role: Role
    columns: tuple[Column, ...]
    confidence: float
    note: str = ""
    doubt: str = ""
    weak: str = ""
    said: bool = False
    rivals: tuple[Column, ...] = ()


def map_channels(
    raw: RawColumns,
    name: str,
    stoich_afr: float,
    choices: Choices | None = None,
    vehicle: Vehicle | None = None,
) -> MappedLog:
    """Name the channels, settle units and time, and prove them by physics where the sheet is known.

    Parameters
    ----------
    raw : columns as they stand in the file.
    name : of the log.
    stoich_afr : of the vehicle's fuel.
    choices : the user's word on columns, units and banks.
    vehicle : whose log it is; without it nothing is proved.

    Returns
    -------
    The log, and what was understood, inferred and doubted.

    Raises
    ------
    LogError
        If there is no usable time.
    """
    choices = choices or Choices()
    raw = held_between_changes(replace(raw, columns=without_shared(raw.columns)))
    attempt = partial(_mapped, raw, name, stoich_afr, choices, vehicle)
    mapped = attempt({})
    if vehicle is None:
        return mapped
    mapped, left_out = with_one_set(mapped, attempt, vehicle)
    read = told_by_numbers(mapped, attempt, vehicle, left_out)
    # What was told later is read anew, and what was said of a second set stays said.
    said = mapped.notes[:1] if left_out else ()
    return read if read is mapped else replace(read, notes=(*said, *read.notes))


def _mapped(
    raw: RawColumns,
    name: str,
    stoich_afr: float,
    choices: Choices,
    vehicle: Vehicle | None,
    taken: Mapping[str, Role | None],
) -> MappedLog:
    """As ``map_channels``; ``taken`` are roles of columns whose names say nothing, to be borne out."""
    clocks = [] if raw.times else time_columns(raw, choices, name)
    times = {c.index for c in clocks}
    others = [c for c in raw.columns if c.index not in times]
    # Every column is read to see whether it plays a role and again when it does; the second time
    # from memory.
    settle = cache(
        lambda role, column: settle_unit(
            role, column.unit, raw.values[column.index], stoich_afr, column.name
        )
    )
    found = _found(others, raw, choices, settle, taken)
    lead = next((f.columns[0].index for f in found if f.role is Role.LAMBDA), -1)
    rows = rows_of(raw, [c for f in found for c in f.columns], name, choices, lead)
    bank = bank_of_lambda([c for f in found if f.role is Role.LAMBDA for c in f.columns])
    readings = {f.role: _reading(f, raw, rows, stoich_afr, choices, bank, settle) for f in found}
    notes = [*raw.notes, *rows.notes]
    log = Log(rows.time_s, {r: x.values for r, x in readings.items()}, name, rows.joints_s)
    log, matches, proved = settled(log, readings, rows.unit, vehicle, choices)
    log, matches = _gauge(log, matches, choices)
    log = _with_bank_gap(log, matches, readings)
    log, matches = _with_doubted(log, _with_unread(matches, raw), raw)
    log, matches, dropped = _without_minor(log, matches, {f.role for f in found if f.said})
    updates = {r: m for r, x in readings.items() if (m := x.fresh) is not None and r in log}
    log = replace(log, updates=updates)
    used = {c.index for m in matches for c in m.columns} | times
    unused = tuple(c for c in others if c.index not in used)
    time = clocks[0] if clocks else None
    # One that no name speaks of has been told by what it does.
    weak = time is not None and not choices.time and 0.0 < time_score(time.own_name) < LEAST_TIME
    doubt = str(Say.WEAK_TIME(name=time.name)) if weak and time is not None else proved.doubt
    unit = "" if rows.unit is None else proved.unit
    beside = () if vehicle is None else overlooked(log, unused, raw, vehicle, choices)
    told = (*notes, *proved.notes, *dropped)
    return MappedLog(
        log=log,
        matches=tuple(matches),
        unused=unused,
        notes=told,
        raw=raw,
        time=time,
        time_unit=unit,
        time_doubt=doubt,
        overlooked=beside,
        time_runner_up=proved.runner_up,
        time_odds=proved.odds,
    )


def wanted_columns(columns: Sequence[Column], choices: Choices | None = None) -> frozenset[int]:
    """Columns to be read whole: the time, all that may play a role, and what the user named.

    Parameters
    ----------
    columns : all of the file.
    choices : the user's word on columns.

    Returns
    -------
    Their positions.
    """
    choices = choices or Choices()
    columns = without_shared(columns)
    named = any(time_score(c.own_name) >= DOUBTFUL_TIME and may_be_clock(c) for c in columns)
    # The time is else found by what it does: mostly it stands first, or has a unit of time.
    likely = (
        [] if named or not columns else [columns[0], *(c for c in columns if tells_time(c.unit))]
    )
    keep = {c.index for c in likely}
    # Where no name speaks of what most logs hold, a column without a unit may be it.
    found = {c.role for column in columns for c in candidates(column)}
    strange = not found >= OF_EVERY_LOG or not found & AIR
    for column in columns:
        word = choices.columns.get(column.name)
        if word is not None:
            keep |= {column.index} if word.role is not None else set()
        elif (
            column.name == choices.time
            or time_score(column.own_name) >= DOUBTFUL_TIME
            or any(c.score > LEAST_SCORE for c in candidates(column))
            or may_be_told(column)
            or (strange and not column.unit and may_be_bare(column))
        ):
            keep.add(column.index)
    return frozenset(keep)


def _found(
    columns: Sequence[Column],
    raw: RawColumns,
    choices: Choices,
    settle: Settle,
    taken: Mapping[str, Role | None],
) -> list[_Found]:
    """Roles by the user's word first, then by evidence."""
    chosen: dict[Role, list[Column]] = {}
    for column in columns:
        if (
            (word := choices.columns.get(column.name))
            and word.role is not None
            and column.index in raw.values
        ):
            chosen.setdefault(word.role, []).append(column)
    named = {*choices.columns, *taken}
    free = [c for c in columns if c.name not in named and c.index in raw.values]
    assigned = assign_roles(free, lambda c: raw.values.get(c.index), settle)
    you_said = str(Say.YOU_SAID())
    out = [
        _Found(role, tuple(group[:2]), 1.0, you_said, said=True) for role, group in chosen.items()
    ]
    told = ((taken.get(c.name), c) for c in columns if c.index in raw.values)
    by_numbers = {role: c for role, c in told if role is not None}
    note = str(Say.BY_NUMBERS())
    out += [_Found(role, (c,), LIKELY, note) for role, c in by_numbers.items()]
    for role, group in assigned.columns.items():
        if role in chosen or role in by_numbers:
            continue
        label = LABELS[role][0]
        rivals = assigned.rivals.get(role, ())
        doubt = ""
        weak = ""
        # Loggers often hold a channel twice under two names; there is then nothing to ask.
        if rivals and not _same_values(raw, group[0], rivals):
            names = " or ".join(repr(c.name) for c in (*group, *rivals))
            doubt = str(Say.RIVALS(label=label, names=names))
        elif assigned.confidence[role] < SURE_SCORE and not rivals:
            weak = str(Say.WEAK(name=group[0].name, label=label.lower()))
        contested = tuple(rivals) if doubt else ()
        out.append(
            _Found(role, group, assigned.confidence[role], "", doubt, weak, rivals=contested)
        )
    return sorted(out, key=lambda f: list(Role).index(f.role))


def _same_values(raw: RawColumns, first: Column, rivals: Sequence[Column]) -> bool:
    a = raw.values[first.index][:5000]
    others = [raw.values[c.index][:5000] for c in rivals]
    return all(len(b) == len(a) and np.allclose(a, b, equal_nan=True) for b in others)


def _reading(
    found: _Found,
    raw: RawColumns,
    rows: Rows,
    stoich_afr: float,
    choices: Choices,
    bank: int,
    settle: Settle,
) -> Reading:
    """A role's columns converted and on the rows, with the other ways they could be read."""
    columns, note = bank_columns(
        found.columns, raw, choices, 0 if found.role is Role.LAMBDA else bank
    )
    parts: list[tuple[UnitReading, Column]] = []
    for column in columns:
        word = choices.columns.get(column.name)
        said = word.unit if word else ""
        reading = _scaled(said or column.unit, stoich_afr)
        if reading is None and said:
            reading = by_word(found.role, said, stoich_afr)
        elif reading is None:
            reading = settle(found.role, column)
        parts.append((reading, column))
    first = parts[0][0]
    values, fresh, apart = _mean_of([(r, c) for r, c in parts], raw, rows, found.role)
    rivals = {
        rival.unit: _mean_of([(rival, c) for _, c in parts], raw, rows, found.role)[0]
        for rival in first.rivals
    }
    idle = found.role in TRIMS and all(_does_nothing(v) for v in (values, *rivals.values()))
    if idle:
        # 0 is 0 in any unit, and under either heading: nothing hangs on it.
        rivals = {}
        first = replace(first, doubt="")
    notes = "; ".join(
        n for n in (found.note, note, banks_note(found.columns, columns, choices), first.note) if n
    )
    doubt = found.doubt or first.doubt
    confidence = min(found.confidence, 0.4) if doubt else found.confidence
    match = Match(
        found.role,
        columns,
        first.unit,
        confidence,
        notes,
        doubt,
        weak="" if idle else found.weak,
        only=not rivals,
        rivals=found.rivals,
    )
    return Reading(match, values, fresh, rivals, apart)


def _does_nothing(trim: Floats) -> bool:
    """Whether a trim changes fuel by so little that nothing hangs on what it is."""
    return bool(np.nanmax(np.abs(trim), initial=0.0) < NOTHING_PCT)


def _mean_of(
    parts: Sequence[tuple[UnitReading, Column]], raw: RawColumns, rows: Rows, role: Role
) -> tuple[Floats, Mask | None, tuple[Floats, ...]]:
    """Mean of the banks, which rows have a new reading, and the banks themselves where there are two."""
    placed = [rows.placed(c, _converted(r, raw.values[c.index]), role) for r, c in parts]
    if len(placed) == 1:
        return *placed[0], ()
    apart = tuple(v for v, _ in placed)
    return np.mean(apart, axis=0), placed[0][1], apart


def _with_bank_gap(log: Log, matches: Sequence[Match], readings: Mapping[Role, Reading]) -> Log:
    """The log with the difference of the two banks its channels are the mean of."""
    unit = {m.role: m.unit for m in matches}
    # What physics chose to read otherwise was not read so bank by bank.
    apart = {
        role: x.banks for role, x in readings.items() if x.banks and x.match.unit == unit.get(role)
    }
    gap = None if Role.BANK_GAP in log else bank_gap_pct(apart)
    return log if gap is None else replace(log, channels={**log.channels, Role.BANK_GAP: gap})


def _converted(reading: UnitReading, values: Floats) -> Floats:
    # A number of four hundred digits is a hole, not an infinite pressure.
    with np.errstate(over="ignore", divide="ignore", invalid="ignore"):
        out = reading.convert(values)
    return np.where(np.isinf(out), np.nan, out) if np.isinf(out).any() else out


def _scaled(unit: str, stoich_afr: float) -> UnitReading | None:
    points = two_point_scale(unit)
    if points is None:
        return None
    v0, x0, v1, x1 = points
    factor = stoich_afr if max(x0, x1) > 4.0 else 1.0
    return UnitReading(
        lambda v: (x0 + (v - v0) * (x1 - x0) / (v1 - v0)) / factor, unit, str(Say.BY_TWO_POINTS())
    )


def _gauge(log: Log, matches: Sequence[Match], choices: Choices) -> tuple[Log, list[Match]]:
    """Manifold pressure made absolute; a barometer the user named stands where none was logged."""
    channels = dict(log.channels)
    out = []
    for match in matches:
        if match.role is Role.MAP:
            rpm = channels.get(Role.RPM)
            baro = channels.get(Role.BARO)
            match, channels[Role.MAP] = absolute(
                match, channels[Role.MAP], rpm, baro, choices.baro_kpa
            )
        out.append(match)
    if choices.baro_kpa and Role.BARO not in channels:
        channels[Role.BARO] = np.full(len(log), choices.baro_kpa)
    return replace(log, channels=channels), out


def _with_unread(matches: Sequence[Match], raw: RawColumns) -> list[Match]:
    """Cells that are no numbers, named: a doubt where there are many, a note where they are few."""
    out = []
    for match in matches:
        for column in match.columns:
            odd = raw.unread.get(column.index)
            if odd is None:
                continue
            said = str(
                Say.UNREAD(
                    label=LABELS[match.role][0],
                    cells=odd.cells,
                    rows=odd.rows,
                    name=column.name,
                    example=odd.example,
                )
            )
            if odd.many:
                match = replace(
                    match, doubt=match.doubt or said, confidence=min(match.confidence, 0.4)
                )
            else:
                match = replace(match, note="; ".join(n for n in (match.note, said) if n))
        out.append(match)
    return out


def _with_doubted(log: Log, matches: Sequence[Match], raw: RawColumns) -> tuple[Log, list[Match]]:
    """Channels whose numbers the reader could not work out: in doubt, and without a reading."""
    out = []
    channels = dict(log.channels)
    for match in matches:
        for column in match.columns:
            if column.index in raw.doubted:
                label = LABELS[match.role][0]
                reason = raw.doubted[column.index]
                said = str(Say.NOT_CONVERTED(label=label, name=column.name, reason=reason))
                match = replace(match, doubt=said, confidence=min(match.confidence, 0.4))
                # What was recorded is no measurement, and nobody's word makes it one.
                channels[match.role] = np.full(len(log), np.nan)
        out.append(match)
    return replace(log, channels=channels), out


def _without_minor(
    log: Log, matches: Sequence[Match], said: set[Role]
) -> tuple[Log, list[Match], tuple[str, ...]]:
    """Channels a correction can do without, left out where they are in doubt."""
    width = next((m for m in matches if m.role is Role.PULSE_WIDTH), None)
    # Of duty only a pulse width is worked out. Beside one that is borne out nothing rests on it;
    # beside
    # another the two speak against each other.
    proved = width is not None and any(p.verdict == "agrees" for p in width.proofs)
    minor = MINOR | {Role.DUTY} if proved else MINOR
    drop = {m.role for m in matches if m.role in minor and m.doubt and m.role not in said}
    notes = tuple(
        str(Say.LEFT_OUT(label=LABELS[m.role][0], doubt=m.doubt)) for m in matches if m.role in drop
    )
    channels = {r: v for r, v in log.channels.items() if r not in drop}
    return replace(log, channels=channels), [m for m in matches if m.role not in drop], notes


def unit_shown(match: Match) -> str:
    """The unit a channel was read in, as people write it.

    Returns unit, "" for none.
    """
    return show_unit(match.unit) or LABELS[match.role][1]
