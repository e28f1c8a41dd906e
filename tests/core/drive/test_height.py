"""Filling at height against hand-worked numbers of the textbook's law."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.height import filling_by_height, room
from tests.builders import small_vehicle, steady_states, with_channel, without


def test_room_is_the_textbooks_law() -> None:
    """By hand: r = 10, p_exh = 1.05 · 98 = 102.9 kPa, MAP 40: (102.9/40)^(1/1.3) = 2.0684,
    (10 - 2.0684)/9 = 0.8813; at 87 kPa (91.35/40)^(1/1.3) = 1.8874, (10 - 1.8874)/9 = 0.9014."""
    exhaust = np.array([102.9, 91.35])
    np.testing.assert_allclose(
        room(exhaust, np.array([40.0, 40.0]), 10.0), [0.8813, 0.9014], atol=2e-4
    )


def test_from_98_to_87_kpa_is_about_two_percent_at_40() -> None:
    """DOMAIN: at 40 kPa, from 98 to 87 kPa about +2 % for r = 10 (the law with its constants)."""
    n = 100
    log = steady_states(1.0)
    baro = np.where(np.arange(len(log)) < len(log) // 2 + n, 98.0, 87.0)
    log = with_channel(with_channel(log, Role.BARO, baro), Role.MAP, 40.0)
    factor = filling_by_height(log, small_vehicle())
    assert factor is not None
    # The drive's median barometer is the table's.
    assert factor[0] == pytest.approx(1.0)
    assert factor[-1] == pytest.approx(1.023, abs=0.004)


def test_it_is_no_matter_of_a_log_without_barometer_or_an_ecu_that_follows_it() -> None:
    log = steady_states(1.0)
    high = with_channel(log, Role.BARO, np.linspace(98.0, 87.0, len(log)))
    assert filling_by_height(without(high, Role.BARO), small_vehicle()) is None
    follows = replace(small_vehicle(), follows_barometer=True)
    assert filling_by_height(high, follows) is None
    assert filling_by_height(with_channel(log, Role.BARO, 98.0), small_vehicle()) is None
