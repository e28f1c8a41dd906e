"""MDF 3 and 4: channels in groups, each group with a master that is its time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.types import Floats
from lean_trim.formats.decode.apart.protocol import Contents, FileReader, Listed
from lean_trim.formats.meaning.names import split_unit


def _open(path: Path, options: Mapping[str, str]) -> Contents:
    from asammdf import MDF

    mdf = MDF(str(path))
    groups: list[Any] = list(mdf.groups)
    channels: list[Listed] = []
    places: list[tuple[None, int, int]] = []
    for g, group in enumerate(groups):
        for c, channel in enumerate(group.channels):
            if c != mdf.masters_db.get(g):
                name, unit = split_unit(channel.name)
                channels.append(Listed(name, str(channel.unit or unit or ""), g))
                places.append((None, g, c))

    def load(wanted: Sequence[int]) -> tuple[Mapping[int, Floats], Mapping[int, Floats]]:
        values: dict[int, Floats] = {}
        times: dict[int, Floats] = {}
        signals = mdf.select([places[i] for i in wanted], copy_master=False) if wanted else []
        for i, signal in zip(wanted, signals, strict=True):
            samples = np.asarray(signal.samples)
            numeric = samples.ndim == 1 and (
                np.issubdtype(samples.dtype, np.number) or samples.dtype == bool
            )
            if not numeric or len(signal.timestamps) < 2:
                continue
            numbers = samples.astype(float)
            # The file itself may say which readings are not to be believed.
            if signal.invalidation_bits is not None:
                numbers = np.where(np.asarray(signal.invalidation_bits, bool), np.nan, numbers)
            values[i] = numbers
            times[channels[i].group] = np.asarray(signal.timestamps, float)
        return values, times

    return Contents(channels, load)


READER = FileReader(("asammdf",), _open)
