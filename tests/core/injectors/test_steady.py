"""One injection a cycle against two: the dead time without trust in any table."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.errors import BadInputError
from lean_trim.core.injectors.steady import pulses_of, steady_state
from tests.builders import without

DEAD_MS = 0.93
FUEL_MS = 2.2


def idle(injections: int, more: float = 1.0, lam: float = 1.0, seconds: float = 60.0) -> Log:
    """An idle at which the fuel of a cycle takes ``FUEL_MS`` of open time, in one pulse or in two."""
    count = int(seconds * 20)
    rng = np.random.default_rng(injections)
    fuel = FUEL_MS * more / lam
    return Log(
        np.arange(count) / 20.0,
        {
            Role.RPM: 850.0 + 4.0 * rng.standard_normal(count),
            Role.MAP: 35.0 * more + 0.2 * rng.standard_normal(count),
            Role.PULSE_WIDTH: fuel / injections + DEAD_MS + 0.01 * rng.standard_normal(count),
            Role.BATTERY: np.full(count, 13.9),
            Role.LAMBDA: lam + 0.005 * rng.standard_normal(count),
        },
        "idle",
    )


@pytest.mark.parametrize(("more", "lam"), [(1.0, 1.0), (1.03, 1.0), (1.0, 0.98), (0.97, 1.02)])
def test_the_dead_time_is_twice_the_shorter_pulse_less_the_longer(more: float, lam: float) -> None:
    one = steady_state(idle(1), 0.0, 60.0)
    two = steady_state(idle(2, more, lam), 0.0, 60.0)
    one_ms, two_ms, volts = pulses_of(one, two)
    assert 2.0 * two_ms - one_ms == pytest.approx(DEAD_MS, abs=0.011)
    assert volts == pytest.approx(13.9)


def test_a_stretch_that_is_short_or_moves_is_refused_in_words() -> None:
    log = idle(1)
    with pytest.raises(BadInputError, match="10 s or more"):
        steady_state(log, 5.0, 9.0)
    ramp = log.channels[Role.RPM] * np.linspace(1.0, 1.3, len(log))
    with pytest.raises(BadInputError, match="engine speed moves by"):
        steady_state(replace(log, channels={**log.channels, Role.RPM: ramp}), 0.0, 60.0)
    with pytest.raises(BadInputError, match="no pulse width"):
        steady_state(without(log, Role.PULSE_WIDTH), 0.0, 60.0)
    with pytest.raises(BadInputError, match="neither manifold pressure nor airflow"):
        steady_state(without(log, Role.MAP), 0.0, 60.0)


def test_two_states_are_not_taken_for_one() -> None:
    one = steady_state(idle(1), 0.0, 60.0)
    for other, word in (
        (replace(one, rpm=1000.0), "Engine speed"),
        (replace(one, load=40.0), "Load"),
        (replace(one, volts=12.9), "Battery"),
    ):
        with pytest.raises(BadInputError, match=f"{word} is .* not one state"):
            pulses_of(one, other)
