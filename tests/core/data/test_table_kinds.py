"""Tables of other kinds than VE over MAP: the same drive asks the same correction of them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.table_kinds import (
    Holds,
    Rows,
    airflow_grid,
    heavy_rows,
    holds_of,
    rows_of,
    table_words,
)
from lean_trim.core.data.tables import OwnUnit, Table
from lean_trim.core.data.vehicle import Injectors, TableLimits, Vehicle, default_limits
from lean_trim.core.decision.decision import undecided
from lean_trim.core.decision.proposal import PolicySettings, quantise
from lean_trim.core.decision.typed import type_in
from lean_trim.core.drive.coordinates import coordinates
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.errors import BadInputError, LogError
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.formats.vehicle_sheet import read_vehicle, write_vehicle

RPM = np.array([800.0, 1400, 2000, 2600, 3400, 4400, 5600, 7000])


def on(vehicle: Vehicle, table: Table) -> Vehicle:
    holds = holds_of(table) or Holds.VE
    return replace(vehicle, table=table, limits=default_limits("ve", holds))


def by_sample(solution: Solution, samples: int) -> np.ndarray:
    """Correction in force at every used sample, percent; NaN at the others."""
    seen = solution.observations
    field = solution.estimate.correction_pct.ravel()
    out = np.full(samples, np.nan)
    out[seen.index] = (field[seen.mesh.cells] * seen.mesh.weights).sum(axis=1)
    return out


def test_kinds_are_told_by_axis_and_unit(heron_vehicle: Vehicle) -> None:
    assert (rows_of(heron_vehicle.table), holds_of(heron_vehicle.table)) == (Rows.MAP, Holds.VE)
    trims = airflow_grid(RPM, [0.1, 0.6, 1.2], np.zeros((3, 8)), Rows.LOAD_PER_REV, Holds.FUEL_TRIM)
    assert (rows_of(trims), holds_of(trims)) == (Rows.LOAD_PER_REV, Holds.FUEL_TRIM)
    assert table_words(trims) == "fuel trim table over load"
    np.testing.assert_array_equal(trims.values, 100.0)
    np.testing.assert_array_equal(trims.shown, 0.0)
    np.testing.assert_array_equal(heavy_rows(trims), [False, False, True])


def test_what_no_engine_has_is_refused_with_its_place() -> None:
    cells = np.full((2, 8), 60.0)
    cells[1, 1] = 500.0
    with pytest.raises(BadInputError, match="500 at throttle 50 / engine speed 1400 is no VE"):
        airflow_grid(RPM, [0.0, 50.0], cells, Rows.THROTTLE)
    with pytest.raises(
        BadInputError, match="throttle axis goes from 0 to 200; allowed are 0 to 110 %"
    ):
        airflow_grid(RPM, [0.0, 200.0], np.full((2, 8), 60.0), Rows.THROTTLE)


def test_a_trim_table_is_asked_what_the_ve_table_is(
    heron_vehicle: Vehicle, heron_log: Log, heron_solution: Solution
) -> None:
    """(100 + old) · k - 100: trims that change nothing, over the same axes."""
    rows, columns = heron_vehicle.table.axes
    trims = airflow_grid(
        columns.points, rows.points, np.zeros(heron_vehicle.table.shape), holds=Holds.FUEL_TRIM
    )
    found = solve([heron_log], on(heron_vehicle, trims))
    both = found.estimate.supported & heron_solution.estimate.supported
    assert both.sum() > 40
    apart = (found.estimate.correction_pct - heron_solution.estimate.correction_pct)[both]
    # The VE table also has a shape of its own to be smoothed to, and a pulse width to be compared
    # with.
    asked = heron_solution.estimate.correction_pct[both]
    assert np.sqrt(np.mean(apart**2)) < 0.4 * np.sqrt(np.mean(asked**2))
    proposal = propose_for(summary_of(found), PolicySettings())
    np.testing.assert_allclose(
        proposal.table.shown[both], proposal.table.values[both] - 100.0, atol=1e-9
    )
    assert np.abs(proposal.table.shown[both]).max() > 2.0


def test_an_injection_time_keeps_its_dead_time() -> None:
    """new = d + k · (old - d)."""
    times = airflow_grid(
        RPM, [30.0, 100.0], np.full((2, 8), 4.0), holds=Holds.FUEL_TIME, dead_time_ms=1.0
    )
    np.testing.assert_allclose(times.with_values(times.values * 1.1).shown, 1.0 + 1.1 * 3.0)


@pytest.mark.parametrize("kind", [Rows.THROTTLE, Rows.MAP_OVER_BARO, Rows.LOAD_PER_REV])
def test_other_rows_explain_the_same_drive(
    heron_vehicle: Vehicle, heron_log: Log, heron_solution: Solution, kind: Rows
) -> None:
    """k does not depend on what the table is read by; a sample is asked the same over other rows."""
    flow = make_frame(heron_log, heron_vehicle).flow_g_per_s
    log = Log(heron_log.time_s, {**heron_log.channels, Role.MAF_FLOW: flow}, heron_log.name)
    blank = airflow_grid(RPM, [1.0, 2.0], np.zeros((2, 8)), kind, Holds.FUEL_TRIM)
    at = coordinates(log, on(heron_vehicle, blank))[0]
    points = np.nanpercentile(at, [1, 10, 25, 40, 55, 70, 85, 95, 99.5])
    points = np.unique(np.clip(np.round(points, 3), 0.0, 109.0))
    table = airflow_grid(RPM, points, np.zeros((len(points), 8)), kind, Holds.FUEL_TRIM)
    found = solve([log], on(heron_vehicle, table))
    ours, theirs = (by_sample(s, len(log)) for s in (found, heron_solution))
    both = np.isfinite(ours) & np.isfinite(theirs)
    assert both.sum() > 3000
    apart = (ours - theirs)[both]
    # A coarse grid over other rows holds the same errors to about its own misfit.
    assert np.sqrt(np.mean(apart**2)) < 0.6 * np.sqrt(np.mean(theirs[both] ** 2))


def test_a_load_table_of_air_is_corrected_where_it_will_be_read(
    heron_vehicle: Vehicle, heron_log: Log
) -> None:
    """Evidence lies at x · k: the ECU will find itself at the load its own correction makes."""
    flow = make_frame(heron_log, heron_vehicle).flow_g_per_s
    log = Log(heron_log.time_s, {**heron_log.channels, Role.MAF_FLOW: flow}, heron_log.name)
    loads = np.linspace(0.1, 2.4, 9)
    air = airflow_grid(RPM, loads, np.full((9, 8), 80.0), Rows.LOAD_PER_REV, Holds.VE)
    frame = make_frame(log, on(heron_vehicle, air))
    read = coordinates(log, on(heron_vehicle, air))[0]
    k = frame.trim * log[Role.LAMBDA] / frame.target
    inside = np.isfinite(k) & (k > 0.6) & (k < 1.6)
    np.testing.assert_allclose(frame.coordinates[0][inside], (read * k)[inside], rtol=1e-9)


def test_rows_without_their_channel_are_refused(heron_vehicle: Vehicle, heron_log: Log) -> None:
    channels = {r: v for r, v in heron_log.channels.items() if r is not Role.PULSE_WIDTH}
    loads = airflow_grid(RPM, [0.1, 0.6], np.zeros((2, 8)), Rows.LOAD_PER_REV, Holds.FUEL_TRIM)
    with pytest.raises(LogError, match="neither a mass airflow nor a pulse width"):
        make_frame(Log(heron_log.time_s, channels, "a"), on(heron_vehicle, loads))


def test_numbers_of_the_ecu_are_rounded_and_limited_as_it_counts() -> None:
    """A VE of 0.853 with three digits; 14.7 psi gives the pressure of NIST SP 811."""
    cells = np.full((2, 8), 85.3)
    table = airflow_grid(
        RPM,
        [101.352932, 150.0],
        cells,
        row_own=OwnUnit("psi", 1 / 6.894757),
        cell_own=OwnUnit("0..1", 0.01),
    )
    assert table.axes[0].shown[0] == pytest.approx(14.7, abs=1e-5)
    np.testing.assert_allclose(table.shown, 0.853)
    limits = TableLimits(0.001, 0.0, 1.2)
    values, clipped = quantise(table.values * 1.0137, limits, table.own)
    np.testing.assert_allclose(table.own_of(values), 0.865)
    assert not clipped.any()
    typed = type_in(undecided(table), "=0.9", [0], limits, table.own)
    assert table.own_of(typed.values).ravel()[0] == pytest.approx(0.9)
    with pytest.raises(BadInputError, match="leaves the table's range"):
        type_in(undecided(table), "=1.5", [0], limits, table.own)


@pytest.mark.parametrize("holds", list(Holds))
@pytest.mark.parametrize("kind", list(Rows))
def test_a_sheet_brings_its_table_back(
    heron_vehicle: Vehicle, tmp_path: Path, holds: Holds, kind: Rows
) -> None:
    table = airflow_grid(
        RPM,
        [0.1, 0.6],
        np.full((2, 8), 20.0),
        kind,
        holds,
        0.5 if holds is Holds.FUEL_TIME else 0.0,
    )
    back, warnings = read_vehicle(write_vehicle(on(heron_vehicle, table), tmp_path))
    assert not warnings
    assert (rows_of(back.table), holds_of(back.table)) == (kind, holds)
    np.testing.assert_allclose(back.table.values, table.values)
    np.testing.assert_allclose(back.table.shown, table.shown)


def test_injectors_that_are_not_known_still_make_a_frame(
    heron_vehicle: Vehicle, heron_log: Log
) -> None:
    unknown = Injectors(float("nan"), 300.0, np.array([]), np.array([]))
    frame = make_frame(heron_log, replace(heron_vehicle, injectors=unknown))
    assert np.isnan(frame.fuel_ratio).all()
    assert np.isfinite(frame.flow_g_per_s).any()
