"""From columns to a log: roles, units, doubts, banks, gauge pressure and the time base."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.choices import Choices, two_point_scale
from lean_trim.formats.meaning.names import PAIRED, assign_roles
from lean_trim.formats.meaning.names import TIME as TIME_NAME
from lean_trim.formats.meaning.timebase import TimeBase, settle_time
from lean_trim.formats.meaning.unit_check import UnitReading, by_word, sample_of, settle_unit
from lean_trim.formats.meaning.units import TIME, tidy_unit


class Say:
    """Sentences of this module."""

    NO_TIME_COLUMN = Message(
        "channel_map.no_time_column", "{name} has no time column; name one 'Time' (s, ms or clock time)"
    )
    BY_TWO_POINTS = Message("channel_map.by_two_points", "from volts by your two points")
    GAUGE = Message("channel_map.gauge", "gauge pressure; {baro:.1f} kPa of barometer added")
    RESTING_PRESSURE = Message(
        "channel_map.resting_pressure",
        "Manifold pressure reads {resting:.0f} kPa with the engine off; neither absolute nor gauge pressure "
        "does",
    )
    YOU_SAID = Message("channel_map.you_said", "as you said")
    RIVALS = Message("channel_map.rivals", "{label} could be {names}; which one?")
    TWO_BANKS = Message("channel_map.two_banks", "two banks, {word}")
    LOW_PRESSURE = Message(
        "channel_map.low_pressure",
        "Manifold pressure falls to {low:.1f} kPa; is it gauge pressure or another unit?",
    )


STANDARD_BARO_KPA = 101.3


@dataclass(frozen=True)
class Match:
    """One role with the columns it is read from.

    ``confidence`` is 0 to 1; ``note`` says what was inferred, ``doubt`` asks; a match with a doubt is not
    certain.
    """

    role: Role
    columns: tuple[Column, ...]
    unit: str
    confidence: float
    note: str = ""
    doubt: str = ""


@dataclass(frozen=True, eq=False)
class MappedLog:
    """A log with everything that was understood, inferred and asked about it."""

    log: Log
    matches: tuple[Match, ...]
    unused: tuple[Column, ...]
    notes: tuple[str, ...]
    raw: RawColumns

    @property
    def doubts(self) -> tuple[str, ...]:
        """Questions that only the user can settle."""
        return tuple(m.doubt for m in self.matches if m.doubt)


def map_channels(raw: RawColumns, name: str, stoich_afr: float, choices: Choices | None = None) -> MappedLog:
    """Name the channels, settle units and time.

    Parameters
    ----------
    raw : columns as they stand in the file.
    name : of the log.
    stoich_afr : of the vehicle's fuel.
    choices : the user's word on columns, units and banks.

    Returns
    -------
    The log, and what was understood, inferred and doubted.

    Raises
    ------
    LogError
        If there is no usable time.
    """
    choices = choices or Choices()
    base, time_index = _time(raw, name)
    others = [c for c in raw.columns if c.index != time_index]
    matches = []
    channels = {}
    notes = list(base.notes)
    for match in _matches(others, raw, choices):
        settled, values = _channel(match, raw, stoich_afr, choices)
        matches.append(settled)
        channels[settled.role] = values
    matches = _gauge_pressure(matches, channels)
    taken = {c.index for m in matches for c in m.columns}
    rows = len(next(iter(raw.values.values())))
    # Taking rows by index would copy every channel of a long log for nothing.
    whole = len(base.order) == rows and bool((np.diff(base.order) == 1).all())
    order = slice(None) if whole else base.order
    updates = {
        m.role: raw.updates[m.columns[0].index][order] for m in matches if m.columns[0].index in raw.updates
    }
    log = Log(base.time_s, {r: v[order] for r, v in channels.items()}, name, base.joints_s, updates)
    return MappedLog(log, tuple(matches), tuple(c for c in others if c.index not in taken), tuple(notes), raw)


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
    keep = {c.index for c in columns if (word := choices.columns.get(c.name)) and word.role is not None}
    found = assign_roles([c for c in columns if c.name not in choices.columns])
    keep |= {c.index for group in (*found.columns.values(), *found.rivals.values()) for c in group}
    clock = next((c.index for c in columns if TIME_NAME.search(c.name)), None)
    return frozenset(keep if clock is None else keep | {clock})


def _time(raw: RawColumns, name: str) -> tuple[TimeBase, int]:
    if raw.time_s is not None:
        return settle_time(raw.time_s, name), -1
    for column in raw.columns:
        if TIME_NAME.search(column.name) and column.index in raw.values:
            values = raw.values[column.index]
            unit = tidy_unit(column.unit)
            if unit not in TIME:
                steps = np.diff(sample_of(values[:5000]))
                unit = "ms" if len(steps) and np.median(np.abs(steps)) >= 5.0 else "s"
            return settle_time(TIME[unit](values), name), column.index
    raise LogError(Say.NO_TIME_COLUMN(name=name))


def _matches(columns: Sequence[Column], raw: RawColumns, choices: Choices) -> list[Match]:
    """Roles by the user's word first, then by name."""
    chosen: dict[Role, list[Column]] = {}
    for column in columns:
        if (word := choices.columns.get(column.name)) and word.role is not None:
            chosen.setdefault(word.role, []).append(column)
    free = [c for c in columns if c.name not in choices.columns]
    found = assign_roles(free)
    out = [
        Match(role, tuple(group[:2]), group[0].unit, 1.0, str(Say.YOU_SAID()))
        for role, group in chosen.items()
    ]
    for role, group in found.columns.items():
        if role in chosen:
            continue
        rivals = found.rivals.get(role, ())
        doubt = ""
        # Loggers often hold a channel twice under two names; there is then nothing to ask.
        if rivals and not _same_values(raw, group[0], rivals):
            names = " or ".join(repr(c.name) for c in (*group, *rivals))
            doubt = str(Say.RIVALS(label=LABELS[role][0], names=names))
        out.append(Match(role, group, group[0].unit, found.confidence[role], "", doubt))
    return sorted(out, key=lambda m: list(Role).index(m.role))


