"""Recording, declared."""

from __future__ import annotations

from lean_trim.features.feature import Feature
from lean_trim.features.recording.command import COMMAND

RECORDING = Feature(name="recording", commands=(COMMAND,))
