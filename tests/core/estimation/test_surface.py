"""The surface estimate: recovers planted truths, resists outliers, is honest about what it does not know."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.nuisance_terms import SharedTerms, Term
from lean_trim.core.estimation.cell_evidence import gather_evidence
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import observe
from lean_trim.core.estimation.surface import SurfaceSettings, fit_surface
from lean_trim.core.estimation.surface_fit import excess_variance
from tests.builders import (
    MAP,
    RPM,
    maf_vehicle,
    make_log,
    small_vehicle,
    steady_states,
    with_channel,
)


def fit(
    log: Log, settings: SurfaceSettings | None = None, used: np.ndarray | None = None
) -> Estimate:
    frame = make_frame(log, small_vehicle())
    observations = observe(
        frame, log[Role.LAMBDA], np.ones(len(log), bool) if used is None else used
    )
    return fit_surface(observations, frame.vehicle.table, log.time_s, settings or SurfaceSettings())


def planted(log: Log) -> tuple[Table, np.ndarray]:
    """A true table that a bilinear table can hold, and the factor k along the log."""
    truth = 80.0 * (1.0 + 0.10 * np.sin(RPM / 1500.0)[None, :] * np.cos(MAP / 40.0)[:, None] + 0.03)
    table = small_vehicle().table.with_values(truth)
    return table, table.lookup(log[Role.MAP], log[Role.RPM]) / 80.0


@pytest.mark.parametrize("k", [0.85, 1.0, 1.12])
def test_a_constant_error_is_found_in_every_cell(k: float) -> None:
    estimate = fit(steady_states(k, noise=0.004))
    assert np.abs(estimate.correction_pct - 100 * (k - 1)).max() < 0.4
    assert estimate.converged


def test_a_planted_surface_is_recovered_cell_by_cell() -> None:
    base = steady_states(seconds=6.0)
    truth, k = planted(base)
    log = steady_states(k, seconds=6.0, noise=0.01)
    estimate = fit(log)
    found = estimate.table.values * (1 + estimate.correction_pct / 100)
    assert np.abs(found / truth.values - 1).max() < 0.01


def test_a_large_error_and_little_driving_do_not_confirm_the_prior() -> None:
    """A table a quarter off, a fifth of a second at each state, each state once.

    Taken for noise, the table's own error would leave nothing supported.
    """
    rng = np.random.default_rng(6)
    estimate = fit(steady_states(1.0 + 0.25 * np.ones(480), seconds=0.2, noise=0.006))
    assert estimate.supported.mean() > 0.7
    np.testing.assert_allclose(estimate.correction_pct[estimate.supported], 25.0, atol=1.5)
    assert estimate.state is not None
    assert estimate.state.scale < 0.02
    rough = 1.0 + 0.2 * rng.choice([-1.0, 1.0], (4, 5))
    log = steady_states(seconds=1.0, noise=0.006)
    table = small_vehicle().table.with_values(80.0 * rough)
    estimate = fit(
        steady_states(table.lookup(log[Role.MAP], log[Role.RPM]) / 80.0, seconds=1.0, noise=0.006)
    )
    assert estimate.state is not None
    assert estimate.state.scale < 0.02


def test_corners_around_one_driven_point_are_in_doubt() -> None:
    """Idle: one point between four cells. What is known there is their mix, and none of them singly.

    Smoothness alone, at the strength that suits the whole table, would call the corners known to a
    third of what they are off where the surface bends towards idle.
    """
    log = steady_states(seconds=4.0)
    _, k = planted(log)
    log = steady_states(k, seconds=4.0, noise=0.005)
    at_point = (np.abs(log[Role.RPM] - 1536.0) < 20.0) & (np.abs(log[Role.MAP] - 41.4) < 1.0)
    assert at_point.any()
    bare = SurfaceSettings(model_error_pct=0.0)
    one_point = fit(log, bare, at_point | (log[Role.RPM] > 3000.0))
    everywhere = fit(log, bare)
    assert one_point.own_error_pct[0, 0] > 4.0 * everywhere.own_error_pct[0, 0]


def test_a_cell_is_near_what_was_driven_in_a_square_beside_it() -> None:
    """A second in the far corner of a square weighs a hundredth of that at the near one."""
    time = np.arange(25) / 25.0
    frame = make_frame(make_log(time, np.full(25, 2900.0), np.full(25, 68.0)), small_vehicle())
    found = gather_evidence(
        observe(frame, np.ones(25), np.ones(25, bool)), frame.vehicle.table, time
    )
    np.testing.assert_allclose(found.near_s[1:3, 1:3], 1.0)
    assert found.near_s.sum() == pytest.approx(4.0)
    assert found.seconds[1, 1] == pytest.approx(0.01)


def test_a_tenth_of_wild_samples_does_not_move_it() -> None:
    log = steady_states(1.05, noise=0.005)
    wild = log[Role.LAMBDA].copy()
    wild[np.random.default_rng(1).random(len(wild)) < 0.1] *= 1.3
    clean = fit(log)
    dirty = fit(with_channel(log, Role.LAMBDA, wild))
    assert np.abs(dirty.correction_pct - clean.correction_pct).max() < 0.6
    plain_mean = 100 * (np.mean(wild * (1 + log[Role.STFT] / 100)) - 1)
    assert plain_mean > 7.5


def test_unvisited_cells_are_not_supported_and_less_certain() -> None:
    log = steady_states(1.1, noise=0.01)
    used = (log[Role.MAP] < 55.0) & (log[Role.RPM] < 3200.0)
    estimate = fit(log, SurfaceSettings(model_error_pct=0.0), used)
    assert estimate.supported[:2, :3].all()
    assert not estimate.supported[3, 4]
    assert estimate.own_error_pct[3, 4] > 1.5 * estimate.own_error_pct[1, 1]
    assert estimate.seconds[3, 4] == 0.0
    assert estimate.visits[3, 4] == 0


def test_correlated_noise_is_not_mistaken_for_much_evidence() -> None:
    """Same variance, but wandering slowly: the standard error must be several times larger."""
    rng = np.random.default_rng(5)
    log = steady_states(1.0)
    white = 0.01 * rng.standard_normal(len(log))
    slow = np.convolve(rng.standard_normal(len(log) + 49), np.full(50, 1 / 50), mode="valid")
    slow *= 0.01 / slow.std()
    lam = log[Role.LAMBDA]
    no_floor = SurfaceSettings(model_error_pct=0.0)
    tight = fit(with_channel(log, Role.LAMBDA, lam * (1 + white)), no_floor)
    loose = fit(with_channel(log, Role.LAMBDA, lam * (1 + slow)), no_floor)
    assert tight.state is not None and loose.state is not None
    assert loose.state.inflation > 20.0 * tight.state.inflation
    # What no table holds of a place is in both.
    assert np.median(loose.own_error_pct) > 1.8 * np.median(tight.own_error_pct)


def test_a_curve_is_fitted_by_the_same_function() -> None:
    n = 4000
    hz = np.linspace(1000.0, 8000.0, n)
    table = maf_vehicle().table
    lam = table.with_values(table.values * [1.01, 1.02, 1.04, 1.08]).lookup(hz) / table.lookup(hz)
    channels = {
        Role.RPM: np.full(n, 3000.0),
        Role.MAF_HZ: hz,
        Role.LAMBDA: lam,
        Role.TARGET: np.ones(n),
    }
    frame = make_frame(Log(np.arange(n) * 0.04, channels), maf_vehicle())
    observations = observe(frame, frame.log[Role.LAMBDA], np.ones(n, bool))
    estimate = fit_surface(observations, frame.vehicle.table, frame.log.time_s, SurfaceSettings())
    np.testing.assert_allclose(estimate.correction_pct, [1.0, 2.0, 4.0, 8.0], atol=0.1)


def test_the_error_never_falls_below_what_more_driving_cannot_remove() -> None:
    estimate = fit(steady_states(1.05, seconds=20.0, noise=0.001))
    assert estimate.own_error_pct.min() >= 0.1


def test_heat_that_no_sensor_sees_adds_to_the_error_but_takes_no_change_away() -> None:
    log = steady_states(1.05, seconds=6.0, noise=0.004)
    frame = make_frame(log, small_vehicle())
    observations = observe(frame, log[Role.LAMBDA], np.ones(len(log), bool))
    heat = np.full(frame.vehicle.table.shape, 0.6)
    plain, hot = (
        fit_surface(observations, frame.vehicle.table, log.time_s, SurfaceSettings(), heat=h)
        for h in (None, heat)
    )
    np.testing.assert_allclose(hot.own_error_pct**2 - plain.own_error_pct**2, 6.0**2)
    np.testing.assert_array_equal(hot.supported, plain.supported)
    np.testing.assert_array_equal(hot.correction_pct, plain.correction_pct)


def test_an_hour_at_one_state_does_not_outvote_its_neighbours() -> None:
    """The table is 3 % lean all over, but for one state at which no table of this size holds the engine."""
    rng = np.random.default_rng(12)
    base = steady_states(seconds=6.0)
    there = (np.abs(base[Role.RPM] - 2000.0) < 100.0) & (np.abs(base[Role.MAP] - 50.0) < 5.0)
    assert there.any()
    k = np.where(there, 1.05, 1.03) * (1.0 + 0.006 * rng.standard_normal(len(base)))
    parked = np.flatnonzero(there)
    rows = np.concatenate([np.arange(len(base)), np.tile(parked, 90_000 // len(parked))])
    channels = {
        role: values[rows] for role, values in with_channel(base, Role.LAMBDA, k).channels.items()
    }
    long = Log(np.arange(len(rows)) * 0.04, channels)
    away = np.abs(fit(long).correction_pct - fit(with_channel(base, Role.LAMBDA, k)).correction_pct)
    assert away.max() < 0.8


def test_misfit_between_places_is_told_from_noise() -> None:
    """Places that scatter by 1 % keep that scatter however precise each is (Paule and Mandel's estimate)."""
    rng = np.random.default_rng(4)
    means = 0.01 * rng.standard_normal(400)
    assert excess_variance(means, np.full(400, 1.0 / 0.001**2), 400.0) == pytest.approx(
        0.01, rel=0.15
    )
    noise = 0.01 * rng.standard_normal(400)
    assert excess_variance(noise, np.full(400, 1.0 / 0.0102**2), 400.0) < 0.004


def test_robust_fit_agrees_with_another_package() -> None:
    """One cell pair, no smoothing to speak of.

    A Huber line through the samples, as statsmodels' RLM fits it.
    """
    import statsmodels.api as sm

    rng = np.random.default_rng(8)
    n = 3000
    hz = rng.uniform(1000.0, 2000.0, n)
    table = maf_vehicle().table
    share = (hz - 1000.0) / 1000.0
    design = np.column_stack([(1 - share) * 2.0, share * 6.0]) / table.lookup(hz)[:, None]
    lam = 1.0 + design @ [0.04, -0.03] + 0.02 * rng.standard_t(2.5, n)
    channels = {
        Role.RPM: np.full(n, 3000.0),
        Role.MAF_HZ: hz,
        Role.LAMBDA: lam,
        Role.TARGET: np.ones(n),
    }
    frame = make_frame(Log(np.arange(n) * 0.04, channels), maf_vehicle())
    still = SharedTerms((Term.FILM,), np.zeros((1, n)))
    observations = replace(
        observe(frame, lam, np.ones(n, bool)), weight=np.full(n, 0.04), terms=still
    )
    ours = fit_surface(
        observations, frame.vehicle.table, frame.log.time_s, SurfaceSettings(huber=1.345)
    )
    theirs = sm.RLM(lam - 1.0, design, M=sm.robust.norms.HuberT(1.345)).fit()
    np.testing.assert_allclose(ours.correction_pct[:2] / 100, theirs.params, atol=0.0015)
