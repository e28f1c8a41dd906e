"""A log of a job as a recording, to be written as MDF4 or CSV: each channel with the rows it was read in."""

from __future__ import annotations

from collections import defaultdict

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.formats.recording.frames import Channel, Stream
from lean_trim.formats.recording.reading import Recorded


def recorded_of(log: Log) -> Recorded:
    """A log in the shape of a recording.

    Channels that were read in the same rows go together; a channel slower than the rows keeps only the
    rows that brought it a new reading, so that whoever opens the file sees its own rate.

    Parameters
    ----------
    log : on common rows.

    Returns
    -------
    The same numbers, by name and unit.
    """
    together: dict[bytes, list[Role]] = defaultdict(list)
    for role, values in log.channels.items():
        # Only rates that are known are kept; one that was inferred is the reader's to infer again.
        fresh = log.updates.get(role, np.ones(len(log), bool)) & np.isfinite(values)
        if fresh.any():
            together[np.packbits(fresh).tobytes()].append(role)
    streams = {}
    rows = {}
    for number, (packed, roles) in enumerate(together.items()):
        fresh = np.unpackbits(np.frombuffer(packed, np.uint8), count=len(log)).astype(bool)
        channels = tuple(Channel(*LABELS[role]) for role in roles)
        streams[number] = Stream(log.name, f"channels {number + 1}", channels)
        rows[number] = (log.time_s[fresh], np.stack([log[role][fresh] for role in roles]))
    return Recorded(
        start={}, streams=streams, rows=rows, notes=(), spoiled_bytes=0, cut_bytes=0, is_closed=True
    )
