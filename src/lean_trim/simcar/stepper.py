"""One step of the simulated car, 10 ms, compiled: driver, air, ECU, fuel, exhaust, sensors, road.

``s`` is the state, ``c`` the car, ``book`` its tables (see ``state``). In the order of cause:
pedal, air, the ECU that measures it, fuel, exhaust, sensor, road. A readable version, written as
objects, is its reference in ``tests/simcar/reference``.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from lean_trim.simcar import laws
from lean_trim.simcar.compiled import compiled, look_up
from lean_trim.simcar.ecu_step import (
    battery,
    burnt,
    command,
    fuel_dp_kpa,
    intake_read_c,
    lambda_read,
    metered_hz,
    misfire,
)
from lean_trim.simcar.numbers import (
    AIR_AND_FUEL,
    APPROACH_S,
    BLIP,
    BOOST_FROM_KPA,
    BOOST_OVER_KPA,
    COAST,
    CRUISE,
    EXHAUST_K,
    HOLD,
    IDLE,
    IDLE_RPM,
    IDLE_VALVE_S,
    LAMBDA_RANGE,
    PASS_EVERY_S,
    PULL,
    SHIFT_S,
    SPELL_EVERY_S,
    SPELL_K,
    SPELL_S,
    WEAK_DEAD,
)
from lean_trim.simcar.state import GEARS_RPM_PER_KMH, LEAVING, PIPE, STEP_S, Array

ve_pct = compiled(laws.ve_pct)
turned = compiled(laws.turned)
wanted_turn = compiled(laws.wanted_turn)
TURN_S = 0.3
"""Time constant of a cam that is turned."""
drifted = compiled(laws.drifted)
charge_c = compiled(laws.charge_c)
thinner_outside = compiled(laws.thinner_outside)
burnt_share = compiled(laws.burnt)
wall_share = compiled(laws.wall_share)
wall_time = compiled(laws.wall_time)
open_ms = compiled(laws.open_ms)
injector_flow = compiled(laws.injector_flow)

GEARS = np.array(GEARS_RPM_PER_KMH)

# ---- the driver ------------------------------------------------------------------------------


@compiled
def _leg_is_done(s: Any) -> bool:
    if s.leg_kind == PULL and s.rpm >= s.leg_value:
        return True
    if s.leg_kind == COAST and s.speed_kmh <= s.leg_value:
        return True
    extra = APPROACH_S if s.leg_kind == HOLD and s.arrived == 0.0 else 0.0
    return s.time_s - s.began >= s.leg_seconds + extra


@compiled
def _drive(s: Any, c: Any, rng: Any) -> None:
    """Pedal, gear and clutch for this step."""
    s.wander += -s.wander * STEP_S / 2.5 + 0.35 * rng.standard_normal() * STEP_S**0.5
    s.brake = 0.0
    s.hold_rpm = 0.0
    wanted = _wanted_pedal(s, c)
    limit = (260.0 if s.leg_kind == PULL or s.leg_kind == BLIP else 75.0) * STEP_S
    if s.time_s < s.shift_until:
        wanted = 0.0
        s.clutch = 0.0
        limit = 500.0 * STEP_S
    s.foot += max(-3 * limit, min(limit, wanted - s.foot))
    s.pedal_pct = max(0.0, s.foot)


@compiled
def _wanted_pedal(s: Any, c: Any) -> float:
    if s.leg_kind == CRUISE:
        return _approach(s, c, s.leg_value)
    if s.leg_kind == HOLD:
        return _hold(s, c)
    if s.leg_kind == PULL:
        if s.gear != s.leg_gear and s.time_s - s.began < APPROACH_S:
            return _approach(s, c, 0.3 * c.redline_rpm / GEARS[int(s.leg_gear)])
        s.clutch = 1.0
        return 100.0
    if s.leg_kind == COAST:
        low = s.speed_kmh * GEARS[int(s.gear)] < 1050
        if low:
            _select(s, max(1.0, s.gear - 1))
        s.clutch = 0.0 if low and s.gear == 1 else 1.0
        s.brake = 0.5
        return 0.0
    s.brake = 2.5
    if s.leg_kind == IDLE:
        if s.speed_kmh < 1.0:
            _select(s, 1.0)
        s.clutch = 1.0 if s.speed_kmh * GEARS[int(s.gear)] > 1000 else 0.0
        return 0.0
    s.clutch = 0.0
    return 22.0 if (s.time_s - s.began) % 1.9 < 0.35 else 0.0


@compiled
def _select(s: Any, gear: float) -> None:
    if gear != s.gear and s.time_s >= s.shift_until:
        s.gear += 1 if gear > s.gear else -1
        s.shift_until = s.time_s + SHIFT_S


@compiled
def _towards_gear(s: Any, c: Any) -> None:
    """One gear at a time towards the leg's: up once revs allow it, down before the engine labours."""
    here = s.speed_kmh * GEARS[int(s.gear)]
    up = s.speed_kmh * GEARS[min(int(s.gear) + 1, 5)]
    enough = min(1600.0, 0.85 * s.leg_value) if s.leg_kind == HOLD else 1600.0
    if s.gear < s.leg_gear and up > enough:
        _select(s, s.gear + 1)
    elif s.gear > 1 and (here < 1050.0 or (s.gear > s.leg_gear and here < 0.5 * c.redline_rpm)):
        _select(s, s.gear - 1)


