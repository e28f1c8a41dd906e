"""The simulated car's command, declared."""

from __future__ import annotations

from lean_trim.features.feature import Feature
from lean_trim.features.simulation.command import COMMAND

SIMULATION = Feature(name="simulation", commands=(COMMAND,))
