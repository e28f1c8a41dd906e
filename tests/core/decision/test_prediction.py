"""What is due: no more than was seen where nothing gets worse, and more where something does."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.decision.prediction import predict_residual
from lean_trim.core.pipeline.solve import Solution


def test_the_same_table_is_due_to_show_the_same_where_errors_are_large(
    heron_solution: Solution,
) -> None:
    """Once seen after a good round: 0.7 % off, and 0.9 ± 0.1 % due."""
    table = heron_solution.estimate.table
    flat = replace(
        heron_solution.estimate,
        correction_pct=np.where(np.isfinite(heron_solution.estimate.correction_pct), 0.1, np.nan),
    )
    found = predict_residual(flat, table.values, measured_rms=0.3)
    assert found is not None and found[0] == pytest.approx(0.3)
    better = predict_residual(flat, table.values * 1.001, measured_rms=0.3)
    assert better is not None and better[0] < 0.3


def test_a_table_that_is_spoilt_is_due_to_show_it(heron_solution: Solution) -> None:
    values = heron_solution.estimate.table.values
    measured = heron_solution.residual.rms
    found = predict_residual(heron_solution.estimate, values * 0.8, measured)
    assert found is not None and found[0] > 15.0


def test_a_correction_that_is_written_is_due_to_help(heron_solution: Solution) -> None:
    estimate = heron_solution.estimate
    wanted = estimate.table.values * (1.0 + np.nan_to_num(estimate.correction_pct) / 100.0)
    measured = heron_solution.residual.rms
    found = predict_residual(estimate, wanted, measured)
    assert found is not None and found[0] < 0.5 * measured
