"""Patterns planted in a drive over many states: each is named, with its size; a table's own error is not."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.decision.proposal import PolicySettings, Status
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.patterns.intake_leak import leak_share
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.height import filling_by_height
from lean_trim.core.drive.open_time import open_time_ms
from lean_trim.core.pipeline.patterns import find_patterns
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.core.pipeline.summary import summary_of
from tests.builders import make_log, small_vehicle, steady_states, with_channel, without

NOISE = 0.003


def driven_with(k: np.ndarray, log: Log | None = None) -> Log:
    base = log or steady_states()
    rng = np.random.default_rng(5)
    made = make_log(base.time_s, base[Role.RPM], base[Role.MAP], k, NOISE, rng)
    kept = {r: v for r, v in base.channels.items() if r in (Role.IAT, Role.BARO)}
    return replace(made, channels={**made.channels, **kept})


def solved(log: Log) -> Solution:
    return solve([log], small_vehicle())


def patterns_in(log: Log) -> dict[str, Finding]:
    seen = solved(log).seen
    return {f.id: f for f in seen.findings if f.id in seen.shown}


def number_in(pattern: str, finding: Finding) -> float:
    found = re.search(pattern, finding.message)
    assert found is not None, finding.message
    return float(found.group(1))


def flow_of(log: Log) -> np.ndarray:
    return make_frame(log, small_vehicle()).flow_g_per_s


def shuffled() -> Log:
    """The states in no order, so that time and state have nothing to do with each other."""
    base = steady_states()
    block = np.random.default_rng(2).permutation(len(base) // 100)
    order = (block[:, None] * 100 + np.arange(100)).ravel()
    rpm = base[Role.RPM][order]
    pressure = base[Role.MAP][order]
    return make_log(base.time_s[: len(rpm)], rpm, pressure)


def test_a_table_that_is_wrong_in_its_own_way_is_quiet() -> None:
    base = steady_states()
    x = base[Role.RPM] / 6000.0
    y = base[Role.MAP] / 100.0
    hills = 1.0 + 0.05 * np.sin(3.0 * x + 1.0) * np.cos(2.5 * y) + 0.03
    assert patterns_in(driven_with(hills)) == {}
    assert patterns_in(driven_with(np.ones(len(base)))) == {}


def test_the_same_percentage_everywhere_is_no_shape_of_a_table() -> None:
    found = patterns_in(driven_with(np.full(len(steady_states()), 1.3)))
    told = found["injector_flow"]
    # The table's own level may be off by 8 %, and takes its share of the 26 %.
    assert 22.0 <= number_in(r"needs ([-+]\d+) %", told) <= 27.0
    assert told.next_step is not None and "Injectors desk" in str(told.next_step)


def test_a_dead_time_shows_as_a_percentage_that_grows_as_pulses_shorten() -> None:
    base = steady_states()
    open_ms = open_time_ms(make_frame(base, small_vehicle()))
    found = patterns_in(driven_with(1.0 / (1.0 - 0.4 / open_ms)))
    told = found.get("dead_time") or next(f for f in found.values() if "dead_time" in f.alike)
    assert told.probability > 0.7


def test_air_in_the_exhaust_reads_lean_at_low_flow() -> None:
    flow = flow_of(steady_states())
    found = patterns_in(driven_with(1.0 + 0.2 * flow.min() / flow))
    told = found.get("exhaust_leak") or next(f for f in found.values() if "exhaust_leak" in f.alike)
    assert told.probability > 0.7


def test_lean_that_grows_with_flow_may_be_a_pump_where_no_pressure_was_logged() -> None:
    base = steady_states()
    flow = flow_of(base)
    lean = 1.0 + 0.2 * np.clip(flow / flow.max() - 0.35, 0.0, None) / 0.65
    log = without(driven_with(lean), Role.FUEL_DP)
    found = solved(log).seen
    assert "unseen_sag" in found.shown
    # What it says of its samples is so: nothing is leaned where it shows.
    told = next(f for f in found.findings if f.id == "unseen_sag")
    assert told.samples == "count_no_leaner" and found.unsettled.any()
    logged = with_channel(log, Role.FUEL_DP, 300.0)
    assert "unseen_sag" not in patterns_in(logged)


def test_what_goes_with_intake_air_at_equal_states_is_weighed_per_ten_kelvin() -> None:
    base = shuffled()
    swing = 12.0 * np.sin(2.0 * np.pi * base.time_s / 97.0)
    warm = with_channel(base, Role.IAT, 30.0 + swing)
    # Without a pulse width nothing but trims and lambda speaks of the fuel.
    log = without(driven_with(np.exp(0.03 * swing / 10.0), warm), Role.PULSE_WIDTH, Role.DUTY)
    solution = solved(log)
    prepared = solution.prepared
    report = find_patterns(prepared, prepared.observe(solution.sifted), solution.estimate, 0.2)
    assert report.evidence is not None
    weighed = dict(zip([p.id for p in report.patterns], report.evidence.weigh(), strict=True))
    heat = weighed["air_temperature"]
    assert (
        heat.log_factor
        > 2.0
        > max(w.log_factor for n, w in weighed.items() if n != "air_temperature")
    )
    assert abs(heat.coefficient - 0.03) < 2.0 * heat.std_error < 0.03


def climbed(per_10_kpa: float) -> Log:
    base = shuffled()
    climb = 7.0 * np.sin(2.0 * np.pi * base.time_s / 211.0)
    high = with_channel(base, Role.BARO, 92.0 + climb)
    by_law = filling_by_height(high, small_vehicle())
    assert by_law is not None
    return driven_with(by_law * np.exp(per_10_kpa * climb / 10.0), high)


def test_the_larger_an_effect_in_time_the_surer_it_is() -> None:
    def factor(log: Log) -> float:
        solution = solved(log)
        prepared = solution.prepared
        report = find_patterns(prepared, prepared.observe(solution.sifted), solution.estimate, 0.2)
        assert report.evidence is not None
        which = [p.id for p in report.patterns].index("altitude")
        return report.evidence.weigh()[which].log_factor

    # A fit that does not know it takes a large effect for noise that lasts, and would hide it in
    # that.
    slight, large = (factor(climbed(size)) for size in (-0.03, -0.06))
    assert large > 2.0 * slight > 8.0


def test_what_goes_with_the_barometer_is_told_per_ten_kilopascal() -> None:
    told = patterns_in(climbed(-0.05))["altitude"]
    assert number_in(r"by ([-+][\d.]+) % per 10 kPa", told) == pytest.approx(-5.0, abs=0.8)


def test_rich_first_minutes_are_told_and_nothing_is_leaned_for_them() -> None:
    base = shuffled()
    rich = 1.0 - 0.1 * np.exp(-base.time_s / 110.0)
    solution = solved(driven_with(rich, base))
    assert "after_flash" in solution.seen.shown
    unsettled = solution.seen.unsettled
    assert unsettled.any()
    summary = summary_of(solution)
    asked = replace(summary.estimate, correction_pct=np.full(unsettled.shape, -9.0))
    proposal = propose_for(replace(summary, estimate=asked), PolicySettings())
    assert (proposal.status[unsettled] == Status.FAULT).all()
    assert (
        not (proposal.step_pct[unsettled] < 0.0).any()
        and (proposal.step_pct[~unsettled] < 0.0).all()
    )


def test_a_leak_is_an_orifice() -> None:
    share = leak_share(np.array([0.2, 0.5, 0.53, 0.8, 1.0, 1.5]))
    np.testing.assert_allclose(share[:3], 1.0)
    assert 0.0 < share[3] < 1.0 and share[4] == pytest.approx(0.0, abs=1e-9) and share[5] < 0.0


def test_evidence_of_a_pattern_is_where_it_is_strongest() -> None:
    flow = flow_of(steady_states())
    solution = solved(driven_with(1.0 + 0.2 * flow.min() / flow))
    shown = next(iter(solution.seen.shown.values()))
    assert shown.any() and flow[shown].max() < np.median(flow)
