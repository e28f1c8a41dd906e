"""Stand-ins recorded as a user would: nothing lost, gaps told, cables pulled, disks full."""

from __future__ import annotations

import errno
import itertools
import os
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

import can
import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Said
from lean_trim.formats.logs import open_log
from lean_trim.formats.recording.frames import Channel, Stream
from lean_trim.formats.recording.journal import Journal
from lean_trim.live.obd.allowed import COMMANDS, Service
from lean_trim.live.obd.source import ObdSource
from lean_trim.live.recorder import Condition, Recorder
from lean_trim.live.registry import make_sources
from lean_trim.live.source import WAIT_S, Clock, LostError, Reading
from lean_trim.simcar.stand_in.adapter import Manner, StandInAdapter
from lean_trim.simcar.stand_in.broadcast import SerialBus, StandInBus, StandInLines, dbc_text
from lean_trim.simcar.stand_in.ecu import StandInEcu
from tests.live.rig import recorded_in, recording, values_of, wait_for

ROUND = Stream("x", "x", (Channel("Engine speed", "rpm"),))
BUSES = itertools.count()


class Counter:
    """A source that counts, as fast as it is told to."""

    paced = True

    def __init__(self, clock: Clock, hz: float = 200.0) -> None:
        self.address = "count:"
        self.clock = clock
        self.hz = hz
        self.sent = 0

    def open(self) -> None:
        self.began = self.clock.now()

    def read(self) -> Sequence[Reading]:
        time.sleep(WAIT_S / 10)
        due = int((self.clock.now() - self.began) * self.hz)
        new = [Reading(ROUND, self.began + i / self.hz, (float(i),)) for i in range(self.sent, due)]
        self.sent = max(self.sent, due)
        return new

    def close(self) -> None:
        pass

    def doubts(self) -> Sequence[Said]:
        return ()


@pytest.fixture
def bus(tmp_path: Path, short_log: Log) -> Iterator[tuple[str, can.BusABC]]:
    """A bus in this process, and the address by which it is recorded."""
    (tmp_path / "car.dbc").write_text(dbc_text(short_log))
    name = f"bus{next(BUSES)}"
    with can.Bus(interface="virtual", channel=name, preserve_timestamps=True) as sending:
        yield f"can:virtual/{name}?dbc={tmp_path / 'car.dbc'}", sending


def test_a_bus_is_recorded_frame_by_frame(
    tmp_path: Path, bus: tuple[str, can.BusABC], short_log: Log, heron_vehicle: Vehicle
) -> None:
    address, sending = bus
    clock = Clock(pace=60.0)
    with recording(tmp_path, [f"{address}&stamps=own"], clock) as recorder:
        wait_for(lambda: recorder.sources[0]._bus._bus is not None)
        zero = clock.now()
        with StandInBus(sending, short_log, lambda: clock.now() - zero) as car:
            wait_for(lambda: car.is_over)
        wait_for(lambda: recorder.state.sources[0].readings == 5 * len(short_log))
    assert not recorder.sources[0].doubts()
    # Nobody has heard a word of the one that listened.
    assert sending.recv(0.05) is None
    mapped = open_log(tmp_path / "r.ltrec", heron_vehicle.stoich_afr, vehicle=heron_vehicle).mapped
    assert not mapped.doubts and len(mapped.log) == len(short_log)
    for role in short_log.channels:
        assert np.allclose(mapped.log[role], short_log[role], atol=1e-9), role
    assert np.allclose(np.diff(mapped.log.time_s), np.diff(short_log.time_s), atol=1e-6)


def test_a_bus_that_speaks_of_another_car_is_told(
    tmp_path: Path, bus: tuple[str, can.BusABC]
) -> None:
    address, sending = bus
    with recording(tmp_path, [address], Clock()) as recorder:
        wait_for(lambda: recorder.sources[0]._bus._bus is not None)
        for _ in range(300):
            sending.send(can.Message(arbitration_id=0x555, data=bytes(8), is_extended_id=False))
        wait_for(lambda: "none is in the DBC" in str(recorder.state.sources[0].said))


