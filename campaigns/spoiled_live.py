"""What comes of spoiled sources: cables pulled, replies of an adapter and frames of a bus."""

from __future__ import annotations

import random
import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from statistics import median
from typing import Any

from campaigns.runner import Campaign, Trial
from lean_trim.formats.recording.journal import Journal
from lean_trim.formats.recording.reading import read_recording
from lean_trim.live.address import parse_address
from lean_trim.live.can.source import CanSource
from lean_trim.live.obd.answers import heard, values_in
from lean_trim.live.recorder import Recorder
from lean_trim.live.registry import make_sources
from lean_trim.live.source import Clock, Reading
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.simcar.stand_in.adapter import Manner, StandInAdapter, frames_of
from lean_trim.simcar.stand_in.broadcast import FRAMES, dbc_text
from lean_trim.simcar.stand_in.ecu import StandInEcu

CABLES = 4
PULLS = 5
SPOILED = 20
"""Trials of each kind of damage."""
EACH = 1000
"""Replies, or frames, of one trial."""
COUNT = CABLES + 2 * SPOILED
ASKED = (0x0C, 0x0B, 0x34, 0x06, 0x44, 0x11)
TRUE = {
    0x0C: b"\x1a\xf8",
    0x0B: b"\x65",
    0x34: b"\x7a\xe1\x80\x00",
    0x06: b"\x7f",
    0x44: b"\x70\x00",
    0x11: b"\x40",
}
WORDS = ("NO DATA\r", "<DATA ERROR", "7E9037F0112\r", "SEARCHING...", "\r", "7E803410C1A\r")
BACK_S = 20.0
SAME = 1e-6


def _prepare(folder: Path) -> object:
    log = simulate(heron(), 1, 3.0)
    (folder / "car.dbc").write_text(dbc_text(log), encoding="utf-8")
    return log


def _wait(done: Callable[[], bool]) -> float:
    began = time.monotonic()
    while not done() and time.monotonic() - began < BACK_S:
        time.sleep(0.01)
    return time.monotonic() - began


def pulled(folder: Path, log: Any, seed: int) -> Trial:
    """Pull an adapter's cable while it is recorded, at moments nobody chose."""
    rng = random.Random(seed)
    clock = Clock()
    place = folder / f"obd{seed}"
    kept = folder / f"{seed}.ltrec"
    adapter = StandInAdapter(StandInEcu(log), place, clock.now, Manner(delay_s=0.01))
    adapter.plug()
    recorder = Recorder(make_sources([f"obd:{place}"], clock), clock, Journal(kept))
    recorder.start()

    def readings() -> int:
        return recorder.state.sources[0].readings

    def _wait_for(more_than: int) -> float:
        return _wait(lambda: readings() > more_than)

    back = []
    for _ in range(PULLS):
        _wait_for(readings() + 60)
        time.sleep(rng.uniform(0.0, 0.5))
        adapter.pull()
        time.sleep(rng.uniform(0.1, 1.0))
        adapter.plug()
        back.append(_wait_for(readings()))
    recorder.stop()
    adapter.pull()
    recorded = read_recording(kept)
    rows = sum(len(times) for times, _ in recorded.rows.values())
    kept.unlink()
    return {
        "kind": "cable",
        "back": back,
        "gaps": len(recorded.gaps),
        "lost": readings() - rows,
        "closed": recorded.is_closed,
    }


def damaged_reply(rng: random.Random, good: str) -> str:
    """A reply with digits lost, words slipped in, or cut off; no digit is changed into another."""
    text = list(good)
    for _ in range(rng.randint(1, 4)):
        kind = rng.randrange(3)
        at = rng.randrange(len(text)) if text else 0
        if kind == 0:
            del text[at : at + rng.randint(1, 6)]
        elif kind == 1:
            text[at:at] = list(rng.choice((*WORDS, "0")))
        else:
            text = text[:at]
    return "".join(text)


