"""What the simulated engine really does. The estimator never sees any of this."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.simcar import laws
from lean_trim.simcar.injectors import TrueInjectors

WARM_C = 88.0
"""Coolant of a warm engine (common practice, no source)."""


@dataclass(frozen=True)
class Breathing:
    """Shape of a surface of volumetric efficiency (invented); ``x`` is engine speed over redline.

    Attributes
    ----------
    cam_pct, cam_x : step of the surface where a cam changes over, and where; 0 for none.
    notch_pct, notch_x, notch_kpa : depth and place of a narrow notch; 0 for none.
    """

    peak_pct: float = 91.0
    best_x: float = 0.58
    fall: float = 0.55
    low_end: float = 0.25
    floor: float = 0.60
    rise: float = 0.42
    tuned: float = 0.055
    tuned_x: float = 0.45
    tuned_width: float = 0.09
    ripple_pct: float = 1.2
    ripple_rpm: float = 930.0
    cam_pct: float = 0.0
    cam_x: float = 0.6
    notch_pct: float = 0.0
    notch_x: float = 0.35
    notch_kpa: float = 60.0


@dataclass(frozen=True)
class Truth:
    """Constants of one simulated engine and its surroundings (invented).

    Pressures in kPa absolute, temperatures in °C, volumes in L, times in s.

    Attributes
    ----------
    charge_heating : share of the way from intake air to coolant that the charge is warmed at no
        flow; it fades with ``charge_flow_g_per_s``, and no sensor sees it.
    soak_k, soak_s : how much too hot the air sensor reads at the start, and how long that takes to
        fade.
    cold_unburnt_per_k : share of the fuel that does not burn per kelvin below 75 °C of coolant.
    wall_load, wall_rpm : rise of the film's share per 100 kPa, relative, and part by which its time
        constant falls per 1000 rpm.
    map_lag_s : first-order lag of the pressure sensor.
    turn_pct : what a cam that is turned gives at low speed and takes at high, percent; 0 for none.
    loop_bias : lambda a narrowband loop really holds, less 1.
    injectors : what they really are; None if they are off the sheet's by ``flow_scale`` and
        ``dead_time_shift_ms``.
    """

    displacement_l: float
    cylinders: int
    stoich_afr: float
    redline_rpm: float
    turbo: bool
    breathing: Breathing = Breathing()
    baro_kpa: float = 98.5
    ambient_c: float = 19.0
    start_coolant_c: float = 34.0
    wall_x: float = 0.2
    wall_tau_s: float = 0.4
    wall_load: float = 0.3
    wall_rpm: float = 0.0
    flow_scale: float = 1.0
    dead_time_shift_ms: float = 0.0
    exhaust_volume_l: float = 3.0
    sensor_tau_s: float = 0.07
    max_boost_kpa: float = 78.0
    maf_low_hz: float = 1500.0
    maf_exponent: float = 2.25
    mass_kg: float = 880.0
    charge_heating: float = 0.0
    charge_flow_g_per_s: float = 15.0
    soak_k: float = 0.0
    soak_s: float = 150.0
    cold_unburnt_per_k: float = 0.0
    map_lag_s: float = 0.0
    loop_bias: float = 0.0
    turn_pct: float = 0.0
    injectors: TrueInjectors | None = None

    def ve_pct(self, rpm: float, map_kpa: float) -> float:
        """Volumetric efficiency at the charge's own temperature, percent."""
        return laws.ve_pct(rpm, map_kpa, self.redline_rpm, *vars(self.breathing).values())

    def charge_c(self, intake_c: float, coolant_c: float, flow_g_per_s: float) -> float:
        """Temperature of the air that enters the cylinders."""
        return laws.charge_c(
            intake_c, coolant_c, flow_g_per_s, self.charge_heating, self.charge_flow_g_per_s
        )

    def table_ve_pct(self, rpm: float, map_kpa: float) -> float:
        """What an ECU's table has to hold once engine and air sensor are settled, percent.

        The ECU knows no charge but the one its sensor sees, so the table has to carry the heating.
        """
        ve = self.ve_pct(rpm, map_kpa)
        intake = self.ambient_c + 4.0
        density = map_kpa / (0.28705 * (intake + 273.15))
        flow = ve / 100.0 * density * self.displacement_l * rpm / 120.0
        return ve * (intake + 273.15) / (self.charge_c(intake, WARM_C, flow) + 273.15)

    def soaked_k(self, time_s: float) -> float:
        """How much too hot the air sensor reads."""
        return self.soak_k * math.exp(-time_s / self.soak_s) if self.soak_k else 0.0

    def burnt(self, coolant_c: float) -> float:
        """Share of the fuel that burns in an engine of this temperature."""
        return laws.burnt(coolant_c, self.cold_unburnt_per_k)

    def wall(
        self, coolant_c: float, map_kpa: float, rpm: float = laws.WALL_RPM
    ) -> tuple[float, float]:
        """Share of fuel that joins the wall film, and its time constant in s; both larger when cold."""
        share = laws.wall_share(coolant_c, map_kpa, self.wall_x, self.wall_load)
        return share, laws.wall_time(coolant_c, rpm, self.wall_tau_s, self.wall_rpm)

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
        return laws.maf_hz(
            flow_g_per_s, self.maf_low_hz, self.maf_exponent_scale(), self.maf_exponent
        )

    def maf_g_per_s(self, hz: np.ndarray) -> np.ndarray:
        """The inverse of ``maf_hz`` for a whole axis."""
        return (
            self.maf_exponent_scale()
            * (np.asarray(hz, float) / self.maf_low_hz) ** self.maf_exponent
        )

    def ve_surface(self, rpm: np.ndarray, map_kpa: np.ndarray) -> np.ndarray:
        """``table_ve_pct`` for arrays of one shape."""
        # Compiled code is imported where it is used, so that a sheet alone does not wait for it.
        from lean_trim.simcar import surface

        out = np.empty(np.shape(rpm))
        surface.table_ve_pct(
            np.ascontiguousarray(rpm, float).ravel(),
            np.ascontiguousarray(map_kpa, float).ravel(),
            out.ravel(),
            self.ambient_c + 4.0,
            WARM_C,
            self.displacement_l,
            (self.charge_heating, self.charge_flow_g_per_s),
            self.redline_rpm,
            tuple(map(float, vars(self.breathing).values())),
        )
        return out

    def turned(self, rpm: np.ndarray, map_kpa: np.ndarray, turn: float) -> np.ndarray:
        """What the cam makes of volumetric efficiency at arrays of one shape, as a factor."""
        places = zip(rpm.ravel().tolist(), map_kpa.ravel().tolist(), strict=True)
        gains = [laws.turned(x, y, self.redline_rpm, self.turn_pct, turn) for x, y in places]
        return np.array(gains).reshape(rpm.shape)

    def airflow_value(self, vehicle: Vehicle, at: tuple[np.ndarray, ...]) -> np.ndarray:
        """The true value of the vehicle's airflow table at its coordinates, for judging an estimate."""
        if vehicle.airflow == "ve":
            ve = self.ve_surface(at[1], at[0])
            return ve * self.turned(at[1], at[0], share_of_turn(vehicle)) if vehicle.layers else ve
        return self.maf_g_per_s(at[0])


