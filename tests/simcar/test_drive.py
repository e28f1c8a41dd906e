"""The simulated drive: reproducible, varied, and good enough to learn a table from."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import maf_curve
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings, propose
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.errors import BadInputError, CancelledError
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.simcar.drive import COLUMNS, STEP_S, SimCar, drive, simulate
from lean_trim.simcar.judge import cell_error_pct, rms_where_driven
from lean_trim.simcar.truth import truth_for
from tests.builders import maf_vehicle


def test_the_same_seed_gives_the_same_drive_and_another_does_not(heron_vehicle: Vehicle) -> None:
    a, b, c = (simulate(heron_vehicle, seed, 1.0) for seed in (4, 4, 5))
    for role in a.channels:
        np.testing.assert_array_equal(a[role], b[role])
    assert not np.array_equal(a[Role.MAP], c[Role.MAP])
    assert len(a) == 1500


def test_the_drive_holds_everything_a_driver_does(heron_log: Log, heron_solution: Solution) -> None:
    seconds = np.bincount(heron_solution.regime, heron_log.durations_s, len(Regime))
    for regime in Regime:
        if regime is not Regime.STOPPED:
            assert seconds[regime] > 10.0, regime
    assert heron_log[Role.MAP].max() > 160.0
    assert heron_log[Role.COOLANT].min() < 50.0
    assert set(np.unique(heron_log[Role.GEAR])) == {1.0, 2.0, 3.0, 4.0, 5.0}
    assert heron_log[Role.LTFT].std() > 0.5


def test_full_throttle_is_open_loop_with_the_long_term_trim_still_applied(heron_log: Log) -> None:
    full = heron_log[Role.THROTTLE] > 90
    assert heron_log[Role.CLOSED_LOOP][full].max() == 0.0
    assert np.abs(heron_log[Role.LTFT][full]).max() > 0.2


def test_the_car_can_be_stepped_live(heron_vehicle: Vehicle) -> None:
    car = SimCar(heron_vehicle, seed=2)
    rows, trace = car.advance(300, 100)
    assert car.time_s == pytest.approx(300 * STEP_S)
    assert rows.shape == (3, 1 + len(COLUMNS)) and len(trace) == 300
    assert (rows[:, 1 + COLUMNS.index(Role.RPM)] > 700).all()
    assert (rows[:, 1 + COLUMNS.index(Role.RPM)] < 1200).all()


def test_pieces_follow_each_other_and_can_be_stopped(heron_vehicle: Vehicle) -> None:
    pieces = list(drive(heron_vehicle, minutes=0.6))
    assert [round(p.duration_s) for p in pieces] == [10, 10, 10, 6]
    with pytest.raises(CancelledError):
        simulate(heron_vehicle, minutes=5.0, progress=lambda share, piece: share < 0.05)
    with pytest.raises(BadInputError, match="minutes is 0; allowed is 0.2 to 240"):
        simulate(heron_vehicle, minutes=0.0)


@pytest.mark.slow
def test_a_maf_car_drives_and_is_corrected() -> None:
    hz = np.linspace(1000.0, 8000.0, 22)
    vehicle = replace(maf_vehicle(), table=maf_curve(hz, hz))
    truth = truth_for(vehicle)
    wrong = vehicle.with_table(
        maf_curve(hz, truth.maf_g_per_s(hz) * (1.0 + 0.07 * np.sin(hz / 900.0)))
    )
    log = simulate(wrong, seed=3, minutes=8.0)
    log = Log(log.time_s, {**log.channels, Role.TARGET: np.ones(len(log))}, log.name)
    solution = solve([log], wrong)
    after = propose(solution.estimate, PolicySettings(), wrong.limits).table
    assert rms_where_driven(after, solution, truth) < 0.35 * rms_where_driven(
        wrong.table, solution, truth
    )


@pytest.mark.slow
def test_two_rounds_bring_heron_below_one_and_a_half_percent(
    heron_vehicle: Vehicle, heron_solution: Solution, heron_log: Log
) -> None:
    """Solve, accept, drive again, twice, through the public functions; judged on a third drive of its own."""
    truth = truth_for(heron_vehicle)
    vehicle = heron_vehicle
    solution = heron_solution
    start = rms_where_driven(vehicle.table, solution, truth)
    assert start > 5.0
    for seed in (2, 3):
        vehicle = vehicle.with_table(
            propose(solution.estimate, PolicySettings(), vehicle.limits).table
        )
        solution = solve([simulate(vehicle, seed=seed, minutes=8.0)], vehicle)
    assert rms_where_driven(vehicle.table, solution, truth) < 1.5
    assert solution.residual.rms < 1.5
    assert solution.residual.trim_rms < heron_solution.residual.trim_rms


def test_cells_never_driven_are_never_leaned_and_kept_where_asked(
    heron_vehicle: Vehicle, heron_solution: Solution
) -> None:
    policy = PolicySettings(unvisited="keep")
    proposal = propose(heron_solution.estimate, policy, heron_vehicle.limits)
    untouched = heron_solution.estimate.seconds == 0
    assert untouched.sum() > 30
    filled = propose(heron_solution.estimate, PolicySettings(), heron_vehicle.limits)
    assert (filled.step_pct[untouched] >= 0.0).all()
    assert filled.step_pct[untouched].max() > 3.0
    np.testing.assert_array_equal(
        proposal.table.values[untouched], heron_vehicle.table.values[untouched]
    )
    assert (
        np.abs(cell_error_pct(heron_vehicle.table, heron_vehicle, truth_for(heron_vehicle))).max()
        > 5.0
    )