def test_short_and_strange_frames_are_counted_not_read(
    tmp_path: Path, bus: tuple[str, can.BusABC]
) -> None:
    address, sending = bus
    with recording(tmp_path, [address], Clock()) as recorder:
        wait_for(lambda: recorder.sources[0]._bus._bus is not None)
        rng = np.random.default_rng(5)
        for _ in range(500):
            size = int(rng.integers(0, 9))
            frame = can.Message(
                arbitration_id=int(rng.choice([0x200, 0x201, 0x700, 0x1ABCDEF])),
                data=rng.bytes(size),
                is_extended_id=bool(rng.integers(0, 2)),
            )
            if frame.is_extended_id or frame.arbitration_id < 0x800:
                sending.send(frame)
        sending.send(
            can.Message(arbitration_id=0x200, data=b"\xe8\x03" + bytes(6), is_extended_id=False)
        )
        wait_for(lambda: 1000.0 in values_of_now(tmp_path))
    said = " ".join(str(d) for d in recorder.sources[0].doubts())
    assert "not in the DBC" in said


def values_of_now(path: Path) -> list[float]:
    recorded = recorded_in(path)
    return values_of(recorded, "EngineSpeed") if recorded.rows else []


def test_an_adapter_is_asked_and_a_wideband_heard_on_one_clock(
    tmp_path: Path, short_log: Log, heron_vehicle: Vehicle
) -> None:
    clock = Clock(pace=10.0)
    ecu = StandInEcu(short_log, lacks=frozenset({0x34}))
    manner = Manner(delay_s=0.005)
    link = tmp_path / "obd"
    beside = StandInLines(short_log, tmp_path / "wide", clock.now)
    with StandInAdapter(ecu, link, clock.now, manner) as adapter, beside:
        with recording(tmp_path, [f"obd:{link}", f"lines:{tmp_path / 'wide'}"], clock) as recorder:
            wait_for(lambda: all(s.readings > 150 for s in recorder.state.sources))
        assert not recorder.state.dropped
        source = recorder.sources[0]
        assert isinstance(source, ObdSource) and source.car is not None
        assert source.car.calibrations == ("HERON-0001",)
        assert source.car.check_numbers == ("1A2B3C4D",)
        told = adapter.told
    # Headers on, nothing kept, and six parameters a request.
    assert told[0] == "ATZ" and "ATH1" in told and "ATTP0" in told
    assert any(len(t) == 14 for t in told)
    for line in told:
        plain = line.removeprefix("AT")
        reads = plain != line and COMMANDS.fullmatch(plain)
        assert reads or bytes.fromhex(line)[0] in set(Service), line
    mapped = open_log(tmp_path / "r.ltrec", heron_vehicle.stoich_afr, vehicle=heron_vehicle).mapped
    for role in (Role.RPM, Role.MAP, Role.LAMBDA, Role.STFT, Role.LTFT, Role.COOLANT, Role.TARGET):
        assert role in mapped.log, role
    # What was heard is what the drive held then.
    rpm = np.interp(mapped.log.time_s, short_log.time_s, short_log[Role.RPM])
    assert np.nanmedian(np.abs(rpm - mapped.log[Role.RPM])) < 25.0


def test_a_cable_that_is_pulled_costs_what_was_pulled(tmp_path: Path, short_log: Log) -> None:
    clock = Clock()
    ecu = StandInEcu(short_log)
    adapter = StandInAdapter(ecu, tmp_path / "obd", clock.now, Manner(searches=False))
    adapter.plug()
    with recording(tmp_path, [f"obd:{tmp_path / 'obd'}"], clock) as recorder:
        wait_for(lambda: recorder.state.sources[0].readings > 30)
        adapter.pull()
        wait_for(lambda: recorder.state.sources[0].condition is Condition.LOST)
        pulled = recorder.state.sources[0]
        assert pulled.said is not None
        adapter.plug()
        wait_for(lambda: recorder.state.sources[0].readings > pulled.readings + 30)
    adapter.pull()
    gaps = recorded_in(tmp_path).gaps
    assert len(gaps) == 1 and gaps[0].to_s > gaps[0].from_s
    assert recorder.state.sources[0].losses == 1


