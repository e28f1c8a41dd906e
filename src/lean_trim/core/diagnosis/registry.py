"""Every fault that is looked for in a log; a new one is a file of ``faults`` and a line here."""

from __future__ import annotations

from lean_trim.core.diagnosis.faults import (
    airflow_sensor_end,
    channels_missing,
    enrichment_not_reached,
    feedback_swings,
    free_air,
    fuel_pressure,
    hidden_enrichment,
    impossible_readings,
    injector_duty,
    injectors_full_open,
    knock,
    lambda_at_its_end,
    lean_full_throttle,
    log_too_slow,
    low_voltage,
    misfire,
    other_calibration,
    regulator,
    sensor_drops_out,
    sensor_not_ready,
    sensor_stuck,
    target_swings,
    trim_at_full_throttle,
    trim_at_limit,
)
from lean_trim.core.diagnosis.finding import Fault

FAULTS: tuple[Fault, ...] = (
    lean_full_throttle.FAULT,
    lambda_at_its_end.FAULT,
    knock.FAULT,
    regulator.FAULT,
    fuel_pressure.FAULT,
    sensor_not_ready.FAULT,
    sensor_stuck.FAULT,
    sensor_drops_out.FAULT,
    free_air.FAULT,
    injectors_full_open.FAULT,
    injector_duty.FAULT,
    low_voltage.FAULT,
    airflow_sensor_end.FAULT,
    misfire.FAULT,
    enrichment_not_reached.FAULT,
    trim_at_full_throttle.FAULT,
    hidden_enrichment.FAULT,
    trim_at_limit.FAULT,
    feedback_swings.FAULT,
    target_swings.FAULT,
    other_calibration.FAULT,
    log_too_slow.FAULT,
    channels_missing.FAULT,
    impossible_readings.FAULT,
)
"""In the order in which what was seen at the same time is told."""
