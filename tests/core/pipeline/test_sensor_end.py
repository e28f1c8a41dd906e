"""An airflow sensor at its end: how much more was drawn, and what each remedy would mean."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.pipeline.sensor_end import SensorEnd, options, sensor_end
from lean_trim.core.pipeline.solve import solve
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import Faults
from lean_trim.simcar.tern import tern


@pytest.mark.slow
def test_what_was_drawn_beyond_the_end_is_read_from_fuel_and_lambda() -> None:
    vehicle = tern()
    ceiling = 0.6
    log = simulate(vehicle, 4, 8.0, faults=Faults(airflow_ceiling=ceiling), name="end")
    solution = solve([log], vehicle)
    found = sensor_end(solution)
    assert found is not None
    believed = float(np.nanmax(log[Role.MAF_FLOW]))
    # The sensor ends below its curve, which goes on.
    assert (
        found.most_g_per_s == pytest.approx(believed, rel=0.05)
        and believed < 0.8 * vehicle.table.values.max()
    )
    # The engine drew up to 1 / 0.6 of what the sensor could show; lambda says so as far as it was
    # read.
    assert 1.02 * believed < found.needed_g_per_s <= 1.1 / ceiling * believed
    assert sensor_end(solve([simulate(vehicle, 4, 4.0, name="sound")], vehicle)) is None


def test_remedies_carry_the_jobs_numbers() -> None:
    said = [str(s) for s in options(SensorEnd(200.0, 260.0, 178.0))]
    assert "200 g/s" in said[0] and "260 g/s" in said[0]
    # 260 with room is 299 of 200: half as much again, 1.22 times the diameter.
    assert (
        "1.50 × the area" in said[1] and "1.22 × the diameter" in said[1] and "300 g/s" in said[1]
    )
    assert "÷ 1.50" in said[2] and "33 % lower" in said[2]
    assert "220 kPa" in said[3]


def test_what_nobody_measured_is_not_invented() -> None:
    said = [str(s) for s in options(SensorEnd(200.0, float("nan"), 100.0))]
    assert "nobody measured" in said[0] and "1.15 × the area" in said[1]
