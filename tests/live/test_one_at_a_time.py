"""ECUs that do not take several parameters a request are asked singly, and nothing of them is left out."""

from __future__ import annotations

from pathlib import Path

import pytest

from lean_trim.core.data.log import Log
from lean_trim.live.obd.source import ObdSource
from lean_trim.live.source import Clock
from lean_trim.simcar.stand_in.adapter import StandInAdapter
from lean_trim.simcar.stand_in.ecu import StandInEcu
from tests.live.rig import recorded_in, recording, values_of, wait_for


@pytest.mark.parametrize("several", ["none", "first", "refused"])
def test_every_parameter_still_comes(tmp_path: Path, short_log: Log, several: str) -> None:
    clock = Clock()
    ecu = StandInEcu(short_log, several=several)
    with (
        StandInAdapter(ecu, tmp_path / "obd", lambda: 100.0 + clock.now()),
        recording(tmp_path, [f"obd:{tmp_path / 'obd'}"], clock) as recorder,
    ):
        wait_for(lambda: recorder.state.sources[0].readings > 150)
        source = recorder.sources[0]
        assert isinstance(source, ObdSource) and source.car is not None
        assert recorder.state.sources[0].losses == 0
    said = [str(d) for d in source.doubts()]
    assert len(said) == 1 and "one at a time" in said[0]
    recorded = recorded_in(tmp_path)
    names = {c.name for p in source.car.known.values() for c in p.channels}
    assert len(names) > 8
    fast = [n for n in names if len(values_of(recorded, n)) > 10]
    # Whatever is asked in every round came many times.
    assert len(fast) >= 5
    # No request for several is made any more, nor on a car that is reached again.
    assert all(len(r) == 2 for r in ecu.heard[-50:] if r[:1] == b"\x01")


def test_one_that_takes_several_is_asked_for_several(tmp_path: Path, short_log: Log) -> None:
    clock = Clock()
    ecu = StandInEcu(short_log)
    with (
        StandInAdapter(ecu, tmp_path / "obd", lambda: 100.0 + clock.now()),
        recording(tmp_path, [f"obd:{tmp_path / 'obd'}"], clock) as recorder,
    ):
        wait_for(lambda: recorder.state.sources[0].readings > 150)
        source = recorder.sources[0]
    assert list(source.doubts()) == [] and max(map(len, ecu.heard[-20:])) > 2
