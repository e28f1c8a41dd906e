"""A workspace without a window."""

from __future__ import annotations

from tests.race.conftest import bench, driven, driven_bench

__all__ = ["bench", "driven", "driven_bench"]
