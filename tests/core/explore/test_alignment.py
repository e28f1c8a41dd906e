"""The picture of the delay: measured lambda lies on the expected one only if the delay is right."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.drive.delay import DelaySettings
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.estimation.delay_fit import DelayEstimate, estimate_delay
from lean_trim.core.explore.alignment import GRID_S, SHOWN, Kind, align_moments
from tests.builders import make_log, small_vehicle
from tests.core.estimation.test_delay_fit import TIME, N, cut_drive


def test_cuts_and_returns_are_told_apart_and_begin_at_zero() -> None:
    frame = cut_drive(4.0, 0.1, cut_s=5.0)
    picture = align_moments(frame, estimate_delay(frame, DelaySettings(), np.ones(N)), np.ones(N))
    assert picture is not None
    assert picture.of(Kind.CUT).sum() + picture.of(Kind.BACK).sum() == len(picture.kinds)
    assert min(picture.of(Kind.CUT).sum(), picture.of(Kind.BACK).sum()) > 5
    before = GRID_S < -0.05
    assert picture.cylinder[picture.of(Kind.CUT)][:, before].max() < 1.1
    assert (picture.cylinder[picture.of(Kind.BACK)][:, before] == SHOWN[1]).all()


@pytest.mark.parametrize("error", [0.5, 2.0])
def test_only_the_right_delay_brings_the_traces_together(error: float) -> None:
    frame = cut_drive(6.0, 0.08)
    right = DelayEstimate(DelaySettings(1.0, 6.0, 0.08), True)
    wrong = replace(right, settings=DelaySettings(1.0, 6.0 * error, 0.08))
    good = align_moments(frame, right, np.ones(N))
    bad = align_moments(frame, wrong, np.ones(N))
    assert good is not None
    assert bad is not None
    assert good.gap_after.mean() < 0.2 * good.gap_before.mean()
    assert bad.gap_after.mean() > 3.0 * good.gap_after.mean()


def test_a_steady_drive_has_no_picture() -> None:
    frame = make_frame(make_log(TIME, np.full(N, 2500.0), np.full(N, 55.0)), small_vehicle())
    assert align_moments(frame, DelayEstimate(DelaySettings(), False), np.ones(N)) is None
