"""What was missing in a log is said, and how far the substitute can be trusted."""

from __future__ import annotations

import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.inference import Inferred
from lean_trim.core.pipeline.solve import SolveSettings, solve
from tests.builders import without


def inferred(log: Log, vehicle: Vehicle) -> dict[str, Inferred]:
    return {i.what: i for i in solve([log], vehicle, SolveSettings(fit_delay=False)).inferred}


def test_a_complete_log_needs_nothing(heron_log: Log, heron_vehicle: Vehicle) -> None:
    assert inferred(heron_log, heron_vehicle) == {}


def test_the_target_looked_up_is_borne_out_by_the_pulse_width(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    found = inferred(without(heron_log, Role.TARGET), heron_vehicle)["Target lambda"]
    assert found.trust == "sure"
    assert found.share_pct > 95.0


def test_a_closed_loop_told_from_the_moving_trim_is_graded(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    found = inferred(without(heron_log, Role.CLOSED_LOOP), heron_vehicle)["Closed loop"]
    assert found.trust in ("sure", "likely")
    assert 60.0 < found.share_pct <= 100.0


@pytest.mark.parametrize(
    ("role", "what", "trust"),
    [
        (Role.COOLANT, "Coolant", "likely"),
        (Role.BATTERY, "Battery", "likely"),
        (Role.STFT, "Short-term trim", "likely"),
        (Role.PULSE_WIDTH, "Pulse width", "likely"),
        (Role.GEAR, "Gear", "sure"),
        (Role.KNOCK, "Knock retard", "a guess"),
    ],
)
def test_each_missing_channel_is_named(
    heron_log: Log, heron_vehicle: Vehicle, role: Role, what: str, trust: str
) -> None:
    found = inferred(without(heron_log, role), heron_vehicle)
    assert found[what].trust == trust
    assert found[what].taken
