"""Corrections of fuel are pasted, accepted, undone, kept, handed over and driven on."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.fuel_corrections import (
    ENRICHMENT,
    ENRICHMENT_FADE,
    MAP_RATE,
    THROTTLE_RATE,
    WALL_SHARE,
    WALL_TIME,
    WARM_UP,
    cells_of,
    curve_of,
)
from lean_trim.core.data.log import Log
from lean_trim.features.transients.control import TransientsControl
from lean_trim.features.transients.fuel_corrections import FuelCorrections
from lean_trim.formats.tables.fuel_corrections import read_correction
from lean_trim.job.blobs import store_log
from lean_trim.job.loading import load_job
from lean_trim.workspace.additions import AddLogs
from lean_trim.workspace.carrying import earlier_rounds
from tests.race.conftest import Bench

RATES = [0, 40, 100, 200, 400]
ADDED = [0, 0, 14, 24, 30]
"""Much what the demo's ECU adds of itself."""


@pytest.fixture
def told(driven_bench: Bench) -> Bench:
    tables = driven_bench.workspace.parts[FuelCorrections]
    assert tables.names == ()
    assert tables.take_table(ENRICHMENT, curve_of(ENRICHMENT, RATES, ADDED))
    assert tables.take_table(
        ENRICHMENT_FADE, curve_of(ENRICHMENT_FADE, [1000, 2500, 6000], [0.4] * 3)
    )
    assert tables.take_table(
        WARM_UP, curve_of(WARM_UP, [-20, 0, 20, 40, 60, 80], [40, 28, 18, 11, 4, 0])
    )
    driven_bench.workspace.parts[TransientsControl].want()
    driven_bench.settle()
    assert driven_bench.workspace.parts[TransientsControl].report is not None
    return driven_bench


def decided(bench: Bench, name: str) -> np.ndarray:
    decision = bench.workspace.parts[FuelCorrections].decided(name)
    assert decision is not None
    return decision.values


@pytest.mark.slow
def test_a_table_is_accepted_kept_undone_and_put_back(told: Bench, job_path: Path) -> None:
    tables = told.workspace.parts[FuelCorrections]
    before = decided(told, WARM_UP)
    asked = tables.proposed(WARM_UP)
    assert asked is not None and tables.accept(WARM_UP)
    np.testing.assert_array_equal(decided(told, WARM_UP), asked.values)
    kept = load_job(job_path).rounds[0]
    np.testing.assert_array_equal(kept.decisions[WARM_UP].values, asked.values)
    # The airflow table is not held up by it, nor the injectors spoken of.
    assert kept.corrections_decided and not kept.injectors_decided
    told.workspace.navigation.undo()
    np.testing.assert_array_equal(decided(told, WARM_UP), before)
    told.workspace.navigation.redo()
    assert load_job(job_path).rounds[0].corrections_decided
    assert tables.put_back(WARM_UP) and WARM_UP not in load_job(job_path).rounds[0].decisions
    told.notices.clear()
    assert not tables.type_in(WARM_UP, 0, "=900")
    assert "leaves the table's range of -50 to 400" in told.said


@pytest.mark.slow
def test_the_next_round_drives_on_what_was_decided(
    told: Bench, job_path: Path, tmp_path: Path
) -> None:
    tables = told.workspace.parts[FuelCorrections]
    assert tables.accept(WARM_UP) and tables.type_in(ENRICHMENT, 3, "+4")
    to_write = {name: decided(told, name) for name in (WARM_UP, ENRICHMENT)}
    assert told.workspace.rounds.hand_over(tmp_path / "out.csv")
    for name in to_write:
        path = tmp_path / f"out-{name.replace('_', '-')}.csv"
        np.testing.assert_allclose(read_correction(path, name).values, to_write[name], atol=1e-3)
    told.workspace.rounds.begin_round()
    kept = load_job(job_path)
    driven = kept.vehicle_in(1).corrections
    assert cells_of(ENRICHMENT, driven[ENRICHMENT])[3] == pytest.approx(28.0)
    np.testing.assert_array_equal(driven[WARM_UP].values, to_write[WARM_UP])
    assert cells_of(ENRICHMENT, kept.vehicle_in(0).corrections[ENRICHMENT])[3] == pytest.approx(
        24.0
    )
    # What fuel is added beside the airflow table says nothing against what the first drive said of it.
    (earlier,) = earlier_rounds(kept, kept.rounds[1], kept.rounds[1].tuning)
    assert earlier.why_not == ""
    assert tables.names == (ENRICHMENT, ENRICHMENT_FADE, WARM_UP)


