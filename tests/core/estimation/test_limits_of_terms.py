"""Coefficients kept where they can lie, against drawing from the distribution itself."""

from __future__ import annotations

import numpy as np

from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.bordered import Bordered
from lean_trim.core.estimation.limits_of_terms import MOST_SOAK, within_limits

COVARIANCE = np.array([[0.04, 0.01, -0.012], [0.01, 0.09, 0.02], [-0.012, 0.02, 0.01]])
INVERSE = Bordered(np.array([[0.04, 0.09], [0.01, 0.0]]), COVARIANCE[2:, :2], COVARIANCE[2:, 2:])


def test_cells_move_as_far_as_they_depend_on_the_coefficient() -> None:
    mean = np.array([0.5, -0.2, -0.05])
    draws = np.random.default_rng(3).multivariate_normal(mean, COVARIANCE, 400_000)
    there = draws[np.abs(draws[:, 2]) < 0.004]
    found, beyond = within_limits((Term.HEAT,), mean, INVERSE)
    np.testing.assert_allclose(found, there.mean(axis=0), atol=6e-3)
    assert found[2] == 0.0 and beyond.all()


def test_what_lies_within_its_limits_is_left_alone() -> None:
    mean = np.array([0.5, -0.2, 0.05])
    for term in (Term.HEAT, Term.COLD, Term.SOAK):
        found, beyond = within_limits((term,), mean, INVERSE)
        np.testing.assert_array_equal(found, mean)
        assert not beyond.any()


def test_a_film_has_no_limit() -> None:
    found, beyond = within_limits((Term.FILM,), np.array([0.5, -0.2, -0.3]), INVERSE)
    assert found[2] == -0.3 and not beyond.any()


def test_two_beyond_their_limits_both_end_there() -> None:
    covariance = np.array([[0.04, 0.01, 0.02], [0.01, 0.09, 0.05], [0.02, 0.05, 0.25]])
    inverse = Bordered(np.array([[0.04]]), covariance[1:, :1], covariance[1:, 1:])
    found, beyond = within_limits((Term.HEAT, Term.SOAK), np.array([0.1, -0.2, 2.0]), inverse)
    np.testing.assert_allclose(found[1:], [0.0, MOST_SOAK], atol=1e-12)
    # The conditional mean given both, worked out at once.
    at_once = 0.1 + covariance[0, 1:] @ np.linalg.solve(covariance[1:, 1:], [0.2, MOST_SOAK - 2.0])
    np.testing.assert_allclose(found[0], at_once)
    assert beyond.all()


def test_nothing_jumps_where_a_coefficient_passes_its_limit() -> None:
    at = [
        within_limits((Term.SOAK,), np.array([0.5, -0.2, x]), INVERSE)[0][0] for x in (-1e-6, 1e-6)
    ]
    assert abs(at[1] - at[0]) < 1e-5
