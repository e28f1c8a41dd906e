"""Which airflow model was in force: by flag, rule, the user's word, or what the pulse width shows."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import AirflowSourceSettings, Vehicle
from lean_trim.core.drive.airflow_source import AirflowSource, read_airflow_source
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.errors import BadInputError
from lean_trim.core.pipeline.solve import SolveSettings, solve
from lean_trim.core.sieve.sieve import SieveSettings
from tests.builders import maf_vehicle, small_vehicle, steady_states, with_channel

LOG = steady_states(1.06, seconds=3.0, noise=0.003)
LOW = LOG[Role.RPM] < 3000.0


def reading(
    log: Log, settings: AirflowSourceSettings | None = None, vehicle: Vehicle | None = None
) -> AirflowSource:
    motion = Motion(make_frame(log, vehicle or small_vehicle()))
    return read_airflow_source(motion, settings or AirflowSourceSettings())


def test_a_logged_flag_is_taken_and_turned_round_for_the_curve() -> None:
    log = with_channel(LOG, Role.AIRFLOW_SOURCE, np.where(LOW, 0.0, 1.0))
    ve = reading(log)
    assert ve.how == "flag"
    np.testing.assert_array_equal(ve.share, LOW)
    maf = reading(with_channel(log, Role.MAF_HZ, 3000.0), vehicle=maf_vehicle())
    np.testing.assert_array_equal(maf.share, ~LOW)


def test_the_rule_puts_the_table_in_force_below_an_engine_speed() -> None:
    found = reading(LOG, AirflowSourceSettings("rule", ve_below_rpm=3000.0))
    np.testing.assert_array_equal(found.share, LOW)
    word = reading(with_channel(LOG, Role.AIRFLOW_SOURCE, 1.0), AirflowSourceSettings("table"))
    assert (word.share == 1.0).all()
    with pytest.raises(BadInputError, match="no channel for the airflow source"):
        reading(LOG, AirflowSourceSettings("flag"))


def blended_by_pulse_width() -> Log:
    """Above 3000 rpm the pulse width follows a mass-airflow sensor that reads 12 % more than the VE table
    believes.
    """
    frame = make_frame(LOG, small_vehicle())
    flow = frame.flow_g_per_s * np.where(LOW, 1.08, 1.12)
    dead = small_vehicle().injectors.dead_time_at(13.8)
    width = LOG[Role.PULSE_WIDTH]
    width = np.where(LOW, width, (width - dead) * 1.12 + dead)
    return with_channel(with_channel(LOG, Role.MAF_FLOW, flow), Role.PULSE_WIDTH, width)


def test_pulse_width_shows_which_airflow_it_was_made_from() -> None:
    found = reading(blended_by_pulse_width())
    assert found.how == "pulse width"
    assert np.mean(found.share[~LOW] == 0.0) > 0.95
    assert np.mean(found.share[LOW] == 1.0) > 0.9
    assert found.sure > 0.95
    assert reading(with_channel(LOG, Role.MAF_FLOW, 50.0)).how == "assumed"


def test_samples_of_the_other_source_do_not_count() -> None:
    """Above 3000 rpm the sensor was in force and its error of +20 % must not reach the table's +6 %."""
    lam = LOG[Role.LAMBDA] * np.where(LOW, 1.0, 1.2)
    log = with_channel(
        with_channel(LOG, Role.LAMBDA, lam), Role.AIRFLOW_SOURCE, np.where(LOW, 0.0, 1.0)
    )
    settings = SolveSettings(fit_delay=False, sieve=SieveSettings(disabled=frozenset({"starting"})))
    solution = solve([log], small_vehicle(), settings)
    assert solution.sifted.counts["other_source"] >= (~LOW).sum()
    assert np.nanmax(solution.estimate.correction_pct[solution.estimate.supported]) < 8.0
    fooled = replace(
        settings, sieve=SieveSettings(disabled=frozenset({"starting", "other_source"}))
    )
    assert np.nanmax(solve([log], small_vehicle(), fooled).estimate.correction_pct) > 15.0
