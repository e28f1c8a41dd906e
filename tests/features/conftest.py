"""The window of tests/ui, and the workspace of tests/race beside it."""

from __future__ import annotations

from tests.race.conftest import bench, driven_bench
from tests.ui.conftest import driven, until, window

__all__ = ["bench", "driven", "driven_bench", "until", "window"]
