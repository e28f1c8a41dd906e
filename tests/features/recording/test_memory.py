"""What channels meant is remembered per source, and what is found now goes before it."""

from __future__ import annotations

import pytest

from lean_trim.core.data.channels import Role
from lean_trim.features.recording.memory import kept, memory_in, recalled, remembered, settled
from lean_trim.formats.recording.frames import Channel, Stream
from lean_trim.live.roles import Meaning

BUS = Stream("can:x", "Fuel", (Channel("Lam", ""), Channel("Pulse", "ms")))
OTHER = Stream("can:y", "Fuel", (Channel("Lam", ""), Channel("Pulse", "ms")))
LAMBDA = Meaning(Role.LAMBDA, 0.136, 0.68, proven=True)
PULSE = Meaning(Role.PULSE_WIDTH, 1.0, 0.0, proven=True)


def test_what_is_kept_comes_back_for_its_source_only() -> None:
    memory = memory_in(kept(remembered({}, {(BUS, 0): LAMBDA, (BUS, 1): PULSE})))
    assert recalled([BUS], memory) == {(BUS, 0): LAMBDA, (BUS, 1): PULSE}
    assert recalled([OTHER], memory) == {}
    # A channel in another unit is another channel.
    volts = Stream("can:x", "Fuel", (Channel("Lam", "V"), Channel("Pulse", "us")))
    assert recalled([volts], memory) == {}


def test_what_is_not_proven_is_not_remembered_and_forgets_nothing() -> None:
    unproven = Meaning(Role.LAMBDA, 1.0, 0.0, proven=False)
    assert remembered({}, {(BUS, 0): unproven}) == {}
    memory = remembered({}, {(BUS, 0): LAMBDA})
    assert remembered(memory, {(BUS, 0): unproven}) == memory


def test_the_proof_of_last_time_holds_while_the_numbers_say_the_same() -> None:
    before = {(BUS, 0): LAMBDA, (BUS, 1): PULSE}
    thin = Meaning(Role.LAMBDA, 0.13601, 0.68, proven=False)
    found, others = settled({(BUS, 0): thin}, before)
    assert found == before and others == ()


def test_another_meaning_that_is_proven_counts_and_is_told() -> None:
    new = Meaning(Role.LAMBDA, 0.2, 0.5, proven=True)
    found, others = settled({(BUS, 0): new}, {(BUS, 0): LAMBDA})
    assert found == {(BUS, 0): new} and others == ("Lam",)
    thin = Meaning(Role.LAMBDA, 0.2, 0.5, proven=False)
    found, others = settled({(BUS, 0): thin}, {(BUS, 0): LAMBDA})
    # In between nothing is proven, and the watch says so.
    assert found == {(BUS, 0): thin} and others == ()


def test_a_role_another_channel_plays_now_is_not_played_twice() -> None:
    found, _ = settled({(OTHER, 0): LAMBDA}, {(BUS, 0): LAMBDA})
    assert found == {(OTHER, 0): LAMBDA}


@pytest.mark.parametrize(
    "setting", ["", "nonsense", "{}", "[1]", '[["a","b","c"]]', '[["a","b","c","d","no_role",1,0]]']
)
def test_a_damaged_memory_is_none(setting: str) -> None:
    assert memory_in(setting) == {}


def test_numbers_that_are_none_are_left_out() -> None:
    assert memory_in('[["a","b","c","d","rpm",NaN,0],["a","b","c","e","rpm",1,0]]') == {
        ("a", "b", "c", "e"): Meaning(Role.RPM, 1.0, 0.0, proven=True)
    }
