"""Time stamps of other clocks, and readings handed out at a pace."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.errors import LogError
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.recording.frames import Channel, Stream
from lean_trim.live.played import Player, Track, readings_of
from lean_trim.live.replay import tracks_of
from lean_trim.live.source import Clock, Reading
from lean_trim.live.stamps import JUMP_S, Stamps

ONE = Stream("x", "one", (Channel("a"),))
TWO = Stream("x", "two", (Channel("b"), Channel("c")))


def test_stamps_are_laid_on_the_sessions_clock_without_the_delay_of_a_busy_machine() -> None:
    stamps = Stamps()
    rng = np.random.default_rng(2)
    lags = 0.001 + rng.exponential(0.02, 500)
    times = [stamps.time_of(1e9 + 0.02 * i, 5.0 + 0.02 * i + lag) for i, lag in enumerate(lags)]
    steps = np.diff(times[200:])
    # What the interface measured 20 ms apart is 20 ms apart, however late it came.
    assert np.allclose(steps, 0.02, atol=0.005)
    assert abs(times[-1] - (5.0 + 0.02 * 499)) < 0.01


def test_a_clock_that_runs_slow_is_followed() -> None:
    stamps = Stamps()
    # Two in a thousand slow: over an hour seven seconds.
    late = [i * 1.0 - stamps.time_of(100.0 + 0.998 * i, float(i)) for i in range(3600)]
    assert max(abs(v) for v in late[20:]) < 0.05


def test_a_clock_that_begins_anew_and_one_without_stamps() -> None:
    stamps = Stamps()
    assert stamps.time_of(50.0, 1.0) == 1.0
    assert stamps.time_of(0.5, 9.0) == 9.0
    assert stamps.time_of(0.5 + JUMP_S, 9.0 + JUMP_S) == pytest.approx(9.0 + JUMP_S)
    assert stamps.time_of(0.0, 12.0) == 12.0
    assert stamps.time_of(float("nan"), 13.0) == 13.0


def test_a_drive_at_another_pace_keeps_its_own_times() -> None:
    stamps = Stamps(follows=False)
    times = [stamps.time_of(10.0 + i, 3.0 + i / 60.0) for i in range(100)]
    assert np.allclose(np.diff(times), 1.0)


def test_streams_are_handed_out_in_the_order_of_their_times_and_not_before() -> None:
    tracks = [
        Track(ONE, np.arange(10) / 10.0, np.arange(10.0)[None, :]),
        Track(TWO, np.arange(5) / 5.0 + 0.05, np.arange(10.0).reshape(2, 5)),
    ]
    clock = Clock()
    player = Player(readings_of(tracks), clock, pace=10.0)
    began = time.monotonic()
    out: list[Reading] = []
    while len(out) < 15:
        out += player.due()
    with pytest.raises(EOFError):
        player.due()
    assert time.monotonic() - began >= 0.09
    assert [r.time_s for r in out] == sorted(r.time_s for r in out)
    assert [r.values for r in out if r.stream == TWO][1] == (1.0, 6.0)


def test_a_file_is_replayed_as_it_stands_and_its_doubts_stay_doubts(
    tmp_path: Path, short_log: Log
) -> None:
    write_log_csv(short_log, tmp_path / "drive.csv")
    tracks = tracks_of(tmp_path / "drive.csv", "file:drive.csv")
    names = {c.name: c.unit for c in tracks[0].stream.channels}
    assert names["Engine speed"] == "rpm" and "Time" not in names
    assert len(tracks[0].time_s) == len(short_log)
    with pytest.raises(LogError):
        tracks_of(tmp_path / "nowhere.csv", "file:nowhere.csv")
