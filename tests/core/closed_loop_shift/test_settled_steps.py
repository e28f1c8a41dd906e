"""Steps of the test are found in a log, and only what has settled is taken."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.closed_loop_shift.settled_steps import settled_steps


def drive(hold_s: float = 10.0) -> tuple[np.ndarray, ...]:
    """Six steps at 10 Hz; λ and trim follow each with a time constant of a second."""
    time = np.arange(0.0, 6 * hold_s, 0.1)
    value = -0.1 * np.floor(time / hold_s)
    age = time % hold_s
    before, now = 1.0 + 0.2 * np.minimum(value + 0.1, 0.0), 1.0 + 0.2 * value
    lam = now + (before - now) * np.exp(-age)
    return time, value, lam, 100.0 * (1.0 / lam - 1.0)


def test_every_step_is_found_at_what_it_settled_at() -> None:
    steps = settled_steps(*drive())
    assert [s.value for s in steps] == pytest.approx([0.0, -0.1, -0.2, -0.3, -0.4, -0.5])
    assert [s.lambda_ for s in steps] == pytest.approx(
        [1.0, 0.98, 0.96, 0.94, 0.92, 0.90], abs=1e-3
    )


def test_steps_that_were_not_waited_for_are_none() -> None:
    assert settled_steps(*drive(hold_s=4.0)) == []


def test_a_step_that_still_moves_is_left_out() -> None:
    time, value, lam, trim = drive()
    lam[value == value[250]] += 0.01 * (time[value == value[250]] - 20.0)
    assert [s.value for s in settled_steps(time, value, lam, trim)] == pytest.approx(
        [0.0, -0.1, -0.3, -0.4, -0.5]
    )