@compiled
def _approach(s: Any, c: Any, speed_kmh: float) -> float:
    _towards_gear(s, c)
    gap = speed_kmh - s.speed_kmh
    wanted = s.integral + 0.35 * gap * STEP_S if abs(gap) < 12 else s.integral
    s.integral = max(0.0, min(45.0, wanted))
    pedal = min(52.0, s.integral + 1.1 * gap + s.wander)
    if s.speed_kmh < 5.0:
        pedal = 16.0
    s.clutch = 1.0 if s.speed_kmh > 4.0 or pedal > 10.0 else 0.0
    s.brake = 1.5 if gap < -14 else 0.0
    return pedal if pedal > 2.5 else 0.0


@compiled
def _hold(s: Any, c: Any) -> float:
    """A speed the hill or dyno holds, with slowly changing load."""
    there = s.leg_value / GEARS[int(s.leg_gear)]
    if s.arrived == 0.0 and s.time_s - s.began < APPROACH_S:
        if s.gear == s.leg_gear and abs(s.speed_kmh / there - 1.0) < 0.12:
            s.arrived = 1.0
            s.began = s.time_s
        return _approach(s, c, there)
    spent = (s.time_s - s.began) / s.leg_seconds
    along = min(max(spent * 1.25 - 0.2, 0.0), 1.0)
    load = s.leg_load_kpa + (s.leg_load_end_kpa - s.leg_load_kpa) * along
    s.integral = max(0.0, min(60.0, s.integral + 0.5 * (load - s.map_kpa) * STEP_S))
    s.clutch = 1.0
    s.hold_rpm = s.leg_value
    return max(s.integral + 0.12 * (load - s.map_kpa) + 0.3 * s.wander, 2.6)


# ---- air -------------------------------------------------------------------------------------


@compiled
def _outside(s: Any, c: Any) -> None:
    """The road's height and the heat under the bonnet."""
    climbed = 0.0
    if c.pass_kpa != 0.0:
        climbed = c.pass_kpa * 0.5 * (1.0 - math.cos(2.0 * math.pi * s.time_s / PASS_EVERY_S))
    s.now_kpa = c.baro_kpa - climbed
    s.more_air = 1.0 + c.pass_air_pct / 100.0 * climbed / 10.0
    spell = c.air_misread != 0.0 and s.time_s % SPELL_EVERY_S > SPELL_EVERY_S - SPELL_S
    s.hot_air_k = SPELL_K if spell else 0.0


@compiled
def _breathe(s: Any, c: Any) -> None:
    """Throttle, manifold filling, turbo: sets MAP, air per cylinder and airflow."""
    s.throttle_pct += (s.pedal_pct - s.throttle_pct) * (1.0 - math.exp(-STEP_S / 0.05))
    idle_air = _idle_air(s, c) if s.throttle_pct < 3.0 else 0.0
    area = idle_air + (max(s.throttle_pct, 0.0) / 100.0) ** 1.5
    upstream = s.now_kpa + s.boost_kpa
    share = 3.0 * 6500.0 / max(s.rpm, 200.0) * area
    # Small openings choke, large ones give what stands before them; smooth between.
    settled = upstream * share / (1.0 + share**4) ** 0.25
    # Leakage past the plate and the rings: no manifold goes to vacuum.
    settled = max(settled, 17.0)
    ve = _true_ve_pct(s, c) / 100.0 * s.more_air
    if c.layered != 0.0:
        s.turn += (wanted_turn(s.rpm, s.map_kpa) - s.turn) * STEP_S / TURN_S
        ve *= turned(s.rpm, s.map_kpa, c.redline_rpm, c.turn_pct, s.turn)
    if s.now_kpa != c.baro_kpa:
        ve *= thinner_outside(s.map_kpa, s.now_kpa, c.baro_kpa)
    # A manifold of 1.3 displacements fills through the throttle faster than the engine empties it.
    tau = 1.3 * 120.0 / (max(s.rpm, 300.0) * ve) * (0.55 if settled > s.map_kpa else 1.0)
    s.map_kpa += (settled - s.map_kpa) * (1.0 - math.exp(-STEP_S / tau))
    _spool(s, c)
    warm = charge_c(
        s.intake_c, s.coolant_c, s.flow_g_per_s, c.charge_heating, c.charge_flow_g_per_s
    )
    density = s.map_kpa / (laws.AIR_R * (warm + laws.ZERO_C_K))
    s.air_g = ve * density * c.displacement_l / c.cylinders
    s.flow_g_per_s = s.air_g * c.cylinders * s.rpm / 120.0


