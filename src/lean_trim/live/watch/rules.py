"""Rules of danger over the newest readings: each says what it needs, when it is met, and for how long.

Thresholds are common practice (no source); of lean they are those on the plan's card. A rule that is met
tells the passenger to end the load at once, so it waits no longer than a slip of one reading would last.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message, Said
from lean_trim.core.physics import STANDARD_KPA
from lean_trim.core.planning.full_throttle import ABORT_HELD_S, ABORT_LEAN


class Say:
    """What dangers are called, and what is seen."""

    LEAN = Message("watch.lean", "LEAN: λ {value:.2f}, wanted {target:.2f}")
    PRESSURE = Message("watch.pressure", "FUEL PRESSURE FALLS: {value:.0f} of {rated:.0f} kPa")
    KNOCK = Message("watch.knock", "KNOCK: {value:.1f}° taken back")
    DUTY = Message("watch.duty", "INJECTORS AT THEIR END: duty {value:.0f} %")
    AIRFLOW = Message("watch.airflow", "AIRFLOW SENSOR AT ITS END: {value:.4g}")
    LOST = Message("watch.lost", "LAMBDA IS LOST: it stays at {value:.2f}")
    FUEL_ENDS = Message("watch.fuel_ends", "FUEL ENDS: needs {more:.0f} % more than at less flow")


LOAD_SHARE = 0.85
"""Of the barometer, from which an engine is under load."""
LOAD_THROTTLE_PCT = 85.0
"""Where no manifold pressure is logged."""
FRESH_LOAD_S = 1.5
FRESH_LEAN_S = 0.8
"""Just after the throttle was opened the wall film makes any engine lean for half a second: that is the
tip-in's matter, and no danger until it lasts."""
PRESSURE_DROP = 0.10
PRESSURE_HELD_S = 0.3
KNOCK_DEG = 2.0
KNOCK_HELD_S = 0.0
DUTY_PCT = 95.0
DUTY_HELD_S = 0.2
AT_END_SHARE = 0.995
AT_END_HELD_S = 0.2
RAILS = (0.66, 1.34)
LOST_HELD_S = 0.5
STILL_S = 3.0
"""So long a sound wideband never rests on one number while the engine is under load."""
FLOW_MEMORY_S = 8.0
FLOW_LEAST = 12
FLOW_SPAN = 1.25
FLOW_RISE_PCT = 5.0
FLOW_LEAN_PCT = 3.0
FLOW_SLOPE = 0.5
"""Of ln λ over ln flow: a delivery that ended has 1, airflow that is a little off has next to none."""
FLOW_LEAST_S = 1.5
RUNNING_RPM = 400.0
GAS_S = 0.2
GAS_TURNS = 10.0
"""How old the gas is that a sensor tells of: its own time, and revolutions. Until load has lasted for that, λ
is still of the mixture before it."""


