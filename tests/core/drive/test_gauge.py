"""What a narrowband loop says of the wideband beside it, and what all cells share by their gauge."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.of_fit import gauge_in_question, gauge_off
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.gauge import PRIOR, Gauge, GaugeWord, read_gauge
from tests.builders import small_vehicle, steady_states, with_channel


def beside(reads: float, closed: bool = True) -> Log:
    """A narrowband loop that swings about 1, and a wideband that reads so much of it."""
    log = steady_states(1.0)
    rng = np.random.default_rng(4)
    swing = 3.0 * np.sin(2.0 * np.pi * log.time_s / 1.5)
    log = with_channel(log, Role.STFT, np.round(swing, 2))
    log = with_channel(log, Role.CLOSED_LOOP, float(closed))
    truth = 1.0 + 0.01 * np.sin(2.0 * np.pi * log.time_s / 1.5 + 1.0)
    noise = 1.0 + 0.004 * rng.standard_normal(len(log))
    return with_channel(log, Role.LAMBDA, reads * truth * noise)


NARROW = small_vehicle(feedback="narrowband")


@pytest.mark.parametrize("reads", [0.97, 0.985, 1.0, 1.02])
def test_the_loop_tells_the_gauges_error(reads: float) -> None:
    gauge = make_frame(beside(reads), NARROW).gauge
    assert gauge.is_known
    assert gauge.error == pytest.approx(reads - 1.0, abs=2.0 * gauge.std_error)
    # Never beyond what was read: the prior is about a gauge that is right.
    assert abs(gauge.error) <= abs(gauge.mean - 1.0) + 1e-9


def test_a_gauge_that_reads_rich_is_put_right_everywhere_and_a_lean_one_where_the_loop_works() -> (
    None
):
    half = beside(0.97)
    open_at = half[Role.MAP] > 70.0
    for reads, at_load in ((0.97, 1.0 / 0.97), (1.03, 1.0)):
        log = beside(reads)
        log = with_channel(log, Role.CLOSED_LOOP, (~open_at).astype(float))
        log = with_channel(log, Role.STFT, np.where(open_at, 0.0, log[Role.STFT]))
        frame = make_frame(log, NARROW)
        ratio = frame.log[Role.LAMBDA] / log[Role.LAMBDA]
        assert np.median(ratio[open_at]) == pytest.approx(at_load, abs=0.006)
        assert np.median(ratio[~open_at]) == pytest.approx(1.0 / reads, abs=0.006)


@pytest.mark.parametrize(
    ("word", "at_load", "in_loop"),
    [("unsaid", 1.0, 1.0 / 1.07), ("off", 1.0 / 1.07, 1.0 / 1.07), ("right", 1.0, 1.0)],
)
def test_what_the_user_says_of_a_gauge_that_reads_lean_decides_where_it_is_put_right(
    word: GaugeWord, at_load: float, in_loop: float
) -> None:
    log = beside(1.07)
    open_at = log[Role.MAP] > 70.0
    log = with_channel(log, Role.CLOSED_LOOP, (~open_at).astype(float))
    log = with_channel(log, Role.STFT, np.where(open_at, 0.0, log[Role.STFT]))
    frame = make_frame(log, NARROW, gauge_word=word)
    ratio = frame.log[Role.LAMBDA] / log[Role.LAMBDA]
    assert np.median(ratio[open_at]) == pytest.approx(at_load, abs=0.006)
    assert np.median(ratio[~open_at]) == pytest.approx(in_loop, abs=0.006)
    assert frame.gauge.is_asked == (word == "unsaid")
    assert (gauge_in_question([told_of(frame.gauge)]) is None) != (word == "unsaid")


@pytest.mark.parametrize(("reads", "asked"), [(1.055, False), (0.935, True), (1.065, True)])
def test_gauge_or_loop_is_asked_from_six_percent(reads: float, asked: bool) -> None:
    gauge = make_frame(beside(reads), NARROW).gauge
    assert gauge.is_asked == asked
    assert (told_of(gauge).severity == "danger") == asked


def told_of(gauge: Gauge) -> Finding:
    found = gauge_off(gauge)
    assert found is not None
    return found


def test_without_a_narrowband_loop_only_the_prior_is_known() -> None:
    for log, vehicle in ((beside(0.97), small_vehicle()), (beside(0.97, closed=False), NARROW)):
        gauge = read_gauge(log, vehicle, np.ones(len(log)))
        assert not gauge.is_known and gauge.error == 0.0 and gauge.std_error == PRIOR


def test_what_all_cells_share_is_larger_where_rich_is_wanted() -> None:
    """One percent at lambda 1, one and a half at 0.75 (common practice, no source)."""
    shared = Gauge().error_at(np.array([1.0, 0.875, 0.75, 0.6]))
    assert shared[0] == pytest.approx(0.01) and shared[2] == pytest.approx(0.015)
    assert shared[0] < shared[1] < shared[2] == shared[3]
    known = Gauge(error=-0.03, std_error=0.003, mean=0.97, seconds=300.0)
    assert known.error_at(np.array([1.0]))[0] == pytest.approx(0.003)