@compiled
def _true_ve_pct(s: Any, c: Any) -> float:
    return ve_pct(
        s.rpm,
        s.map_kpa,
        c.redline_rpm,
        c.peak_pct,
        c.best_x,
        c.fall,
        c.low_end,
        c.floor,
        c.rise,
        c.tuned,
        c.tuned_x,
        c.tuned_width,
        c.ripple_pct,
        c.ripple_rpm,
        c.cam_pct,
        c.cam_x,
        c.notch_pct,
        c.notch_x,
        c.notch_kpa,
    )


@compiled
def _idle_air(s: Any, c: Any) -> float:
    """What the idle valve lets through: more below idle speed, less above."""
    wanted = min(0.02, max(0.007, 0.0145 + (IDLE_RPM - s.rpm) * 2.2e-5 * c.idle_gain))
    if c.idle_gain == 1.0:
        return wanted
    s.idle_valve += (wanted - s.idle_valve) * (1.0 - math.exp(-STEP_S / IDLE_VALVE_S))
    return s.idle_valve


@compiled
def _spool(s: Any, c: Any) -> None:
    if c.turbo == 0.0:
        return
    drive = s.flow_g_per_s / (0.33 * c.most_flow)
    wanted = c.max_boost_kpa * min(1.0, drive**1.6) if s.throttle_pct > 25.0 else 0.0
    tau = 0.55 if wanted > s.boost_kpa else 0.25
    s.boost_kpa += (wanted - s.boost_kpa) * (1.0 - math.exp(-STEP_S / tau))


# ---- fuel, exhaust, road ---------------------------------------------------------------------


@compiled
def _injected_g(s: Any, c: Any, book: Array, sound_v: float) -> float:
    """Fuel of one injection: opening time less the true dead time, at the pressure there is."""
    if s.width_ms == 0.0:
        return 0.0
    pressure = fuel_dp_kpa(s, c)
    by_pressure = c.inj_dead_per_kpa * (pressure - c.inj_rated_kpa)
    dead = look_up(book, c.at_true_dead, s.volts, 0.0) + by_pressure + c.dead_shift_ms
    # The sheet is for a sound supply; below it real injectors slow down by more than the sheet
    # says.
    if s.volts != sound_v:
        weak = look_up(book, c.at_true_dead, s.volts, 0.0) - look_up(
            book, c.at_true_dead, sound_v, 0.0
        )
        dead += WEAK_DEAD * weak
    opened = open_ms(s.width_ms, dead, c.inj_small_ms, c.inj_small_open_ms)
    flow = injector_flow(pressure, c.inj_flow_g_per_s, c.inj_rated_kpa, c.inj_exponent)
    settling = c.settle_rich_pct / 100.0 * 2.0 ** (-s.time_s / 60.0)
    settling += drifted(s.time_s, c.fuel_drift_pct, c.fuel_drift_s)
    more = 0.0
    if c.extra_fuel_pct != 0.0:
        above = s.map_kpa - s.now_kpa
        opens = min(1.0, max(0.0, (above - BOOST_FROM_KPA) / BOOST_OVER_KPA))
        more = c.extra_fuel_pct / 100.0 * opens
    return opened * 1e-3 * flow * c.flow_scale * (1.0 + settling) * (1.0 + more)


