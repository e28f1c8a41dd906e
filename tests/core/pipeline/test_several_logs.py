"""Several logs in one solve: their weights, and logs driven on another revision of the table."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import ve_table
from lean_trim.core.pipeline.solve import DrivenLog, SolveSettings, solve
from lean_trim.core.sieve.sieve import SieveSettings
from tests.builders import MAP, RPM, make_log, small_vehicle, steady_states, without

SETTINGS = SolveSettings(fit_delay=False, sieve=SieveSettings(disabled=frozenset({"starting"})))
TRUE = 84.0


def driven_on(ve: float, seconds: float = 2.0) -> Log:
    """A drive of an engine that breathes 84 % everywhere, on a table that says ``ve``."""
    plain = steady_states(1.0, seconds)
    rng = np.random.default_rng(int(ve))
    rpm, pressure = (plain[r] for r in list(plain.channels)[:2])
    return make_log(plain.time_s, rpm, pressure, TRUE / ve, 0.003, rng, small_vehicle(ve))


def test_weights_follow_the_driving_and_add_up() -> None:
    solution = solve([driven_on(80.0, 2.0), driven_on(80.0, 4.0)], small_vehicle(80.0), SETTINGS)
    short, long = solution.logs
    assert short.weight_pct + long.weight_pct == pytest.approx(100.0)
    assert long.weight_pct == pytest.approx(2.0 * short.weight_pct, rel=0.1)
    assert not short.translated
    assert abs(short.apart_pct) < 0.2


def test_a_log_of_an_earlier_revision_is_translated_to_the_present_one() -> None:
    old = DrivenLog(driven_on(70.0), small_vehicle(70.0).table)
    alone = solve([old], small_vehicle(80.0), SETTINGS)
    both = solve([old, driven_on(80.0)], small_vehicle(80.0), SETTINGS)
    for solution in (alone, both):
        estimate = solution.estimate
        np.testing.assert_allclose(estimate.correction_pct[estimate.supported], 5.0, atol=0.4)
        assert "other_calibration" not in [f.id for f in solution.findings]
    assert both.logs[0].translated
    assert both.residual.rms == pytest.approx(
        solve([driven_on(80.0)], small_vehicle(80.0), SETTINGS).residual.rms, abs=0.1
    )
    assert abs(both.logs[0].apart_pct) < 0.2


def test_taken_for_the_present_table_the_same_log_is_left_out_or_stands_apart() -> None:
    """Its pulse width gives it away; without pulse width its k disagrees with the other log's."""
    logs = [driven_on(70.0), driven_on(80.0)]
    seen = solve(logs, small_vehicle(80.0), SETTINGS)
    assert seen.logs[0].used_s == 0.0
    assert seen.sifted.counts["enrichment"] > 0.9 * len(logs[0])
    blind = solve([without(log, Role.PULSE_WIDTH) for log in logs], small_vehicle(80.0), SETTINGS)
    assert max(abs(s.apart_pct) for s in blind.logs) > 2.0


def test_a_revision_may_have_other_axes() -> None:
    coarse = ve_table([800.0, 3500.0, 6500.0], [25.0, 60.0, 110.0], np.full((3, 3), 70.0))
    solution = solve([DrivenLog(driven_on(70.0), coarse)], small_vehicle(80.0), SETTINGS)
    assert solution.estimate.table.shape == (len(MAP), len(RPM))
    np.testing.assert_allclose(
        solution.estimate.correction_pct[solution.estimate.supported], 5.0, atol=0.4
    )


def poorer(*roles: Role) -> list[Log]:
    """A full log and one that lacks channels."""
    return [driven_on(80.0), without(driven_on(80.0), *roles)]


@pytest.mark.parametrize(
    "role", [Role.PULSE_WIDTH, Role.STFT, Role.LTFT, Role.COOLANT, Role.CLOSED_LOOP, Role.TARGET]
)
def test_a_log_that_lacks_a_channel_counts_as_it_would_alone(role: Role) -> None:
    solution = solve(poorer(role), small_vehicle(80.0), SETTINGS)
    estimate = solution.estimate
    np.testing.assert_allclose(estimate.correction_pct[estimate.supported], 5.0, atol=0.4)
    full, poor = solution.logs
    assert poor.used_s > 0.4 * full.used_s
    assert abs(poor.apart_pct) < 0.3


def test_which_log_lacks_the_channel_is_said() -> None:
    logs = poorer(Role.COOLANT)
    logs[1] = replace(logs[1], name="second.csv")
    told = [i.what for i in solve(logs, small_vehicle(80.0), SETTINGS).inferred]
    assert "Coolant in second.csv" in told
    assert "Coolant" in [i.what for i in solve(logs[1:], small_vehicle(80.0), SETTINGS).inferred]


def test_a_log_without_coolant_waits_for_its_own_loop_to_close() -> None:
    """Beside a log with coolant; feedback of the second one comes on after 50 s and warmth is believed 60 s
    later.
    """
    plain = steady_states(1.0, 2.0)
    stft = np.where(plain.time_s > 50.0, np.sin(plain.time_s), 0.0)
    late = replace(
        without(plain, Role.COOLANT),
        channels={**without(plain, Role.COOLANT).channels, Role.STFT: stft},
    )
    solution = solve([plain, late], small_vehicle(), SETTINGS)
    assert solution.sifted.seconds["cold"] == pytest.approx(109.0, abs=1.5)
