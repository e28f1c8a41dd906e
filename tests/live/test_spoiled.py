"""Samples of the campaign of spoiled sources: nothing crashes, and what is read is what was sent."""

from __future__ import annotations

from pathlib import Path

import pytest

from campaigns import spoiled_live
from lean_trim.core.data.log import Log
from lean_trim.simcar.stand_in.broadcast import dbc_text

pytestmark = pytest.mark.slow


def test_damaged_replies_are_not_misread() -> None:
    found = spoiled_live.replies(101)
    assert found["crashes"] == 0 and found["wrong"] <= spoiled_live.MOST_WRONG < found["read"]


def test_damaged_frames_are_not_misread(tmp_path: Path, short_log: Log) -> None:
    (tmp_path / "car.dbc").write_text(dbc_text(short_log), encoding="utf-8")
    found = spoiled_live.frames(tmp_path, 102)
    assert found["crashes"] == found["wrong"] == 0 and found["read"] > 200


def test_a_pulled_cable_costs_nothing_but_its_gap(
    tmp_path: Path, short_log: Log, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(spoiled_live, "PULLS", 2)
    found = spoiled_live.pulled(tmp_path, short_log, 103)
    assert found["gaps"] == 2 and found["lost"] == 0 and found["closed"]
    assert max(found["back"]) < spoiled_live.BACK_S
