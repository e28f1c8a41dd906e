"""What no name of a log says, told by the numbers: columns are taken for a channel, and the log read so."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import Column
from lean_trim.formats.meaning.match import MappedLog
from lean_trim.formats.meaning.names import says
from lean_trim.formats.meaning.overlooked import (
    TRIMS,
    is_told_by_numbers,
    may_be_barometer,
    may_be_pulse_width,
    may_be_target,
    may_be_trim,
)

Attempt = Callable[[Mapping[str, Role | None]], MappedLog]
"""Reads the log with columns taken for roles their names do not say, or for none."""
MOST_TRIED = 8
"""Columns of which each is read as a pulse width: of more, reading would take too long."""
Taken = Mapping[str, Role | None]
"""Columns that were told so, by their names."""


def told_by_numbers(
    mapped: MappedLog, attempt: Attempt, vehicle: Vehicle, taken: Taken
) -> MappedLog:
    """With what no name says, where the numbers of one column alone bear a role out.

    Tried are columns that may be a missing channel, and those whose names stand for one role alike.
    What was told may be what bears another one out, so that the rest is tried again.

    Parameters
    ----------
    mapped : by names alone.
    attempt : reads the log with columns taken for roles.
    vehicle : whose log it is.
    taken : columns that are left out.

    Returns
    -------
    The same where nothing more is told.
    """
    more = True
    while more:
        more = False
        untold = _untold(mapped)
        for role in tuple(untold):
            found = _borne_out(role, untold.get(role, ()), mapped, taken, attempt, vehicle)
            if found is not None:
                mapped, taken = found
                untold = _untold(mapped)
                more = True
    return _with_both_trims(mapped, taken, attempt, vehicle)


def _untold(mapped: MappedLog) -> dict[Role, tuple[Column, ...]]:
    """Roles that numbers may tell, with the columns that may play them."""
    out = {o.role: o.columns for o in mapped.overlooked}
    out |= {m.role: (*m.columns, *m.rivals) for m in mapped.matches if m.rivals}
    if Role.TARGET not in mapped.log:
        out.setdefault(Role.TARGET, _like(mapped, lambda column, _: may_be_target(column)))
    for role in TRIMS:
        if role not in mapped.log:
            out.setdefault(role, _like(mapped, may_be_trim))
    if Role.MAF_HZ not in mapped.log:
        # Without a unit a meter's signal passes for the flow it stands for.
        flow = (m.columns for m in mapped.matches if m.role is Role.MAF_FLOW)
        out.setdefault(Role.MAF_HZ, tuple(c for columns in flow for c in columns if not c.unit))
    if Role.BARO not in mapped.log:
        out.setdefault(Role.BARO, _like(mapped, may_be_barometer))
    if Role.PULSE_WIDTH not in mapped.log:
        out.setdefault(Role.PULSE_WIDTH, _like(mapped, may_be_pulse_width)[:MOST_TRIED])
    return out


def _like(mapped: MappedLog, may_be: Callable[[Column, Floats], bool]) -> tuple[Column, ...]:
    """Columns nobody reads that may be something by name, unit and numbers."""
    values = mapped.raw.values
    return tuple(c for c in mapped.unused if c.index in values and may_be(c, values[c.index]))


def _borne_out(
    role: Role,
    columns: Sequence[Column],
    mapped: MappedLog,
    taken: Taken,
    attempt: Attempt,
    vehicle: Vehicle,
) -> tuple[MappedLog, Taken] | None:
    """The log with the one column that bears a role out, and what is taken then.

    Parameters
    ----------
    role : that the columns may play.
    columns : tried one by one.
    mapped : without any of them.
    taken : what was told by numbers before.
    attempt : reads the log with more taken.
    vehicle : whose log it is.

    Returns
    -------
    None where none does, or two: of two wishes either is one.
    """
    found = []
    left = []
    for column in (c for c in columns if c.name not in taken):
        more = {**taken, column.name: role}
        trial = attempt(more)
        if is_told_by_numbers(role, trial, mapped, vehicle):
            found.append((trial, more))
        if not _contradicted(role, trial):
            left.append((trial, more))
    if not found and role in mapped.log and len(left) == 1 < len(columns):
        # Of columns called alike all but one cannot be it.
        return left[0]
    return found[0] if len(found) == 1 or (found and role is Role.TARGET) else None


def _contradicted(role: Role, trial: MappedLog) -> bool:
    match = next((m for m in trial.matches if m.role is role), None)
    return match is None or any(p.verdict == "contradicts" for p in match.proofs)


def _with_both_trims(
    mapped: MappedLog, taken: Taken, attempt: Attempt, vehicle: Vehicle
) -> MappedLog:
    """With two trims that their names do not tell: fuel follows both together, and one turns more often.

    Parameters
    ----------
    mapped : with what else was told.
    taken : what was told by numbers before.
    attempt : reads the log with more taken.
    vehicle : whose log it is.
    """
    played = {m.role: m.columns[0] for m in mapped.matches if m.role in TRIMS}
    asked = (c for o in mapped.overlooked if o.role in TRIMS for c in o.columns)
    pair = {c.name: c for c in (*played.values(), *asked, *_like(mapped, may_be_trim))}
    loaded = all(c.index in mapped.raw.values for c in pair.values())
    if len(pair) != len(TRIMS) or not loaded:
        return mapped
    long, short = sorted(pair.values(), key=lambda c: _turns(mapped, c))
    told = {Role.STFT: short, Role.LTFT: long}
    named = {role: _is_named(role, column) for role, column in told.items()}
    against = _is_named(Role.STFT, long) or _is_named(Role.LTFT, short)
    if against or all(named.values()) or (told == played and not _doubted(mapped)):
        return mapped
    trial = attempt({**taken, short.name: Role.STFT, long.name: Role.LTFT})
    borne_out = any(is_told_by_numbers(role, trial, mapped, vehicle) for role in TRIMS)
    fits = not any(_contradicted(role, trial) for role in TRIMS)
    return trial if borne_out and fits and len(trial.doubts) <= len(mapped.doubts) else mapped


def _is_named(role: Role, column: Column) -> bool:
    words = ("stft", "short") if role is Role.STFT else ("ltft", "long")
    return any(says(column, word) for word in words)


def _doubted(mapped: MappedLog) -> bool:
    """Whether anything is asked about the trims."""
    asked = any(o.role in TRIMS for o in mapped.overlooked)
    return asked or any(m.doubt for m in mapped.matches if m.role in TRIMS)


def _turns(mapped: MappedLog, column: Column) -> int:
    """How often a column goes the other way: what corrects at short term does so with every swing."""
    steps = np.diff(np.nan_to_num(mapped.raw.values[column.index]))
    moved = np.sign(steps[steps != 0.0])
    return int(np.count_nonzero(moved[1:] != moved[:-1]))
