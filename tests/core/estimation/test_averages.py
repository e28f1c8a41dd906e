"""Cell averages against a statistics package."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from lean_trim.core.drive.frame import make_frame
from lean_trim.core.estimation.averages import AverageSettings, average_cells, trimmed_mean
from lean_trim.core.estimation.observations import observe
from tests.builders import MAP, RPM, small_vehicle, steady_states


@given(st.lists(st.floats(-10, 10), min_size=1, max_size=60), st.floats(0.0, 0.45))
def test_trimmed_mean_agrees_with_scipy(values: list[float], share: float) -> None:
    assert trimmed_mean(np.array(values), share) == pytest.approx(
        stats.trim_mean(values, share), abs=1e-9
    )


def test_untrimmed_averages_agree_with_binned_means() -> None:
    """scipy.stats.binned_statistic_2d on the same samples, bins at the midpoints between axis points."""
    vehicle = small_vehicle()
    frame = make_frame(steady_states(1.05, noise=0.02), vehicle)
    observations = observe(
        frame, frame.log.channels["lambda_measured"], np.ones(len(frame.log), bool)
    )  # type: ignore[index]
    estimate = average_cells(
        observations,
        vehicle.table,
        frame.coordinates,
        frame.log.time_s,
        AverageSettings(trim_share=0.0),
    )

    def edges(axis: np.ndarray) -> np.ndarray:
        return np.concatenate([[-np.inf], (axis[1:] + axis[:-1]) / 2, [np.inf]])

    binned = stats.binned_statistic_2d(
        frame.coordinates[0], frame.coordinates[1], observations.k, "mean", [edges(MAP), edges(RPM)]
    )
    seen = np.isfinite(binned.statistic)
    np.testing.assert_allclose(
        estimate.correction_pct[seen], 100 * (binned.statistic[seen] - 1), atol=1e-9
    )


def test_cells_need_seconds_and_the_window_narrows_them() -> None:
    vehicle = small_vehicle()
    frame = make_frame(steady_states(), vehicle)
    observations = observe(frame, np.ones(len(frame.log)), np.ones(len(frame.log), bool))
    wide = average_cells(
        observations, vehicle.table, frame.coordinates, frame.log.time_s, AverageSettings()
    )
    narrow = average_cells(
        observations,
        vehicle.table,
        frame.coordinates,
        frame.log.time_s,
        AverageSettings(window=0.1),
    )
    none = average_cells(
        observations,
        vehicle.table,
        frame.coordinates,
        frame.log.time_s,
        AverageSettings(min_seconds=60.0),
    )
    assert narrow.seconds.sum() < wide.seconds.sum()
    assert wide.supported.any()
    assert not none.supported.any()
