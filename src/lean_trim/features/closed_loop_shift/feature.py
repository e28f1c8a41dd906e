"""The shift, declared."""

from __future__ import annotations

from lean_trim.features.closed_loop_shift.command import COMMAND
from lean_trim.features.feature import Feature

CLOSED_LOOP_SHIFT = Feature(name="closed_loop_shift", commands=(COMMAND,))
