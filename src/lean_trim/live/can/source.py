"""``can:`` frames of a bus, decoded with the user's DBC."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message, Said
from lean_trim.formats.decode.dbc import key_of, load_dbc
from lean_trim.formats.recording.frames import Channel, Stream
from lean_trim.live.address import Address
from lean_trim.live.can.bus import ListeningBus, bus_address
from lean_trim.live.source import WAIT_S, Clock, LostError, Reading
from lean_trim.live.stamps import Stamps


class Say:
    """Sentences of this module."""

    NO_DBC = Message(
        "can_source.no_dbc", "{text}: add …&dbc=FILE, for it tells what the frames of the bus mean"
    )
    STRANGE = Message(
        "can_source.strange",
        "{frames} frames were heard on {channel} and none is in the DBC; is it that of this car?",
    )
    ERRORS = Message(
        "can_source.errors",
        "only error frames are heard on {channel}; is its bit rate right, and is it wired?",
    )
    SOME_STRANGE = Message(
        "can_source.some_strange", "{count} kinds of frames on {channel} are not in the DBC"
    )
    UNDECODED = Message(
        "can_source.undecoded", "{count} frames on {channel} could not be decoded with the DBC"
    )


OPTIONS = ("bitrate", "dbc", "stamps")
OWN = "own"
"""``stamps=own``: of a drive that is played at another pace than it was driven."""
AT_ONCE = 500
JUDGED = 200
"""Frames after which something of the DBC should have been among them."""


class CanSource:
    """A bus that broadcasts.

    Parameters
    ----------
    address : of scheme ``can``.
    clock : of the session.
    """

    def __init__(self, address: Address, clock: Clock) -> None:
        address.allow(OPTIONS)
        self.paced = address.options.get("stamps", "") != OWN
        self.address = address.text
        self.clock = clock
        self.at = bus_address(address, address.target)
        if not address.options.get("dbc"):
            raise BadInputError(Say.NO_DBC(text=address.text))
        self._messages = load_dbc(Path(address.options["dbc"]))
        self._bus = ListeningBus(self.at)
        self._streams: dict[tuple[int, tuple[str, ...]], Stream] = {}
        self._strange: set[int] = set()
        self._undecoded = 0
        self._begin()

    def _begin(self) -> None:
        self._stamps = Stamps(self.paced)
        self._errors = 0
        self._heard = 0

    def open(self) -> None:
        """Begin to hear it."""
        self._begin()
        self._bus.open()

    def close(self) -> None:
        """Let it go."""
        self._bus.close()

    def read(self) -> Sequence[Reading]:
        """Frames that have come since."""
        out: list[Reading] = []
        frame = self._bus.receive(WAIT_S)
        while frame is not None:
            reading = self._taken(frame)
            if reading is not None:
                out.append(reading)
            if len(out) >= AT_ONCE:
                break
            frame = self._bus.receive(0.0)
        return out

    def doubts(self) -> Sequence[Said]:
        """What of the bus is not in the DBC, and what could not be decoded."""
        channel = self.at.channel
        found: list[Said] = []
        if self._strange:
            found.append(Say.SOME_STRANGE(count=len(self._strange), channel=channel))
        if self._undecoded:
            found.append(Say.UNDECODED(count=self._undecoded, channel=channel))
        return found

    def _taken(self, frame: Any) -> Reading | None:
        if frame.is_error_frame:
            self._errors += 1
            if self._errors >= JUDGED and not self._heard:
                raise LostError(Say.ERRORS(channel=self.at.channel))
            return None
        if frame.is_remote_frame:
            return None
        self._heard += 1
        key = key_of(frame.arbitration_id, frame.is_extended_id)
        message = self._messages.get(key)
        if message is None:
            self._strange.add(key)
            if self._heard >= JUDGED and not self._streams:
                raise LostError(Say.STRANGE(frames=self._heard, channel=self.at.channel))
            return None
        try:
            decoded = message.decode(bytes(frame.data), decode_choices=False, allow_truncated=True)
        # Short and multiplexed frames of another kind raise several errors of the library's own.
        except Exception:
            self._undecoded += 1
            return None
        values = tuple(_number(v) for v in decoded.values())
        if not values:
            return None
        at = self._stamps.time_of(float(frame.timestamp or 0.0), self.clock.now())
        return Reading(self._stream(key, message, tuple(decoded)), at, values)

    def _stream(self, key: int, message: Any, names: tuple[str, ...]) -> Stream:
        """A multiplexed frame is a stream for every set of signals it brings."""
        stream = self._streams.get((key, names))
        if stream is None:
            units = {s.name: s.unit or "" for s in message.signals}
            channels = tuple(Channel(n, units[n]) for n in names)
            stream = self._streams[key, names] = Stream(self.address, message.name, channels)
        return stream


def _number(value: object) -> float:
    try:
        number = float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError):
        return math.nan
    return number if math.isfinite(number) else math.nan
