"""Policy: gain, step limits, support, pins, resolution and range."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trim.core.data.tables import maf_curve, ve_table
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision.cautions import cautions_for, shape_caution
from lean_trim.core.decision.driving_shares import DrivingShares
from lean_trim.core.decision.proposal import PolicySettings, Status, propose, quantise
from lean_trim.core.decision.restraints import Restraints, no_restraints
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.estimate import Estimate

TABLE = ve_table([1000.0, 3000.0, 6000.0], [40.0, 90.0, 150.0], np.full((3, 3), 80.0))
LIMITS = TableLimits(0.1, 5.0, 95.0)


def held(**by: np.ndarray) -> Restraints:
    return replace(no_restraints((3, 3)), **by)


def estimate(correction: float | np.ndarray, supported: bool = True) -> Estimate:
    shape = TABLE.shape
    full = np.broadcast_to(np.asarray(correction, float), shape).copy()
    return Estimate(
        TABLE,
        full,
        np.full(shape, 0.5),
        np.full(shape, 9.0),
        np.full(shape, 3),
        near_s=np.full(shape, 9.0),
        supported=np.full(shape, supported),
        method="surface",
    )


def test_supported_cells_get_the_whole_correction_by_default() -> None:
    proposal = propose(estimate(5.0), PolicySettings(), LIMITS)
    np.testing.assert_allclose(proposal.table.values, 84.0)
    assert (proposal.status == Status.CORRECTED).all()


def test_gain_scales_it() -> None:
    np.testing.assert_allclose(
        propose(estimate(5.0), PolicySettings(gain=0.5), LIMITS).table.values, 82.0
    )


def test_unsupported_cells_keep_their_exact_value() -> None:
    proposal = propose(
        estimate(5.0, supported=False), PolicySettings(), TableLimits(0.3, 5.0, 95.0)
    )
    np.testing.assert_array_equal(proposal.table.values, TABLE.values)
    assert (proposal.status == Status.KEPT).all()


def test_less_fuel_is_limited_more_tightly_above_atmospheric() -> None:
    proposal = propose(estimate(-40.0), PolicySettings(), LIMITS)
    np.testing.assert_allclose(proposal.step_pct[0], -20.0, atol=0.1)
    np.testing.assert_allclose(proposal.step_pct[2], -12.0, atol=0.1)
    assert (proposal.status == Status.LIMITED).all()


def test_pinned_cells_stay() -> None:
    proposal = propose(estimate(5.0), PolicySettings(pinned=frozenset({4})), LIMITS)
    assert proposal.table.values[1, 1] == 80.0
    assert proposal.status[1, 1] == Status.PINNED


def test_the_range_of_the_field_is_never_left_and_is_told() -> None:
    proposal = propose(estimate(24.0), PolicySettings(), LIMITS)
    np.testing.assert_allclose(proposal.table.values, 95.0)
    assert (proposal.status == Status.RANGE).all()


def test_a_range_the_table_goes_beyond_makes_no_cell_leaner() -> None:
    """A sheet's limits may be guessed; the table was read from the ECU."""
    narrow = TableLimits(0.1, 5.0, 60.0)
    proposal = propose(estimate(-1.0), PolicySettings(), narrow)
    np.testing.assert_allclose(proposal.table.values, 79.2)
    richer = propose(estimate(5.0), PolicySettings(), narrow)
    assert (richer.table.values >= 80.0).all() and (richer.status == Status.RANGE).all()


@given(st.floats(0.0, 500.0), st.sampled_from([0.01, 0.1, 0.25, 0.390625, 1.0]))
def test_written_values_are_on_the_resolution_grid_and_in_range(
    value: float, resolution: float
) -> None:
    limits = TableLimits(resolution, 0.0, 200.0)
    written, _ = quantise(np.array([value]), limits)
    assert resolution * 0.999 <= written[0] <= 200.0 + 1e-9
    if resolution < value < 200.0 - resolution:
        assert abs(written[0] / resolution - round(written[0] / resolution)) < 2e-2
        assert abs(written[0] - value) <= resolution * 0.51


@pytest.mark.parametrize("gain", [-0.1, 1.5])
def test_impossible_gain_is_refused(gain: float) -> None:
    with pytest.raises(BadInputError, match="allowed is 0 to 1"):
        PolicySettings(gain=gain)


def test_leaning_boosted_cells_is_cautioned_where_it_is_decided() -> None:
    step = np.zeros(TABLE.shape)
    assert cautions_for(TABLE, step, None, PolicySettings()) == []
    step[2, 1] = -3.0
    assert (
        "1 cell above atmospheric would get less fuel"
        in cautions_for(TABLE, step, None, PolicySettings())[0].text
    )
    assert cautions_for(TABLE, step, {0, 1}, PolicySettings()) == []
    step[:] = 15.0
    assert any("more than 8 %" in c.text for c in cautions_for(TABLE, step, None, PolicySettings()))
    lean = np.zeros(TABLE.shape)
    lean[1] = -4.0
    assert "near full load" in cautions_for(TABLE, lean, None, PolicySettings())[0].text


