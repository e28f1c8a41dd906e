"""Which column plays which role: all roles together, by name, unit and values."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import Column
from lean_trim.formats.meaning.names import PAIRED, Candidate, candidates
from lean_trim.formats.meaning.unit_check import UnitReading, sample_of

LEAST_SCORE = 0.3
"""Below it a name says next to nothing."""
SURE_SCORE = 0.52
"""Below it the only candidate is asked about."""
ALIKE = 0.08
"""Candidates whose scores differ by less are rivals."""
MOVING = frozenset((Role.RPM, Role.MAP, Role.LAMBDA, Role.PULSE_WIDTH, Role.MAF_HZ, Role.MAF_V))
"""What no drive holds constant."""
CONSTANT = 0.45
STANDING = 0.8
EMPTY = 0.1
IMPLAUSIBLE = 0.7
"""What a score is multiplied by: a column that never moves where every drive does, a bank's that
stands
still, one that holds nothing, one that holds what no engine has."""
MOST_CONTESTED = 400


@dataclass(frozen=True)
class Assignment:
    """Roles with their columns (two for two banks), and what could not be settled.

    Attributes
    ----------
    columns : by role.
    confidence : 0 to 1, by role.
    rivals : columns that might as well play the role.
    aside : columns that sound like a role but are left out, with the reason's key.
    """

    columns: Mapping[Role, tuple[Column, ...]]
    confidence: Mapping[Role, float]
    rivals: Mapping[Role, tuple[Column, ...]] = field(default_factory=dict)


ValuesOf = Callable[[Column], Floats | None]
Settle = Callable[[Role, Column], UnitReading]


def assign_roles(columns: Sequence[Column], values_of: ValuesOf, settle: Settle) -> Assignment:
    """Give every role its best column; two banks give two; equally good ones are rivals to be asked about.

    Parameters
    ----------
    columns : all of a log that the user said nothing about.
    values_of : readings of a column, None if it was not read.
    settle : reads the unit of a column that plays a role.

    Returns
    -------
    Roles with their columns, confidence, and rivals.
    """
    scored = [_with_values(c, values_of, settle) for column in columns for c in candidates(column)]
    fit = [c for c in scored if c.score > LEAST_SCORE]
    winners = _joint(fit)
    chosen: dict[Role, tuple[Column, ...]] = {}
    confidence: dict[Role, float] = {}
    rivals: dict[Role, tuple[Column, ...]] = {}
    taken = {c.column.index for c in winners.values()}
    for role, best in winners.items():
        group = [c for c in fit if c.role is role and (c is best or c.column.index not in taken)]
        pair = _banks(best, group, values_of)
        others = [
            c
            for c in group
            if c.score >= best.score - ALIKE
            and c.column not in pair
            and c.column.name != best.column.name
        ]
        # Of several sensors the first of the bank is meant; the others sit behind the converter.
        if best.sensor == 1 or (pair and len(pair) == 2):
            others = [c for c in others if c.bank == 0 and c.sensor == best.sensor]
        chosen[role] = pair
        if others:
            rivals[role] = tuple(c.column for c in others)
        confidence[role] = best.score - (0.3 if role in rivals else 0.0)
    return Assignment(chosen, confidence, rivals)


def _with_values(found: Candidate, values_of: ValuesOf, settle: Settle) -> Candidate:
    values = values_of(found.column)
    if values is None:
        return found
    part = sample_of(values)
    factor = 1.0
    if not len(part):
        factor = EMPTY
    elif found.role in MOVING and float(part.max()) == float(part.min()):
        factor = CONSTANT
    elif found.role in (Role.STFT, Role.LTFT) and _is_switch(part):
        factor = EMPTY
    elif found.role in PAIRED and float(part.max()) == float(part.min()):
        factor = STANDING
    elif settle(found.role, found.column).doubt:
        factor = IMPLAUSIBLE
    return Candidate(found.role, found.column, found.score * factor, found.bank, found.sensor)


def _is_switch(values: Floats) -> bool:
    """Whether a column holds nothing but off and on: no trim does, but feedback that is at work."""
    return bool(np.isin(values, (0.0, 1.0)).all() and values.max() > values.min())


def _joint(fit: Sequence[Candidate]) -> dict[Role, Candidate]:
    """One column a role, one role a column, the sum of scores the largest."""
    best: dict[tuple[Role, int], Candidate] = {}
    for c in fit:
        key = (c.role, c.column.index)
        if key not in best or c.score > best[key].score:
            best[key] = c
    claims: dict[int, int] = {}
    for _, index in best:
        claims[index] = claims.get(index, 0) + 1
    contested = any(count > 1 for count in claims.values())
    ordered = sorted(best.values(), key=lambda c: (-c.score, c.bank, c.column.index))
    if contested and len(best) <= MOST_CONTESTED:
        return _matching(ordered)
    winners: dict[Role, Candidate] = {}
    used: set[int] = set()
    for c in ordered:
        if c.role not in winners and c.column.index not in used:
            winners[c.role] = c
            used.add(c.column.index)
    return winners


def _matching(ordered: Sequence[Candidate]) -> dict[Role, Candidate]:
    # Loaded only here, where a column may play several roles: it takes half a second.
    from scipy.optimize import linear_sum_assignment

    roles = list(dict.fromkeys(c.role for c in ordered))
    places = list(dict.fromkeys(c.column.index for c in ordered))
    score = np.zeros((len(roles), len(places)))
    at = {}
    for rank, c in enumerate(ordered):
        cell = (roles.index(c.role), places.index(c.column.index))
        # Of equals the first in the file, so that the answer never hangs on the order of a sum.
        score[cell] = c.score - 1e-6 * rank
        at[cell] = c
    rows, columns = linear_sum_assignment(score, maximize=True)
    return {
        roles[r]: at[r, k]
        for r, k in zip(rows.tolist(), columns.tolist(), strict=True)
        if (r, k) in at
    }


def _banks(best: Candidate, group: Sequence[Candidate], values_of: ValuesOf) -> tuple[Column, ...]:
    """The columns of two banks, or the one column; a blank or standing bank does not count."""
    if best.role not in PAIRED:
        return (best.column,)
    alive = [
        c
        for c in group
        if c is best or (c.score >= best.score - ALIKE and _alive(values_of(c.column)))
    ]
    # Reversed, so that of several with one bank the first in the file stays.
    banks = {c.bank: c for c in reversed(alive) if c.sensor in (0, best.sensor)}
    if (
        {1, 2} <= set(banks)
        and _alive(values_of(banks[1].column))
        and _alive(values_of(banks[2].column))
    ):
        return banks[1].column, banks[2].column
    return (best.column,)


def _alive(values: Floats | None) -> bool:
    if values is None:
        return True
    part = sample_of(values)
    return bool(len(part)) and float(part.max()) > float(part.min())
