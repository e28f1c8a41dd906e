"""The film of a cold engine on a simulated cold start, against what the simulated walls do."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline.solve import solve
from lean_trim.core.pipeline.transients import TransientReport, transients_of
from lean_trim.core.transients.cold_film import fit_cold_film
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.truth import truth_for


@pytest.mark.slow
def test_a_cold_start_tells_more_film_and_a_slower_one(heron_vehicle: Vehicle) -> None:
    truth = replace(truth_for(heron_vehicle), start_coolant_c=5.0)
    report = transients_of(solve([simulate(heron_vehicle, 2, 10.0, truth)], heron_vehicle))
    warm = report.film
    cold = report.cold_film
    assert warm.known and cold is not None and cold.coolant_c < 55.0
    share, tau = truth.wall(cold.coolant_c, warm.map_kpa)
    assert abs(cold.share - share) < min(2.5 * cold.share_se, 0.05)
    assert abs(cold.tau_s - tau) < 2.5 * cold.tau_se_s
    # It is told from the warm one, not only allowed to differ.
    assert cold.share > warm.share + 0.03 and cold.tau_s > 1.2 * warm.tau_s


def test_without_cold_changes_nothing_is_said(heron_transients: TransientReport) -> None:
    assert fit_cold_film(None, np.empty(0), heron_transients.film) is None