def test_leaning_at_load_tells_what_it_does_to_tables_that_are_read_over_load() -> None:
    step = np.zeros(TABLE.shape)
    step[1, 1] = -6.0
    said = " ".join(c.text for c in cautions_for(TABLE, step, None, PolicySettings()))
    assert "is that much less load" in said and "Up to 6 %" in said
    step[1, 1] = 6.0
    assert "less load" not in " ".join(
        c.text for c in cautions_for(TABLE, step, None, PolicySettings())
    )


@pytest.mark.parametrize(
    ("asked", "written"),
    [(-8.0, -8.0), (-12.0, -10.0), (-15.0, -10.05), (-16.0, -10.72), (12.0, 12.0)],
)
def test_large_leanings_at_full_throttle_are_written_in_part(asked: float, written: float) -> None:
    nothing = np.zeros(TABLE.shape)
    wide = TableLimits(0.01, 0.0, 200.0)
    boost = propose(estimate(asked), PolicySettings(), wide)
    full = propose(
        estimate(asked),
        PolicySettings(),
        wide,
        driving=DrivingShares(nothing, nothing + 0.9, np.inf),
    )
    part = propose(
        estimate(asked), PolicySettings(), wide, driving=DrivingShares(nothing, nothing, np.inf)
    )
    for step in (boost.step_pct[2], full.step_pct[0]):
        np.testing.assert_allclose(step, written, atol=0.02)
    # With feedback watching, all of it.
    np.testing.assert_allclose(part.step_pct[0], asked, atol=0.02)
    assert (full.status[0] == Status.LIMITED).all() == (abs(written) < abs(asked))


def test_no_fuel_is_taken_where_knock_was_seen() -> None:
    mask = np.zeros(TABLE.shape, bool)
    mask[1] = True
    leaner = propose(estimate(-5.0), PolicySettings(), LIMITS, held(knock=mask))
    assert (leaner.step_pct[1] == 0.0).all()
    assert (leaner.status[1] == Status.KNOCK).all()
    assert (leaner.step_pct[0] < -4.0).all()
    richer = propose(estimate(5.0), PolicySettings(), LIMITS, held(knock=mask))
    assert (richer.step_pct > 4.0).all()


def test_enrichment_is_carried_outward_and_a_leaning_never_is() -> None:
    correction = np.array([[8.0, 0.0, -8.0]] * 3)
    partly = replace(
        estimate(correction), supported=np.array([[True, False, True], [False] * 3, [False] * 3])
    )
    kept = propose(partly, PolicySettings(unvisited="keep"), LIMITS)
    assert (kept.step_pct[1:] == 0.0).all()
    carried = propose(partly, PolicySettings(unvisited="carry"), LIMITS)
    np.testing.assert_allclose(carried.step_pct[1:, 0], 8.0, atol=0.1)
    assert (carried.step_pct[1:, 2] == 0.0).all()
    assert carried.status[2, 0] == Status.CARRIED
    tapered = propose(partly, PolicySettings(unvisited="taper"), LIMITS)
    np.testing.assert_allclose(tapered.step_pct[1:, 0], [4.0, 2.0], atol=0.1)


def test_cells_nobody_drove_are_filled_where_that_is_an_enrichment() -> None:
    correction = np.array([[8.0, 5.0, -8.0], [20.0, 6.0, -6.0], [3.0, 0.0, -3.0]])
    partly = replace(
        estimate(correction), supported=np.array([[True, False, True], [False] * 3, [False] * 3])
    )
    filled = propose(partly, PolicySettings(), LIMITS)
    # The driven cells asked for 8 % at most, so that no other gets more.
    np.testing.assert_allclose(filled.step_pct, [[8, 5, -8], [8, 6, 0], [3, 0, 0]], atol=0.1)
    assert filled.status[1, 1] == Status.FILLED
    assert filled.status[1, 2] == Status.KEPT
    low = propose(partly, PolicySettings(fill_limit_pct=4.0), LIMITS)
    np.testing.assert_allclose(low.step_pct[1], [4, 4, 0], atol=0.1)


def test_a_cell_nobody_drove_gets_fifteen_percent_at_most() -> None:
    """However much a driven one needed: a surface that far from any reading is a guess."""
    partly = replace(estimate(20.0), supported=np.eye(3, dtype=bool))
    filled = propose(partly, PolicySettings(), TableLimits(0.1, 5.0, 200.0))
    np.testing.assert_allclose(filled.step_pct[0], [20.0, 15.0, 15.0], atol=0.1)


