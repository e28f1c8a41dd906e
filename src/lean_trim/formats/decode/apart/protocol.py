"""What parent and child say to each other: lines of JSON, and arrays as bytes."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from lean_trim.core.errors import LeanTrimError, Need
from lean_trim.core.messages import Said
from lean_trim.core.types import Floats

DATAGRAM = 1 << 16
"""Most bytes of one message to a child, or from it."""


@dataclass(frozen=True)
class Listed:
    """A channel of the file: name, unit, and the group whose times it has."""

    name: str
    unit: str
    group: int


@dataclass(frozen=True, eq=False)
class Contents:
    """What a reader found in a file.

    Attributes
    ----------
    channels : all of it, in their order.
    load : positions of channels → values by position, and times by group in s (none for a table
        whose time is one of its columns).
    notes : what the user should know; may be filled while loading.
    doubts : by position of a channel, why its numbers are not what was measured.
    """

    channels: Sequence[Listed]
    load: Callable[[Sequence[int]], tuple[Mapping[int, Floats], Mapping[int, Floats]]]
    notes: list[str] = field(default_factory=list)
    doubts: dict[int, str] = field(default_factory=dict)


@dataclass(frozen=True)
class FileReader:
    """A reader that runs apart: the modules it needs, and how it opens a file."""

    modules: tuple[str, ...]
    open: Callable[[Path, Mapping[str, str]], Contents]


class RefusedError(LeanTrimError):
    """A sentence of the reader's own about a file it cannot take; ``need`` is what the user could say."""

    def __init__(self, text: str | Said, need: Need | None = None) -> None:
        super().__init__(text)
        self.need = need


def say(stream: BinaryIO, message: Mapping[str, Any]) -> None:
    """Write one line of JSON."""
    stream.write(json.dumps(message).encode() + b"\n")
    stream.flush()


def send_array(stream: BinaryIO, kind: str, key: int, values: Floats) -> None:
    """Write an array behind a line that announces it.

    Parameters
    ----------
    stream : to the other side.
    kind : "values" or "times".
    key : channel or group.
    values : shape (n,).
    """
    data = np.ascontiguousarray(values, "<f8")
    say(stream, {kind: key, "count": len(data)})
    stream.write(data.tobytes())