@compiled
def _burn(s: Any, c: Any, leaving: Array, pipe: Array, injected_g: float, burnt: float) -> float:
    """Wall film, combustion, exhaust: lambda at the sensor element."""
    share = wall_share(s.coolant_c, s.map_kpa, c.wall_x, c.wall_load)
    tau = wall_time(s.coolant_c, s.rpm, c.wall_tau_s, c.wall_rpm)
    cycles = s.rpm / 120.0 * STEP_S
    evaporated = s.film_g * (1.0 - math.exp(-STEP_S / tau))
    injected = injected_g * cycles
    s.film_g += share * injected - evaporated
    # What went onto the walls earlier burns now (the x-tau model).
    in_cylinder = (1.0 - share) * injected + evaporated
    fired = burnt * burnt_share(s.coolant_c, c.cold_unburnt_per_k)
    phi = fired * in_cylinder * c.stoich_afr / max(s.air_g * cycles, 1e-9)
    # Exhaust weighs air and fuel, and fills its volume at 800 K.
    litres = s.flow_g_per_s * AIR_AND_FUEL * laws.AIR_R * EXHAUST_K / s.now_kpa
    _exhaust(s, c, leaving, pipe, phi, litres)
    _heat(s, c)
    # After a fuel cut there is no fuel in the gas at all.
    return 1.0 / max(s.reading, 0.02)


@compiled
def _exhaust(s: Any, c: Any, leaving: Array, pipe: Array, phi: float, litres_per_s: float) -> None:
    """Plug flow from valve to sensor: a parcel leaves one cycle after injection, and is then pushed on."""
    # Injected, burnt and pushed out: one cycle, 720 degrees.
    to = int(s.leaving_to)
    leaving[to % LEAVING, 0] = s.time_s + 120.0 / max(s.rpm, 300.0)
    leaving[to % LEAVING, 1] = phi
    s.leaving_to += 1
    s.pushed_l += litres_per_s * STEP_S
    while s.leaving_from < s.leaving_to:
        first = int(s.leaving_from) % LEAVING
        if leaving[first, 0] > s.time_s:
            break
        last = int(s.pipe_to) % PIPE
        pipe[last, 0] = s.pushed_l
        pipe[last, 1] = leaving[first, 1]
        s.leaving_from += 1
        s.pipe_to += 1
    # By volume pushed, not by time, so that the delay follows the flow.
    while s.pipe_from < s.pipe_to:
        first = int(s.pipe_from) % PIPE
        if s.pushed_l - pipe[first, 0] < c.exhaust_volume_l:
            break
        s.at_sensor = pipe[first, 1]
        s.pipe_from += 1
    s.reading += (s.at_sensor - s.reading) * (1.0 - math.exp(-STEP_S / c.sensor_tau_s))


@compiled
def _heat(s: Any, c: Any) -> None:
    fire = 0.09 + 0.012 * min(s.flow_g_per_s, 40.0)
    if s.coolant_c < 86.0:
        s.coolant_c += fire * 1.7 * STEP_S * (1.0 if s.coolant_c < 80 else 0.5)
    # The thermostat opens.
    if s.coolant_c > 89.0:
        s.coolant_c -= 0.3 * STEP_S
    under = c.ambient_c + s.hot_air_k + 4.0
    hot = under + 0.16 * s.boost_kpa + 5.0 * math.exp(-s.flow_g_per_s / 12.0)
    s.intake_c += (hot - s.intake_c) * STEP_S / 18.0


@compiled
def _roll(s: Any, c: Any) -> None:
    """Engine and road speed."""
    firing = 0.0 if s.cutting != 0.0 else burnt(s, c, False, s.misfires)
    cycle_air = s.air_g * c.cylinders
    friction = 15.0 + 0.003 * s.rpm + 0.24 * max(0.0, s.now_kpa - s.map_kpa)
    torque = 96.0 * cycle_air * firing - friction
    metres = s.speed_kmh / 3.6
    mass = c.mass_kg
    resist = 0.42 * metres**2 + mass * 9.81 * 0.013 * min(metres, 1.0) + mass * s.brake
    if s.clutch != 0.0 and s.gear > 0:
        per_metre = GEARS[int(s.gear)] * 3.6 * math.pi / 30.0
        inertia = mass + 0.17 * per_metre**2
        metres = max(0.0, metres + (0.93 * torque * per_metre - resist) / inertia * STEP_S)
        s.speed_kmh = metres * 3.6
        locked = s.speed_kmh * GEARS[int(s.gear)]
        # The clutch slips a moment, and is pressed before the engine stalls.
        s.rpm += (max(locked, 780.0) - s.rpm) * min(1.0, STEP_S / 0.08)
    else:
        s.rpm += torque / 0.16 * 30.0 / math.pi * STEP_S
        s.speed_kmh = max(0.0, metres - resist / mass * STEP_S) * 3.6
    s.rpm = min(max(s.rpm, 500.0), c.redline_rpm * 1.04)
    # The hill or dyno holds only once the gear is in; before that the road moves the car.
    if s.hold_rpm != 0.0 and s.clutch != 0.0 and s.gear == s.leg_gear:
        s.rpm += (s.hold_rpm - s.rpm) * (STEP_S / 1.2)
        s.speed_kmh = s.rpm / GEARS[int(s.gear)]


