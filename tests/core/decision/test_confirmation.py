"""What needs a deliberate word before it stands in the table, and what does not."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.decision.confirmation import Danger, Ground, warned_of
from lean_trim.core.decision.decision import Decision, Origin, undecided
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.decision.restraints import no_restraints
from lean_trim.core.types import Floats

ROWS = Axis("MAP", "kPa", np.array([40.0, 80.0, 120.0]))
COLUMNS = Axis("engine speed", "rpm", np.array([1000.0, 3000.0, 5000.0]))
TABLE = Table((ROWS, COLUMNS), np.full((3, 3), 80.0), "%", "VE")


def ground() -> Ground:
    return Ground(driven=TABLE, policy=PolicySettings(), seen=np.ones((3, 3), bool))


def changed(cell: tuple[int, int], pct: float, start: Decision | None = None) -> Decision:
    before = start or undecided(TABLE)
    values: Floats = before.values.copy()
    origin = before.origin.copy()
    values[cell] = TABLE.values[cell] * (1.0 + pct / 100.0)
    origin[cell] = Origin.BY_HAND
    return replace(before, values=values, origin=origin)


def dangers(after: Decision, at: Ground | None = None, before: Decision | None = None) -> list[str]:
    return [w.danger for w in warned_of(at or ground(), before or undecided(TABLE), after)]


def test_leaner_above_atmospheric_needs_a_word_and_richer_does_not() -> None:
    assert dangers(changed((2, 1), -2.0)) == [Danger.BOOST]
    assert dangers(changed((2, 1), +4.0)) == []
    assert dangers(changed((1, 1), -2.0)) == []
    (warned,) = warned_of(ground(), undecided(TABLE), changed((2, 1), -2.0))
    assert warned.cells == frozenset({7})
    assert warned.worst_pct == pytest.approx(2.0)
    assert "1 cell above atmospheric would get up to 2.0 % less fuel" in str(warned.said)


def test_back_towards_what_was_driven_needs_none() -> None:
    richer = changed((2, 1), +6.0)
    assert dangers(changed((2, 1), +1.0), before=richer) == []
    assert dangers(changed((2, 1), -1.0), before=richer) == [Danger.BOOST]
    leaner = changed((2, 1), -6.0)
    assert dangers(changed((2, 1), -3.0), before=leaner) == []


def test_what_rounds_away_needs_none() -> None:
    assert dangers(changed((2, 1), -0.4)) == []


def test_knock_fault_and_cells_nobody_drove() -> None:
    knock = np.zeros((3, 3), bool)
    knock[0, 0] = True
    fault = np.zeros((3, 3), bool)
    fault[0, 1] = True
    held = replace(no_restraints((3, 3)), knock=knock, fault=fault)
    seen = np.ones((3, 3), bool)
    seen[1, 2] = False
    at = replace(ground(), restraints=held, seen=seen)
    assert dangers(changed((0, 0), -1.0), at) == [Danger.KNOCK]
    assert dangers(changed((0, 1), -1.0), at) == [Danger.FAULT]
    assert dangers(changed((1, 2), -1.0), at) == [Danger.UNSEEN]
    assert dangers(changed((0, 2), -1.0), at) == []


def test_beyond_the_largest_step_either_way() -> None:
    assert dangers(changed((0, 0), -21.0)) == [Danger.LIMIT]
    assert dangers(changed((0, 0), +26.0)) == [Danger.LIMIT]
    assert dangers(changed((0, 0), +24.0)) == []
    assert dangers(changed((2, 0), -13.0)) == [Danger.BOOST, Danger.LIMIT]
