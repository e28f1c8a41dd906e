"""The standard atmosphere against its published table."""

from __future__ import annotations

import pytest

from lean_trim.core.pulls.atmosphere import standard_kpa

# ISO 2533:1975, table of pressure over geometric altitude (from memory).
TABLE_KPA = {
    0.0: 101.325,
    500.0: 95.461,
    1000.0: 89.876,
    1500.0: 84.560,
    2000.0: 79.501,
    3000.0: 70.121,
    5000.0: 54.048,
}


@pytest.mark.parametrize(("metres", "kpa"), TABLE_KPA.items())
def test_pressure_is_that_of_the_table(metres: float, kpa: float) -> None:
    assert standard_kpa(metres) == pytest.approx(kpa, abs=0.003)