@pytest.mark.parametrize(("cell", "step"), [((1, 1), -7.0), ((0, 0), 0.0)])
def test_what_is_sure_is_leaned_between_driven_cells_only(
    cell: tuple[int, int], step: float
) -> None:
    """Standard error 0.5: of -8 % two errors leave -7 %; past the last driven cell nothing is held."""
    supported = np.ones((3, 3), bool)
    supported[cell] = False
    asked = replace(estimate(-8.0), supported=supported)
    sure = propose(asked, PolicySettings(unvisited="sure"), LIMITS)
    assert sure.step_pct[cell] == pytest.approx(step, abs=0.1)
    assert propose(asked, PolicySettings(), LIMITS).step_pct[cell] == 0.0
    in_boost = propose(asked, PolicySettings(unvisited="sure", atmospheric_kpa=80.0), LIMITS)
    assert in_boost.step_pct[cell] == 0.0


def test_nothing_is_made_leaner_where_fuel_pressure_sagged() -> None:
    faulty = np.zeros((3, 3), bool)
    faulty[1, 1] = True
    leaner = propose(estimate(-5.0), PolicySettings(), LIMITS, held(fault=faulty))
    assert leaner.status[1, 1] == Status.FAULT
    assert leaner.step_pct[1, 1] == 0.0
    assert leaner.step_pct[0, 0] == pytest.approx(-5.0, abs=0.1)
    assert propose(estimate(5.0), PolicySettings(), LIMITS, held(fault=faulty)).step_pct[1, 1] > 4.0


def test_rich_bias_is_added_to_corrected_cells_only() -> None:
    biased = propose(estimate(2.0), PolicySettings(rich_bias_pct=2.0), LIMITS)
    np.testing.assert_allclose(biased.step_pct, 4.0, atol=0.1)
    untouched = propose(estimate(2.0, supported=False), PolicySettings(rich_bias_pct=2.0), LIMITS)
    assert (untouched.step_pct == 0.0).all()
    with pytest.raises(BadInputError, match="allowed is 0 to 5 %"):
        PolicySettings(rich_bias_pct=9.0)


def test_a_written_curve_never_falls() -> None:
    curve = maf_curve([1.0, 2.0, 3.0, 4.0], [10.0, 11.0, 12.0, 20.0])
    shape = curve.shape
    falling = Estimate(
        curve,
        np.array([0.0, 15.0, 0.0, 0.0]),
        np.full(shape, 0.5),
        np.full(shape, 9.0),
        np.full(shape, 3),
        near_s=np.full(shape, 9.0),
        supported=np.full(shape, True),
        method="surface",
    )
    proposal = propose(falling, PolicySettings(), TableLimits(0.001, 0.0, 900.0))
    assert (np.diff(proposal.table.values) >= 0).all()
    assert proposal.status[2] == Status.RISING


def test_lean_holes_between_enriched_cells_are_pointed_out() -> None:
    values = TABLE.values.copy()
    assert shape_caution(TABLE, values) == []
    values[:, 0] = values[:, 2] = 90.0
    assert (
        "3 cells would stand more than 5 % out of line with the cells beside, not driven and "
        "lower than both (lean there)" in shape_caution(TABLE, values)[0].text
    )
    values[:, 1] = 89.0
    assert shape_caution(TABLE, values) == []


def test_what_feedback_gave_at_its_stop_is_written_past_any_limit() -> None:
    wide = TableLimits(0.1, 5.0, 200.0)
    least = np.full((3, 3), 35.0)
    asked = estimate(np.array([[10.0, 30.0, 60.0]] * 3))
    proposal = propose(asked, PolicySettings(), wide, held(least_pct=least))
    # Measured above it: as far as feedback may well have been short, and no further.
    np.testing.assert_allclose(proposal.step_pct[0], [35.0, 35.0, 40.0], atol=0.7)
    assert set(proposal.status.ravel()) == {Status.LIMITED}
    undriven = replace(asked, seconds=np.zeros((3, 3)), supported=np.zeros((3, 3), bool))
    raised = propose(undriven, PolicySettings(), wide, held(least_pct=least))
    assert set(raised.status.ravel()) == {Status.SCALED}
    assert raised.step_pct.min() > 34.0


def test_a_drift_leaves_full_throttle_and_boost_at_its_richer_end() -> None:
    nothing = np.zeros((3, 3))
    full = nothing.copy()
    full[1] = 1.0
    drifted = replace(held(), richer_pct=2.0)
    plain, richer = (
        propose(estimate(3.0), PolicySettings(), LIMITS, by, DrivingShares(nothing, full, np.inf))
        for by in (held(), drifted)
    )
    more = 100.0 * (richer.table.values / plain.table.values - 1.0)
    boost = plain.table.axes[0].points > 100.0
    np.testing.assert_allclose(more[1], 100.0 * (1.05 / 1.03 - 1.0), atol=0.1)
    np.testing.assert_allclose(more[boost], 100.0 * (1.05 / 1.03 - 1.0), atol=0.1)
    assert not more[0].any()
