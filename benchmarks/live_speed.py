"""How fast and how lightly a car is recorded: an hour at many times its pace, and minutes at its own.

``.venv/bin/python -m benchmarks.live_speed [PACE] [MINUTES]``. A bus broadcasts 1000 frames a second
and an ECU is asked for 60 parameters a second, both by stand-ins. The hour goes through a bus inside this
process, the minutes through devices to another process, ``lean-trim record``, whose processor time is read
at the end.
"""

from __future__ import annotations

import multiprocessing
import os
import resource
import subprocess
import sys
import tempfile
import threading
import time
from multiprocessing.synchronize import Event
from pathlib import Path

from lean_trim.core.data.log import Log
from lean_trim.formats.recording.journal import Journal
from lean_trim.formats.recording.reading import read_recording
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.live.recorder import Recorder
from lean_trim.live.registry import make_sources
from lean_trim.live.source import Clock
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.simcar.stand_in.adapter import Manner, StandInAdapter
from lean_trim.simcar.stand_in.broadcast import FRAMES, SerialBus, dbc_text, frames_at
from lean_trim.simcar.stand_in.ecu import StandInEcu

HOUR_S = 3600.0
ROWS_HZ = 200.0
"""Of five frames each."""
PIDS_HZ = 60.0
AT_ONCE = 6
OWN_S = 0.0045
"""From one request to the next beside the stand-in's delay: both ends, and the terminal between them."""
LOOP_S = 60.0
SLEEP_S = 0.002
QUARTERS = 4
MEGA = 1e6


def log_at_200_hz() -> Log:
    """A minute of the simulated car."""
    return simulate(heron(), 1, LOOP_S / 60.0, log_hz=ROWS_HZ)


class Broadcast(threading.Thread):
    """Sends the minute over and over, with stamps that go on."""

    def __init__(self, bus: object, log: Log, clock: Clock, seconds: float) -> None:
        super().__init__(daemon=True)
        self.bus = bus
        self.rows = [frames_at(log, row) for row in range(len(log))]
        self.clock = clock
        self.count = round(seconds * ROWS_HZ)
        self.sent = 0

    def run(self) -> None:
        """Send until the time is over; late ones are sent as fast as they go."""
        import can

        began = self.clock.now()
        send = self.bus.send  # type: ignore[attr-defined]
        for row in range(self.count):
            while self.clock.now() - began < row / ROWS_HZ:
                time.sleep(SLEEP_S)
            stamp = 1.0e6 + row / ROWS_HZ
            for number, data in self.rows[row % len(self.rows)]:
                send(
                    can.Message(
                        arbitration_id=number, data=data, is_extended_id=False, timestamp=stamp
                    )
                )
                self.sent += 1


