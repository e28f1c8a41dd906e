"""Injector data are decided, undone, kept, handed over and driven on like the airflow table."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.calibration import DEAD_TIME, INJECTOR_FLOW, SMALL_PULSES
from lean_trim.core.data.injector_tables import small_pulse_table
from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.injectors.tables import dead_time_to_write, limits_of
from lean_trim.formats.tables.injector_tables import InjectorForm, parse_injector_table
from lean_trim.job.loading import load_job
from lean_trim.job.records import Job
from tests.deciding import accept_knowingly
from tests.race.conftest import Bench


def job(bench: Bench) -> Job:
    assert bench.workspace.open.job is not None
    return bench.workspace.open.job


@pytest.fixture
def told(driven: Bench) -> Bench:
    driven.workspace.study.run()
    driven.settle()
    assert driven.workspace.study.report is not None
    return driven


def values_of(bench: Bench, name: str) -> np.ndarray:
    decision = bench.workspace.injectors.decided(name)
    assert decision is not None
    return decision.values


@pytest.mark.slow
def test_dead_times_are_accepted_kept_and_undone(told: Bench, job_path: Path) -> None:
    tables = told.workspace.injectors
    before = values_of(told, DEAD_TIME)
    asked = tables.proposed(DEAD_TIME)
    assert asked is not None and tables.accept(DEAD_TIME)
    np.testing.assert_array_equal(values_of(told, DEAD_TIME), asked.values)
    kept = load_job(job_path).rounds[0]
    np.testing.assert_array_equal(kept.decisions[DEAD_TIME].values, asked.values)
    assert kept.injectors_decided
    told.workspace.navigation.undo()
    np.testing.assert_array_equal(values_of(told, DEAD_TIME), before)
    assert not load_job(job_path).rounds[0].decisions
    assert DEAD_TIME not in load_job(job_path).rounds[0].revision.calibration
    told.workspace.navigation.redo()
    assert load_job(job_path).rounds[0].injectors_decided


@pytest.mark.slow
def test_the_next_round_drives_on_what_was_decided_and_hand_over_writes_it(
    told: Bench, tmp_path: Path, job_path: Path
) -> None:
    tables = told.workspace.injectors
    assert tables.accept(INJECTOR_FLOW) and tables.type_in(DEAD_TIME, 1, "1.5")
    flow = values_of(told, INJECTOR_FLOW)
    assert told.workspace.rounds.hand_over(tmp_path / "out.csv")
    written = parse_injector_table(
        (tmp_path / "out-injector-flow.csv").read_text(), INJECTOR_FLOW, "out", InjectorForm()
    )
    np.testing.assert_allclose(written.values, flow)
    assert (tmp_path / "out-dead-time.csv").exists()
    told.workspace.rounds.begin_round()
    kept = load_job(job_path)
    driven = kept.vehicle_in(1).injectors
    assert driven.dead_time_ms[1] == 1.5
    assert driven.flow_g_per_s == pytest.approx(
        float(np.interp(300.0, written.axes[0].points, flow))
    )
    # The sheet, and the round before, stay as they were.
    assert (
        kept.vehicle_in(0).injectors.dead_time_ms[1]
        == kept.vehicle.injectors.dead_time_ms[1]
        != 1.5
    )
    # What was asked on the old data does not count on the new ones.
    assert not kept.same_injectors(kept.rounds[0], kept.rounds[1])


@pytest.mark.slow
def test_one_error_is_not_corrected_twice(told: Bench) -> None:
    tables = told.workspace.injectors
    deciding = told.workspace.deciding
    assert tables.accept(INJECTOR_FLOW)
    deciding.accept()
    assert job(told).rounds[0].decided.changed == 0 and deciding.waiting_in() == 0
    assert "twice" in told.said
    told.workspace.navigation.undo()
    accept_knowingly(deciding)
    assert job(told).rounds[0].decided.changed > 0
    assert not tables.accept(INJECTOR_FLOW)


@pytest.mark.slow
def test_a_pasted_table_is_what_was_driven_on_and_the_round_is_solved_anew(
    told: Bench, job_path: Path
) -> None:
    axes = (Axis("battery", "V", [9.0, 12.0, 15.0]), Axis("fuel pressure", "kPa", [250.0, 350.0]))
    grid = Table(axes, np.array([[1.6, 1.8], [1.0, 1.1], [0.7, 0.75]]), "ms", "injector dead time")
    before = told.workspace.solver.requests
    assert told.workspace.injectors.take_table(DEAD_TIME, grid)
    told.settle()
    assert told.workspace.solver.requests > before and told.workspace.study.report is None
    vehicle = told.workspace.open.vehicle
    assert vehicle is not None
    np.testing.assert_allclose(vehicle.injectors.dead_time_ms, [1.7, 1.05, 0.725])
    assert load_job(job_path).rounds[0].revision.calibration[DEAD_TIME].shape == (3, 2)
    told.workspace.navigation.undo()
    assert (
        told.workspace.open.vehicle is not None
        and len(told.workspace.open.vehicle.injectors.volts) == 5
    )


@pytest.mark.slow
def test_what_is_typed_wrongly_is_refused_and_nothing_changes(told: Bench) -> None:
    tables = told.workspace.injectors
    for text in ("abc", "=-1", "=50"):
        assert not tables.type_in(DEAD_TIME, 0, text)
    assert not tables.take_table(
        INJECTOR_FLOW, Table((Axis("x", "", [1.0, 2.0]),), np.ones(2), "g/s")
    )
    assert not tables.fill(INJECTOR_FLOW, [300.0])
    assert not job(told).rounds[0].decisions


def test_steps_are_as_fine_as_the_ecus_own(told: Bench) -> None:
    report = told.workspace.study.report
    assert report is not None
    micro = parse_injector_table("8\t1950\n14\t790\n", DEAD_TIME, "µs", InjectorForm(cells="µs"))
    assert limits_of(micro).resolution == 1.0
    written = dead_time_to_write(micro, replace(report.split, dead_ms=0.1234))
    np.testing.assert_allclose(written.shown, [2073.0, 913.0])


@pytest.mark.slow
def test_small_pulses_go_with_the_dead_time_of_longer_ones(bench: Bench, job_path: Path) -> None:
    bench.open(job_path)
    bench.settle()
    workspace = bench.workspace
    tables = workspace.injectors
    assert tables.base(SMALL_PULSES) is None
    workspace.study.run()
    bench.settle()
    report = workspace.study.report
    assert report is not None
    alone = tables.proposed(DEAD_TIME)
    # A drive with short pulses is another car's work; here the table is the user's own.
    pasted = small_pulse_table([0.4, 0.8, 1.2], [0.06, 0.02, 0.0])
    assert tables.take_table(SMALL_PULSES, pasted)
    bench.settle()
    kept = load_job(job_path)
    assert kept.rounds[0].revision.calibration[SMALL_PULSES].own == pasted.own
    np.testing.assert_allclose(
        kept.vehicle_in(0).injectors.small_add_ms, [0.06, 0.02, 0.0], atol=1e-12
    )
    assert not len(kept.vehicle.injectors.small_add_ms) and alone is not None
    assert tables.type_in(SMALL_PULSES, 0, "0.05")
    decided = load_job(job_path).rounds[0].decisions[SMALL_PULSES]
    assert pasted.with_values(decided.values).shown[0] == pytest.approx(0.05)
    assert not tables.type_in(SMALL_PULSES, 0, "-2")
    workspace.navigation.undo()
    assert SMALL_PULSES not in load_job(job_path).rounds[0].decisions
