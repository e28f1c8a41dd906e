"""How much fuel quick changes got and needed, and in which time it fades."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.kernels.fuel_loops import faded_anew
from lean_trim.core.pipeline.solve import DrivenLog, solve
from lean_trim.core.pipeline.transients import TransientReport, transients_of
from lean_trim.core.transients.errors import GRID
from lean_trim.core.transients.events import Kind
from lean_trim.core.transients.needed import amount_of


def test_an_amount_is_the_peak_and_its_decay_the_area() -> None:
    fading = np.where(GRID >= 0.0, 20.0 * np.exp(-GRID / 0.3), 0.0)
    found = amount_of(fading, 1.0)
    assert found.percent == pytest.approx(20.0, rel=0.01)
    # To a tenth of the peak an exponential has 0.9 of its area.
    assert found.decay_s == pytest.approx(0.3 * 0.9, rel=0.12)
    assert amount_of(-fading, 1.0).is_none
    assert amount_of(-fading, -1.0).percent == pytest.approx(-20.0, rel=0.01)


def test_fuel_that_fades_anew_keeps_what_is_added_and_lasts_as_long_as_it_is_told() -> None:
    time = np.arange(0.0, 2.0, 0.02)
    rises = np.minimum(time / 0.2, 1.0) * 20.0
    fades = np.where(time > 0.2, 20.0 * np.exp(-(time - 0.2) / 0.4), rises)
    for new in (0.2, 0.8):
        found = faded_anew(time, fades, 0.4, new)
        assert found.max() == pytest.approx(20.0, rel=0.02)
        late = time > 0.4
        expected = 20.0 * np.exp(-(time[late] - 0.2) / new)
        np.testing.assert_allclose(found[late], expected, atol=1.5)
    np.testing.assert_allclose(faded_anew(time, fades, 0.4, 0.4), fades, atol=1e-9)


def test_warm_up_idle_and_sentences_of_herons_first_drive(
    heron_transients: TransientReport,
) -> None:
    report = heron_transients
    assert report.missing is None and len(report.events) > 80
    warm = [b for b in report.warm_up if b.at_c > 80.0]
    cold = [b for b in report.warm_up if b.at_c < 50.0]
    # Its ECU enriches by 0.34 % per kelvin below 72 °C; nothing of that stays unburnt.
    assert abs(warm[0].error_pct) < 1.0
    assert cold and cold[0].error_pct == pytest.approx(
        -100.0 * (1.0 - 1.0 / (1.0 + 0.0034 * (72.0 - 35.0))), abs=2.5
    )
    assert report.idle is not None and abs(report.idle.error_pct) < 2.0
    assert {str(c.said) for c in report.changes}
    assert all(c.of.key.kind is not Kind.SHIFT for c in report.changes)


@pytest.mark.slow
def test_a_log_of_another_table_shows_the_same_quick_changes(
    heron_vehicle: Vehicle, heron_log: Log, heron_transients: TransientReport
) -> None:
    """Joined with a later drive, an earlier log is read by the table it was driven on."""
    other = heron_vehicle.table.with_values(0.8 * heron_vehicle.table.values)
    alone = heron_transients
    # The same drive taken for one on the present table's elder brother: only the table to correct
    # differs.
    again = transients_of(
        solve([DrivenLog(heron_log, heron_vehicle.table)], heron_vehicle.with_table(other))
    )
    assert abs(again.film.share - alone.film.share) < min(alone.film.share_se, 0.02)
    assert abs(again.film.tau_s - alone.film.tau_s) < alone.film.tau_se_s
    assert [c.key for c in again.classes] == [c.key for c in alone.classes]
    pairs = zip(again.classes, alone.classes, strict=True)
    apart = np.abs(np.concatenate([one.mean_pct - two.mean_pct for one, two in pairs]))
    assert np.nanmedian(apart) < 0.7 and np.nanpercentile(apart, 95.0) < 3.0
    for mine, yours in zip(again.changes, alone.changes, strict=True):
        assert mine.given.percent == pytest.approx(yours.given.percent, abs=3.0)