@dataclass
class Newest:
    """The newest reading of every role, and what a rule remembers.

    Attributes
    ----------
    vehicle : whose car is driven.
    values, times_s : by role.
    still_since_s : since when λ rests on one number.
    loaded_since_s : since when the engine is under load; None while it is not.
    targets : wanted λ of the last moments, with their times.
    flow : the stretch under load so far: times, ln of the flow, ln of λ over its target.
    """

    vehicle: Vehicle
    values: dict[Role, float] = field(default_factory=dict)
    times_s: dict[Role, float] = field(default_factory=dict)
    still_since_s: float = 0.0
    loaded_since_s: float | None = None
    targets: deque[tuple[float, float]] = field(default_factory=deque)
    flow: list[tuple[float, float, float]] = field(default_factory=list)

    def take(self, role: Role, time_s: float, value: float) -> None:
        """Take a reading."""
        if role is Role.LAMBDA and value != self.values.get(role):
            self.still_since_s = time_s
        self.values[role] = value
        self.times_s[role] = time_s
        if not self.under_load:
            self.loaded_since_s = None
        elif self.loaded_since_s is None:
            self.loaded_since_s = time_s
        if role is Role.LAMBDA:
            self._follow_flow(time_s, value)

    def get(self, role: Role) -> float | None:
        """The newest value; None before the first."""
        return self.values.get(role)

    @property
    def baro_kpa(self) -> float:
        """Barometer, or the standard's."""
        return self.values.get(Role.BARO, STANDARD_KPA)

    @property
    def under_load(self) -> bool:
        """Whether lean is dangerous now."""
        if self.values.get(Role.RPM, 1000.0) < RUNNING_RPM:
            return False
        pressure = self.get(Role.MAP)
        if pressure is not None:
            return pressure >= LOAD_SHARE * self.baro_kpa
        return self.values.get(Role.THROTTLE, 0.0) >= LOAD_THROTTLE_PCT

    @property
    def gas_age_s(self) -> float:
        """How old the gas is that λ tells of, at most, s."""
        return GAS_S + 60.0 * GAS_TURNS / max(self.values.get(Role.RPM, 1000.0), RUNNING_RPM)

    @property
    def tells_of_load(self) -> bool:
        """Whether λ tells of gas that was burnt under load."""
        since = self.loaded_since_s
        lam_s = self.times_s.get(Role.LAMBDA)
        return since is not None and lam_s is not None and lam_s - since >= self.gas_age_s

    @property
    def is_fresh_load(self) -> bool:
        """Whether the throttle was opened just now."""
        since = self.loaded_since_s
        newest = self.times_s.get(Role.LAMBDA, 0.0)
        return since is not None and newest - since < self.gas_age_s + FRESH_LOAD_S

    @property
    def target_then(self) -> float:
        """The leanest λ that was wanted since the gas was made: what is held against it has to be leaner."""
        return max((t for _, t in self.targets), default=self.target)

    @property
    def target(self) -> float:
        """Wanted λ now: as logged, by the sheet's table, or 1."""
        logged = self.get(Role.TARGET)
        if logged is not None:
            return logged
        table = self.vehicle.target
        rpm, pressure = self.get(Role.RPM), self.get(Role.MAP)
        if table is None or rpm is None or pressure is None or len(table.axes) != 2:
            return 1.0
        return float(np.asarray(table.lookup(np.array([pressure]), np.array([rpm])))[0])

    @property
    def duty_pct(self) -> float | None:
        """Injector duty, logged or from pulse width: one injection in two revolutions."""
        logged = self.get(Role.DUTY)
        if logged is not None:
            return logged
        width, rpm = self.get(Role.PULSE_WIDTH), self.get(Role.RPM)
        return None if width is None or rpm is None else width * rpm / 1200.0

    def _follow_flow(self, time_s: float, lam: float) -> None:
        self.targets.append((time_s, self.target))
        while time_s - self.targets[0][0] > self.gas_age_s:
            self.targets.popleft()
        pressure, rpm = self.get(Role.MAP), self.get(Role.RPM)
        if not self.tells_of_load or pressure is None or rpm is None:
            self.flow.clear()
            return
        told = float(np.log(max(lam, RAILS[0]) / self.target_then))
        self.flow.append((time_s, float(np.log(pressure * rpm)), told))
        while time_s - self.flow[0][0] > FLOW_MEMORY_S:
            self.flow.pop(0)


Check = Callable[[Newest, float], Said | None]
"""What is seen where the rule is met at a moment; None where it is not."""


@dataclass(frozen=True)
class Rule:
    """A danger.

    Attributes
    ----------
    id : kept with the bookmark.
    title : of the watch, in a word or two.
    needs : groups of roles; of each one has to be heard and proven.
    held_s : for which it has to be met without a break.
    check : over the newest readings.
    fresh_s : the same just after the throttle was opened.
    """

    id: str
    title: str
    needs: tuple[tuple[Role, ...], ...]
    held_s: float
    check: Check
    fresh_s: float = 0.0


LOAD: tuple[Role, ...] = (Role.MAP, Role.THROTTLE)
AIRFLOW: tuple[Role, ...] = (Role.MAF_HZ, Role.MAF_V, Role.MAF_FLOW)


def _lean(now: Newest, time_s: float) -> Said | None:
    value = now.values[Role.LAMBDA]
    wanted = now.target_then
    lean = now.tells_of_load and ABORT_LEAN * wanted < value < RAILS[1]
    return Say.LEAN(value=value, target=wanted) if lean else None