def memory_mb() -> float:
    """Resident memory of this process."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize() / MEGA


def answer(link: Path, pace: float, ready: Event, over: Event) -> None:
    """Be an ECU behind an adapter that answers at the asked rate, until it is over."""
    clock = Clock(pace)
    manner = Manner(delay_s=max(0.0, AT_ONCE / PIDS_HZ / pace - OWN_S))
    with StandInAdapter(StandInEcu(log_at_200_hz()), link, lambda: clock.now() % LOOP_S, manner):
        ready.set()
        over.wait()


def an_hour(folder: Path, log: Log, pace: float) -> None:
    """An hour at a pace, in this process."""
    import can

    clock = Clock(pace)
    # In a process of its own, as a car is: what it computes must not hold up who listens.
    context = multiprocessing.get_context("spawn")
    ready, over = context.Event(), context.Event()
    adapter = context.Process(target=answer, args=(folder / "obd", pace, ready, over), daemon=True)
    adapter.start()
    ready.wait()
    addresses = [f"can:virtual/hour?dbc={folder / 'car.dbc'}&stamps=own", f"obd:{folder / 'obd'}"]
    kept = folder / "hour.ltrec"
    with can.Bus(interface="virtual", channel="hour", preserve_timestamps=True) as bus:
        sources = [make_sources([a], clock)[0] for a in addresses]
        recorder = Recorder(sources, clock, Journal(kept))
        recorder.start()
        while recorder.state.sources[1].readings == 0:
            time.sleep(0.05)
        began = time.monotonic()
        sending = Broadcast(bus, log, clock, HOUR_S)
        sending.start()
        told = []
        for quarter in range(1, QUARTERS + 1):
            while (
                sending.is_alive()
                and sending.sent < quarter * sending.count * len(FRAMES) / QUARTERS
            ):
                time.sleep(0.1)
            told.append(memory_mb())
        sending.join()
        took = time.monotonic() - began
        while (
            recorder.state.sources[0].readings < sending.sent
            and time.monotonic() - began < 2 * took
        ):
            time.sleep(0.1)
        state = recorder.state
        recorder.stop()
        over.set()
        adapter.join()
    recorded = read_recording(kept)
    kept_frames = sum(
        len(t) for n, (t, _) in recorded.rows.items() if recorded.streams[n].name in NAMES
    )
    print(f"an hour of 1000 frames/s in {took:.0f} s: {HOUR_S / took:.1f} × its pace (wanted 10)")
    parameters = state.sources[1].readings
    print(
        f"  {sending.sent:,} frames sent, {sending.sent - kept_frames:,} lost; "
        f"{parameters:,} parameters ({parameters / HOUR_S:.0f} a second of drive), "
        f"{state.dropped} readings dropped"
    )
    print(
        f"  memory at each quarter {', '.join(f'{m:.0f}' for m in told)} MB; "
        f"file {kept.stat().st_size / MEGA:.0f} MB"
    )


NAMES = {name for name, _ in FRAMES.values()}


def minutes_at_its_pace(folder: Path, log: Log, minutes: float) -> None:
    """Minutes in real time, by the command in another process."""
    began = time.monotonic()

    def now() -> float:
        return time.monotonic() - began

    sheet = write_vehicle(heron(), folder / "car")
    loops = round(minutes * 60.0 / LOOP_S) + 1
    many = repeated(log, loops)
    bus = SerialBus(many, folder / "can", now)
    adapter = StandInAdapter(
        StandInEcu(log), folder / "obd", lambda: now() % LOOP_S, Manner(delay_s=AT_ONCE / PIDS_HZ)
    )
    with bus, adapter:
        words = [sys.executable, "-m", "lean_trim", "record", "--quiet", "--vehicle", str(sheet)]
        words += ["--source", f"can:slcan/{folder / 'can'}?bitrate=500000&dbc={folder / 'car.dbc'}"]
        words += ["--source", f"obd:{folder / 'obd'}", "--seconds", f"{minutes * 60:g}"]
        child = subprocess.Popen([*words, "--out", str(folder / "log.csv")])
        kept = folder / "log.csv.ltrec"
        while not kept.exists():
            time.sleep(0.02)
        first = processor_s(child.pid)
        time.sleep(minutes * 60.0 - 5.0)
        used = processor_s(child.pid) - first
        child.wait()
    share = used / (minutes * 60.0 - 5.0)
    print(f"{minutes:g} minutes at its own pace: {100 * share:.0f} % of one core (wanted 30)")


def repeated(log: Log, times: int) -> Log:
    """The minute, one after the other."""
    import numpy as np

    span = float(log.time_s[-1] - log.time_s[0]) + 1.0 / ROWS_HZ
    time_s = np.concatenate([log.time_s + i * span for i in range(times)])
    return Log(time_s, {r: np.tile(v, times) for r, v in log.channels.items()}, "minutes")


def processor_s(pid: int) -> float:
    """Processor time a process has used, s."""
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def main() -> None:
    """Measure and print."""
    pace = float(sys.argv[1]) if len(sys.argv) > 1 else 12.0
    minutes = float(sys.argv[2]) if len(sys.argv) > 2 else 5.0
    log = log_at_200_hz()
    with tempfile.TemporaryDirectory(prefix="lean-trim-") as name:
        folder = Path(name)
        (folder / "car.dbc").write_text(dbc_text(log), encoding="utf-8")
        minutes_at_its_pace(folder, log, minutes)
        an_hour(folder, log, pace)


if __name__ == "__main__":
    main()
