"""CAN traces (BLF, ASC, TRC, candump), decoded with the user's DBC; every signal is a channel."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.apart.protocol import Contents, FileReader, Listed, RefusedError
from lean_trim.formats.decode.dbc import key_of, load_dbc


class Say:
    """Sentences of this module."""

    NO_DBC = Message(
        "can_trace.no_dbc", "is a CAN trace; a DBC is needed to tell what its frames mean"
    )
    STRANGE = Message(
        "can_trace.strange", "none of its {count} kinds of frames is in the DBC {dbc}"
    )
    SOME_STRANGE = Message(
        "can_trace.some_strange", "{some} of {count} kinds of frames are not in the DBC"
    )
    UNDECODED = Message(
        "can_trace.undecoded", "{count} frames could not be decoded with the DBC and are holes"
    )


def reader_class(head: bytes) -> Any:
    """The reader of python-can for a trace, told by its first bytes.

    Returns a class that iterates over messages.
    """
    import can

    if head.startswith(b"LOGG"):
        return can.io.BLFReader
    if head.lstrip().startswith(b"("):
        return can.io.CanutilsLogReader
    return can.io.TRCReader if head.startswith(b";") else can.io.ASCReader


def _open(path: Path, options: Mapping[str, str]) -> Contents:
    if not options.get("dbc"):
        raise RefusedError(Say.NO_DBC(), need="dbc")
    try:
        messages = load_dbc(Path(options["dbc"]))
    except BadInputError as error:
        raise RefusedError(error.said or str(error)) from error
    with path.open("rb") as f:
        reader = reader_class(f.read(64))
    frames = _frames(reader(str(path)))
    channels: list[Listed] = []
    places: list[tuple[int, str]] = []
    for group, (key, message) in enumerate(messages.items()):
        for signal in message.signals if key in frames else ():
            channels.append(Listed(signal.name, signal.unit or "", group))
            places.append((key, signal.name))
    if not channels:
        raise RefusedError(Say.STRANGE(count=len(frames), dbc=options["dbc"]))
    notes: list[str] = []
    strange = sorted(set(frames) - set(messages))
    if strange:
        notes.append(str(Say.SOME_STRANGE(some=len(strange), count=len(frames))))

    def load(wanted: Sequence[int]) -> tuple[Mapping[int, Floats], Mapping[int, Floats]]:
        values: dict[int, Floats] = {}
        times: dict[int, Floats] = {}
        refused = 0
        for key in {places[i][0] for i in wanted}:
            here = [i for i in wanted if places[i][0] == key]
            stamps, payloads = frames[key]
            columns, bad = _decoded(messages[key], payloads, [places[i][1] for i in here])
            refused += bad
            for i, column in zip(here, columns, strict=True):
                values[i] = column
                times[channels[i].group] = np.asarray(stamps, float)
        if refused:
            notes.append(str(Say.UNDECODED(count=refused)))
        return values, times

    return Contents(channels, load, notes)


def _frames(messages: Iterable[Any]) -> dict[int, tuple[list[float], list[bytes]]]:
    found: dict[int, tuple[list[float], list[bytes]]] = defaultdict(lambda: ([], []))
    for m in messages:
        if not m.is_error_frame and not m.is_remote_frame:
            stamps, payloads = found[key_of(m.arbitration_id, m.is_extended_id)]
            stamps.append(m.timestamp)
            payloads.append(bytes(m.data))
    return dict(found)


def _decoded(
    message: Any, payloads: Sequence[bytes], names: Sequence[str]
) -> tuple[list[Floats], int]:
    out = [np.full(len(payloads), np.nan) for _ in names]
    bad = 0
    for row, payload in enumerate(payloads):
        try:
            decoded = message.decode(payload, decode_choices=False, allow_truncated=True)
        # Short and multiplexed frames of another kind raise several errors of the library's own.
        except Exception:
            bad += 1
            continue
        for column, name in zip(out, names, strict=True):
            value = decoded.get(name)
            if value is not None:
                column[row] = float(value)
    return out, bad


READER = FileReader(("can", "cantools"), _open)
