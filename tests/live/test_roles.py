"""What channels mean is followed live, of one bank and of two."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.formats.decode.recorded import columns_of
from lean_trim.formats.logs import open_log
from lean_trim.formats.recording.frames import Channel, Stream
from lean_trim.formats.recording.journal import Journal
from lean_trim.formats.recording.reading import read_recording
from lean_trim.live.roles import Following, Meaning, meanings_of
from lean_trim.live.source import Reading
from lean_trim.simcar.heron import heron

ONE = Stream("lines:a", "line", (Channel("Lambda B1"),))
TWO = Stream("lines:b", "line", (Channel("Lambda B2"),))
LAMBDA = Meaning(Role.LAMBDA, 1.0, 0.0, proven=True)
TRIM = Meaning(Role.STFT, 100.0, 0.0, proven=True)


def test_of_two_banks_the_leaner_lambda_counts() -> None:
    """A bank that burns its valves is not averaged away."""
    following = Following({(ONE, 0): LAMBDA, (TWO, 0): LAMBDA})
    assert following.two_banks
    readings = [Reading(ONE, 1.0, (0.85,)), Reading(TWO, 1.1, (1.10,)), Reading(ONE, 1.2, (0.86,))]
    samples = list(following.samples_of(readings))
    # Nothing before both were heard; then the leaner, as old as the older of the two.
    assert [(s.time_s, s.value) for s in samples] == [(1.0, 1.10), (1.1, 1.10)]


def test_a_bank_that_goes_silent_makes_the_role_old() -> None:
    following = Following({(ONE, 0): LAMBDA, (TWO, 0): LAMBDA})
    readings = [Reading(ONE, 1.0, (0.9,))] + [Reading(TWO, 1.0 + t, (0.8,)) for t in range(1, 5)]
    assert {s.time_s for s in following.samples_of(readings)} == {1.0}


def test_trims_of_two_banks_are_averaged() -> None:
    following = Following({(ONE, 0): TRIM, (TWO, 0): TRIM})
    samples = list(following.samples_of([Reading(ONE, 1.0, (0.02,)), Reading(TWO, 1.0, (0.06,))]))
    assert [s.value for s in samples] == [pytest.approx(4.0)] and not following.two_banks


def test_the_banks_of_a_recording_are_followed_in_their_units(
    tmp_path: Path, short_log: Log
) -> None:
    """Recorded as AFR of two banks; live it is λ of each of them."""
    stream = Stream(
        "lines:x",
        "line",
        (Channel("RPM", "rpm"), Channel("MAP", "kPa"), Channel("AFR B1"), Channel("AFR B2")),
    )
    lean = short_log[Role.LAMBDA]
    values = np.stack([short_log[Role.RPM], short_log[Role.MAP], 14.7 * lean, 14.7 * lean * 1.02])
    journal = Journal(tmp_path / "banks.ltrec")
    journal.start({"program": "a test", "zero_s": 0.0})
    journal.rows(stream, list(short_log.time_s), list(map(tuple, values.T)))
    journal.close()
    recorded = read_recording(tmp_path / "banks.ltrec")
    _, places = columns_of(recorded)
    mapped = open_log(tmp_path / "banks.ltrec", 14.7, vehicle=heron()).mapped
    meanings = meanings_of(mapped, places, recorded.streams)
    banks = [m for (_, at), m in meanings.items() if at in (2, 3)]
    assert [m.role for m in banks] == [Role.LAMBDA, Role.LAMBDA]
    for meaning in banks:
        assert 14.7 * meaning.factor + meaning.offset == pytest.approx(1.0, abs=1e-3)