def replies(seed: int) -> Trial:
    """Read damaged replies of an adapter."""
    rng = random.Random(seed)
    whole = b"\x41" + b"".join(bytes([pid]) + data for pid, data in TRUE.items())
    good = "\r".join("7E8" + frame.hex().upper() for frame in frames_of(whole))
    sent = "01" + "".join(f"{pid:02X}" for pid in ASKED)
    read = wrong = crashes = 0
    for _ in range(EACH):
        try:
            found = heard(damaged_reply(rng, good), "6", sent)
            told = [values_in(a.data, 1, ASKED) for a in found.answers if a.ecu == "7E8"]
        # Whatever is thrown is what is counted here.
        except Exception:
            crashes += 1
            continue
        read += sum(bool(values) for values in told)
        wrong += sum(any(TRUE[p] != data for p, data in values.items()) for values in told)
    return {"kind": "reply", "sent": EACH, "read": read, "wrong": wrong, "crashes": crashes}


def frames(folder: Path, seed: int) -> Trial:
    """Hear damaged frames of a bus: cut off, too long, of other identifiers and kinds, among whole ones."""
    import can

    rng = random.Random(seed)
    address = f"can:virtual/spoiled{seed}?dbc={folder / 'car.dbc'}"
    source = CanSource(parse_address(address, ("can",)), Clock())
    source.open()
    read = wrong = crashes = 0
    with can.Bus(interface="virtual", channel=f"spoiled{seed}") as bus:
        for _ in range(EACH):
            number = rng.choice(list(FRAMES))
            name, signals = FRAMES[number]
            data = bytes(rng.randrange(256) for _ in range(8))
            kind = rng.randrange(5)
            bus.send(
                can.Message(
                    arbitration_id=number + (0x300 if kind == 1 else 0),
                    data=data[: rng.randrange(8)] if kind == 0 else data,
                    is_extended_id=kind == 2,
                    is_remote_frame=False,
                    is_error_frame=kind == 3,
                )
            )
            true = {
                s.name: s.step * int.from_bytes(data[2 * i : 2 * i + 2], "little", signed=True)
                for i, s in enumerate(signals)
            }
            try:
                readings = source.read()
            # Whatever is thrown is what is counted here.
            except Exception:
                crashes += 1
                continue
            read += len(readings)
            wrong += sum(not _is_so(reading, name, true) for reading in readings)
    source.close()
    return {"kind": "frame", "sent": EACH, "read": read, "wrong": wrong, "crashes": crashes}


def _is_so(reading: Reading, name: str, true: Mapping[str, float]) -> bool:
    told = zip(reading.stream.channels, reading.values, strict=True)
    return reading.stream.name == name and all(abs(true[c.name] - v) <= SAME for c, v in told)


def _trial(folder: Path, seed: int) -> Trial:
    if seed < CABLES:
        return pulled(folder, simulate(heron(), 1, 3.0), seed)
    return replies(seed) if seed < CABLES + SPOILED else frames(folder, seed)


def _table(results: Sequence[Trial]) -> list[str]:
    cables = [r for r in results if r["kind"] == "cable"]
    back = [b for r in cables for b in r["back"]]
    lines = [
        f"An adapter's cable pulled {len(back)} times while it is recorded: heard again after "
        f"{median(back):.1f} s in the median and {max(back):.1f} s at most, "
        f"{sum(r['gaps'] for r in cables)} gaps marked, {sum(r['lost'] for r in cables)} readings lost, "
        f"{sum(r['closed'] for r in cables)} of {len(cables)} recordings ended in order.",
        "",
        "Replies of an adapter with digits lost, words slipped in or cut off (a digit changed into another "
        "can be told by nobody: an adapter's serial line has no check), and frames of a bus that are cut "
        "off, of another identifier or kind:",
        "",
        "| what | sent | still read | with another value | crashes |",
        "|---|---|---|---|---|",
    ]
    for kind in ("reply", "frame"):
        some = [r for r in results if r["kind"] == kind]
        counts = [sum(r[k] for r in some) for k in ("sent", "read", "wrong", "crashes")]
        lines.append(f"| {kind} | {' | '.join(map(str, counts))} |")
    return lines


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [
        r
        for r in results
        if (r["kind"] == "cable" and (r["lost"] or not r["closed"] or max(r["back"]) >= BACK_S))
        or r.get("crashes", 0) > 0
        or (r["kind"] == "frame" and r["wrong"] > 0)
        or (r["kind"] == "reply" and r["wrong"] > MOST_WRONG)
    ]


MOST_WRONG = 3
"""Of a trial's replies: where as many digits slip in as are lost, an answer adds up and is another one."""

CAMPAIGN = Campaign(
    title="Spoiled sources",
    count=COUNT,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)
