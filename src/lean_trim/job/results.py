"""Results as bytes and back, without pickle: a tree of plain values in JSON, and the arrays beside it.

What can be written are frozen records of ``lean_trim.core``, enumerations, arrays, containers and
plain values. Reading builds nothing but those records, through their own checks; so a result from a
file is as harmless as its numbers. A record or array that occurs twice is written once, and is one
again.
"""

from __future__ import annotations

import hashlib
import importlib
import io
import json
import math
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import fields, is_dataclass
from enum import Enum
from typing import Any

import numpy as np

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    NOT_PLAIN = Message(
        "results.not_plain", "a result cannot hold {kind}; allowed are records, arrays, values"
    )
    NOT_OURS = Message(
        "results.not_ours", "a kept result names {name!r}, which is no record of ours"
    )
    DAMAGED = Message("results.damaged", "a kept result cannot be read ({reason})")


OURS = "lean_trim.core."
"""Package whose records may be read back."""
TREE = "tree.json"
ARRAYS = "arrays.npz"
LARGEST_BYTES = 1 << 30
"""Most that a result unpacks to, 1 GiB; that of an hour at 100 Hz takes a fifth of it."""
DAMAGES = (
    *(zipfile.BadZipFile, KeyError, ValueError, TypeError, AttributeError),
    *(IndexError, RecursionError, EOFError, OSError),
)
"""What reading damaged bytes ends in."""
Node = Any


def packed(result: object) -> bytes:
    """A result as bytes.

    Parameters
    ----------
    result : a record, such as ``Solution``.

    Returns
    -------
    A zip archive of a tree and its arrays.

    Raises
    ------
    BadInputError
        If it holds anything that is no plain value.
    """
    writer = _Writer()
    tree = writer.node(result)
    arrays = io.BytesIO()
    np.savez(arrays, *writer.arrays)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        archive.writestr(TREE, json.dumps({"root": tree, "records": writer.records}))
        archive.writestr(ARRAYS, arrays.getvalue())
    return out.getvalue()


def digest(value: object) -> str:
    """A value as 64 letters that are others for any other value.

    Parameters
    ----------
    value : as for ``packed``.

    Returns
    -------
    SHA-256 in hexadecimal.

    Raises
    ------
    BadInputError
        If it holds anything that is no plain value.
    """
    return hashlib.sha256(json.dumps(_Sums().node(value)).encode()).hexdigest()


