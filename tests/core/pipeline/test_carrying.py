"""Evidence of earlier drives: what it is, how it fades, and when it does not count."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Axis
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.carried import BETWEEN_DRIVES, as_carried
from lean_trim.core.pipeline.carrying import DISAGREES_ID, CarrySettings, DriveEvidence, Earlier
from lean_trim.core.pipeline.solve import DrivenLog, Solution, SolveSettings, solve
from lean_trim.core.pipeline.summary import evidence_of, summary_of
from lean_trim.core.sieve.sieve import SieveSettings
from tests.builders import make_log, small_vehicle, steady_states

SETTINGS = SolveSettings(fit_delay=False, sieve=SieveSettings(disabled=frozenset({"starting"})))
TRUE = 84.0


def drive(ve: float, part: slice, true: float = TRUE, seconds: float = 4.0) -> Log:
    """A part of a drive over all states of an engine that breathes ``true`` %, on a table of ``ve``."""
    plain = steady_states(1.0, seconds)
    rpm, pressure = (plain[r] for r in list(plain.channels)[:2])
    whole = make_log(
        plain.time_s, rpm, pressure, true / ve, 0.003, np.random.default_rng(3), small_vehicle(ve)
    )
    return Log(
        whole.time_s[part], {r: v[part] for r, v in whole.channels.items()}, name=f"drive on {ve:g}"
    )


FIRST = slice(0, 6000)
LATER = slice(4800, None)
"""Two parts of the same states that overlap a little."""


@pytest.fixture(scope="module")
def first() -> Solution:
    return solve([drive(70.0, FIRST)], small_vehicle(70.0), SETTINGS)


@pytest.fixture(scope="module")
def evidence(first: Solution) -> DriveEvidence:
    return evidence_of(first)


def later(*earlier: Earlier, true: float = TRUE, settings: SolveSettings = SETTINGS) -> Solution:
    return solve([drive(80.0, LATER, true)], small_vehicle(80.0), settings, earlier=earlier)


def test_it_says_what_the_table_would_have_to_hold(evidence: DriveEvidence) -> None:
    np.testing.assert_allclose(evidence.means.wanted, TRUE, rtol=0.004)
    assert evidence.seconds == pytest.approx(evidence.driving.whole.sum(), rel=1e-6)


def test_cells_of_the_first_drive_are_known_after_the_second(evidence: DriveEvidence) -> None:
    alone = later().estimate
    both = later(Earlier(1, evidence)).estimate
    more = both.supported & ~alone.supported
    assert more.sum() >= 4 and alone.supported.sum() >= 8
    np.testing.assert_allclose(both.correction_pct[both.supported], 5.0, atol=0.5)
    assert (both.own_error_pct <= alone.own_error_pct + 1e-6).all()
    assert (both.seconds >= alone.seconds - 1e-9).all() and both.seconds.sum() > alone.seconds.sum()


def test_it_says_what_both_logs_in_one_solve_would(evidence: DriveEvidence) -> None:
    """The same two drives as one solve of both logs, each against its own table."""
    old = DrivenLog(drive(70.0, FIRST), small_vehicle(70.0).table)
    pooled = solve([old, drive(80.0, LATER)], small_vehicle(80.0), SETTINGS).estimate
    carried = later(Earlier(1, evidence)).estimate
    same = pooled.supported & carried.supported
    assert same.sum() > 0.9 * pooled.supported.sum()
    np.testing.assert_allclose(carried.correction_pct[same], pooled.correction_pct[same], atol=0.3)


def test_samples_and_residual_are_those_of_the_present_drive(evidence: DriveEvidence) -> None:
    alone = later()
    both = later(Earlier(1, evidence))
    assert both.observations.seconds.sum() == pytest.approx(alone.observations.seconds.sum())
    assert both.residual.rms == pytest.approx(alone.residual.rms, abs=0.05)
    assert len(both.logs) == 1


def test_age_takes_its_weight_away(evidence: DriveEvidence) -> None:
    errors = [
        np.nanmean(later(Earlier(1, evidence, months)).estimate.own_error_pct)
        for months in (0.0, 3.0, 60.0)
    ]
    assert errors[0] < errors[1] < errors[2]
    never = replace(SETTINGS, carrying=CarrySettings(off_pct_a_month=0.0))
    young = later(Earlier(1, evidence, 60.0), settings=never)
    assert np.nanmean(young.estimate.own_error_pct) == pytest.approx(errors[0], rel=1e-6)
    table = evidence.table
    fresh, old = (as_carried([evidence.means], [off], table).precision for off in (0.0, 0.05))
    assert (fresh <= 1.0 / BETWEEN_DRIVES**2).all()
    assert (old <= 1.0 / 0.05**2).all()
    with pytest.raises(BadInputError, match="0 to 20"):
        CarrySettings(off_pct_a_month=21.0)


def test_a_drive_of_another_car_does_not_count_and_is_told(evidence: DriveEvidence) -> None:
    other = later(Earlier(4, evidence), true=TRUE * 1.06)
    (counted,) = other.measured.before.counted
    assert counted.contradicts and counted.agreement.apart_pct == pytest.approx(6.0, abs=0.5)
    alone = later(true=TRUE * 1.06)
    np.testing.assert_array_equal(other.estimate.correction_pct, alone.estimate.correction_pct)
    (told,) = [f for f in other.findings if f.id == DISAGREES_ID]
    assert ("round 4" in str(told.said) and "+5." in str(told.said)) or "+6." in str(told.said)
    # The same car a year later may have moved as far.
    assert later(Earlier(4, evidence, 12.0), true=TRUE * 1.06).measured.before.counted[0].counts


def test_what_is_doubted_does_not_count(evidence: DriveEvidence) -> None:
    found = later(Earlier(1, replace(evidence, doubted=True)))
    (counted,) = found.measured.before.counted
    assert counted.doubted and not counted.counts and not counted.contradicts
    assert DISAGREES_ID not in [f.id for f in found.findings]


def test_cells_with_knock_in_an_earlier_drive_are_not_leaned(evidence: DriveEvidence) -> None:
    knock = np.zeros(evidence.table.shape, bool)
    knock[1, 1] = True
    seen = replace(evidence, restraints=replace(evidence.restraints, knock=knock))
    assert summary_of(later(Earlier(1, seen))).restraints.knock[1, 1]
    assert not summary_of(later(Earlier(1, evidence))).restraints.knock[1, 1]


def test_another_table_of_other_breakpoints_is_told_as_well(evidence: DriveEvidence) -> None:
    old = evidence.table
    rows, columns = old.axes
    finer = Axis(rows.name, rows.unit, np.linspace(rows.points[0], rows.points[-1], 9), rows.own)
    table = replace(old, axes=(finer, columns), values=np.full((9, len(columns)), 80.0))
    vehicle = small_vehicle(80.0).with_table(table)
    knock = np.zeros(old.shape, bool)
    knock[-1] = True
    seen = replace(evidence, restraints=replace(evidence.restraints, knock=knock))
    found = solve([drive(80.0, LATER)], vehicle, SETTINGS, earlier=[Earlier(1, seen)])
    estimate = found.estimate
    assert estimate.supported.sum() > 30
    np.testing.assert_allclose(estimate.correction_pct[estimate.supported], 5.0, atol=0.6)
    laid = summary_of(found).restraints.knock
    assert laid[-1].all() and not laid[0].any()
