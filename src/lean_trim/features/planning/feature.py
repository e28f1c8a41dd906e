"""Planning the next drive, declared."""

from __future__ import annotations

from lean_trim.features.feature import Feature
from lean_trim.features.planning.command import COMMAND

PLANNING = Feature(name="planning", commands=(COMMAND,))