def _pressure(now: Newest, time_s: float) -> Said | None:
    value = now.values[Role.FUEL_DP]
    rated = now.vehicle.injectors.rated_pressure_kpa
    falls = now.under_load and value < (1.0 - PRESSURE_DROP) * rated
    return Say.PRESSURE(value=value, rated=rated) if falls else None


def _knock(now: Newest, time_s: float) -> Said | None:
    value = abs(now.values[Role.KNOCK])
    return Say.KNOCK(value=value) if value >= KNOCK_DEG else None


def _duty(now: Newest, time_s: float) -> Said | None:
    value = now.duty_pct
    return Say.DUTY(value=value) if value is not None and value >= DUTY_PCT else None


def _airflow(now: Newest, time_s: float) -> Said | None:
    axis = now.vehicle.table.axes[0]
    role = {"Hz": Role.MAF_HZ, "V": Role.MAF_V}.get(axis.unit)
    value = now.get(role) if role is not None else None
    if value is None or value < AT_END_SHARE * float(axis.points[-1]):
        return None
    return Say.AIRFLOW(value=value)


def _lost(now: Newest, time_s: float) -> Said | None:
    value = now.values[Role.LAMBDA]
    at_rail = value <= RAILS[0] or value >= RAILS[1]
    still = now.times_s[Role.LAMBDA] - now.still_since_s > STILL_S
    return Say.LOST(value=value) if now.tells_of_load and (at_rail or still) else None


def _fuel_ends(now: Newest, time_s: float) -> Said | None:
    """λ rises with the flow in one stretch under load: more air comes and no more fuel."""
    if len(now.flow) < FLOW_LEAST or now.flow[-1][0] - now.flow[0][0] < FLOW_LEAST_S:
        return None
    _, flow, lean = np.array(now.flow).T
    if flow[-1] < flow.max() - 0.05 or np.ptp(flow) < np.log(FLOW_SPAN):
        return None
    top = flow > flow.max() - 0.5 * np.ptp(flow)
    if top.sum() < FLOW_LEAST // 2:
        return None
    slope, _ = np.polyfit(flow[top], lean[top], 1)
    rise = 100.0 * (float(lean[-1]) - float(np.median(lean[~top])))
    # Richness that fades after a tip-in rises as well, but not beyond what is wanted.
    is_lean = 100.0 * float(lean[-1]) > FLOW_LEAN_PCT
    ends = is_lean and slope > FLOW_SLOPE and rise > FLOW_RISE_PCT
    return Say.FUEL_ENDS(more=rise) if ends else None


RULES = (
    Rule("lean", "Lean at load", ((Role.LAMBDA,), LOAD), ABORT_HELD_S, _lean, FRESH_LEAN_S),
    Rule("pressure", "Fuel pressure", ((Role.FUEL_DP,), LOAD), PRESSURE_HELD_S, _pressure),
    Rule("fuel_ends", "Fuel ends", ((Role.LAMBDA,), (Role.MAP,), (Role.RPM,)), 0.0, _fuel_ends),
    Rule("knock", "Knock", ((Role.KNOCK,),), KNOCK_HELD_S, _knock),
    Rule("duty", "Injector duty", ((Role.DUTY, Role.PULSE_WIDTH), (Role.RPM,)), DUTY_HELD_S, _duty),
    Rule("airflow", "Airflow sensor", (AIRFLOW,), AT_END_HELD_S, _airflow),
    Rule("lost", "Lambda", ((Role.LAMBDA,), LOAD), LOST_HELD_S, _lost),
)
"""In the order they are shown."""


def rules_for(vehicle: Vehicle) -> tuple[Rule, ...]:
    """Rules that mean something of a car: an airflow sensor's end only where its table is the airflow.

    Returns them in their order.
    """
    has_sensor = vehicle.airflow == "maf" or vehicle.other is not None
    return tuple(r for r in RULES if r.id != "airflow" or has_sensor)


TITLES: Mapping[str, str] = {rule.id: rule.title for rule in RULES}
