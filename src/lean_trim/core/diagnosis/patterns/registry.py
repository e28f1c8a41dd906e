"""Every pattern that is looked for in what a drive needs; a new one is a file here and a line below."""

from __future__ import annotations

from lean_trim.core.diagnosis.patterns import (
    after_flash,
    air_temperature,
    altitude,
    dead_time,
    drift,
    exhaust_leak,
    extra_fuel,
    injector_flow,
    intake_leak,
    unseen_sag,
)
from lean_trim.core.diagnosis.patterns.pattern import Pattern

PATTERNS: tuple[Pattern, ...] = (
    injector_flow.PATTERN,
    dead_time.PATTERN,
    intake_leak.PATTERN,
    exhaust_leak.PATTERN,
    unseen_sag.PATTERN,
    extra_fuel.PATTERN,
    after_flash.PATTERN,
    air_temperature.PATTERN,
    altitude.PATTERN,
    drift.PATTERN,
)
