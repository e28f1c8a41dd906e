"""Weights of patterns against the plain definition: densities of a joint normal distribution, from SciPy."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.stats import multivariate_normal

from lean_trim.core.data.tables import ve_table
from lean_trim.core.diagnosis.patterns import pattern_evidence
from lean_trim.core.diagnosis.patterns.pattern_evidence import (
    CELL_MISFIT,
    LEVEL,
    TREND,
    TREND_LENGTH,
    Candidate,
    gather_evidence,
)
from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.places import Places
from lean_trim.core.estimation.table_errors import alike, distances

TABLE = ve_table(
    np.array([1000.0, 2000.0, 3000.0]), np.array([30.0, 60.0, 90.0]), np.full((3, 3), 60.0)
)
SHAPE = 0.03
SCATTER = 0.004
LENGTH = 0.3
UNIT = 400.0
FILM_SPREAD = 0.2


@pytest.fixture
def one_strength(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pattern_evidence, "SHAPES", (SHAPE,))
    monkeypatch.setattr(pattern_evidence, "SCATTERS", (SCATTER,))
    monkeypatch.setattr(pattern_evidence, "LENGTHS", (LENGTH,))


def places_of(seed: int, effect: float = 0.0) -> Places:
    """Twenty places on a table of nine cells; the last two terms are courses, the first of them at work."""
    rng = np.random.default_rng(seed)
    cells = np.array([[a, a + 1, a + 3, a + 4] for a in rng.choice([0, 1, 3, 4], 20)])
    shares = rng.dirichlet(np.ones(4), 20)
    terms = rng.standard_normal((20, 3))
    y = 0.02 * rng.standard_normal(20) + effect * terms[:, 1]
    return Places(
        cells=cells,
        shares=shares,
        y=y,
        open_ms=np.full(20, 3.0),
        terms=terms,
        weight=rng.uniform(1.0, 5.0, 20),
        within=np.zeros((3, 3)),
        within_y=np.zeros(3),
        seconds=np.ones(20),
        names=(Term.FILM,),
    )


def covariance(places: Places) -> np.ndarray:
    """Of ln k at the places, written down without any shortcut."""
    cells = np.arange(TABLE.size)
    apart = distances(TABLE, cells)
    broad = LEVEL**2 + TREND**2 * alike(apart, TREND_LENGTH)
    prior = broad + SHAPE**2 * alike(apart, LENGTH) + SCATTER**2 * np.eye(9)
    mesh = np.zeros((20, 9))
    for i in range(20):
        mesh[i, places.cells[i]] = places.shares[i]
    _, whose, count = np.unique(places.cells[:, 0], return_inverse=True, return_counts=True)
    noise = 1.0 / (UNIT * places.weight) + CELL_MISFIT**2 * count[whose]
    film = places.terms[:, :1]
    return np.asarray(mesh @ prior @ mesh.T + FILM_SPREAD**2 * film @ film.T + np.diag(noise))


def weights_of(places: Places, *candidates: Candidate) -> pattern_evidence.Evidence:
    spreads = np.array([FILM_SPREAD])
    return gather_evidence(places, 2, TABLE, UNIT, spreads, candidates)


@pytest.mark.usefixtures("one_strength")
@pytest.mark.parametrize("effect", [0.0, 0.05])
def test_a_bayes_factor_is_the_ratio_of_two_densities(effect: float) -> None:
    places = places_of(1, effect)
    plain = covariance(places)
    found = weights_of(places, Candidate(0.1, 0, False), Candidate(0.3, 0, False)).weigh()
    for j, spread in enumerate((0.1, 0.3)):
        course = places.terms[:, 1 + j : 2 + j]
        with_it = multivariate_normal(cov=plain + spread**2 * course @ course.T).logpdf(places.y)
        without = multivariate_normal(cov=plain).logpdf(places.y)
        assert found[j].log_factor == pytest.approx(with_it - without, abs=1e-5)


@pytest.mark.usefixtures("one_strength")
def test_a_second_pattern_is_weighed_beside_the_first() -> None:
    places = places_of(2, 0.05)
    first = places.terms[:, 1:2]
    second = places.terms[:, 2:3]
    left = weights_of(places, Candidate(0.1, 0, False), Candidate(0.3, 0, False)).given(0).weigh()
    one = covariance(places) + 0.1**2 * first @ first.T
    both = multivariate_normal(cov=one + 0.3**2 * second @ second.T).logpdf(places.y)
    assert left[1].log_factor == pytest.approx(
        both - multivariate_normal(cov=one).logpdf(places.y), abs=1e-5
    )


@pytest.mark.usefixtures("one_strength")
def test_a_cause_that_works_one_way_is_not_believed_the_other_way() -> None:
    places = places_of(3, 0.05)
    either, up, down = (
        weights_of(places, Candidate(0.1, sign, False), Candidate(0.1, 0, False)).weigh()[0]
        for sign in (0, 1, -1)
    )
    assert up.log_factor == pytest.approx(either.log_factor + np.log(2.0), abs=0.01)
    assert down.log_factor < either.log_factor - 5.0


def test_the_coefficient_is_found_with_its_error() -> None:
    z = []
    for seed in range(40):
        places = places_of(seed, 0.05)
        told = weights_of(places, Candidate(0.1, 0, False), Candidate(0.1, 0, False)).weigh()[0]
        z.append((told.coefficient - 0.05) / told.std_error)
    assert abs(np.mean(z)) < 0.6 and 0.4 < np.std(z) < 1.6


@pytest.mark.usefixtures("one_strength")
def test_patterns_taken_together_have_the_means_of_a_joint_normal() -> None:
    places = places_of(4, 0.05)
    spread = np.diag([0.1**2, 0.3**2])
    courses = places.terms[:, 1:]
    with_both = covariance(places) + courses @ spread @ courses.T
    wanted = spread @ courses.T @ np.linalg.solve(with_both, places.y)
    found = weights_of(places, Candidate(0.1, 0, False), Candidate(0.3, 0, False)).together([0, 1])
    np.testing.assert_allclose(found, wanted, atol=1e-6)
