"""Write a drive in a dress."""

from __future__ import annotations

import bz2
import datetime
import gzip
import io
import lzma
import zipfile
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from campaigns.dressing.dress import Dress, Ware, named, wares_of
from campaigns.dressing.vocabulary import TIME
from lean_trim.core.data.log import Log
from lean_trim.core.types import Floats

START = datetime.datetime(2026, 5, 17, 14, 3, 27, 480_000)
EPOCH = (START - datetime.datetime(1970, 1, 1)).total_seconds()
DAY_ZERO = datetime.datetime(1899, 12, 30)
UNITS_OF_TIME = {"s": "s", "ms": "ms", "us": "µs", "ns": "ns", "epoch": "s", "epoch ms": "ms"}


def time_text(time_s: Floats, dress: Dress) -> list[str]:
    """The time column as it is written."""
    kind = dress.time
    factor = {"s": 1.0, "ms": 1e3, "us": 1e6, "ns": 1e9}.get(kind)
    factor = float(dress.marks.get("time factor", factor or 0.0)) or None
    if factor is not None:
        digits = max(0, 3 - round(np.log10(factor)))
        return [_number(t * factor, digits, dress) for t in time_s.tolist()]
    if kind.startswith("epoch"):
        scale = 1e3 if kind == "epoch ms" else 1.0
        return [_number((EPOCH + t) * scale, 0 if scale > 1 else 3, dress) for t in time_s.tolist()]
    if kind == "day serial":
        base = (START - DAY_ZERO).total_seconds()
        return [_number((base + t) / 86400.0, 9, dress) for t in time_s.tolist()]
    out = []
    for t in time_s.tolist():
        at = START + datetime.timedelta(seconds=t)
        milli = f"{at.microsecond // 1000:03d}"
        if kind == "m:s":
            out.append(f"{int(t // 60):02d}:{t % 60:06.3f}")
        elif kind == "clock":
            out.append(f"{at:%H:%M:%S}.{milli}")
        elif kind == "clock comma":
            out.append(f"{at:%H:%M:%S},{milli}")
        elif kind == "ISO":
            out.append(f"{at:%Y-%m-%dT%H:%M:%S}.{milli}")
        elif kind == "ISO zone":
            out.append(f"{at:%Y-%m-%dT%H:%M:%S}.{milli}+02:00")
        elif kind == "date and time":
            out.append(f"{at:%d.%m.%Y %H:%M:%S}.{milli}")
        else:
            out.append(f"{at:%I:%M:%S}.{milli} {at:%p}")
    return out


def _number(value: float, digits: int, dress: Dress) -> str:
    if not np.isfinite(value):
        return str(dress.marks.get("blank", ""))
    text = f"{value:.{digits}f}"
    if dress.thousands:
        text = (
            f"{value:,.{digits}f}".replace(",", "\0")
            .replace(".", dress.decimal)
            .replace("\0", dress.thousands)
        )
    elif dress.decimal == ",":
        text = text.replace(".", ",")
    if dress.marks.get("minus"):
        text = text.replace("-", str(dress.marks["minus"]))
    return text


def _cells(ware: Ware, dress: Dress) -> list[str]:
    unit = f" {ware.unit}" if dress.header == "cells" and ware.unit else ""
    if dress.marks.get("words") and ware.role is not None and ware.role.value == "closed_loop":
        on, off = dress.marks["words"]
        return [on if v > 0.5 else off for v in ware.values.tolist()]
    return [
        text + unit if (text := _number(v, ware.digits, dress)) and np.isfinite(v) else text
        for v in ware.values.tolist()
    ]


def _quoted(cell: str, dress: Dress) -> str:
    special = dress.delimiter.strip() and dress.delimiter in cell
    return f'"{cell}"' if dress.quoted or special or '"' in cell else cell


def _joined(cells: Sequence[str], dress: Dress) -> str:
    return dress.delimiter.join(_quoted(c, dress) for c in cells)


