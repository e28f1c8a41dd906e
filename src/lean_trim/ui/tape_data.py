"""What the tape shows: lanes with pyramids, regimes, left-out samples."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..core.channels import LABELS, Role
from ..core.log import Log
from ..core.pyramid import Pyramid
from ..core.regimes import REGIME_LABELS, Regime
from ..core.sieve import MANUAL_BIT, reasons_at
from ..core.solve import Solution

LANES: tuple[tuple[str, str, tuple[Role, ...]], ...] = (
    ("Mixture", "λ", (Role.LAMBDA, Role.TARGET)),
    ("Trims", "%", (Role.STFT, Role.LTFT)),
    ("Manifold", "kPa", (Role.MAP,)),
    ("Airflow", "g/s", (Role.MAF_FLOW,)),
    ("Engine", "rpm", (Role.RPM,)),
    ("Throttle", "%", (Role.THROTTLE,)),
)
MAX_LANES = 4
SHORT = {Role.LAMBDA: "λ", Role.TARGET: "target", Role.STFT: "short", Role.LTFT: "long"}


@dataclass(frozen=True, eq=False)
class Lane:
    """Channels that share a strip and a scale."""

    title: str
    unit: str
    traces: tuple[tuple[Role, Pyramid], ...]
    low: float
    high: float


@dataclass(frozen=True, eq=False)
class TapeData:
    """A log ready to be painted. ``regime`` and ``bits`` are None while nothing is solved."""

    log: Log
    lanes: tuple[Lane, ...]
    regime: NDArray[np.int8] | None
    bits: NDArray[np.uint32] | None

    @property
    def start_s(self) -> float:
        return float(self.log.time_s[0])

    @property
    def end_s(self) -> float:
        return float(self.log.time_s[-1])


def make_tape(log: Log, solution: Solution | None = None) -> TapeData:
    """Build lanes for the channels the log has."""
    lanes: list[Lane] = []
    for title, unit, roles in LANES:
        traces = tuple((r, Pyramid(log.time_s, log[r])) for r in roles if r in log and np.isfinite(log[r]).any())
        if traces and len(lanes) < MAX_LANES:
            low, high = min(p.range[0] for _, p in traces), max(p.range[1] for _, p in traces)
            pad = 0.06 * (high - low) or 1.0
            lanes.append(Lane(title, unit, traces, low - pad, high + pad))
    if solution is None:
        return TapeData(log, tuple(lanes), None, None)
    return TapeData(log, tuple(lanes), solution.regime, solution.sifted.bits)


def describe_at(data: TapeData, time_s: float) -> str:
    """Time, values, regime and the reason a sample is left out, as one line."""
    i = int(np.clip(np.searchsorted(data.log.time_s, time_s), 0, len(data.log) - 1))
    parts = [f"{data.log.time_s[i]:.2f} s"]
    for lane in data.lanes:
        for role, _ in lane.traces:
            value = data.log[role][i]
            sign = "+" if role in (Role.STFT, Role.LTFT) else ""
            digits = {"λ": 3, "rpm": 0}.get(lane.unit, 1)
            shown = f"{value:{sign}.{digits}f}" if np.isfinite(value) else "–"
            parts.append(f"{SHORT.get(role, LABELS[role][0])} {shown}{'' if lane.unit == 'λ' else ' ' + lane.unit}")
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