@pytest.mark.parametrize(
    ("manner", "word"),
    [(Manner(finds_nothing=True), "no ECU"), (Manner(silent=1.0), "tells engine speed")],
)
def test_a_car_that_does_not_answer_is_told(
    tmp_path: Path, short_log: Log, manner: Manner, word: str
) -> None:
    clock = Clock()
    stand_in = StandInAdapter(StandInEcu(short_log), tmp_path / "obd", clock.now, manner)
    with stand_in, recording(tmp_path, [f"obd:{tmp_path / 'obd'}"], clock) as recorder:
        wait_for(lambda: word in str(recorder.state.sources[0].said))
    assert not recorded_in(tmp_path).rows


def test_damaged_answers_are_left_out_and_echo_is_none(tmp_path: Path, short_log: Log) -> None:
    clock = Clock()
    manner = Manner(spoils=0.3, silent=0.1, echo=True)
    stand_in = StandInAdapter(StandInEcu(short_log), tmp_path / "obd", clock.now, manner)
    with stand_in, recording(tmp_path, [f"obd:{tmp_path / 'obd'}"], clock) as recorder:
        wait_for(lambda: recorder.state.sources[0].readings > 300)
    heard = values_of(recorded_in(tmp_path), "Engine speed")
    first = short_log[Role.RPM][short_log.time_s < clock.now() + 1.0]
    assert heard and min(heard) >= first.min() - 1.0 and max(heard) <= first.max() + 1.0


def test_a_parameter_that_is_named_and_never_answered_is_not_asked_for_ever(
    tmp_path: Path, short_log: Log
) -> None:
    clock = Clock()
    ecu = StandInEcu(short_log, named_only=frozenset({0x11, 0x33}))
    stand_in = StandInAdapter(ecu, tmp_path / "obd", clock.now)
    with stand_in, recording(tmp_path, [f"obd:{tmp_path / 'obd'}"], clock) as recorder:
        wait_for(lambda: len(recorder.sources[0].doubts()) == 2)
        asked = len(ecu.heard)
        wait_for(lambda: len(ecu.heard) > asked + 20)
    assert not any({0x11, 0x33} & set(r[1:]) for r in ecu.heard[asked + 2 :])


def test_an_ecu_is_asked_over_a_bus(tmp_path: Path, short_log: Log) -> None:
    clock = Clock()
    name = f"bus{next(BUSES)}"
    ecu = StandInEcu(short_log)
    with (
        can.Bus(interface="virtual", channel=name) as sending,
        StandInBus(sending, short_log, clock.now, ecu),
        recording(tmp_path, [f"obd:can:virtual/{name}"], clock) as recorder,
    ):
        wait_for(lambda: recorder.state.sources[0].readings > 60)
    assert min(values_of(recorded_in(tmp_path), "Engine speed")) > 500.0


def test_serial_line_can_is_listened_to_without_acknowledging(
    tmp_path: Path, short_log: Log
) -> None:
    (tmp_path / "car.dbc").write_text(dbc_text(short_log))
    clock = Clock(pace=4.0)
    with SerialBus(short_log, tmp_path / "can", clock.now) as interface:
        address = f"can:slcan/{tmp_path / 'can'}?bitrate=500000&dbc={tmp_path / 'car.dbc'}"
        with recording(tmp_path, [address], clock) as recorder:
            wait_for(lambda: recorder.state.sources[0].readings > 200)
        told = set(interface.told)
    assert b"S6" in told and b"L" in told
    assert not any(word.startswith((b"t", b"T", b"r", b"R", b"O")) for word in told)


NOISE = "\x80\x01\x9f\xe1\x03\x05{value:.1f}\x11"


@pytest.mark.parametrize(("form", "word"), [(NOISE, "baud"), ("hello there", "can be read")])
def test_lines_at_a_wrong_rate_or_of_nothing_are_told(
    tmp_path: Path, short_log: Log, form: str, word: str
) -> None:
    clock = Clock(pace=20.0)
    stand_in = StandInLines(short_log, tmp_path / "wide", clock.now, form=form)
    address = f"lines:{tmp_path / 'wide'}?baud=9600"
    with stand_in, recording(tmp_path, [address], clock) as recorder:
        wait_for(lambda: word in str(recorder.state.sources[0].said))
    assert not recorded_in(tmp_path).rows


