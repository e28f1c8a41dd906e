"""A figure is believed whole, not at all, or in part; nothing turns on a last digit."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.estimation.trust import fading


@pytest.mark.parametrize(("whole", "none"), [(0.045, 0.08), (10.0, 5.0)])
def test_belief_fades_from_whole_to_none_without_a_step(whole: float, none: float) -> None:
    assert fading(whole, whole, none) == 1.0 and fading(none, whole, none) == 0.0
    assert fading(2.0 * whole - none, whole, none) == 1.0
    assert fading(2.0 * none - whole, whole, none) == 0.0
    assert fading(0.5 * (whole + none), whole, none) == pytest.approx(0.5)
    along = np.array([fading(x, whole, none) for x in np.linspace(whole, none, 2001)])
    assert (np.diff(along) <= 0.0).all() and np.abs(np.diff(along)).max() < 1e-3


@pytest.mark.parametrize("value", [np.nan, np.inf, -np.inf])
def test_what_is_no_number_is_not_believed(value: float) -> None:
    assert fading(value, 0.045, 0.08) == 0.0
