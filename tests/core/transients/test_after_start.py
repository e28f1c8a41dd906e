"""What fades after a start, told from what coolant explains."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.transients.after_start import after_start_of

TIME = np.arange(0.0, 200.0, 0.04)
START_S = 4.0
RPM = np.where(START_S > TIME, 220.0, 1100.0)
EVERY = np.ones(len(TIME), bool)
NOISE = np.random.default_rng(5).normal(0.0, 2.0, len(TIME))


def since() -> np.ndarray:
    return np.maximum(TIME - START_S, 0.0)


@pytest.mark.parametrize("fades_s", [8.0, 20.0])
def test_what_fades_is_told_from_what_warms(fades_s: float) -> None:
    coolant = 10.0 + 35.0 * since() / (since() + 80.0)
    error = -0.2 * (coolant - 40.0) + 9.0 * np.exp(-since() / fades_s) + NOISE
    found = after_start_of(TIME, RPM, coolant, error, EVERY)
    assert found is not None and found.start_s == pytest.approx(START_S, abs=0.1)
    assert abs(found.missing_pct - 9.0) < 3.0 * found.std_error_pct + 0.5
    assert found.fades_s == pytest.approx(fades_s, rel=0.6)
    assert found.coolant_c == pytest.approx(10.0, abs=0.5)


def test_a_cold_engine_without_it_and_a_log_without_a_start_tell_nothing() -> None:
    coolant = 10.0 + 35.0 * since() / (since() + 80.0)
    error = -0.2 * (coolant - 40.0) + NOISE
    assert after_start_of(TIME, RPM, coolant, error, EVERY) is None
    plain = error + 9.0 * np.exp(-since() / 10.0)
    assert after_start_of(TIME, np.full(len(TIME), 1100.0), coolant, plain, EVERY) is None
    # A warm engine, or a log that ends too soon.
    assert after_start_of(TIME, RPM, np.full(len(TIME), 88.0), plain, EVERY) is None
    assert after_start_of(TIME, RPM, coolant, plain, TIME < 12.0) is None
