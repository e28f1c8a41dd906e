"""A fuel delivery that ends, on simulated drives whose pressure nobody logged."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings, Status
from lean_trim.core.diagnosis.delivery import commanded_flow, find_delivery_end
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.pulls import find_pulls
from lean_trim.core.pipeline.solve import measure, solve
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.core.pulls.pull_verdict import verdict_on_pull
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.truth import truth_for


@pytest.fixture(scope="module")
def vehicle(heron_vehicle: Vehicle) -> Vehicle:
    """Heron with a table that is right, so that what is lean is no table."""
    mesh = np.meshgrid(*(a.points for a in heron_vehicle.table.axes), indexing="ij")
    right = truth_for(heron_vehicle).ve_surface(mesh[1], mesh[0])
    return heron_vehicle.with_table(heron_vehicle.table.with_values(right))


def capped(log: Log, vehicle: Vehicle, share: float) -> Log:
    """What lambda shows where no more than a share of the largest flow arrives, pressure not logged."""
    flow = commanded_flow(make_frame(log, vehicle))
    most = share * np.nanpercentile(flow, 99.8)
    lean = np.where(np.isfinite(flow), np.maximum(1.0, flow / most), 1.0)
    channels = {role: v for role, v in log.channels.items() if role is not Role.FUEL_DP}
    channels[Role.LAMBDA] = np.minimum(channels[Role.LAMBDA] * lean, 1.33)
    return replace(log, channels=channels)


@pytest.fixture(scope="module")
def drive(vehicle: Vehicle) -> Log:
    return simulate(vehicle, seed=21, minutes=12.0)


@pytest.mark.slow
def test_it_is_told_kept_off_the_table_and_no_pull_says_more_fuel(
    vehicle: Vehicle, drive: Log
) -> None:
    log = capped(drive, vehicle, 0.8)
    solution = solve([log], vehicle)
    end = solution.seen.delivery
    assert end is not None and end.slope == pytest.approx(0.9, abs=0.35)
    top = float(np.nanpercentile(commanded_flow(make_frame(log, vehicle)), 99.8))
    assert end.flow_g_per_s == pytest.approx(0.8 * top, rel=0.1)
    first = solution.findings[0]
    assert first.id == "fuel_delivery_ends" and first.severity == "danger"
    assert "do not enrich" in first.message
    proposal = propose_for(summary_of(solution), PolicySettings())
    held = proposal.status == Status.UNPROVEN
    assert held.any() and (proposal.step_pct[held] >= 0.0).all()
    # The table was right: what is written there is the table's and not the pump's.
    assert proposal.step_pct[held].max() < 8.0
    report = find_pulls([log], vehicle)
    said = [str(verdict_on_pull(p)) for p in report.pulls]
    assert any("Fuel delivery ends" in s for s in said)
    assert not any("enrich" in s for s in said)


@pytest.mark.slow
def test_a_sound_drive_shows_no_end_whether_its_table_is_right_or_not(
    heron_vehicle: Vehicle, vehicle: Vehicle, drive: Log
) -> None:
    blind = {r: v for r, v in drive.channels.items() if r is not Role.FUEL_DP}
    wrong = simulate(heron_vehicle, seed=22, minutes=12.0)
    without = {r: v for r, v in wrong.channels.items() if r is not Role.FUEL_DP}
    for log, of in (
        (replace(drive, channels=blind), vehicle),
        (replace(wrong, channels=without), heron_vehicle),
    ):
        found = measure([log], of)
        assert find_delivery_end(found.prepared.frame, found.observations, found.surface) is None


def test_where_the_pressure_was_logged_it_says_more(vehicle: Vehicle, drive: Log) -> None:
    log = capped(drive, vehicle, 0.8)
    log = replace(log, channels={**log.channels, Role.FUEL_DP: drive[Role.FUEL_DP]})
    found = measure([log], vehicle)
    assert find_delivery_end(found.prepared.frame, found.observations, found.surface) is None
