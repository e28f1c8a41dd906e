"""Figures of a pull against what is known of it; sentences say what is dangerous first."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.pipeline.pulls import PullReport, find_pulls
from lean_trim.core.pulls.pull import Pull, seconds_between, times_between
from lean_trim.core.pulls.pull_verdict import verdict_on_pull

HZ = 50.0
COUNT = 900
START = 500
STOP = 750
"""Ten seconds of cruise, five of pull, three of cruise."""


def run_up(**changed: np.ndarray | float) -> Log:
    """A cruise and a pull from 3000 to 6500 rpm."""
    pulling = np.zeros(COUNT, bool)
    pulling[START:STOP] = True
    rpm = np.full(COUNT, 3000.0)
    rpm[START:STOP] = np.linspace(3000.0, 6500.0, STOP - START)
    # An exhaust that answers at once, so that alignment moves nothing that matters.
    channels: dict[Role, np.ndarray] = {
        Role.RPM: rpm,
        Role.THROTTLE: np.where(pulling, 99.0, 12.0),
        Role.MAP: np.where(pulling, 178.0, 45.0),
        Role.IAT: np.where(pulling, np.linspace(25.0, 40.0, COUNT), 25.0),
        Role.COOLANT: np.full(COUNT, 88.0),
        Role.LAMBDA: np.where(pulling, 0.82, 1.0),
        Role.TARGET: np.where(pulling, 0.82, 1.0),
        Role.BARO: np.full(COUNT, 97.0),
        Role.FUEL_DP: np.full(COUNT, 300.0),
        Role.GEAR: np.full(COUNT, 3.0),
        Role.KNOCK: np.zeros(COUNT),
        Role.SPEED: rpm / 40.0,
    }
    for name, value in changed.items():
        role = Role[name.upper()]
        channels[role] = np.where(pulling, value, channels.get(role, np.zeros(COUNT)))
    return Log(np.arange(COUNT) / HZ, channels, "run")


def pull_of(log: Log, vehicle: Vehicle, altitude_m: float = 0.0) -> Pull:
    (pull,) = find_pulls([log], vehicle, altitude_m).pulls
    return pull


def test_figures_are_those_of_the_run(heron_vehicle: Vehicle) -> None:
    pull = pull_of(run_up(), heron_vehicle)
    assert pull.kind == "full" and pull.gear == 3 and not pull.launch
    assert (pull.start_s, pull.end_s) == (START / HZ, (STOP - 1) / HZ)
    assert pull.rpm_from == pytest.approx(3000.0, abs=60.0) and pull.rpm_to == pytest.approx(
        6500.0, abs=150.0
    )
    # Boost is MAP less the barometer, not less a standard one.
    assert pull.boost_kpa == pytest.approx(178.0 - 97.0)
    assert pull.lambda_mean_pct == pytest.approx(0.0, abs=0.6)
    assert pull.dp_drop_pct == pytest.approx(0.0) and pull.enriched
    # 3500 rpm in 4.98 s, evenly.
    assert pull.times["4000-5000"] == pytest.approx(1000.0 / 3500.0 * 4.98, abs=0.02)
    assert pull.times["4000-6000"] == pytest.approx(2000.0 / 3500.0 * 4.98, abs=0.02)
    assert "Within" in str(verdict_on_pull(pull))


def test_without_a_barometer_the_standard_atmosphere_counts(heron_vehicle: Vehicle) -> None:
    log = run_up()
    without = replace(log, channels={r: v for r, v in log.channels.items() if r != Role.BARO})
    assert pull_of(without, heron_vehicle).boost_kpa == pytest.approx(178.0 - 101.325)
    assert pull_of(without, heron_vehicle, 1500.0).boost_kpa == pytest.approx(
        178.0 - 84.56, abs=0.01
    )
    with pytest.raises(BadInputError, match="allowed are -500 to 6000 m"):
        find_pulls([without], heron_vehicle, 9000.0)


def test_lean_and_rich_are_told_with_where(heron_vehicle: Vehicle) -> None:
    shape = np.zeros(COUNT)
    shape[START:STOP] = np.interp(
        np.arange(STOP - START), [0, 60, 125, 190, 250], [0.0, 0.0, 0.08, -0.06, -0.06]
    )
    pull = pull_of(run_up(**{"lambda": 0.82 * (1.0 + shape)}), heron_vehicle)
    assert pull.lambda_lean_pct == pytest.approx(8.0, abs=1.0) and pull.lean_rpm == pytest.approx(
        4750.0, abs=250.0
    )
    assert pull.lambda_rich_pct == pytest.approx(-6.0, abs=1.0)
    said = str(verdict_on_pull(pull))
    assert "leaner than target at" in said and "richer at" in said and "enrich" in said


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        ({"fuel_dp": 240.0, "knock": 3.0}, "Fuel pressure fell by 20 %"),
        ({"knock": 2.5}, "Knock took up to 2.5°"),
        ({"target": 1.0}, "enrichment was never commanded"),
        ({"duty": 99.0}, "no more fuel to be had"),
    ],
)
def test_what_is_dangerous_comes_first(
    heron_vehicle: Vehicle, changed: dict[str, float], words: str
) -> None:
    assert words in str(verdict_on_pull(pull_of(run_up(**changed), heron_vehicle)))


def test_a_pull_without_lambda_readings_invents_none(heron_vehicle: Vehicle) -> None:
    pull = pull_of(run_up(**{"lambda": np.nan}), heron_vehicle)
    assert np.isnan(pull.lambda_mean_pct) and "No mixture" in str(verdict_on_pull(pull))


def test_times_are_between_crossings() -> None:
    time = np.linspace(0.0, 5.0, 51)
    rpm = 2950.0 + 700.0 * time
    assert seconds_between(time, rpm, 3000.0, 6000.0) == pytest.approx(3000.0 / 700.0)
    assert np.isnan(seconds_between(time, rpm, 3000.0, 9000.0))
    assert list(times_between(time, rpm)) == ["3000-4000", "4000-5000", "5000-6000", "3000-6000"]
    assert times_between(time, np.full(51, 3000.0)) == {}


def test_a_drive_without_pulls_has_none(heron_vehicle: Vehicle) -> None:
    report = find_pulls([run_up(throttle=20.0)], heron_vehicle)
    assert isinstance(report, PullReport) and not report.pulls


def test_a_run_begun_hot_right_after_another_is_told_as_heat_soak(heron_vehicle: Vehicle) -> None:
    pull = pull_of(run_up(), heron_vehicle)
    soon = replace(
        pull,
        start_s=pull.end_s + 60.0,
        end_s=pull.end_s + 65.0,
        intake_from_c=pull.intake_from_c + 11.0,
    )
    assert "11 °C hotter than the run 60 s before" in str(verdict_on_pull(soon, pull))
    for other in (
        replace(soon, intake_from_c=pull.intake_from_c + 2.0),
        replace(soon, start_s=soon.start_s + 900.0),
    ):
        assert "heat soak" not in str(verdict_on_pull(other, pull))
    assert "heat soak" not in str(verdict_on_pull(soon))
