"""A dress: everything about how one drive is written to a file."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from campaigns.dressing.cars import vehicle_of
from campaigns.dressing.scales import MIXTURE, SCALES, Scale, digits_for, scale_of
from campaigns.dressing.vocabulary import DECOYS, EXTRA, NAMES, ORDER, TIME
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.types import Floats

HEADERS = ("brackets", "round", "row", "suffix", "comma", "cells", "none")
SHAPES = ("wide", "long", "groups", "in turn", "slow", "slow blank")
TEXT_TIMES = (
    "s",
    "ms",
    "us",
    "ns",
    "m:s",
    "clock",
    "clock comma",
    "ISO",
    "ISO zone",
    "date and time",
    "am pm",
    "day serial",
    "epoch",
    "epoch ms",
    "none named rate",
)
KINDS = (
    "text",
    "parquet",
    "arrow",
    "arrow stream",
    "mdf4",
    "mdf3",
    "xlsx",
    "ods",
    "mat",
    "mat struct",
    "jsonl",
    "blf",
    "asc",
    "candump",
    "trc",
)
PACKS = ("", "gzip", "zstd", "bz2", "xz", "zip")


@dataclass(frozen=True)
class Dress:
    """How a drive is written.

    Attributes
    ----------
    name : for people.
    words : whose names, see ``NAMES``.
    scales : by role, a key of its scales; what is not named is in our unit.
    header : where units stand.
    delimiter, decimal, thousands : of text.
    encoding, newline, quoted : of text.
    preamble, footer, repeated : lines around and among the rows.
    time : how time is written.
    shape : of the table.
    kind : of file.
    pack : container.
    decoys : columns that sound like channels.
    without : roles that were not logged.
    marks : anything else, by name.
    clear : whether a person with the vehicle sheet would read it at once.
    car : whose drive it is, a key of ``cars.CARS``.
    own_names, own_scales : by role, in place of those of ``words`` and ``scales``.
    """

    name: str = ""
    words: str = "plain"
    scales: dict[Role, str] = field(default_factory=dict)
    header: str = "brackets"
    delimiter: str = ","
    decimal: str = "."
    thousands: str = ""
    encoding: str = "utf-8"
    newline: str = "\n"
    quoted: bool = False
    preamble: tuple[str, ...] = ()
    footer: tuple[str, ...] = ()
    repeated: bool = False
    time: str = "s"
    shape: str = "wide"
    kind: str = "text"
    pack: str = ""
    decoys: bool = False
    without: frozenset[Role] = frozenset()
    marks: dict[str, Any] = field(default_factory=dict)
    clear: bool = True
    car: str = "heron"
    own_names: Mapping[Role | str, str] = field(default_factory=dict)
    own_scales: Mapping[Role, Scale] = field(default_factory=dict)

    def name_of(self, role: Role | str) -> str:
        """What a channel is called."""
        return self.own_names.get(role) or NAMES[self.words][role]

    def scale_of(self, role: Role) -> Scale:
        """Unit text and conversion of a channel."""
        if role in self.own_scales:
            return self.own_scales[role]
        key = self.scales.get(role, next(iter(SCALES[role])))
        return scale_of(role, key, vehicle_of(self.car).stoich_afr)


@dataclass(frozen=True, eq=False)
class Ware:
    """One column to be written: role (None for a decoy), name, unit, numbers, decimals."""

    role: Role | None
    name: str
    unit: str
    values: Floats
    digits: int


def wares_of(log: Log, dress: Dress, seed: int = 0) -> list[Ware]:
    """The columns of a dress, without the time."""
    rng = np.random.default_rng([seed, 9])
    out = []
    for role in (*ORDER, *EXTRA):
        if role == TIME or not isinstance(role, Role) or role not in log or role in dress.without:
            continue
        unit, convert = dress.scale_of(role)
        digits = digits_for(role, (unit, convert))
        vacuum = dress.scales.get(role, "").startswith("vacuum")
        name = "Manifold Vacuum" if vacuum else dress.name_of(role)
        out.append(Ware(role, name, unit, convert(log[role]), digits))
    if dress.decoys:
        wave = np.sin(log.time_s / 7.0)
        for name, unit, middle, swing in DECOYS:
            values = middle + swing * wave * rng.uniform(0.5, 1.0)
            at = int(rng.integers(0, len(out) + 1))
            out.insert(at, Ware(None, name, unit, values, 3))
    if dress.marks.get("shuffled"):
        order = rng.permutation(len(out)).tolist()
        out = [out[i] for i in order]
    return out


def named(ware: Ware, header: str) -> str:
    """A column's head."""
    if header in ("none", "row", "cells") or not ware.unit:
        return ware.name
    if header == "brackets":
        return f"{ware.name} [{ware.unit}]"
    if header == "round":
        return f"{ware.name} ({ware.unit})"
    return (
        f"{ware.name}_{ware.unit.replace('°', '')}"
        if header == "suffix"
        else f"{ware.name}, {ware.unit}"
    )


def with_mixture(dress: Dress, scale: str) -> Dress:
    """The dress with both mixtures on a scale."""
    assert scale in MIXTURE
    return replace(dress, scales={**dress.scales, Role.LAMBDA: scale, Role.TARGET: scale})
