"""Shaping chosen cells: what is between two edges, smoothing by evidence, and a correction laid elsewhere."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision import shaping
from lean_trim.core.decision.shaping import Evidence, no_evidence
from lean_trim.core.errors import BadInputError
from lean_trim.core.types import Floats, Mask

LIMITS = TableLimits(0.1, 0.0, 250.0)
ROWS = Axis("MAP", "kPa", np.array([20.0, 30.0, 50.0, 80.0, 100.0]))
COLUMNS = Axis("engine speed", "rpm", np.array([800.0, 1200.0, 2000.0, 3500.0, 5000.0, 6500.0]))


def table(seed: int = 1) -> Table:
    draws = np.random.default_rng(seed).uniform(0.97, 1.03, (5, 6))
    return Table((ROWS, COLUMNS), 80.0 * draws, "%", "VE")


def cells(rows: slice, columns: slice) -> Mask:
    chosen = np.zeros((5, 6), bool)
    chosen[rows, columns] = True
    return chosen


def driven_evidence(seen: Mask, error_pct: float = 0.5) -> Evidence:
    error = np.where(seen, error_pct, np.nan)
    return Evidence(error_pct=error, asked_pct=np.where(seen, 2.0, np.nan), seen=seen)


def test_a_blend_carries_the_change_in_a_line_and_keeps_the_shape() -> None:
    driven = table()
    values = driven.values.copy()
    values[4] *= 1.10
    out = shaping.blended(driven, values, cells(slice(1, 5), slice(0, 6)), along=0)
    change = out / driven.values
    # 30 to 100 kPa: by hand, the share of the way of 50 and 80 kPa is 2/7 and 5/7.
    assert change[1] == pytest.approx(np.ones(6))
    assert np.log(change[2]) == pytest.approx(np.full(6, np.log(1.10) * 2 / 7))
    assert np.log(change[3]) == pytest.approx(np.full(6, np.log(1.10) * 5 / 7))
    assert change[4] == pytest.approx(np.full(6, 1.10))
    assert (out[0] == driven.values[0]).all()


def test_a_straight_line_is_that_between_the_edges_in_the_unit_of_the_axis() -> None:
    base = table()
    out = shaping.straightened(base, base.values, cells(slice(2, 3), slice(1, 5)), along=1)
    expected = np.interp([2000.0, 3500.0], [1200.0, 5000.0], base.values[2, [1, 4]])
    assert out[2, 2:4] == pytest.approx(expected)
    untouched = np.ones((5, 6), bool)
    untouched[2, 2:4] = False
    assert (out[untouched] == base.values[untouched]).all()


def test_two_cells_have_nothing_between_them() -> None:
    base = table()
    with pytest.raises(BadInputError, match="three cells"):
        shaping.blended(base, base.values, cells(slice(0, 2), slice(0, 6)), along=0)


def test_an_unvisited_cell_never_pulls_a_measured_one() -> None:
    base = table()
    seen = cells(slice(1, 4), slice(1, 5))
    evidence = driven_evidence(seen)
    everything = np.ones((5, 6), bool)
    first = shaping.smoothed(base, base.values, everything, evidence)
    spoiled = np.where(seen, base.values, base.values * 1.3)
    second = shaping.smoothed(base, spoiled, everything, evidence)
    assert (first[seen] == second[seen]).all()
    assert not np.allclose(first[~seen], second[~seen])


def reference(base: Table, logs: Floats, error: Floats) -> Floats:
    """All cells smoothed at once, by dense least squares written the plain way."""
    rows: list[Floats] = []
    right: list[float] = []

    def bend(centre: int, before: int, after: int, share: float) -> None:
        row = np.zeros(base.size)
        row[[centre, before, after]] = [1.0, share - 1.0, -share]
        rows.append(row * 100.0)
        right.append(0.0)

    for i in range(5):
        for j in range(6):
            at = 6 * i + j
            row = np.zeros(base.size)
            row[at] = 100.0 / error[i, j]
            rows.append(row)
            right.append(logs[i, j] * row[at])
            if 0 < i < 4:
                p = ROWS.points
                bend(at, at - 6, at + 6, (p[i] - p[i - 1]) / (p[i + 1] - p[i - 1]))
            if 0 < j < 5:
                p = COLUMNS.points
                bend(at, at - 1, at + 1, (p[j] - p[j - 1]) / (p[j + 1] - p[j - 1]))
    found = np.linalg.lstsq(np.array(rows), np.array(right), rcond=None)[0]
    return np.asarray(found.reshape(5, 6))


def test_smoothing_is_the_least_squares_it_says() -> None:
    base = table()
    everything = np.ones((5, 6), bool)
    error = np.random.default_rng(3).uniform(0.4, 3.0, (5, 6))
    evidence = Evidence(error_pct=error, asked_pct=error, seen=everything)
    out = shaping.smoothed(base, base.values, everything, evidence)
    assert np.log(out) == pytest.approx(reference(base, np.log(base.values), error), abs=1e-9)


def test_smoothing_leaves_alone_what_does_not_bend_and_what_is_not_chosen() -> None:
    plane = np.exp(0.01 * ROWS.points[:, None] + 1e-4 * COLUMNS.points[None, :]) * 50.0
    flat = Table((ROWS, COLUMNS), plane, "%", "VE")
    out = shaping.smoothed(flat, flat.values, np.ones((5, 6), bool), no_evidence((5, 6)))
    assert out == pytest.approx(plane, rel=1e-9)
    base = table()
    chosen = cells(slice(2, 4), slice(2, 4))
    out = shaping.smoothed(base, base.values, chosen, no_evidence((5, 6)))
    assert (out[~chosen] == base.values[~chosen]).all()
    assert (out[chosen] != base.values[chosen]).all()


def test_what_is_well_known_is_moved_less() -> None:
    base = table()
    everything = np.ones((5, 6), bool)
    moved = [
        np.abs(
            shaping.smoothed(base, base.values, everything, driven_evidence(everything, error))
            - base.values
        ).max()
        for error in (0.3, 1.0, 5.0)
    ]
    assert moved[0] < moved[1] < moved[2]


def test_a_fill_takes_what_the_surface_asks() -> None:
    base = table()
    seen = cells(slice(0, 2), slice(0, 6))
    out = shaping.filled(base, base.values, cells(slice(1, 3), slice(0, 6)), driven_evidence(seen))
    assert out[1] == pytest.approx(base.values[1] * 1.02)
    assert (out[[0, 2]] == base.values[[0, 2]]).all()
    with pytest.raises(BadInputError, match="surface says nothing"):
        shaping.filled(base, base.values, cells(slice(3, 5), slice(0, 6)), driven_evidence(seen))


def test_a_nudge_moves_by_a_step_of_the_field_at_least() -> None:
    values = np.full((5, 6), 20.0)
    chosen = cells(slice(0, 1), slice(0, 1))
    assert shaping.nudged(values, chosen, 0.2, LIMITS, None)[0, 0] == pytest.approx(20.1)
    assert shaping.nudged(values, chosen, -1.0, LIMITS, None)[0, 0] == pytest.approx(19.8)
    assert shaping.nudged(values, chosen, -1.0, LIMITS, None)[0, 1] == 20.0


def test_a_correction_is_laid_elsewhere_and_repeated_where_it_fits() -> None:
    base = table()
    values = base.values.copy()
    values[0, :3] *= [1.01, 1.02, 1.03]
    copied = shaping.correction_of(base, values, cells(slice(0, 1), slice(0, 3)))
    out = shaping.laid(base, values, cells(slice(3, 4), slice(2, 3)), copied)
    assert out[3, 2:5] == pytest.approx(base.values[3, 2:5] * [1.01, 1.02, 1.03])
    # Two rows of six hold it four times.
    out = shaping.laid(base, values, cells(slice(2, 4), slice(0, 6)), copied)
    assert out[2:4] == pytest.approx(base.values[2:4] * [1.01, 1.02, 1.03, 1.01, 1.02, 1.03])
    with pytest.raises(BadInputError, match="1 × 3 cells"):
        shaping.laid(base, values, cells(slice(3, 4), slice(5, 6)), copied)


def test_a_curve_is_shaped_like_a_grid() -> None:
    axis = Axis("maf_hz", "Hz", np.array([1000.0, 2000.0, 4000.0, 6000.0]))
    curve = Table((axis,), np.array([2.0, 6.0, 20.0, 50.0]), "g/s", "MAF")
    chosen = np.ones(4, bool)
    values = curve.values * np.array([1.0, 1.0, 1.0, 1.2])
    out = shaping.blended(curve, values, chosen, along=0)
    assert np.log(out / curve.values) == pytest.approx(np.log(1.2) * np.array([0, 0.2, 0.6, 1.0]))
    assert shaping.smoothed(curve, values, chosen, no_evidence((4,))).shape == (4,)
