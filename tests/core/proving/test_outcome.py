"""What is expected and observed, when to stop, and what is said of it."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.proving.conditions import conditions_of
from lean_trim.core.proving.outcome import Compared, Outcome, judge
from lean_trim.core.proving.proof import Proof
from lean_trim.core.proving.stopping import Stopping, stopping
from lean_trim.core.proving.transfer import Transfer

COUNT = 40
STATE = Stopping(False, 1.0, 5.0, 0.0, 0, 2.0, float("nan"))


def drive(observed: float, expected: float, error: float = 0.6, seed: int = 2) -> Compared:
    """Places whose errors have so much rms."""
    rng = np.random.default_rng(seed)
    shape = rng.normal(size=COUNT)
    shape /= np.sqrt(np.mean(shape**2))
    return Compared(
        at=np.zeros((2, COUNT)),
        before=5.0 * shape,
        expected=expected * shape,
        observed=observed * shape,
        error=np.full(COUNT, error),
        noise=np.full(COUNT, 0.4),
        alike=np.eye(COUNT),
        seconds=np.full(COUNT, 2.0),
    )


def words(compared: Compared) -> dict[str, str]:
    regions = ["part"] * (COUNT - 10) + ["boost"] * 10
    return {o.name: o.word for o in judge(compared, regions, ("idle", "part", "boost"))}


def test_expected_and_observed_are_compared_by_region() -> None:
    assert words(drive(0.7, 0.5)) == {
        "idle": "not driven",
        "part": "as predicted",
        "boost": "as predicted",
        "": "as predicted",
    }
    assert words(drive(4.0, 0.5))[""] == "worse"
    assert words(drive(0.4, 4.0))[""] == "better"
    assert words(drive(4.0, 0.5, error=9.0))[""] == "cannot be told"


def test_the_expected_error_is_that_of_many_drawn_drives() -> None:
    """Root mean square and its spread, against 4000 drawn drives of the same errors."""
    compared = drive(0.5, 1.5)
    (*_, whole) = judge(compared, ["part"] * COUNT, ("part",))
    rng = np.random.default_rng(5)
    spread = np.hypot(np.sqrt(0.25) * 0.6, 0.4)
    level = rng.normal(0.0, 0.5, (4000, 1))
    drawn = compared.expected + level + rng.normal(0.0, spread, (4000, COUNT))
    rms = np.sqrt(np.mean(drawn**2, axis=1))
    assert whole.expected_pct == pytest.approx(np.sqrt(np.mean(rms**2)), rel=0.02)
    assert whole.expected_error_pct == pytest.approx(np.std(rms), rel=0.15)


def test_stop_is_said_of_small_steps_and_never_over_a_driven_state_that_is_off() -> None:
    seconds = np.full(20, 5.0)
    gap = np.full(20, 0.3)
    last = np.full(20, 0.6)
    small = stopping(np.full(20, 0.3), np.full(20, 0.3), gap, seconds, last)
    assert small.stop and small.step_pct == pytest.approx(0.3)
    assert small.last_pct == pytest.approx(0.6)
    assert not stopping(np.full(20, 0.5), np.full(20, 0.5), gap, seconds, last).stop
    off = gap.copy()
    off[7] = -3.2
    found = stopping(np.full(20, 0.3), np.full(20, 0.3), off, seconds, last)
    assert not found.stop and found.off_cells == 1
    # A cell that was crossed in a moment says nothing.
    assert stopping(np.full(20, 0.3), np.full(20, 0.3), off, np.full(20, 2.0), last).stop
    assert not stopping(np.empty(0), np.empty(0), np.empty(0), np.empty(0)).stop


def test_one_small_step_after_a_large_one_needs_another_drive() -> None:
    steps = np.full(20, 0.2)
    seconds = np.full(20, 5.0)
    found = stopping(steps, steps, steps, seconds, np.full(20, 4.0))
    assert not found.stop and found.last_pct == pytest.approx(4.0)
    said = str(proof("whole", "as predicted", found).next_said)
    assert "0.2 %" in said and "4.0 %" in said and "drive once more" in said
    # Of a round nothing was written before nothing can be said.
    assert not stopping(steps, steps, steps, seconds).stop


def test_what_is_held_back_is_told_and_changes_of_sign_are_counted() -> None:
    seconds = np.full(20, 5.0)
    held = stopping(np.full(20, 0.1), np.full(20, -2.5), np.full(20, -2.5), seconds)
    assert held.is_held and held.held_pct == pytest.approx(2.6)
    asked = np.where(np.arange(20) < 15, -0.5, 0.5)
    flips = stopping(asked, asked, asked, seconds, np.full(20, 2.0)).flips
    assert flips == pytest.approx(0.75)
    assert np.isnan(stopping(asked, asked, asked, seconds, np.full(20, 0.1)).flips)


def proof(kind: str, word: str, state: Stopping = STATE) -> Proof:
    outcomes = (Outcome("boost", "not driven"), Outcome("", word, 5.0, 0.8, 0.2, 0.7, 0.1))  # type: ignore[arg-type]
    transfer = Transfer(kind, "lambda", name="from 60 kPa up", step_pct=3.0)  # type: ignore[arg-type]
    return Proof(transfer, outcomes, state, ())


def test_the_next_step_follows_from_what_is_in_the_ecu_first() -> None:
    small = Stopping(True, 0.2, 0.5, 0.0, 0, 1.0, 0.6)
    assert "Stop here" in str(proof("whole", "as predicted", small).next_said)
    assert proof("whole", "as predicted", small).stops
    for kind in ("none", "half", "part", "other", "unknown"):
        told = proof(kind, "as predicted", small)
        assert not told.stops and told.verdict == "not in the ECU"
        assert "Stop" not in str(told.next_said)
    assert "findings" in str(proof("whole", "worse", small).next_said)
    assert not proof("whole", "worse", small).stops
    assert "1.0 %" in str(proof("whole", "better").next_said)
    held = Stopping(True, 0.2, 0.5, 3.0, 0, 1.0, float("nan"))
    assert "held back" in str(proof("whole", "as predicted", held).next_said)
    beside = " ".join(map(str, proof("whole", "as predicted", small).beside))
    assert "Not driven: boost." in beside and "60 % of the cells changed sign" in beside


def test_weather_and_fuel_are_laid_side_by_side() -> None:
    time = np.arange(10.0)

    def log(iat: float, baro: float) -> Log:
        full = np.full(10, 1.0)
        return Log(time, {Role.RPM: 2000 * full, Role.IAT: iat * full, Role.BARO: baro * full})

    found = {c.label: c for c in conditions_of((log(10.0, 98.0),), (log(32.0, 98.5),))}
    assert found["Intake air"].differs and found["Intake air"].now == 32.0
    assert not found["Barometer"].differs and "Ethanol content" not in found


def test_a_small_step_can_wait_for_another_drive() -> None:
    def beside(step: float) -> str:
        state = Stopping(False, step, 5.0, 0.0, 0, 1.0, float("nan"))
        return " ".join(map(str, proof("whole", "as predicted", state).beside))

    assert "one flash does for both" in beside(0.6)
    assert "one flash" not in beside(2.5)
