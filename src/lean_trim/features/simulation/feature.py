"""The simulated car's commands, declared."""

from __future__ import annotations

from lean_trim.features.feature import Feature
from lean_trim.features.simulation.command import COMMAND
from lean_trim.features.simulation.stand_in_command import COMMAND as STAND_IN

SIMULATION = Feature(name="simulation", commands=(COMMAND, STAND_IN))
