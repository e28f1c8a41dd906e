"""The injectors of a simulated car as they really are, whatever its ECU was told."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.simcar import laws


@dataclass(frozen=True)
class TrueInjectors:
    """Flow over pressure, dead time over voltage and pressure, and what short pulses lose (invented).

    Attributes
    ----------
    flow_g_per_s : of one open injector at ``rated_kpa``.
    exponent : of flow over pressure; 0.5 is the square-root law.
    volts, dead_ms : dead time at ``rated_kpa``.
    dead_per_kpa : how much longer it is for each kPa above that, ms.
    small_ms : open time a pulse loses that is hardly open at all; half of it is lost at
        ``small_open_ms``.
    """

    flow_g_per_s: float
    volts: tuple[float, ...]
    dead_ms: tuple[float, ...]
    rated_kpa: float = 300.0
    exponent: float = laws.SQUARE_ROOT
    dead_per_kpa: float = 0.0
    small_ms: float = 0.0
    small_open_ms: float = 0.3

    def dead_at(self, volts: float, dp_kpa: float) -> float:
        """Dead time, ms."""
        by_volts = float(np.interp(volts, self.volts, self.dead_ms))
        return by_volts + self.dead_per_kpa * (dp_kpa - self.rated_kpa)

    def open_ms(self, width_ms: float, dead_ms: float) -> float:
        """Time fuel flows at full lift's worth, of a pulse of ``width_ms``."""
        return laws.open_ms(width_ms, dead_ms, self.small_ms, self.small_open_ms)

    def flow_at(self, dp_kpa: float) -> float:
        """Flow of one open injector, g/s."""
        return laws.injector_flow(dp_kpa, self.flow_g_per_s, self.rated_kpa, self.exponent)
