"""What the tape shows: lanes with pyramids, regimes, left-out samples."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import OwnUnit
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.regimes import REGIME_LABELS, Regime
from lean_trim.core.explore.derived import Series, series_of
from lean_trim.core.explore.pyramid import Pyramid
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.sieve.sieve import MANUAL_BIT, Sifted, reasons_at
from lean_trim.core.text import clock
from lean_trim.ui.tape.lanes import SHORT, LaneSpec
from lean_trim.ui.units import DIGITS
from lean_trim.ui.widgets.picture import columns_text

SIGNED = frozenset({"stft_pct", "ltft_pct", "trim_pct", "k_pct", "fuel_dp_error_pct", "boost_kpa"})


@dataclass(frozen=True, eq=False)
class Trace:
    """One series with its pyramid."""

    series: Series
    pyramid: Pyramid


@dataclass(frozen=True, eq=False)
class Lane:
    """Series that share a strip and a scale; ``own`` is how its unit is shown."""

    title: str
    unit: str
    own: OwnUnit
    traces: tuple[Trace, ...]
    low: float
    high: float


@dataclass(frozen=True, eq=False)
class TapeData:
    """A log ready to be painted. ``regime`` and ``bits`` are None while nothing is solved."""

    log: Log
    lanes: tuple[Lane, ...]
    regime: NDArray[np.int8] | None
    bits: NDArray[np.uint32] | None
    joints: tuple[tuple[float, str], ...] = ()

    @cached_property
    def used_before(self) -> NDArray[np.int64] | None:
        """Number of used samples before each sample, shape (n + 1,); None while nothing is solved."""
        return None if self.bits is None else counted(self.bits == 0)

    @cached_property
    def by_hand_before(self) -> NDArray[np.int64] | None:
        """Samples left out by hand before each sample, (n + 1,); None where there are none."""
        by_hand = None if self.bits is None else (self.bits & MANUAL_BIT) != 0
        return counted(by_hand) if by_hand is not None and by_hand.any() else None

    @property
    def start_s(self) -> float:
        """Time of the first sample, s."""
        return float(self.log.time_s[0])

    @property
    def end_s(self) -> float:
        """Time of the last sample, s."""
        return float(self.log.time_s[-1])


def counted(mask: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Number of marked samples before each sample, shape (n + 1,)."""
    return np.concatenate([[0], np.cumsum(mask)])


def make_tape(
    log: Log,
    vehicle: Vehicle,
    lanes: tuple[LaneSpec, ...],
    solution: Solution | None = None,
    names: tuple[str, ...] = (),
    before: TapeData | None = None,
    sifted: Sifted | None = None,
    shown_in: Callable[[str], OwnUnit] = OwnUnit,
) -> TapeData:
    """Build lanes for the series the log has. ``names`` of the joined logs label the joints.

    Pyramids of ``before`` are used again for channels that are the same arrays. ``sifted`` tells
    regimes and what was left out, also where nothing was left to solve. ``shown_in`` tells how a
    unit is shown.
    """
    kept = [t for lane in before.lanes for t in lane.traces] if before is not None else []
    made = (_lane(spec, log, vehicle, solution, kept, shown_in) for spec in lanes)
    built = [lane for lane in made if lane is not None]
    labels = [*names[1:], *[""] * len(log.joints_s)]
    joints = tuple(zip(log.joints_s, labels, strict=False))
    if sifted is None:
        return TapeData(log, tuple(built), None, None, joints)
    return TapeData(log, tuple(built), sifted.conditions.regime, sifted.reason_bits, joints)


def _lane(
    spec: LaneSpec,
    log: Log,
    vehicle: Vehicle,
    solution: Solution | None,
    kept: list[Trace],
    shown_in: Callable[[str], OwnUnit],
) -> Lane | None:
    found = [s for key in spec.keys if (s := series_of(key, log, vehicle, solution)) is not None]
    found = [s for s in found if np.isfinite(s.values).any()][:4]
    if not found:
        return None
    traces = tuple(
        next((t for t in kept if t.series.values is s.values), None)
        or Trace(s, Pyramid(log.time_s, s.values))
        for s in found
    )
    low = min(t.pyramid.range[0] for t in traces)
    high = max(t.pyramid.range[1] for t in traces)
    pad = 0.06 * (high - low) or max(abs(high) * 0.05, 1.0)
    return Lane(spec.title, found[0].unit, shown_in(found[0].unit), traces, low - pad, high + pad)


def shown_value(series: Series, i: int, own: OwnUnit) -> str:
    """A reading as people write it, with sign where it is a correction, and unit."""
    value = float(own.own(series.values[i]))
    unit = own.unit
    sign = "+" if series.key in SIGNED else ""
    digits = DIGITS.get(unit, 1)
    text = f"{value:{sign}.{digits}f}" if np.isfinite(value) else "–"
    return f"{SHORT.get(series.key, series.name)} {text}{'' if unit in ('λ', '') else ' ' + unit}"


def describe_at(data: TapeData, time_s: float) -> str:
    """Time, values, regime and the reason a sample is left out, as one line."""
    i = int(np.clip(np.searchsorted(data.log.time_s, time_s), 0, len(data.log) - 1))
    parts = [f"{clock(float(data.log.time_s[i]), 2)} min"]
    parts += [
        shown_value(trace.series, i, lane.own) for lane in data.lanes for trace in lane.traces
    ]
    if data.regime is not None and data.bits is not None:
        bits = int(data.bits[i])
        parts.append(REGIME_LABELS[Regime(int(data.regime[i]))])
        reasons = reasons_at(bits)
        if bits & int(MANUAL_BIT):
            parts.append("left out by hand")
        elif reasons:
            more = f" (+{len(reasons) - 1} more)" if len(reasons) > 1 else ""
            parts.append(f"left out: {reasons[0].label.lower()}{more} – {reasons[0].why}")
        else:
            parts.append("used")
    return "  ·  ".join(parts)


def lanes_text(data: TapeData, start_s: float, end_s: float) -> str:
    """The lanes of a tape over a stretch of the log, in the units that are shown.

    Parameters
    ----------
    data : of the log.
    start_s, end_s : on the joined log, s.

    Returns
    -------
    Tab-separated text, a line a sample.
    """
    time = data.log.time_s
    part = slice(*np.searchsorted(time, [start_s, end_s]).tolist())
    columns = {"time, s": time[part]}
    for lane in data.lanes:
        unit = lane.own.unit or lane.unit
        for trace in lane.traces:
            columns[f"{trace.series.name}, {unit}"] = lane.own.own(trace.series.values[part])
    return columns_text(columns)
