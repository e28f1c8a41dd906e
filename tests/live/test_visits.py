"""Which cells a running drive has been in."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.drive.coordinates import coordinates
from lean_trim.live.visits import Visits
from lean_trim.simcar.heron import heron


def test_seconds_lie_in_the_nearest_cell_of_a_log_s_rows(short_log: Log) -> None:
    """Counted apart: the nearest break point of either axis, by numpy."""
    car = heron()
    visits = Visits(car)
    rows = range(0, len(short_log), 10)
    for row in rows:
        values = {r: float(x[row]) for r, x in short_log.channels.items() if np.isfinite(x[row])}
        visits.take(float(short_log.time_s[row]), values)
    place = np.column_stack(coordinates(short_log, car))[list(rows)]
    expected = np.zeros(car.table.shape)
    times = short_log.time_s[list(rows)]
    nearest = [
        np.abs(place[:, i, None] - a.points).argmin(axis=1) for i, a in enumerate(car.table.axes)
    ]
    np.add.at(expected, (nearest[0][1:], nearest[1][1:]), np.diff(times))
    assert visits.seconds == pytest.approx(expected, abs=1e-6)
    assert visits.here == (nearest[0][-1], nearest[1][-1])


def test_a_gap_is_not_counted_and_what_is_not_heard_has_no_place() -> None:
    car = heron()
    visits = Visits(car)
    values = {Role.RPM: 2000.0}
    visits.take(0.0, values)
    assert visits.here is None and visits.seconds.sum() == 0.0
    visits.take(1.0, {**values, Role.MAP: 60.0})
    visits.take(60.0, {**values, Role.MAP: 60.0})
    # One second came after a look without a place, one stretch was a minute of silence.
    assert visits.seconds.sum() == pytest.approx(1.0)


def test_a_curve_over_a_sensor_is_followed_as_well() -> None:
    axis = Axis("MAF frequency", "Hz", np.array([1000.0, 2000.0, 3000.0]))
    curve = Table((axis,), np.array([5.0, 20.0, 60.0]), "g/s", "airflow")
    visits = Visits(replace(heron(), airflow="maf", table=curve))
    for time_s in (0.0, 0.5, 1.0):
        visits.take(time_s, {Role.RPM: 2000.0, Role.MAF_HZ: 2100.0})
    assert visits.here == (1,) and list(visits.seconds) == [0.0, 1.0, 0.0]
