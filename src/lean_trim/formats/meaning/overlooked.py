"""Columns nobody reads that may be the channel a log seems to lack.

A name in words that are not known passes for a channel that was not logged, and the table is then worked
out without it. Where the unit and the numbers are those of a channel that is missing, and the name says
nothing else, it is asked.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.meaning.missing import missing_roles
from lean_trim.formats.meaning.names import candidates, is_exhaust_sensor, says_another_thing
from lean_trim.formats.meaning.unit_check import sample_of, settle_unit
from lean_trim.formats.meaning.units import is_unit, is_unit_of, tidy_unit

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
    lacks = [lack.role for lack in missing_roles(log, vehicle)]
    free = [c for c in unused if c.name not in choices.columns]
    out = []
    for role in lacks:
        like = [c for c in free if _may_be(role, c, raw, vehicle.stoich_afr)]
        if like:
            names = " or ".join(repr(c.name) for c in like[:MOST_NAMED])
            said = Say.MAY_BE(label=LABELS[role][0], names=names)
            out.append(Overlooked(role, tuple(like), str(said)))
    return tuple(out)


PROVABLE = frozenset((Role.RPM, Role.MAP, Role.LAMBDA, Role.TARGET, Role.PULSE_WIDTH))
"""Roles that the engine's physics bears out, whatever the column is called."""
SUPPLY_V = (8.0, 16.5)
STEADY_V = 1.0
"""No other voltage of a car stays between these, and as steady."""


def is_told_by_numbers(role: Role, mapped: MappedLog, doubts: int) -> bool:
    """Whether a column whose name says nothing is borne out as a channel by its numbers.

    Parameters
    ----------
    role : it was taken for.
    mapped : the log read so.
    doubts : there were before; taking it must leave fewer.

    Returns
    -------
    False where it is only possible.
    """
    match = next((m for m in mapped.matches if m.role is role), None)
    if match is None or match.doubt or len(mapped.doubts) >= doubts:
        return False
    if role is Role.BATTERY:
        known = mapped.log[role][np.isfinite(mapped.log[role])]
        low, high = np.percentile(known, [1.0, 99.0]) if len(known) else (0.0, 0.0)
        return bool(SUPPLY_V[0] < low and high < SUPPLY_V[1] and float(np.std(known)) < STEADY_V)
    verdicts = {p.verdict for p in match.proofs}
    return role in PROVABLE and "agrees" in verdicts and "contradicts" not in verdicts


def may_be_told(column: Column) -> bool:
    """Whether a column's unit and name leave room for a channel that its numbers can tell.

    Parameters
    ----------
    column : with name and unit.

    Returns
    -------
    False for a column without a unit.
    """
    return bool(tidy_unit(column.unit)) and any(
        _fits_in_words(role, column) and not says_another_thing(role, column)
        for role in (*PROVABLE, Role.BATTERY)
    )


def _may_be(role: Role, column: Column, raw: RawColumns, stoich_afr: float) -> bool:
    if says_another_thing(role, column) or not _fits_in_words(role, column):
        return False
    values = raw.values.get(column.index, raw.samples.get(column.index))
    part = sample_of(values) if values is not None else np.empty(0)
    if not len(part) or float(np.ptp(part)) == 0.0:
        return False
    reading = settle_unit(role, column.unit, part, stoich_afr, column.name)
    if column.unit and is_unit_of(role, tidy_unit(column.unit)) and reading.doubt:
        return False
    return _is_usual(role, reading.convert(part))


def _fits_in_words(role: Role, column: Column) -> bool:
    """Whether unit or name speak for it; without a unit a name has to, or the numbers be like no others."""
    unit = tidy_unit(column.unit)
    named = any(c.role is role for c in candidates(column))
    if unit:
        return is_unit_of(role, unit) or (named and not is_unit(column.unit))
    return named or role is Role.BATTERY or (role is Role.LAMBDA and is_exhaust_sensor(column))


def _is_usual(role: Role, values: Floats) -> bool:
    low, high = REACHES.get(role, (-np.inf, np.inf))
    level = float(np.percentile(values, 98 if role is Role.COOLANT else 50))
    return low <= level <= high
