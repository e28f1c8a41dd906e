"""``file:`` a log of any known kind, played at any pace."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np

from lean_trim.core.data.channels import LABELS
from lean_trim.core.data.log import Log
from lean_trim.core.errors import BadInputError, LogError
from lean_trim.core.messages import Message, Said
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import RawColumns
from lean_trim.formats.recording.frames import Channel, Stream
from lean_trim.live.address import Address
from lean_trim.live.played import PACES, Player, Track, readings_of
from lean_trim.live.source import Clock, Reading


class Say:
    """Sentences of this module."""

    IN_DOUBT = Message(
        "replay.in_doubt", "{path}: {doubt}; settle that first, and replay what is written then"
    )
    NO_PATH = Message("replay.no_path", "{text}: name a log file, as in file:drive.csv?pace=1")


OPTIONS = ("pace", "dbc")
STOICH_AFR = 14.7


class ReplaySource:
    """A recorded file.

    Parameters
    ----------
    address : of scheme ``file``.
    clock : of the session.
    """

    def __init__(self, address: Address, clock: Clock) -> None:
        address.allow(OPTIONS)
        if not address.target:
            raise BadInputError(Say.NO_PATH(text=address.text))
        self.address = address.text
        self.clock = clock
        self.path = Path(address.target)
        self.pace = address.number("pace", 1.0, *PACES)
        self.paced = self.pace == 1.0
        dbc = address.options.get("dbc")
        self.dbc = Path(dbc) if dbc else None
        self._player: Player | None = None

    def open(self) -> None:
        """Read the file; a LogError of its reader is the user's to see."""
        if self._player is None:
            self._player = Player(self._readings(), self.clock, self.pace)

    def _readings(self) -> Iterator[Reading]:
        return readings_of(tracks_of(self.path, self.address, self.dbc))

    def read(self) -> Sequence[Reading]:
        """What is due."""
        assert self._player is not None
        return self._player.due()

    def close(self) -> None:
        """It goes on where it stopped."""

    def doubts(self) -> Sequence[Said]:
        """None: what the file means is asked of the recording."""
        return ()


def tracks_of(path: Path, address: str, dbc: Path | None = None) -> list[Track]:
    """Columns of a log file as streams, under their own names.

    Parameters
    ----------
    path : of any known kind.
    address : of the source.
    dbc : for a CAN trace.

    Returns
    -------
    A track a group of columns that have their times in common.

    Raises
    ------
    LogError
        If the file cannot be read.
    """
    from lean_trim.formats.decode.columns import ReadOptions
    from lean_trim.formats.logs import read_raw
    from lean_trim.formats.meaning.channel_map import map_channels

    raw = read_raw(path, options=ReadOptions(dbc=dbc))
    if raw.times:
        return _tracks_by_group(raw, address)
    mapped = map_channels(raw, path.name, STOICH_AFR)
    columns = [c for c in raw.columns if c.index in raw.values and c != mapped.time]
    in_rows = all(len(raw.values[c.index]) == len(mapped.log) for c in columns)
    if mapped.time is not None and in_rows and _rises(raw.values[mapped.time.index]):
        # As they stand in the file: what is in doubt there has to be in doubt in the recording as well.
        stream = Stream(address, "log", tuple(Channel(c.name, c.unit) for c in columns))
        return [Track(stream, mapped.log.time_s, np.array([raw.values[c.index] for c in columns]))]
    if mapped.doubts:
        raise LogError(Say.IN_DOUBT(path=path, doubt=mapped.doubts[0]))
    return [track_of_log(mapped.log, address)]


def _rises(time: Floats) -> bool:
    return bool(np.all(np.diff(time) >= 0.0))


def _tracks_by_group(raw: RawColumns, address: str) -> list[Track]:
    tracks = []
    for group, times in raw.times.items():
        columns = [c for c in raw.columns if c.group == group and c.index in raw.values]
        if columns:
            stream = Stream(
                address, f"group {group}", tuple(Channel(c.name, c.unit) for c in columns)
            )
            tracks.append(Track(stream, times, np.array([raw.values[c.index] for c in columns])))
    return tracks


def track_of_log(log: Log, address: str) -> Track:
    """A log's channels as one stream, by the names people know them by."""
    channels = tuple(Channel(*LABELS[role]) for role in log.channels)
    stream = Stream(address, "log", channels)
    return Track(stream, log.time_s, np.array(list(log.channels.values())))
