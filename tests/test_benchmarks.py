"""Benchmarks and campaigns run at small size, so that none is broken for long before it is missed."""

from __future__ import annotations

import importlib
import subprocess
import sys
from pathlib import Path

import pytest

from campaigns.runner import NAMES, load

ROOT = Path(__file__).resolve().parents[1]
SMALL = {
    "solve_speed": ("ROWS, b.MINUTES = 20_000, 3.0", "1"),
    "tape_speed": ("ROWS = 40_000", ""),
    "drag_speed": ("ROWS, b.MINUTES = 8_000, 5.0", ""),
    "import_speed": ("ROWS = 20_000", ""),
    "pulls_pan": ("STEPS = 3", ""),
    "command_speed": ("MINUTES, b.REPEATS = 4.0, 1", ""),
    "first_window": ("LIMIT_S = 0.8", "1"),
    "faults": ("SEEDS, b.MINUTES = (1,), 4.0", "battery"),
}
"""How each benchmark is made small, and the words it is called with."""
OTHERS = {"ablations", "cases", "fleet_ablations", "missing_channels"}
"""Those that need the cases of a bench; what they call is tested with it."""


@pytest.mark.slow
@pytest.mark.parametrize("name", SMALL)
def test_a_benchmark_runs_at_small_size(name: str) -> None:
    change, word = SMALL[name]
    code = (
        f"import sys, benchmarks.{name} as b; b.{change}; sys.argv[1:] = {word.split()!r}; b.main()"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, timeout=200.0
    )
    assert done.returncode == 0, done.stderr[-2000:]
    assert any(c.isdigit() for c in done.stdout)


def test_every_benchmark_is_run_or_named_as_one_that_cannot_be() -> None:
    found = {p.stem for p in (ROOT / "benchmarks").glob("*.py")} - {"__init__"}
    assert found == set(SMALL) | OTHERS
    for name in OTHERS:
        importlib.import_module(f"benchmarks.{name}")


@pytest.mark.parametrize("name", NAMES)
def test_every_campaign_can_be_begun(name: str) -> None:
    campaign = load(name)
    assert campaign.count > 0 and campaign.title
