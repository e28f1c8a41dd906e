"""MATLAB v5: vectors, structures of vectors, structures with a time of their own, a matrix with names."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.apart.protocol import Contents, FileReader, Listed, RefusedError
from lean_trim.formats.meaning.names import is_time, split_unit


class Say:
    """Sentences of this module."""

    HDF5 = Message(
        "matlab.hdf5",
        "is a MATLAB 7.3 file; allowed is version 5, which 'save -v6' or 'save -v7' writes",
    )


TIME_FIELDS = ("time", "t", "x", "timestamps", "time_s")
VALUE_FIELDS = ("data", "values", "value", "signals", "y", "v", "samples")
UNIT_FIELDS = ("unit", "units")
MOST_DEPTH = 3


def _open(path: Path, options: Mapping[str, str]) -> Contents:
    from scipy.io import loadmat

    with path.open("rb") as f:
        if b"MATLAB 7.3" in f.read(128):
            raise RefusedError(Say.HDF5())
    contents = loadmat(path, squeeze_me=True, struct_as_record=False)
    vectors = list(_vectors({k: v for k, v in contents.items() if not k.startswith("__")}))
    channels: list[Listed] = []
    values: list[Floats] = []
    times: dict[int, Floats] = {}
    lengths: dict[int, int] = {}
    for name, unit, data, own_time in vectors:
        if own_time is not None:
            group = 10_000 + len(channels)
            times[group] = own_time
        else:
            # Vectors of one length are columns of one table.
            group = lengths.setdefault(len(data), len(lengths))
        plain, said = split_unit(name)
        channels.append(Listed(plain, unit or said, group))
        values.append(data)

    def load(wanted: Sequence[int]) -> tuple[Mapping[int, Floats], Mapping[int, Floats]]:
        groups = {channels[i].group for i in wanted}
        return {i: values[i] for i in wanted}, {g: t for g, t in times.items() if g in groups}

    return Contents(channels, load)


def _vectors(
    variables: Mapping[str, Any], prefix: str = "", depth: int = 0
) -> Iterator[tuple[str, str, Floats, Floats | None]]:
    names = _names_of_matrix(variables)
    for key, value in variables.items():
        name = f"{prefix}{key}"
        if isinstance(value, np.ndarray) and value.ndim == 2 and len(names) == value.shape[1]:
            for i, column in enumerate(names):
                yield column, "", np.asarray(value[:, i], float), None
        elif _is_vector(value):
            yield name, "", np.asarray(value, float), None
        elif hasattr(value, "_fieldnames") and depth < MOST_DEPTH:
            fields = {f: getattr(value, f) for f in value._fieldnames}
            lower = {f.lower(): v for f, v in fields.items()}
            time = next((lower[f] for f in TIME_FIELDS if _is_vector(lower.get(f))), None)
            data = next((lower[f] for f in VALUE_FIELDS if _is_vector(lower.get(f))), None)
            if time is not None and data is not None and len(time) == len(data):
                unit = next(
                    (str(lower[f]) for f in UNIT_FIELDS if isinstance(lower.get(f), str)), ""
                )
                yield name, unit, np.asarray(data, float), np.asarray(time, float)
            else:
                # One structure of vectors is the table itself; its name says nothing about the
                # channels.
                alone = depth == 0 and len(variables) == 1
                yield from _vectors(fields, "" if alone else f"{name}.", depth + 1)


def _is_vector(value: object) -> bool:
    return (
        isinstance(value, np.ndarray)
        and value.ndim == 1
        and len(value) >= 2
        and (np.issubdtype(value.dtype, np.number) or value.dtype == bool)
        and not np.iscomplexobj(value)
    )


def _names_of_matrix(variables: Mapping[str, Any]) -> list[str]:
    for value in variables.values():
        if isinstance(value, np.ndarray) and value.ndim == 1 and value.dtype.kind in "OU":
            names = [str(v) for v in value.tolist()]
            if len(names) >= 2 and any(is_time(n) for n in names):
                return names
    return []


READER = FileReader(("scipy.io",), _open)