def share_of_turn(vehicle: Vehicle) -> float:
    """How far the cam is turned where the VE table that is looked at is in force alone, 0 to 1."""
    places = [layer.at for layer in (vehicle.own_layer, *vehicle.layers)]
    return (vehicle.own_layer.at - min(places)) / (max(places) - min(places))


def truth_for(vehicle: Vehicle) -> Truth:
    """The simulated engine that belongs to a sheet: its size is the sheet's, its breathing is not.

    A MAP axis that reaches above 130 kPa makes it turbocharged.
    """
    by_grid = vehicle.seen_by("ve")
    grid = by_grid.airflow == "ve"
    turbo = grid and bool(by_grid.table.axes[0].points[-1] > 130.0)
    truth = Truth(
        vehicle.displacement_l,
        vehicle.cylinders,
        vehicle.stoich_afr,
        vehicle.redline_rpm,
        turbo,
        exhaust_volume_l=1.7 * vehicle.displacement_l,
    )
    by_curve = vehicle.seen_by("maf")
    if by_curve.airflow != "maf":
        return truth
    return replace(truth, maf_low_hz=float(by_curve.table.axes[0].points[0]))


def injectors_by_sheet(vehicle: Vehicle, truth: Truth) -> TrueInjectors:
    """Injectors that are off what a sheet says of them by a scale and a shift."""
    told = vehicle.injectors
    return TrueInjectors(
        flow_g_per_s=told.flow_g_per_s * truth.flow_scale,
        volts=tuple(told.volts.tolist()),
        dead_ms=tuple((told.dead_time_ms + truth.dead_time_shift_ms).tolist()),
        rated_kpa=told.rated_pressure_kpa,
    )