def unpacked(data: bytes) -> Any:
    """The inverse of ``packed``.

    Parameters
    ----------
    data : bytes of a result.

    Returns
    -------
    An equal result.

    Raises
    ------
    BadInputError
        If they are damaged, too large, or name anything but records of ours.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(i.file_size for i in archive.infolist()) > LARGEST_BYTES:
                raise BadInputError(Say.DAMAGED(reason="it is too large"))
            whole = json.loads(archive.read(TREE))
            with np.load(io.BytesIO(archive.read(ARRAYS)), allow_pickle=False) as kept:
                arrays = [kept[f"arr_{i}"] for i in range(len(kept.files))]
        return _Reader(whole["records"], arrays).value(whole["root"])
    except BadInputError:
        raise
    except (
        zipfile.BadZipFile,
        KeyError,
        ValueError,
        TypeError,
        IndexError,
        RecursionError,
        EOFError,
    ) as error:
        raise BadInputError(Say.DAMAGED(reason=type(error).__name__)) from error


class _Writer:
    """Turns values into nodes; what is shared is written once."""

    def __init__(self) -> None:
        self.arrays: list[np.ndarray] = []
        self.records: list[Node] = []
        self._known: dict[int, Node] = {}
        # An object that is let go may give its id to the next.
        self._held: list[object] = []

    def node(self, value: object) -> Node:
        # A named value of an enumeration is a text or a number as well.
        if value is None or type(value) in (str, bool, int):
            return value
        if type(value) is float:
            return value if math.isfinite(value) else {"float": repr(value)}
        shared = isinstance(value, np.ndarray) or is_dataclass(value)
        if shared and id(value) in self._known:
            return self._known[id(value)]
        node = self._composed(value)
        if shared:
            self._known[id(value)] = node
            self._held.append(value)
        return node

    def _composed(self, value: Any) -> Node:
        if isinstance(value, np.ndarray):
            self.arrays.append(value)
            return {"array": len(self.arrays) - 1}
        if isinstance(value, np.generic):
            return {"scalar": [str(value.dtype), self.node(value.item())]}
        if isinstance(value, Enum):
            return {"enum": [_name_of(type(value)), value.name]}
        if is_dataclass(value):
            parts = {f.name: self.node(getattr(value, f.name)) for f in fields(value) if f.init}
            self.records.append([_name_of(type(value)), parts])
            return {"record": len(self.records) - 1}
        if isinstance(value, Mapping):
            return {"map": [[self.node(k), self.node(v)] for k, v in value.items()]}
        if isinstance(value, frozenset):
            # In no order of their own: texts come in another one in every process.
            return {"set": sorted((self.node(x) for x in value), key=json.dumps)}
        for kind, name in ((tuple, "tuple"), (list, "list")):
            if isinstance(value, kind):
                return {name: [self.node(x) for x in value]}
        raise BadInputError(Say.NOT_PLAIN(kind=type(value).__name__))


def _name_of(kind: type) -> str:
    name = f"{kind.__module__}:{kind.__qualname__}"
    if not kind.__module__.startswith(OURS):
        raise BadInputError(Say.NOT_PLAIN(kind=name))
    return name


class _Sums(_Writer):
    """Turns values into nodes that are alike for equal values, whatever they share and in whatever order."""

    def _composed(self, value: Any) -> Node:
        if isinstance(value, np.ndarray) and value.dtype.hasobject:
            return {"objects": self.node(value.tolist())}
        if isinstance(value, np.ndarray):
            content = np.ascontiguousarray(value).tobytes()
            return {"array": [value.dtype.str, value.shape, hashlib.sha256(content).hexdigest()]}
        if isinstance(value, Mapping):
            pairs = [[self.node(k), self.node(v)] for k, v in value.items()]
            return {"map": sorted(pairs, key=json.dumps)}
        if is_dataclass(value) and not isinstance(value, type):
            parts = {f.name: self.node(getattr(value, f.name)) for f in fields(value) if f.init}
            text = json.dumps([_name_of(type(value)), parts])
            return {"record": hashlib.sha256(text.encode()).hexdigest()}
        return super()._composed(value)


class _Reader:
    """Turns nodes into values; a record is built when it is first met."""

    def __init__(self, records: list[Node], arrays: list[np.ndarray]) -> None:
        self.records = records
        self.arrays = arrays
        self._built: dict[int, object] = {}
        self._making: dict[str, Callable[[Any], object]] = {
            "float": lambda text: float(str(text)),
            "array": lambda place: self.arrays[place],
            "scalar": lambda pair: np.dtype(pair[0]).type(self.value(pair[1])),
            "enum": lambda pair: _kind_of(pair[0])[pair[1]],
            "record": self._record,
            "map": lambda pairs: {self.value(k): self.value(v) for k, v in pairs},
            "tuple": lambda items: tuple(map(self.value, items)),
            "list": lambda items: [self.value(x) for x in items],
            "set": lambda items: frozenset(map(self.value, items)),
        }

    def value(self, node: Node) -> Any:
        if not isinstance(node, dict):
            return node
        ((kind, content),) = node.items()
        return self._making[kind](content)

    def _record(self, place: int) -> object:
        if place not in self._built:
            name, parts = self.records[place]
            kind = _kind_of(name)
            self._built[place] = kind(**{key: self.value(part) for key, part in parts.items()})
        return self._built[place]


def _kind_of(name: str) -> Any:
    """A record or enumeration of ours by its name."""
    module, _, qualified = name.partition(":")
    kind: Any = None
    if module.startswith(OURS) and module.replace(".", "").replace("_", "").isalnum():
        try:
            kind = importlib.import_module(module)
            for part in qualified.split("."):
                kind = getattr(kind, part)
        except (ImportError, AttributeError):
            kind = None
    ours = isinstance(kind, type) and (is_dataclass(kind) or issubclass(kind, Enum))
    if not ours or kind.__module__ != module:
        raise BadInputError(Say.NOT_OURS(name=name))
    return kind