@pytest.mark.slow
@pytest.mark.minutes(12.0)
def test_both_ways_to_make_up_for_the_film_are_not_written_at_once(told: Bench) -> None:
    tables = told.workspace.parts[FuelCorrections]
    assert tables.take_table(WALL_SHARE, curve_of(WALL_SHARE, [20, 60, 100, 200], [5] * 4))
    assert tables.take_table(WALL_TIME, curve_of(WALL_TIME, [0, 40, 85], [0.6, 0.4, 0.2]))
    assert tables.accept(WALL_SHARE) and tables.accept(WALL_TIME)
    told.notices.clear()
    assert not tables.accept(ENRICHMENT_FADE)
    assert (
        "make up for the same fuel" in told.said
        and ENRICHMENT_FADE not in told.workspace.open.round.decisions
    )  # type: ignore[union-attr]
    assert (
        tables.put_back(WALL_SHARE)
        and tables.put_back(WALL_TIME)
        and tables.accept(ENRICHMENT_FADE)
    )
    told.notices.clear()
    assert not tables.accept(WALL_SHARE) and "fading of the enrichment" in told.said


@pytest.mark.slow
def test_what_cannot_be_is_said(told: Bench) -> None:
    tables = told.workspace.parts[FuelCorrections]
    assert not tables.take_table(WARM_UP, curve_of(ENRICHMENT, RATES, ADDED))
    assert "it needs an axis of coolant" in told.said
    told.notices.clear()
    assert not tables.accept(WALL_SHARE) and "quick changes were not looked at yet" in told.said
    assert (
        not tables.type_in(WALL_SHARE, 0, "5")
        and "no wall film's share of this car yet" in told.said
    )
    # A table that is not what the pulse width shows is left, and says why.
    assert tables.take_table(
        ENRICHMENT, curve_of(ENRICHMENT, RATES, [0, 0, 0.5, 1, 1.5], THROTTLE_RATE)
    )
    told.notices.clear()
    assert tables.proposed(ENRICHMENT) is None and not tables.accept(ENRICHMENT)
    assert "it is not what the ECU adds" in told.said
    assert tables.fill(ENRICHMENT, [0, 60, 300]) and not tables.fill(ENRICHMENT, [60, 60])
    placed = tables.base(ENRICHMENT)
    assert placed is not None and placed.axes[0].name == THROTTLE_RATE != MAP_RATE
    np.testing.assert_allclose(cells_of(ENRICHMENT, placed), [0, 0.5 * 20 / 60, 1.25], atol=1e-9)


@pytest.mark.slow
def test_rounds_before_are_laid_under_without_being_visited(told: Bench, short_log: Log) -> None:
    report = told.workspace.parts[TransientsControl].report
    assert report is not None
    told.workspace.parts[TransientsControl].forget()
    told.workspace.rounds.begin_round()
    begun = told.workspace.open.round
    assert begun is not None and begun.number == 2
    AddLogs(
        told.workspace.open, told.workspace.navigation, begun.id, (store_log(short_log),)
    ).apply()
    told.settle()
    told.workspace.parts[TransientsControl].look()
    told.settle()
    key = report.classes[0].key
    ((number, one),) = told.workspace.parts[TransientsControl].earlier(key)
    assert number == 1 and len(one.events) == len(report.classes[0].events)
