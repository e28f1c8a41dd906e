"""What the simulated engine really does. The estimator never sees any of this."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.vehicle import Vehicle


@dataclass(frozen=True)
class Truth:
    """Constants of one simulated engine and its surroundings (invented).

    Pressures in kPa absolute, temperatures in °C, volumes in L, times in s.
    """

    displacement_l: float
    cylinders: int
    stoich_afr: float
    redline_rpm: float
    turbo: bool
    ve_peak_pct: float = 91.0
    ripple_pct: float = 1.2
    baro_kpa: float = 98.5
    ambient_c: float = 19.0
    start_coolant_c: float = 34.0
    wall_x: float = 0.2
    wall_tau_s: float = 0.4
    flow_scale: float = 1.0
    dead_time_shift_ms: float = 0.0
    exhaust_volume_l: float = 3.0
    sensor_tau_s: float = 0.07
    max_boost_kpa: float = 78.0
    maf_low_hz: float = 1500.0
    maf_exponent: float = 2.25

    def ve_pct(self, rpm: float, map_kpa: float) -> float:
        """Volumetric efficiency, percent.

        A broad hump over rpm, rising with load, with intake-resonance ripple.

        The ripple is finer than a table's steps, so no table can hold this surface exactly.
        """
        x = rpm / self.redline_rpm
        load = map_kpa / 100.0
        hump = 1.0 - 0.55 * (x - 0.58) ** 2 - 0.25 * math.exp(-((x / 0.12) ** 2))
        filling = 0.60 + 0.42 * (1.0 - math.exp(-2.4 * load)) + 0.035 * max(load - 1.0, 0.0)
        tuned = 0.055 * math.exp(-(((x - 0.45) / 0.09) ** 2)) * min(load, 1.2)
        ripple = self.ripple_pct / 100.0 * math.sin(2 * math.pi * (rpm / 930.0 + 0.25 * load))
        return self.ve_peak_pct * hump * filling * (1.0 + tuned + ripple * min(load, 1.0))

    def wall(self, coolant_c: float, map_kpa: float) -> tuple[float, float]:
        """Share of fuel that joins the wall film, and its time constant in s; both larger when cold."""
        cold = max(0.0, (85.0 - coolant_c) / 60.0)
        return min(0.6, self.wall_x * (1 + 0.7 * cold) * (0.8 + 0.3 * map_kpa / 100.0)), self.wall_tau_s * (
            1 + cold
        )

    def max_flow_g_per_s(self) -> float:
        """Airflow at redline and full load."""
        top = self.baro_kpa + (self.max_boost_kpa if self.turbo else 0.0)
        density = top / (0.28705 * (self.ambient_c + 283.15))
        return (
            self.displacement_l
            * density
            * self.redline_rpm
            / 120.0
            * self.ve_pct(self.redline_rpm, top)
            / 100.0
        )

    def maf_exponent_scale(self) -> float:
        """g/s at ``maf_low_hz``; chosen so that an idling engine sits near the low end of the sensor."""
        return 0.75 * self.displacement_l

    def maf_hz(self, flow_g_per_s: float) -> float:
        """Sensor frequency for an airflow."""
        return float(
            self.maf_low_hz
            * (max(flow_g_per_s, 0.01) / self.maf_exponent_scale()) ** (1.0 / self.maf_exponent)
        )

    def maf_g_per_s(self, hz: np.ndarray) -> np.ndarray:
        """The inverse of ``maf_hz`` for a whole axis."""
        return self.maf_exponent_scale() * (np.asarray(hz, float) / self.maf_low_hz) ** self.maf_exponent

    def ve_surface(self, rpm: np.ndarray, map_kpa: np.ndarray) -> np.ndarray:
        """``ve_pct`` for arrays of one shape."""
        return np.asarray(np.vectorize(self.ve_pct, otypes=[float])(rpm, map_kpa))

    def airflow_value(self, vehicle: Vehicle, at: tuple[np.ndarray, ...]) -> np.ndarray:
        """The true value of the vehicle's airflow table at its coordinates, for judging an estimate."""
        if vehicle.airflow == "ve":
            return self.ve_surface(at[1], at[0])
        return self.maf_g_per_s(at[0])


def truth_for(vehicle: Vehicle) -> Truth:
    """The simulated engine that belongs to a sheet: its size is the sheet's, its breathing is not.

    A MAP axis that reaches above 130 kPa makes it turbocharged.
    """
    grid = vehicle.airflow == "ve"
    turbo = grid and bool(vehicle.table.axes[0].points[-1] > 130.0)
    truth = Truth(
        vehicle.displacement_l,
        vehicle.cylinders,
        vehicle.stoich_afr,
        vehicle.redline_rpm,
        turbo,
        exhaust_volume_l=1.7 * vehicle.displacement_l,
    )
    return truth if grid else replace(truth, maf_low_hz=float(vehicle.table.axes[0].points[0]))