def test_a_full_disk_is_told_and_costs_nothing_once_there_is_room(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    clock = Clock()
    source = Counter(clock)
    recorder = Recorder([source], clock, Journal(tmp_path / "r.ltrec"))
    recorder.start()
    wait_for(lambda: source.sent > 100)
    real = os.write

    def full(file: int, data: bytes) -> int:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "write", full)
    wait_for(lambda: "DISK IS FULL" in str(recorder.state.trouble))
    sent = source.sent
    wait_for(lambda: source.sent > sent + 200)
    monkeypatch.setattr(os, "write", real)
    wait_for(lambda: "DISK IS FULL" not in str(recorder.state.trouble))
    recorder.stop()
    counted = values_of(recorded_in(tmp_path), "Engine speed")
    assert counted == [float(i) for i in range(len(counted))] and len(counted) >= source.sent


def test_listeners_hear_at_once_and_a_mark_is_kept(tmp_path: Path) -> None:
    clock = Clock()
    late: list[float] = []
    source = Counter(clock, hz=100.0)
    recorder = Recorder(
        [source],
        clock,
        Journal(tmp_path / "r.ltrec"),
        [lambda readings: late.append(clock.now() - readings[-1].time_s)],
    )
    recorder.start()
    wait_for(lambda: len(late) > 50)
    recorder.mark({"note": "danger", "what": "lean"})
    recorder.stop()
    assert np.median(late) < 0.1
    notes = recorded_in(tmp_path).notes
    assert [n["note"] for n in notes if n["note"] != "gap"] == ["danger", "end"]


@pytest.mark.parametrize(
    ("addresses", "word"),
    [
        (["foo:bar"], "begins with one of can:, obd:, lines:, sim:, file:"),
        (["obd:ttyUSB0"], "socket://"),
        (["obd:http://host:80"], "socket://"),
        (["lines:/dev/x?baud=fast"], "300 to 3e+06"),
        (["lines:/dev/x?bauds=9600"], "allowed: baud, names"),
        (["can:virtual?dbc=x"], "interface and channel"),
        (["can:nothing/0?dbc=x"], "allowed:"),
        (["can:virtual/0"], "dbc=FILE"),
        (["can:virtual/0?dbc=/nowhere.dbc"], "cannot be read"),
        (["lines:/dev/x", "lines:/dev/x"], "twice"),
        (["sim:?pace=2"], "needs a vehicle"),
        (["file:"], "name a log file"),
        (["file:a.csv?pace=2", "lines:/dev/x"], "another pace"),
    ],
)
def test_wrong_addresses_are_refused_in_words(addresses: list[str], word: str) -> None:
    with pytest.raises(BadInputError, match=word.replace("+", r"\+")):
        make_sources(addresses, Clock())


class Scripted:
    """A source that says so much at once and is over, or lost and then over, before anybody took it."""

    paced = False
    address = "scripted:"

    def __init__(self, losses: int) -> None:
        self.losses = losses
        self.said = False

    def open(self) -> None: ...

    def close(self) -> None: ...

    def doubts(self) -> list[Said]:
        return []

    def read(self) -> list[Reading]:
        if self.said:
            self.said = False
            self.losses -= 1
            raise LostError("pulled") if self.losses >= 0 else EOFError
        self.said = True
        stream = Stream(self.address, "line", (Channel("RPM", "rpm"),))
        return [Reading(stream, 1.0 + 0.001 * i - self.losses, (float(i),)) for i in range(400)]


def slow(readings: object) -> None:
    time.sleep(0.2)


@pytest.mark.parametrize("losses", [0, 1])
def test_what_becomes_of_a_source_does_not_overtake_what_it_said(
    tmp_path: Path, losses: int
) -> None:
    """Readings taken after the source is known to be over must not make it run again."""
    recorder = Recorder([Scripted(losses)], Clock(), Journal(tmp_path / "r.ltrec"), (slow,))
    recorder.start()
    wait_for(lambda: recorder.is_over)
    recorder.stop()
    recorded = recorded_in(tmp_path)
    assert sum(len(t) for t, _ in recorded.rows.values()) == 400 * (1 + losses)
    assert len(recorded.gaps) == losses and all(g.to_s > g.from_s for g in recorded.gaps)
