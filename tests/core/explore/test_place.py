"""Where on the table the engine was, and the way it came."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.explore.place import MOST_POINTS, trail
from tests.builders import cut


def test_it_is_where_the_ecu_reads_the_table(heron_vehicle: Vehicle, short_log: Log) -> None:
    frame = make_frame(short_log, heron_vehicle)
    table = heron_vehicle.table
    for at in (30.0, 77.7, 120.3):
        place = trail(frame, table, at, 0.0)[-1]
        sample = int(np.searchsorted(short_log.time_s, at, side="right")) - 1
        # Read back through the table's own interpolation: the same cells with the same weights.
        mesh = table.interpolate(*(c[sample : sample + 1] for c in frame.coordinates))
        rows, columns = np.divmod(mesh.cells[0], table.shape[1])
        expected = [float((mesh.weights[0] * index).sum()) for index in (rows, columns)]
        np.testing.assert_allclose(place, expected, atol=1e-9)


def test_the_trail_is_as_long_as_asked_and_never_too_fine(
    heron_vehicle: Vehicle, short_log: Log
) -> None:
    frame = make_frame(short_log, heron_vehicle)
    rate = 1.0 / float(np.median(np.diff(short_log.time_s)))
    five = trail(frame, heron_vehicle.table, 100.0, 5.0)
    assert abs(len(five) - 5.0 * rate) <= 2
    whole = trail(frame, heron_vehicle.table, float(short_log.time_s[-1]), 1e6)
    assert len(whole) <= MOST_POINTS
    np.testing.assert_array_equal(
        whole[-1], trail(frame, heron_vehicle.table, float(short_log.time_s[-1]), 0.0)[-1]
    )


def test_outside_the_log_and_over_a_gap_there_is_none(
    heron_vehicle: Vehicle, short_log: Log
) -> None:
    head = cut(short_log, 0, 500)
    tail = cut(short_log, 2500, len(short_log.time_s))
    time = np.concatenate([head.time_s, tail.time_s])
    channels = {role: np.concatenate([head[role], tail[role]]) for role in head.channels}
    frame = make_frame(Log(time, channels, "gap"), heron_vehicle)
    table = heron_vehicle.table
    assert len(trail(frame, table, float(time[0]) - 5.0, 5.0)) == 0
    assert len(trail(frame, table, float(time[-1]) + 5.0, 5.0)) == 0
    middle = float(head.time_s[-1] + tail.time_s[0]) / 2
    assert len(trail(frame, table, middle, 5.0)) == 0
    just_after = float(tail.time_s[3])
    assert len(trail(frame, table, just_after, 60.0)) == 4
