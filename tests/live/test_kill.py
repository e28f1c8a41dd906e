"""A recording that is killed loses at most a second, and opens."""

from __future__ import annotations

from pathlib import Path

from campaigns.recording import CAMPAIGN, MOST_LOST_S, killed


def test_a_killed_recording_is_whole_to_its_last_second(tmp_path: Path) -> None:
    CAMPAIGN.prepare(tmp_path)
    result = killed(tmp_path, 3)
    assert result["opens"] and result["rows"] > 10
    assert result["lost_s"] < MOST_LOST_S