def text_of(log: Log, dress: Dress) -> str:
    """The drive as text."""
    wares = wares_of(log, dress)
    clock = time_text(log.time_s, dress)
    time_name = dress.name_of(TIME)
    unit = str(dress.marks.get("time unit", UNITS_OF_TIME.get(dress.time, "")))
    head = [
        named(Ware(None, time_name, unit, log.time_s, 3), dress.header),
        *(named(w, dress.header) for w in wares),
    ]
    units = [unit, *(w.unit for w in wares)]
    lines = list(dress.preamble)
    if dress.shape == "long":
        rows = _long_rows(log, wares, clock, dress)
        lines.append(_joined([time_name, "Channel", "Value"], dress))
        lines += [_joined(r, dress) for r in rows]
    elif dress.shape == "groups":
        lines += _group_rows(log, wares, clock, dress, time_name, unit)
    else:
        columns = [clock, *(_cells(w, dress) for w in wares)]
        keep = _shown(log, wares, dress)
        header = [_joined(head, dress)]
        if dress.header == "row":
            header.append(_joined(units, dress))
        lines += header
        for i in range(len(log)):
            row = [columns[0][i], *(c[i] if keep[k][i] else "" for k, c in enumerate(columns[1:]))]
            lines.append(
                _joined(row, dress) + (dress.delimiter if dress.marks.get("trailing") else "")
            )
            if dress.repeated and i in (len(log) // 3, len(log) // 2):
                lines += header
    lines += dress.footer
    return dress.newline.join(lines) + dress.newline


def _shown(log: Log, wares: Sequence[Ware], dress: Dress) -> list[np.ndarray]:
    """Which rows of each column are written."""
    n = len(log)
    whole = np.ones(n, bool)
    rows = np.arange(n)
    if dress.shape == "in turn":
        return [rows % len(wares) == k for k in range(len(wares))]
    if dress.shape == "slow blank":
        slow = {"intake_air_c", "coolant_c", "battery_v", "baro_kpa", "ltft_pct"}
        return [
            rows % 25 == 0 if w.role is not None and w.role.value in slow else whole for w in wares
        ]
    return [whole for _ in wares]


def _long_rows(
    log: Log, wares: Sequence[Ware], clock: Sequence[str], dress: Dress
) -> list[list[str]]:
    cells = [(named(w, dress.header), _cells(w, dress)) for w in wares]
    return [[clock[i], name, values[i]] for i in range(len(log)) for name, values in cells]


def _group_rows(
    log: Log, wares: Sequence[Ware], clock: Sequence[str], dress: Dress, time_name: str, unit: str
) -> list[str]:
    """A time column before every channel; slow ones have fewer rows."""
    head: list[str] = []
    columns: list[list[str]] = []
    for k, ware in enumerate(wares):
        step = 5 if k >= len(wares) - 4 else 1
        head += [
            named(Ware(None, time_name, unit, log.time_s, 3), dress.header),
            named(ware, dress.header),
        ]
        columns += [list(clock[::step]), _cells(ware, dress)[::step]]
    longest = max(map(len, columns))
    out = [_joined(head, dress)]
    for i in range(longest):
        out.append(_joined([c[i] if i < len(c) else "" for c in columns], dress))
    return out


def write(log: Log, dress: Dress, path: Path) -> None:
    """Write the drive in its dress; a DBC stands beside a CAN trace."""
    if dress.kind == "text":
        data = text_of(log, dress).encode(dress.encoding)
        if dress.marks.get("mark"):
            data = dress.marks["mark"] + data
    else:
        from campaigns.dressing.binary import binary_of

        data = binary_of(log, dress, path)
    path.write_bytes(packed(data, dress.pack))


def packed(data: bytes, pack: str) -> bytes:
    """Bytes in a container."""
    if pack == "gzip":
        return gzip.compress(data)
    if pack == "zstd":
        import zstandard

        return zstandard.compress(data)
    if pack == "bz2":
        return bz2.compress(data)
    if pack == "xz":
        return lzma.compress(data)
    if pack == "zip":
        stream = io.BytesIO()
        with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("drive.csv", data)
        return stream.getvalue()
    return data
