"""A learned map: what stands in it, what it says of the table, and what it must never do."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.table_kinds import Holds, Rows, airflow_grid
from lean_trim.core.data.tables import Table, maf_curve
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.learned.advice import LearnedRegion, advise, remarks
from lean_trim.core.learned.correction import correct_by, never_leaner
from lean_trim.core.learned.reading import CellState, check_fits, read_learned

RPM = np.array([800.0, 1200.0, 1600.0, 2000.0, 2500.0, 3000.0, 3500.0, 4000.0])
KPA = np.array([25.0, 35.0, 45.0, 55.0, 65.0, 75.0, 90.0, 105.0])


def ve(cells: np.ndarray | float = 75.0, rpm: np.ndarray = RPM, kpa: np.ndarray = KPA) -> Table:
    return airflow_grid(rpm, kpa, np.broadcast_to(cells, (len(kpa), len(rpm))).astype(float))


def learned(trims: np.ndarray) -> Table:
    return airflow_grid(RPM, KPA, trims, holds=Holds.FUEL_TRIM)


def plain(pct: float = 4.0) -> np.ndarray:
    """Learned alike from 1200 to 3500 rpm and 35 to 75 kPa, nowhere else."""
    trims = np.zeros((8, 8))
    trims[1:6, 1:7] = pct
    return trims


def test_cells_at_zero_were_not_visited() -> None:
    reading = read_learned(learned(plain()))
    assert reading.count(CellState.LEARNED) == 30 and reading.count(CellState.UNVISITED) == 34
    assert np.isnan(reading.fuel_pct[0, 0]) and reading.fuel_pct[3, 3] == pytest.approx(4.0)


def test_tails_an_ecu_spread_are_no_evidence() -> None:
    # Common practice, no source: a table that tapers smoothly away from the driven cells is the
    # ECU's own smoothing. Each cell away gets two fifths of the one before.
    rows, columns = np.indices((8, 8))
    far = np.maximum(np.abs(rows - 3) - 1, 0) + np.maximum(np.abs(columns - 3.5) - 1.5, 0)
    trims = np.where(far <= 2, 5.0 * 0.4**far, 0.0)
    state = read_learned(learned(trims)).state
    assert (state[far == 0] == CellState.LEARNED).all()
    assert (state[(far > 0) & (far <= 2)] == CellState.SPREAD).all()


def test_a_map_that_ends_sharply_is_not_taken_for_spread() -> None:
    rng = np.random.default_rng(3)
    trims = plain()
    trims[1:6, 1:7] += rng.normal(0.0, 1.0, (5, 6))
    assert read_learned(learned(trims)).count(CellState.SPREAD) == 0


def test_a_single_flare_is_named_and_moves_no_neighbour() -> None:
    trims = plain()
    trims[3, 4] = 17.0
    reading = read_learned(learned(trims))
    assert reading.state[3, 4] == CellState.FLARE and reading.count(CellState.FLARE) == 1
    calm = correct_by(read_learned(learned(plain())), ve())
    found = correct_by(reading, ve())
    assert np.abs(found.step_pct - calm.step_pct).max() < 0.5
    assert any("1 cell stands off" in str(said) for said in remarks(reading))


def test_rich_bias_is_taken_out_by_the_users_figure_only() -> None:
    # New fuel over old is (1 + trim) / (1 + bias).
    assert read_learned(learned(plain()), 0.0).fuel_pct[3, 3] == pytest.approx(4.0)
    found = read_learned(learned(plain()), 2.0).fuel_pct[3, 3]
    assert found == pytest.approx(100.0 * (1.04 / 1.02 - 1.0))
    with pytest.raises(BadInputError, match="allowed are 0 to 5"):
        read_learned(learned(plain()), 7.0)


def test_learning_that_goes_to_and_fro_is_told() -> None:
    trims = plain(0.0)
    checks = np.indices((5, 6)).sum(axis=0) % 2
    trims[1:6, 1:7] = np.where(checks, 5.0, -4.0)
    reading = read_learned(learned(trims))
    assert reading.swings
    assert "faster than its sensor" in " ".join(map(str, remarks(reading)))
    cruise = next(a for a in advise(reading) if a.region is LearnedRegion.CRUISE)
    assert "Halve" in str(cruise.said) and not read_learned(learned(plain())).swings


def test_trims_at_their_stop_are_told() -> None:
    trims = plain()
    trims[2, 1:5] = 12.5
    trims[3, 1:3] = 10.0
    assert read_learned(learned(trims)).stop_pct == 12.5
    assert read_learned(learned(plain())).stop_pct == 0.0


def test_only_cells_near_learned_ones_change_and_the_middle_gets_what_was_learned() -> None:
    found = correct_by(read_learned(learned(plain())), ve())
    assert found.step_pct[3, 3] == pytest.approx(4.0, abs=0.5)
    assert (found.step_pct[7] == 0.0).all() and (found.step_pct[:, 0] == 0.0).all()
    assert found.by_map.sum() == 30


def test_no_fuel_is_taken_out_above_80_kpa_by_a_map_alone() -> None:
    trims = plain(-6.0)
    trims[6:, 1:7] = -6.0
    found = correct_by(read_learned(learned(trims)), ve())
    assert (found.step_pct[6:] == 0.0).all() and found.held[6:, 1:7].all()
    assert (found.step_pct[1:6, 1:7] < -4.0).all()
    richer = correct_by(read_learned(learned(-trims)), ve())
    assert (richer.step_pct[6:, 1:7] > 4.0).all() and not richer.held.any()
    throttle = airflow_grid(RPM, KPA * 0.9, np.full((8, 8), 75.0), Rows.THROTTLE)
    assert never_leaner(throttle)[-1].all() and not never_leaner(throttle)[0].any()


def test_a_finer_and_a_coarser_table_get_the_same() -> None:
    reading = read_learned(learned(plain()))
    fine = ve(rpm=np.linspace(800.0, 4000.0, 17), kpa=np.linspace(25.0, 105.0, 17))
    coarse = ve(rpm=np.linspace(800.0, 4000.0, 5), kpa=np.linspace(25.0, 105.0, 5))
    for table in (fine, coarse):
        found = correct_by(reading, table)
        middle = np.unravel_index(int(table.nearest([50.0], [2200.0])[0]), table.shape)
        assert found.step_pct[middle] == pytest.approx(4.0, abs=0.7)


def test_a_hole_among_learned_cells_is_filled_by_fuel_and_never_leaned() -> None:
    for sign in (1.0, -1.0):
        trims = plain(5.0 * sign)
        trims[3, 3] = 0.0
        found = correct_by(read_learned(learned(trims)), ve())
        assert found.step_pct[3, 3] == pytest.approx(5.0 if sign > 0 else 0.0, abs=0.5)


def driven(table: Table, pct: float, cells: np.ndarray) -> Estimate:
    """A drive that knows some cells well."""
    ones = np.where(cells, 1.0, np.nan)
    return Estimate(
        table=table,
        correction_pct=pct * ones,
        own_error_pct=0.5 * ones,
        seconds=np.where(cells, 20.0, 0.0),
        visits=np.where(cells, 3, 0),
        near_s=np.where(cells, 20.0, 0.0),
        supported=cells,
        method="surface",
    )


def test_beside_a_drive_the_drive_decides_its_cells_and_the_map_joins_on() -> None:
    known = np.zeros((8, 8), bool)
    known[1:6, 1:4] = True
    alone = correct_by(read_learned(learned(plain())), ve())
    found = correct_by(read_learned(learned(plain())), ve(), driven(ve(), 7.0, known))
    assert not found.by_map[known].any() and (found.step_pct[known] == 0.0).all()
    assert found.asked_pct[3, 2] == pytest.approx(7.0, abs=0.7)
    # The next column is pulled towards what was driven beside it.
    assert found.asked_pct[3, 4] > alone.asked_pct[3, 4] + 0.2
    assert found.differs_pct == pytest.approx(3.0, abs=0.1)
    said = " ".join(map(str, remarks(read_learned(learned(plain())), found.differs_pct)))
    assert "+3.0 % beside the map" in said and np.isnan(alone.differs_pct)


def test_what_does_not_fit_is_refused_in_words() -> None:
    with pytest.raises(BadInputError, match="nothing was learned"):
        read_learned(learned(np.zeros((8, 8))))
    with pytest.raises(BadInputError, match="holds no fuel trims"):
        read_learned(ve())
    throttle = airflow_grid(RPM, KPA * 0.9, plain(), Rows.THROTTLE, Holds.FUEL_TRIM)
    with pytest.raises(BadInputError, match=r"throttle, %, the table over MAP"):
        check_fits(throttle, ve())
    with pytest.raises(BadInputError, match="nothing of a MAF curve"):
        check_fits(learned(plain()), maf_curve(np.array([1e3, 2e3]), np.array([2.0, 9.0]), "Hz"))


def test_advice_locks_what_must_not_be_learned_and_reminds_of_zero() -> None:
    reading = read_learned(learned(plain()))
    told = {a.region: a for a in advise(reading)}
    assert told[LearnedRegion.IDLE].lock and told[LearnedRegion.LOAD].lock
    assert told[LearnedRegion.OVERRUN].lock and not told[LearnedRegion.CRUISE].lock
    assert "to zero" in str(remarks(reading)[-1])
