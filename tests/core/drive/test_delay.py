"""The sensor delay: size, direction, ends."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.delay import DelaySettings, aligned_lambda, delay_s
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.errors import BadInputError
from tests.builders import make_log, small_vehicle, with_channel

TIME = np.arange(1000) * 0.02


def test_delay_is_long_at_idle_and_short_at_full_power() -> None:
    """From about 30 ms at full power to over half a second at idle (common practice, no source)."""
    idle = make_frame(make_log(TIME, np.full(1000, 1000.0), np.full(1000, 32.0)), small_vehicle())
    full = make_frame(make_log(TIME, np.full(1000, 6000.0), np.full(1000, 100.0)), small_vehicle())
    assert 0.35 < delay_s(idle, DelaySettings())[0] < 1.2
    assert 0.03 < delay_s(full, DelaySettings())[0] < 0.2


def test_each_part_of_the_delay_can_be_switched_off() -> None:
    frame = make_frame(make_log(TIME, np.full(1000, 2000.0), np.full(1000, 50.0)), small_vehicle())
    assert delay_s(frame, DelaySettings(0.0, 0.0, 0.0))[0] == 0.0
    assert delay_s(frame, DelaySettings(1.0, 0.0, 0.0))[0] == pytest.approx(0.06)
    assert delay_s(frame, DelaySettings(0.0, 0.0, 0.1))[0] == pytest.approx(0.1)


def test_alignment_moves_the_reading_back_to_its_fuel_not_forward() -> None:
    frame = make_frame(make_log(TIME, np.full(1000, 2000.0), np.full(1000, 50.0)), small_vehicle())
    settings = DelaySettings()
    late = delay_s(frame, settings)[0]
    injected = 1.0 + 0.1 * (TIME >= 8.0)
    measured = np.interp(TIME - late, TIME, injected)
    shifted = make_frame(with_channel(frame.log, Role.LAMBDA, measured), small_vehicle())
    aligned = aligned_lambda(shifted, settings)
    inside = TIME[-1] - late > TIME
    assert np.abs(aligned - injected)[inside].max() < 0.11
    assert np.mean(np.abs(aligned - injected)[inside] > 0.02) < 0.003
    assert np.isnan(aligned[-1])


def test_impossible_parameters_are_refused() -> None:
    with pytest.raises(BadInputError, match="sensor_s is 2; allowed is 0 to 1"):
        DelaySettings(sensor_s=2.0)
    with pytest.raises(BadInputError, match="exhaust_volume_l"):
        DelaySettings(exhaust_volume_l=-1.0)
