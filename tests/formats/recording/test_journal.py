"""A recording that is cut anywhere, spoiled anywhere, or finds no room, is read to where it is whole."""

from __future__ import annotations

import errno
import os
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lean_trim.formats.logs import read_raw
from lean_trim.formats.recording.export import write_recording
from lean_trim.formats.recording.frames import Channel, Stream, rows_of
from lean_trim.formats.recording.journal import Journal
from lean_trim.formats.recording.reading import read_recording

ENGINE = Stream("can:x", "Engine", (Channel("Engine speed", "rpm"), Channel("Manifold", "kPa")))
LAMBDA = Stream("lines:y", "line", (Channel("Lambda", "λ"),))


def written(path: Path, ends: list[int] | None = None) -> bytes:
    """Eight seconds of two streams; ``ends`` takes how long the file was after each block of ten rows."""
    journal = Journal(path)
    journal.start({"began": "2026-12-02T08:00:00+00:00", "zero_s": 0.0})
    for block in range(8):
        times = [block + i / 10 for i in range(10)]
        journal.rows(ENGINE, times, [(1000.0 + 100 * t, 40.0 + t) for t in times])
        after = [path.stat().st_size]
        journal.rows(LAMBDA, [t + 0.03 for t in times], [(1.0 + t / 100,) for t in times])
        after.append(path.stat().st_size)
        if ends is not None:
            ends += after
    journal.note({"note": "gap", "source": "lines:y", "from_s": 2.5, "to_s": 4.0, "why": "pulled"})
    journal.note({"note": "danger", "time_s": 3.2, "said": "LEAN: λ 1.04, wanted 0.87"})
    journal.note({"note": "end", "at_s": 8.0})
    journal.close()
    return path.read_bytes()


def test_what_was_written_is_read(tmp_path: Path) -> None:
    written(tmp_path / "a")
    recorded = read_recording(tmp_path / "a")
    assert recorded.is_closed and not recorded.spoiled_bytes and not recorded.cut_bytes
    assert set(recorded.streams.values()) == {ENGINE, LAMBDA}
    times, values = recorded.rows[0]
    assert np.array_equal(times, np.array([b + i / 10 for b in range(8) for i in range(10)]))
    assert np.array_equal(values[1], 40.0 + times)
    assert recorded.gaps[0].why == "pulled"


@settings(max_examples=60, deadline=None)
@given(share=st.floats(0.0, 1.0))
def test_cut_anywhere_it_is_read_to_there(
    tmp_path_factory: pytest.TempPathFactory, share: float
) -> None:
    path = tmp_path_factory.mktemp("cut") / "a"
    ends: list[int] = []
    data = written(path, ends)
    at = max(22, int(share * len(data)))
    path.write_bytes(data[:at])
    recorded = read_recording(path)
    assert not recorded.spoiled_bytes
    assert recorded.is_closed == (at == len(data))
    for number, (times, _) in recorded.rows.items():
        # Whole blocks in their order, nothing in between lost.
        first = 0.0 if number == 0 else 0.03
        assert len(times) % 10 == 0
        assert np.allclose(times, first + np.arange(len(times)) / 10)
    read = sum(len(t) for t, _ in recorded.rows.values())
    assert read == 10 * sum(end <= at for end in ends)


@settings(max_examples=60, deadline=None)
@given(share=st.floats(0.05, 0.95), size=st.integers(1, 300), seed=st.integers(0, 1000))
def test_spoiled_anywhere_the_rest_is_read_and_nothing_invented(
    tmp_path_factory: pytest.TempPathFactory, share: float, size: int, seed: int
) -> None:
    path = tmp_path_factory.mktemp("spoiled") / "a"
    data = bytearray(written(path))
    at = max(22, int(share * (len(data) - size)))
    data[at : at + size] = np.random.default_rng(seed).integers(0, 256, size, np.uint8).tobytes()
    path.write_bytes(data)
    recorded = read_recording(path)
    for number, (times, values) in recorded.rows.items():
        stream = recorded.streams[number]
        if stream == ENGINE:
            assert np.allclose(values[0], 1000.0 + 100 * times)
        else:
            assert np.allclose(values[0], 1.0 + (times - 0.03) / 100)
    assert sum(len(t) for t, _ in recorded.rows.values()) >= 40


def test_a_write_that_fails_leaves_the_file_whole_and_can_be_tried_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    journal = Journal(tmp_path / "a")
    journal.rows(LAMBDA, [0.0], [(1.0,)])
    assert journal.has_reserve
    real = os.write
    room = [0]

    def full(file: int, data: memoryview) -> int:
        if room[0] <= 0:
            raise OSError(errno.ENOSPC, "No space left on device")
        room[0] -= 5
        return real(file, data[:5])

    monkeypatch.setattr(os, "write", full)
    # Half a frame goes in, then there is no room, not even with the reserve given up.
    room[0] = 12
    with pytest.raises(OSError, match="No space"):
        journal.rows(LAMBDA, [1.0], [(2.0,)])
    assert not journal.has_reserve
    monkeypatch.setattr(os, "write", real)
    journal.rows(LAMBDA, [1.0], [(2.0,)])
    journal.close()
    recorded = read_recording(tmp_path / "a")
    assert not recorded.spoiled_bytes
    assert recorded.rows[0][1][0].tolist() == [1.0, 2.0]


def test_forged_rows_are_refused() -> None:
    with pytest.raises(ValueError, match="no number"):
        rows_of(b"\x00\x00\x00\x00\x00\x00rest")
    with pytest.raises(ValueError, match="no rows"):
        rows_of(b"")


def test_a_recording_opens_as_a_log_and_says_what_is_lost(tmp_path: Path) -> None:
    data = written(tmp_path / "a")
    # The end and half of what stands before it are missing.
    (tmp_path / "a").write_bytes(data[:-20])
    raw = read_raw(tmp_path / "a")
    assert [c.name for c in raw.columns] == ["Engine speed", "Manifold", "Lambda"]
    assert any("not ended in order" in note for note in raw.notes)
    assert any("was not heard from 2.5 to 4.0 s: pulled" in note for note in raw.notes)
    assert any("at 3.2 s a danger was told: LEAN" in note for note in raw.notes)


@pytest.mark.parametrize("ending", ["mf4", "csv"])
def test_what_is_exported_holds_every_reading_at_its_time(tmp_path: Path, ending: str) -> None:
    written(tmp_path / "a")
    recorded = read_recording(tmp_path / "a")
    out = tmp_path / f"out.{ending}"
    write_recording(recorded, out)
    raw = read_raw(out)
    column = next(c for c in raw.columns if c.name == "Lambda")
    values = raw.values[column.index]
    times = (
        raw.times[column.group]
        if raw.times
        else raw.values[next(c.index for c in raw.columns if c.name == "Time")]
    )
    known = np.isfinite(values)
    assert np.allclose(values[known], recorded.rows[1][1][0])
    assert np.allclose(times[known], recorded.rows[1][0], atol=1e-4)
    assert not list(tmp_path.glob("*.part*"))
