"""A solution that is kept small is the same again."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.delivery import DeliveryEnd, commanded_flow
from lean_trim.core.errors import BadInputError
from lean_trim.core.explore.events import find_events, tip_in_cells
from lean_trim.core.explore.kept import KeptSolution, kept_of, refuse_unsound, solution_from
from lean_trim.core.pipeline.carrying import Earlier
from lean_trim.core.pipeline.solve import Solution, SolveSettings, conclude, refit, solve
from lean_trim.core.pipeline.summary import evidence_of, summary_of
from lean_trim.core.sieve.sieve import SieveSettings
from lean_trim.job.results import digest, packed, unpacked
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.godwit import godwit, godwit_truth


def kept(solution: Solution) -> KeptSolution:
    """As it comes out of the job file."""
    found = unpacked(packed(kept_of(solution, find_events(solution), tip_in_cells(solution))))
    assert isinstance(found, KeptSolution)
    return found


def assert_the_same(again: Solution, solution: Solution) -> None:
    """Everything that is decided, shown and gone on from, to the last bit."""
    assert digest(summary_of(again)) == digest(summary_of(solution))
    assert digest(evidence_of(again)) == digest(evidence_of(solution))
    assert digest(again.measured.before) == digest(solution.measured.before)
    for one, other in (
        (again.k_along, solution.k_along),
        (again.lam, solution.lam),
        (again.sifted.hit_bits, solution.sifted.hit_bits),
        (again.measured.observations.k, solution.measured.observations.k),
    ):
        np.testing.assert_array_equal(one, other)


def test_it_is_the_same_again(
    heron_solution: Solution, heron_log: Log, heron_vehicle: Vehicle
) -> None:
    again = solution_from(kept(heron_solution), [heron_log], heron_vehicle)
    assert_the_same(again, heron_solution)
    turned = SieveSettings({"tip.throttle_rate": 35.0})
    settings = replace(heron_solution.settings, sieve=turned)
    assert digest(refit(again, settings).estimate) == digest(
        refit(heron_solution, settings).estimate
    )


def test_it_is_small_however_long_the_log(heron_solution: Solution) -> None:
    assert len(packed(kept_of(heron_solution, (), tip_in_cells(heron_solution)))) < 100_000
    assert len(packed(heron_solution)) > 1_000_000


def test_a_cause_beside_the_table_is_taken_off_again(
    heron_solution: Solution, heron_log: Log, heron_vehicle: Vehicle
) -> None:
    flow = np.nanmedian(commanded_flow(heron_solution.frame))
    end = DeliveryEnd(float(flow), 4000.0, 0.5, 0.1, 8.0, 60.0, 30.0)
    seen = replace(heron_solution.seen, delivery=end)
    solution = conclude(heron_solution.measured, seen)
    assert not np.array_equal(solution.observations.k, heron_solution.observations.k)
    assert_the_same(solution_from(kept(solution), [heron_log], heron_vehicle), solution)


def test_stretches_left_out_and_earlier_drives_are_told_again(
    heron_solution: Solution, heron_log: Log, heron_vehicle: Vehicle
) -> None:
    by_hand = heron_log.time_s < 120.0
    earlier = [Earlier(1, evidence_of(heron_solution), 2.0)]
    solution = solve([heron_log], heron_vehicle, left_out_by_hand=by_hand, earlier=earlier)
    found = kept(solution)
    assert_the_same(solution_from(found, [heron_log], heron_vehicle, by_hand, earlier), solution)
    with pytest.raises(BadInputError, match="another log"):
        solution_from(found, [heron_log], heron_vehicle, None, earlier)
    with pytest.raises(BadInputError, match="another log"):
        solution_from(found, [heron_log], heron_vehicle, by_hand)


def test_the_part_of_other_ve_tables_is_taken_off_again() -> None:
    car = godwit()
    log = simulate(car, seed=3, minutes=4.0, truth=godwit_truth(car))
    solution = solve([log], car, SolveSettings(fit_delay=False))
    assert solution.measured.observations.others_pct is not None
    assert_the_same(solution_from(kept(solution), [log], car), solution)


def test_one_of_another_log_is_refused(
    heron_solution: Solution, heron_log: Log, heron_vehicle: Vehicle
) -> None:
    half = slice(0, len(heron_log) // 2)
    shorter = Log(heron_log.time_s[half], {r: v[half] for r, v in heron_log.channels.items()})
    with pytest.raises(BadInputError, match="another log"):
        solution_from(kept(heron_solution), [shorter], heron_vehicle)


def test_one_that_cannot_be_of_the_vehicle_is_refused(
    heron_solution: Solution, heron_vehicle: Vehicle
) -> None:
    found = kept(heron_solution)
    refuse_unsound(found, heron_vehicle)
    table = heron_vehicle.table
    for bad in (
        replace(found, tip_in=found.tip_in[:-1]),
        replace(found, surface=replace(found.surface, seconds=found.surface.seconds[:-1])),
        replace(found, residual=replace(found.residual, gap_pct=np.zeros(3))),
        replace(found, seen=replace(found.seen, shown={"odd": np.zeros(3, bool)})),
        replace(found, seen=replace(found.seen, done=False)),
        replace(
            found, estimate=replace(found.estimate, table=table.with_values(table.values * 1.01))
        ),
    ):
        with pytest.raises(BadInputError, match="another table"):
            refuse_unsound(bad, heron_vehicle)
