"""A log that holds injector duty but no pulse width."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.inference import infer
from lean_trim.core.drive.conditions import make_conditions
from lean_trim.core.drive.duty import bears_out, duty_will_do, with_width_from_duty
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.physics import duty_pct
from lean_trim.core.pipeline.solve import solve
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import Faults
from lean_trim.simcar.judge import rms_where_driven
from lean_trim.simcar.truth import truth_for
from tests.builders import small_vehicle, steady_states, with_channel, without


def duty_only(log: Log, decimals: int = 1, factor: float = 1.0) -> Log:
    duty = np.round(factor * duty_pct(log[Role.PULSE_WIDTH], log[Role.RPM]), decimals)
    return without(with_channel(log, Role.DUTY, duty), Role.PULSE_WIDTH)


def test_pulse_width_comes_back_from_duty_within_its_rounding() -> None:
    log = steady_states()
    back = with_width_from_duty(duty_only(log))[Role.PULSE_WIDTH]
    known = np.isfinite(back)
    assert known.mean() > 0.9
    np.testing.assert_allclose(back[known], log[Role.PULSE_WIDTH][known], rtol=0.016)
    coarse = with_width_from_duty(duty_only(log, 0))[Role.PULSE_WIDTH]
    assert np.isfinite(coarse).mean() < 0.5


def test_no_duty_is_no_fuel() -> None:
    log = steady_states()
    cut = with_channel(
        log, Role.PULSE_WIDTH, np.where(np.arange(len(log)) < 500, 0.0, log[Role.PULSE_WIDTH])
    )
    assert (with_width_from_duty(duty_only(cut))[Role.PULSE_WIDTH][:500] == 0.0).all()


def test_duty_is_used_and_named_where_it_fits_the_calibration() -> None:
    log = duty_only(steady_states())
    frame = make_frame(log, small_vehicle())
    assert frame.width_from_duty
    assert np.nanmedian(frame.fuel_ratio) == pytest.approx(1.0, abs=0.005)
    named = {i.what: i for i in infer(make_conditions(Motion(frame), log[Role.LAMBDA]))}
    assert "duty" in named["Pulse width"].taken
    assert named["Pulse width"].trust == "sure"


@pytest.mark.parametrize("factor", [0.5, 2.0, 1.2])
def test_duty_of_another_meaning_is_not_used(factor: float) -> None:
    """Some units count one opening in every revolution, or a duty of their own."""
    frame = make_frame(duty_only(steady_states(), factor=factor), small_vehicle())
    assert not frame.width_from_duty
    assert Role.PULSE_WIDTH not in frame.log


def test_duty_is_not_tried_where_pulse_width_is_there_or_a_trim_is_not() -> None:
    both = with_channel(steady_states(), Role.DUTY, 20.0)
    assert not duty_will_do(both)
    assert duty_will_do(without(both, Role.PULSE_WIDTH))
    assert not duty_will_do(without(both, Role.PULSE_WIDTH, Role.LTFT))
    assert not bears_out(np.full(5, np.nan))


@pytest.mark.slow
def test_duty_keeps_fuel_the_target_does_not_name_out_of_the_table(heron_vehicle: Vehicle) -> None:
    """Ten percent more fuel at full throttle.

    Without pulse width and duty the table would be leaned by it.
    """
    log = simulate(heron_vehicle, seed=1, minutes=5.0, faults=Faults(hidden_rich_pct=10.0))
    by_duty = solve([without(log, Role.PULSE_WIDTH)], heron_vehicle)
    blind = solve([without(log, Role.PULSE_WIDTH, Role.DUTY)], heron_vehicle)
    off = []
    for solution in (by_duty, blind):
        wanted = 1.0 + np.nan_to_num(solution.estimate.correction_pct) / 100.0
        table = replace(heron_vehicle.table, values=heron_vehicle.table.values * wanted)
        off.append(rms_where_driven(table, by_duty, truth_for(heron_vehicle)))
    assert off[0] < 1.0 < 2.0 < off[1]