def _same_values(raw: RawColumns, first: Column, rivals: Sequence[Column]) -> bool:
    a = raw.values[first.index][:5000]
    return all(np.allclose(a, raw.values[c.index][:5000], equal_nan=True) for c in rivals)


def _channel(match: Match, raw: RawColumns, stoich_afr: float, choices: Choices) -> tuple[Match, Floats]:
    columns = match.columns
    if len(columns) == 2 and choices.banks != "mean":
        columns = (columns[int(choices.banks) - 1],)
    parts = []
    readings = []
    for column in columns:
        word = choices.columns.get(column.name)
        said = word.unit if word else ""
        reading = _scaled(said or column.unit, stoich_afr)
        if reading is None and said:
            reading = by_word(match.role, said, stoich_afr)
        elif reading is None:
            reading = settle_unit(match.role, column.unit, raw.values[column.index], stoich_afr)
        parts.append(reading.convert(raw.values[column.index]))
        readings.append(reading)
    note = "; ".join(n for n in (match.note, readings[0].note) if n)
    if len(match.columns) == 2 and match.role in PAIRED:
        note = str(
            Say.TWO_BANKS(word="their mean" if choices.banks == "mean" else "bank " + choices.banks)
        ) + (f"; {note}" if note else "")
    doubt = match.doubt or readings[0].doubt
    values = parts[0] if len(parts) == 1 else np.mean(parts, axis=0)
    confidence = min(match.confidence, 0.4) if doubt else match.confidence
    return Match(match.role, match.columns, readings[0].unit, confidence, note, doubt), values


def _scaled(unit: str, stoich_afr: float) -> UnitReading | None:
    points = two_point_scale(unit)
    if points is None:
        return None
    v0, x0, v1, x1 = points
    factor = stoich_afr if max(x0, x1) > 4.0 else 1.0
    return UnitReading(
        lambda v: (x0 + (v - v0) * (x1 - x0) / (v1 - v0)) / factor, unit, str(Say.BY_TWO_POINTS())
    )


def _gauge_pressure(matches: list[Match], channels: dict[Role, Floats]) -> list[Match]:
    """Turn gauge into absolute manifold pressure where the values show which it is."""
    where = next((i for i, m in enumerate(matches) if m.role is Role.MAP), None)
    if where is None:
        return matches
    pressure = channels[Role.MAP]
    match = matches[where]
    baro = _level(channels.get(Role.BARO)) or STANDARD_BARO_KPA
    part = sample_of(pressure)
    low = float(np.percentile(part, 0.5)) if len(part) else 20.0
    resting = _at_rest(pressure, channels.get(Role.RPM))
    # Engine off, gauge pressure reads about 0 and absolute pressure about the barometer.
    gauge = low < -5.0 or (resting is not None and abs(resting) < 8.0)
    doubt = match.doubt
    if gauge:
        channels[Role.MAP] = pressure + baro
        note = str(Say.GAUGE(baro=baro))
        return [
            *matches[:where],
            Match(match.role, match.columns, match.unit, match.confidence, note, doubt),
            *matches[where + 1 :],
        ]
    # No barometer on any road reads like that, so the column is something else.
    if resting is not None and not 60.0 < resting < 112.0 and not doubt:
        doubt = str(Say.RESTING_PRESSURE(resting=resting))
    elif low < 8.0 and not doubt:
        doubt = str(Say.LOW_PRESSURE(low=low))
    return [
        *matches[:where],
        Match(match.role, match.columns, match.unit, match.confidence, match.note, doubt),
        *matches[where + 1 :],
    ]


def _level(values: Floats | None) -> float:
    part = sample_of(values) if values is not None else np.array([])
    return float(np.median(part)) if len(part) else 0.0


def _at_rest(pressure: Floats, rpm: Floats | None) -> float | None:
    if rpm is None:
        return None
    off = (rpm < 50.0) & np.isfinite(pressure)
    return float(np.median(pressure[off])) if off.sum() >= 20 else None


def by_role(matches: Sequence[Match]) -> Mapping[Role, Match]:
    """Matches by their role.

    Parameters
    ----------
    matches : at most one a role.

    Returns
    -------
    Role → match.
    """
    return {m.role: m for m in matches}
