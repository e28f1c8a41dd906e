"""How quickly things moved: slopes and stays along a log, each worked out once and kept."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import as_loop, fill_missing, rate_per_s, running_box
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.gears import GearReading, read_gears
from lean_trim.core.drive.sensor import end_stops
from lean_trim.core.physics import duty_pct
from lean_trim.core.types import Floats, Ints

SPARK_BASE_S = 2.0
"""Width of the mean that spark is held against, s."""
CROSSING_S = 0.4
"""Time over which the rate of a crossing is read, s."""


def enrichment_factor(frame: Frame) -> Floats:
    """Enrichment seen in the pulse width, smoothed over 0.2 s; 1 where pulse width was not logged.

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    Fuel by pulse width over fuel by table and trims, shape (n,).
    """
    return running_box(fill_missing(frame.fuel_ratio, 1.0), frame.log.time_s, 0.2)


@dataclass(frozen=True, eq=False)
class Motion:
    """Rates and stays of one frame. All arrays have shape (n,); a channel not logged gives zeros."""

    frame: Frame

    def _rate(self, role: Role, over_s: float) -> Floats:
        log = self.frame.log
        return rate_per_s(log.time_s, log[role], over_s) if role in log else np.zeros(len(log))

    def _relative_rate(self, slope: Floats, role: Role, least: float) -> Floats:
        """Slope as a share of the value, 1/s; values under ``least`` count as that."""
        from lean_trim.core.kernels.log_loops import share_of

        return share_of(slope.copy(), as_loop(held(self.frame.log[role])), least)

    @cached_property
    def throttle_rate(self) -> Floats:
        """Throttle, %/s."""
        return self._rate(Role.THROTTLE, 0.2)

    @cached_property
    def map_rate(self) -> Floats:
        """MAP, percent of the present MAP per second."""
        log = self.frame.log
        if Role.MAP not in log:
            return np.zeros(len(log))
        from lean_trim.core.kernels.log_loops import share_of

        # Relative to MAP itself: 20 kPa/s is a kick at idle and nothing in boost.
        return share_of(100.0 * self._rate(Role.MAP, 0.24), held(log[Role.MAP]), 5.0)

    @cached_property
    def rpm_rate(self) -> Floats:
        """Relative engine speed, 1/s."""
        return self._relative_rate(self.rpm_slope, Role.RPM, 300.0)

    @cached_property
    def slip_rate(self) -> Floats:
        """Relative engine speed less relative road speed, 1/s.

        Of the engine alone at a standstill or without road speed.
        """
        log = self.frame.log
        if Role.SPEED not in log:
            return self.rpm_rate
        road = self._relative_rate(self._rate(Role.SPEED, CROSSING_S), Role.SPEED, 4.0)
        # Near standstill road speed is coarse, and any change of it huge in proportion.
        return np.where(log[Role.SPEED] > 8, self.rpm_rate - road, self.rpm_rate)

    @cached_property
    def extra_fuel_pct(self) -> Floats:
        """How far fuel by pulse width is off table and trims, percent, over 0.4 s; 0 without pulse width."""
        frame = self.frame
        off = np.abs(fill_missing(frame.fuel_ratio, 1.0) - 1.0) * 100.0
        return running_box(off, frame.log.time_s, 0.4)

    @cached_property
    def enrichment(self) -> Floats:
        """Enrichment seen in the pulse width."""
        return enrichment_factor(self.frame)

    @cached_property
    def duty(self) -> Floats:
        """Injector duty, %, logged or from pulse width."""
        log = self.frame.log
        # A logged duty may count both injections of a cycle; it is trusted before our own sum.
        if Role.DUTY not in log and Role.PULSE_WIDTH in log:
            return fill_missing(duty_pct(log[Role.PULSE_WIDTH], log[Role.RPM]))
        return log.get(Role.DUTY, 0.0)

    @cached_property
    def spark_drop(self) -> Floats:
        """How far spark advance lies below its mean over 2 s, degrees."""
        log = self.frame.log
        if Role.SPARK not in log:
            return np.zeros(len(log))
        spark = held(log[Role.SPARK])
        # Against its own recent mean: spark differs by tens of degrees over load anyway.
        return running_box(spark, log.time_s, SPARK_BASE_S) - spark

    @cached_property
    def nearest(self) -> Ints:
        """Flat index of the cell with the largest share."""
        from lean_trim.core.kernels.mesh_loops import nearest_cell

        return nearest_cell(self.frame.mesh.cells, self.frame.mesh.weights)

    @cached_property
    def cells_per_s(self) -> Floats:
        """How many cells of the table are crossed in a second, by the slopes of its coordinates.

        By slopes over 0.4 s, not by changes of the nearest cell: on the edge between two, noise
        alone flips that many times a second while nothing moves.
        """
        from lean_trim.core.kernels.mesh_loops import crossings

        frame = self.frame
        rates = [self._slope_of(as_loop(at)) for at in frame.coordinates]
        steps = [np.diff(axis.points) for axis in frame.vehicle.table.axes]
        first = np.ascontiguousarray(frame.mesh.cells[:, 0])
        if len(rates) == 1:
            return crossings(first, rates[0], rates[0], np.empty(0), steps[0])
        return crossings(first, rates[0], rates[1], steps[0], steps[1])

    def _slope_of(self, along: Floats) -> Floats:
        """Slope of a coordinate over 0.4 s, its unit per second; that of engine speed is known already."""
        if along is self.frame.log[Role.RPM]:
            return self.rpm_slope
        return rate_per_s(self.frame.log.time_s, held(along), CROSSING_S)

    @cached_property
    def rpm_slope(self) -> Floats:
        """Slope of engine speed over 0.4 s, 1/min per second."""
        return rate_per_s(self.frame.log.time_s, held(self.frame.log[Role.RPM]), CROSSING_S)

    @cached_property
    def sensor_ends(self) -> tuple[float, float]:
        """The lambda sensor's own end stops."""
        return end_stops(self.frame.log[Role.LAMBDA])

    @cached_property
    def gears(self) -> GearReading:
        """Gear, logged or inferred."""
        return read_gears(self.frame.log)

    @cached_property
    def durations_s(self) -> Floats:
        """Time each sample stands for, s."""
        return self.frame.log.durations_s
