"""Benchmarks and campaigns run at small size, so that none is broken for long before it is missed."""

from __future__ import annotations

import importlib
import sys
from pathlib import Path

import pytest

from campaigns.runner import NAMES, load

ROOT = Path(__file__).resolve().parents[1]
SMALL: dict[str, tuple[dict[str, object], str]] = {
    "solve_speed": ({"ROWS": 20_000, "MINUTES": 3.0}, "1"),
    "tape_speed": ({"ROWS": 40_000, "STEPS": 12}, ""),
    "drag_speed": ({"ROWS": 8_000, "MINUTES": 3.0, "PLACES": range(40, 60, 4)}, ""),
    "import_speed": ({"ROWS": 20_000, "REPEATS": 1, "REPEATS_DRESSED": 1}, ""),
    "pulls_pan": ({"STEPS": 3}, ""),
    "command_speed": ({"MINUTES": 3.0, "REPEATS": 1, "FILES": {"12 min at 50 Hz": "two.csv"}}, ""),
    "open_speed": ({"MINUTES": 3.0, "DESKS": ("pulls", "table"), "QUIET_S": 0.05}, "2"),
    "first_window": ({"WARM_UPS": 0}, "1"),
    "faults": ({"SEEDS": (1,), "MINUTES": 3.0}, "battery"),
}
"""How each benchmark is made small, and the words it is called with."""
OTHERS = {
    "ablations",
    "cases",
    "danger_latency",
    "fleet_ablations",
    "live_speed",
    "missing_channels",
}
"""Those that need the cases of a bench, or minutes of real time; what they call is tested with it."""


@pytest.mark.slow
@pytest.mark.parametrize("name", SMALL)
def test_a_benchmark_runs_at_small_size(
    name: str, qapp: object, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    benchmark = importlib.import_module(f"benchmarks.{name}")
    sizes, words = SMALL[name]
    for constant, value in sizes.items():
        monkeypatch.setattr(benchmark, constant, value)
    monkeypatch.setattr(sys, "argv", [name, *words.split()])
    monkeypatch.chdir(ROOT)
    benchmark.main()
    assert any(c.isdigit() for c in capsys.readouterr().out)


def test_every_benchmark_is_run_or_named_as_one_that_cannot_be() -> None:
    found = {p.stem for p in (ROOT / "benchmarks").glob("*.py")} - {"__init__"}
    assert found == set(SMALL) | OTHERS
    for name in OTHERS:
        importlib.import_module(f"benchmarks.{name}")


@pytest.mark.parametrize("name", NAMES)
def test_every_campaign_can_be_begun(name: str) -> None:
    campaign = load(name)
    assert campaign.count > 0 and campaign.title
