"""The simulated driver's seeded plan: idling, cruising, hills, gear changes, blips, coasting and pulls."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from lean_trim.simcar.state import GEARS_RPM_PER_KMH, Kind


@dataclass(frozen=True)
class Leg:
    """One piece of the plan.

    ``value`` is km/h to cruise at, rpm to hold or pull to, or km/h to coast down to.
    """

    kind: Kind
    seconds: float
    gear: int = 0
    value: float = 0.0
    load_kpa: float = 0.0
    load_end_kpa: float = 0.0


def plan(rng: np.random.Generator, redline_rpm: float, top_kpa: float) -> Iterator[Leg]:
    """An endless plan: idle, then town, open road, hills and pulls in turn with random details."""
    yield Leg(Kind.IDLE, 26.0)
    yield Leg(Kind.CRUISE, 35.0, 3, 42.0)
    yield Leg(Kind.CRUISE, 40.0, 4, 58.0)
    while True:
        yield from _town(rng)
        yield from _hills(rng, redline_rpm, top_kpa, part=0)
        yield from _pulls(redline_rpm)
        yield from _open_road(rng)
        yield from _hills(rng, redline_rpm, top_kpa, part=1)
        yield Leg(Kind.COAST, 9.0, 4, 45.0)


def _town(rng: np.random.Generator) -> Iterator[Leg]:
    for gear, speed in ((2, 28), (3, 46), (4, 60)):
        yield Leg(Kind.CRUISE, float(rng.uniform(9, 15)), gear, speed + float(rng.uniform(-4, 4)))
    yield Leg(Kind.COAST, 8.0, 3, 18.0)
    yield Leg(Kind.IDLE, float(rng.uniform(12, 18)))
    yield Leg(Kind.BLIP, 5.0)
    yield Leg(Kind.IDLE, 8.0)


def _open_road(rng: np.random.Generator) -> Iterator[Leg]:
    for gear, speed in ((5, 78), (5, 104), (4, 92), (5, 122)):
        yield Leg(Kind.CRUISE, float(rng.uniform(12, 20)), gear, speed + float(rng.uniform(-5, 5)))


def _hills(
    rng: np.random.Generator, redline_rpm: float, top_kpa: float, part: int
) -> Iterator[Leg]:
    """Held engine speeds with slowly rising or falling load, as on a long climb or a dyno."""
    for share in (0.23, 0.31, 0.40, 0.50, 0.60, 0.72)[part::2]:
        low = float(rng.uniform(26, 36))
        high = min(top_kpa, float(rng.uniform(86, 94)))
        # Both ways, or load and time in the hold would go together in every drive.
        if rng.random() < 0.5:
            low, high = high, low
        rpm = share * redline_rpm * float(rng.uniform(0.94, 1.06))
        yield Leg(Kind.HOLD, 26.0, 4, rpm, low, high)


def _pulls(redline_rpm: float) -> Iterator[Leg]:
    for gear, to in ((3, 0.94), (4, 0.86)):
        yield Leg(Kind.CRUISE, 10.0, gear, 0.27 * redline_rpm / GEARS_RPM_PER_KMH[gear])
        yield Leg(Kind.PULL, 16.0, gear, to * redline_rpm)
        yield Leg(Kind.COAST, 6.0, gear, 0.3 * redline_rpm / GEARS_RPM_PER_KMH[gear])
