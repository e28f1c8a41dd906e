"""What an engine's physics says of a log whose columns are taken rightly, and wrongly."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.proof.fuel import fuel_of, slopes
from lean_trim.core.proof.mixture import lambda_in_cut
from lean_trim.core.proof.motion import coolant_miss, slew_rpm_per_s
from lean_trim.core.proof.proof_evidence import Proof
from lean_trim.core.proof.proofs import prove


def verdicts(log: Log, vehicle: Vehicle, role: Role) -> set[str]:
    return {p.verdict for p in prove(log, vehicle) if p.role is role}


def changed(log: Log, role: Role, values: np.ndarray) -> Log:
    return replace(log, channels={**log.channels, role: values})


def test_nothing_speaks_against_a_sound_log(heron_log: Log, heron_vehicle: Vehicle) -> None:
    proofs = prove(heron_log, heron_vehicle)
    assert [p for p in proofs if p.verdict == "contradicts"] == []
    agreeing = {p.role for p in proofs if p.verdict == "agrees"}
    assert {
        Role.RPM,
        Role.MAP,
        Role.LAMBDA,
        Role.TARGET,
        Role.PULSE_WIDTH,
        Role.STFT,
        Role.DUTY,
    } <= agreeing


@pytest.mark.parametrize("factor", [0.01, 0.5, 2.0])
def test_trims_on_another_scale_are_told_by_the_slope_of_the_fuel(
    heron_log: Log, heron_vehicle: Vehicle, factor: float
) -> None:
    wrong = changed(heron_log, Role.STFT, heron_log[Role.STFT] * factor)
    assert "agrees" not in verdicts(wrong, heron_vehicle, Role.STFT)
    fuel = fuel_of(wrong, heron_vehicle)
    assert fuel is not None
    slope, error = slopes(fuel).by_role[Role.STFT]
    assert slope == pytest.approx(1.0 / factor, rel=0.12)
    assert error < 0.1 / factor


@pytest.mark.parametrize(
    ("role", "change"),
    [
        (Role.RPM, lambda x: np.full(len(x), 7200.0)),
        (Role.MAP, lambda x: x / 6.894757),
        (Role.TARGET, lambda x: x * 14.7 / 14.1),
        (Role.LAMBDA, lambda x: x * 14.7 / 9.8),
        (Role.PULSE_WIDTH, lambda x: x * 1.9),
        (Role.DUTY, lambda x: x * 0.3),
        (Role.COOLANT, lambda x: x * 1.8 + 32.0),
    ],
)
def test_a_column_taken_wrongly_is_contradicted(
    heron_log: Log, heron_vehicle: Vehicle, role: Role, change: object
) -> None:
    wrong = changed(heron_log, role, change(heron_log[role]))  # type: ignore[operator]
    assert "contradicts" in verdicts(wrong, heron_vehicle, role), role


def test_petrol_scale_on_e85_is_seen_although_a_ratio_of_it_could_be_lambda(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    """Shown on petrol's scale, read on the fuel's: 1.5 everywhere."""
    wrong = changed(heron_log, Role.LAMBDA, heron_log[Role.LAMBDA] * 1.5)
    told = [
        p
        for p in prove(wrong, heron_vehicle)
        if p.role is Role.LAMBDA and p.verdict == "contradicts"
    ]
    assert "1.50 × target" in str(told[0].said) or "1.5" in str(told[0].said)


def test_without_pulse_width_the_fuel_tells_nothing(heron_log: Log, heron_vehicle: Vehicle) -> None:
    channels = {r: v for r, v in heron_log.channels.items() if r is not Role.PULSE_WIDTH}
    assert fuel_of(replace(heron_log, channels=channels), heron_vehicle) is None


def test_time_on_another_scale_shows_in_how_fast_the_engine_turns_up(heron_log: Log) -> None:
    right = slew_rpm_per_s(heron_log.time_s, heron_log[Role.RPM])
    assert 100.0 < right < 10_000.0
    assert slew_rpm_per_s(heron_log.time_s * 1e-3, heron_log[Role.RPM]) > 25_000.0


def test_a_sensor_reads_lean_without_fuel(heron_log: Log) -> None:
    assert lambda_in_cut(heron_log) > 1.15


def test_coolant_is_held_where_thermostats_hold_it() -> None:
    assert coolant_miss(90.0) == 0.0
    assert coolant_miss(8.0) == pytest.approx(1.0)
    assert coolant_miss(133.0) == pytest.approx(1.0)


def test_a_proof_says_what_it_compared(heron_log: Log, heron_vehicle: Vehicle) -> None:
    ratio = next(p for p in prove(heron_log, heron_vehicle) if p.role is Role.PULSE_WIDTH)
    assert isinstance(ratio, Proof)
    assert "1.00 × the fuel" in str(ratio.said)
