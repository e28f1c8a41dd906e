"""Open a log file: bytes → columns → channels in the computation's units."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..core.channels import LABELS, Role
from ..core.errors import LogError
from ..core.log import Log
from ..core.physics import Floats
from .recognise import TIME as TIME_NAME
from .recognise import Column, recognise
from .text_log import RawColumns, read_bytes, read_columns, sniff
from .units import TIME, UNITS, allowed_units, lambda_converter, tidy_unit


@dataclass(frozen=True, eq=False)
class OpenedLog:
    """A log with what was understood of it."""

    log: Log
    mapping: dict[Role, Column]
    unused: tuple[str, ...]
    sha256: str
    warnings: tuple[str, ...]


def open_log(path: Path, stoich_afr: float, chosen: Mapping[str, Role] | None = None) -> OpenedLog:
    """Read a text log (also gzip).

    Raises
    ------
    LogError
        Naming the file and what is wrong, in one sentence.
    """
    raw = read_bytes(path)
    layout = sniff(raw, str(path))
    return understand(
        read_columns(raw, layout, str(path)), path.name, hashlib.sha256(raw).hexdigest(), stoich_afr, chosen
    )


def understand(
    raw: RawColumns, name: str, sha256: str, stoich_afr: float, chosen: Mapping[str, Role] | None = None
) -> OpenedLog:
    """Name the channels, convert the units and settle the time base."""
    time, time_column = _time(raw, name)
    keep = np.isfinite(time)
    warnings = []
    if not keep.all():
        warnings.append(f"{name}: {int((~keep).sum())} rows without a time were left out")
    order_broken = np.diff(time[keep]) < 0
    if order_broken.any():
        raise LogError(
            f"{name}: time runs backwards {int(order_broken.sum())} times, first after {time[keep][:-1][order_broken][0]:.3f} s; "
            "split the file where the logger was restarted"
        )
    others = [c for c in raw.columns if c.index != time_column.index]
    mapping = recognise(others, chosen)
    channels = {role: _convert(role, c, raw.values[c.index], stoich_afr, name)[keep] for role, c in mapping.items()}
    used = {c.index for c in mapping.values()}
    unused = tuple(c.name for c in others if c.index not in used)
    return OpenedLog(Log(time[keep], channels, name), mapping, unused, sha256, tuple(warnings))


def _time(raw: RawColumns, name: str) -> tuple[Floats, Column]:
    for column in raw.columns:
        if TIME_NAME.search(column.name):
            unit = tidy_unit(column.unit)
            values = raw.values[column.index]
            if unit not in TIME:
                steps = np.diff(values[np.isfinite(values)])
                unit = "ms" if len(steps) and np.median(steps) >= 5.0 else "s"
            return TIME[unit](values), column
    raise LogError(f"{name} has no time column; name one 'Time' (s, ms or clock time)")


def _convert(role: Role, column: Column, values: Floats, stoich_afr: float, name: str) -> Floats:
    if role in (Role.LAMBDA, Role.TARGET):
        return lambda_converter(column.unit, values, stoich_afr)(values)
    table = UNITS.get(role)
    if table is None:
        return values
    unit = tidy_unit(column.unit)
    if unit == "" and "" not in table:
        unit = tidy_unit(LABELS[role][1])
    if unit not in table:
        raise LogError(
            f"{name}, column {column.name!r}: unit {column.unit!r} is not known for {LABELS[role][0].lower()}; "
            f"allowed are {allowed_units(role)}"
        )
    return table[unit](values)


LABEL_ROLES = {label: role for role, (label, _) in LABELS.items()}


def header_lines(roles: Iterable[Role]) -> str:
    """The row of names and the row of units that ``write_log_csv`` begins with."""
    roles = list(roles)
    names = ",".join(["Time", *(LABELS[r][0] for r in roles)])
    return f"{names}\n{','.join(['s', *(LABELS[r][1] for r in roles)])}\n"


def row_lines(log: Log) -> str:
    """The rows of a log as CSV, at most four decimals."""
    data = np.column_stack([log.time_s, *log.channels.values()])
    return "".join(",".join(f"{v:.4f}".rstrip("0").rstrip(".") for v in row) + "\n" for row in data.tolist())


def parse_rows(roles: Sequence[Role], lines: Sequence[str], name: str) -> Log:
    """The inverse of ``row_lines``."""
    data = np.array([line.split(",") for line in lines], float)
    return Log(data[:, 0], {r: data[:, i] for i, r in enumerate(roles, 1)}, name)


def write_log_csv(log: Log, path: Path) -> None:
    """Write a log as CSV with a row of names and a row of units."""
    import polars as pl

    roles = list(log.channels)
    with path.open("wb") as f:
        f.write(header_lines(roles).encode())
        frame = pl.DataFrame({"time": np.round(log.time_s, 4)} | {str(r): np.round(log[r], 4) for r in roles})
        frame.fill_nan(None).write_csv(f, include_header=False)