@compiled
def step(
    s: Any, c: Any, book: Array, ltft: Array, leaving: Array, pipe: Array, rng: Any, fault_rng: Any
) -> None:
    """Advance by one step; the leg must not be done.

    Parameters
    ----------
    s, c : records of ``STATE`` and ``CAR``.
    book : tables.
    ltft : long-term trims by block, percent, (16,).
    leaving, pipe : gas on its way, (size, 2): when or by which volume it goes on, equivalence
        ratio.
    rng, fault_rng : NumPy generators, of the driver and of faulty parts.
    """
    _drive(s, c, rng)
    _outside(s, c)
    _breathe(s, c)
    s.map_read += c.map_share * (s.map_kpa - s.map_read)
    # A slow swing, or dead time could not be told from injector flow.
    sound_v = 13.75 + 0.12 * math.sin(s.time_s / 23.0)
    s.volts = battery(s, c, sound_v)
    command(s, c, book, ltft)
    misfire(s, c, fault_rng)
    fired = burnt(s, c, s.time_s < s.shift_until, s.misfires)
    gas = _burn(s, c, leaving, pipe, _injected_g(s, c, book, sound_v), fired)
    read = lambda_read(s, c, gas, fault_rng)
    # The ECU is fed what the meter can show, as a real one is.
    s.lam = max(LAMBDA_RANGE[0], min(LAMBDA_RANGE[1], read))
    _roll(s, c)


@compiled
def sample(s: Any, c: Any, ltft: Array, out: Array) -> None:
    """Noise-free values of every channel now.

    Parameters
    ----------
    s, c, ltft : as for ``step``.
    out : takes the time and ``state.COLUMNS``.
    """
    shifts = s.time_s < s.shift_until
    retard = 24.0 if burnt(s, c, shifts, 0.0) < 1.0 else 0.0
    knocks = c.knock_from_kpa != 0.0 and s.map_kpa > c.knock_from_kpa
    values = (
        s.time_s,
        s.rpm,
        s.map_read,
        s.throttle_pct,
        intake_read_c(s, c),
        s.coolant_c,
        s.volts,
        s.lam,
        s.target,
        s.stft_pct,
        ltft[int(s.block)],
        s.closed_loop,
        s.width_ms,
        s.width_ms * s.rpm / 1200.0,
        fuel_dp_kpa(s, c),
        s.now_kpa,
        s.speed_kmh,
        s.gear,
        34.0 - 0.14 * s.map_kpa - retard,
        3.0 if knocks else 0.0,
        metered_hz(s, c),
        s.airflow_g_per_s,
        s.source_maf,
        c.turn_from + s.turn * (c.turn_to - c.turn_from),
    )
    for i, value in enumerate(values):
        out[i] = value


@compiled
def advance(
    state: Any,
    car: Any,
    book: Array,
    ltft: Array,
    leaving: Array,
    pipe: Array,
    rng: Any,
    fault_rng: Any,
    begin: int,
    steps: int,
    every: int,
    rows: Array,
    trace: Array,
) -> int:
    """Go on from step ``begin`` to step ``steps``, or until the driver needs another leg.

    Parameters
    ----------
    state, car : arrays of one record each.
    t, ltft, leaving, pipe, rng, fault_rng : as for ``step``.
    begin, steps : numbers of steps, counted from where ``rows`` and ``trace`` begin.
    every : a row is written after so many; 0 for none.
    rows : takes the samples, (steps // every, 1 + columns).
    trace : takes time, pedal, rpm, speed, shifting and fuel cut of every step, (steps, 6), for who
        watches.

    Returns
    -------
    The step it stands at.
    """
    s = state[0]
    c = car[0]
    for done in range(begin, steps):
        if s.leg_is_new == 0.0 and _leg_is_done(s):
            return done
        s.leg_is_new = 0.0
        step(s, c, book, ltft, leaving, pipe, rng, fault_rng)
        trace[done, 0] = s.time_s
        trace[done, 1] = s.pedal_pct
        trace[done, 2] = s.rpm
        trace[done, 3] = s.speed_kmh
        trace[done, 4] = s.time_s < s.shift_until
        trace[done, 5] = s.cutting
        s.time_s += STEP_S
        if every and (done + 1) % every == 0:
            sample(s, c, ltft, rows[(done + 1) // every - 1])
    return steps
