"""A log of a job written for other programs, and read back."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.formats.logs import open_log
from lean_trim.formats.recording.export import write_recording
from lean_trim.formats.recording.from_log import recorded_of


@pytest.mark.parametrize("ending", [".mf4", ".csv"])
def test_a_log_comes_back_as_it_was(short_log: Log, tmp_path: Path, ending: str) -> None:
    path = tmp_path / f"drive{ending}"
    write_recording(recorded_of(short_log), path)
    opened = open_log(path, 14.7)
    assert not opened.mapped.doubts
    assert set(opened.log.channels) == set(short_log.channels)
    # A CSV's rows are counted from the first.
    found = opened.log.time_s
    assert found - found[0] == pytest.approx(short_log.time_s - short_log.time_s[0], abs=1e-4)
    for role, values in short_log.channels.items():
        np.testing.assert_allclose(opened.log[role], values, rtol=1e-9, atol=1e-9, err_msg=role)


def test_a_slow_channel_keeps_its_own_rate(short_log: Log, tmp_path: Path) -> None:
    """Read by an independent reader: the group of the slow channel has its rows only."""
    from asammdf import MDF

    slow = np.arange(len(short_log)) % 5 == 0
    log = Log(short_log.time_s, short_log.channels, "slow", updates={Role.COOLANT: slow})
    path = tmp_path / "drive.mf4"
    write_recording(recorded_of(log), path)
    with MDF(path) as mdf:
        coolant = mdf.get("Coolant")
        assert coolant.unit == "°C"
        assert coolant.timestamps == pytest.approx(log.time_s[slow])
        assert len(mdf.get("Engine speed").timestamps) == len(log)
