"""One step of the simulated car, 10 ms, compiled: driver, air, ECU, fuel, exhaust, sensors, road.

``s`` is the state, ``c`` the car, ``book`` its tables (see ``state``). In the order of cause:
pedal, air, the ECU that measures it, fuel, exhaust, sensor, road. A readable version, written as
objects, is its reference in ``tests/simcar/reference``.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit

from lean_trim.simcar import laws
from lean_trim.simcar.faulty_log import STUCK_EVERY_S
from lean_trim.simcar.state import (
    GEARS_RPM_PER_KMH,
    LEAVING,
    NOWHERE,
    PIPE,
    STEP_S,
    UNKNOWN,
    Array,
    Feedback,
    Kind,
)

compiled = njit(cache=True, nogil=True, error_model="numpy")
ve_pct = compiled(laws.ve_pct)
charge_c = compiled(laws.charge_c)
burnt_share = compiled(laws.burnt)
wall_share = compiled(laws.wall_share)
wall_time = compiled(laws.wall_time)
maf_hz = compiled(laws.maf_hz)
open_ms = compiled(laws.open_ms)
injector_flow = compiled(laws.injector_flow)

GEARS = np.array(GEARS_RPM_PER_KMH)
IDLE, CRUISE, HOLD, PULL, COAST, BLIP = (int(k) for k in Kind)
NO_LOOP, NARROWBAND, WIDEBAND = (int(k) for k in Feedback)
APPROACH_S = 25.0
"""Longest time spent getting to a leg's gear and speed."""
SHIFT_S = 0.45
IDLE_RPM = 900.0
IDLE_VALVE_S = 0.5
"""How late a valve follows whose loop is set too sharp; a sound one follows at once."""
LTFT_RPM = (1500.0, 2500.0, 4000.0)
LTFT_LOAD = (35.0, 55.0, 80.0)
FULL_THROTTLE_PCT = 78.0
WARM_UP_PER_K, WARM_UP_BELOW_C = 0.0034, 72.0
"""What the ECU adds of itself to a cold engine, where it was given no table."""
RATE_OVER_S = 0.03
"""Time constant over which the ECU takes the rate of pressure or throttle."""
FADE_S = 0.35
"""Where no table of fading was given."""
LAMBDA_RANGE = (0.65, 1.36)
WEAK_DEAD = 0.25
"""Part by which dead time grows more with a weak battery than the sheet says."""
FREE_AIR_LAMBDA = 9.0
"""What a sensor that lost its heater reports, before the meter's own end stop."""
LOADS_EVERY_S = 24.0
TAIL_HALF_G_PER_S = 2.0
"""Airflow at which air from behind counts half; an idling engine draws about as much (invented)."""
CHOKED = 0.53
"""Pressure ratio below which a leak draws all it can (textbook, air)."""
SPELL_EVERY_S, SPELL_S, SPELL_K = 200.0, 90.0, 25.0
"""Spells of hot air under the bonnet, as in traffic (invented)."""
PASS_EVERY_S = 480.0
BOOST_FROM_KPA, BOOST_OVER_KPA = 15.0, 25.0
"""Boost from which second injectors begin, and over which they open (invented)."""
MISFIRE_S = (0.25, 0.7)
MIDDLE_C = 25.0
"""Air temperature an air sensor that misreads was calibrated at (invented)."""
EXHAUST_K = 800.0
AIR_AND_FUEL = 1.07
"""Mass of exhaust over that of its air."""


@compiled
def _look_up(book: Array, place: int, y: float, x: float) -> float:  # pragma: no cover - compiled
    """Value of a table at a point, linear between the points, held past the ends; a curve ignores ``x``."""
    ny, nx = int(book[place]), int(book[place + 1])
    rows = place + 2
    columns = rows + ny
    cells = columns + nx
    j, v = _locate(book, rows, ny, y)
    if nx == 0:
        return book[cells + j] + v * (book[cells + j + 1] - book[cells + j])
    i, u = _locate(book, columns, nx, x)
    low = cells + j * nx + i
    high = low + nx
    a = book[low] + u * (book[low + 1] - book[low])
    b = book[high] + u * (book[high + 1] - book[high])
    return a + v * (b - a)


@compiled
def _locate(book: Array, begin: int, n: int, x: float) -> tuple[int, float]:  # pragma: no cover
    """Lower index and fraction on an axis of ``n`` points, clamped to it."""
    if x <= book[begin]:
        return 0, 0.0
    if x >= book[begin + n - 1]:
        return n - 2, 1.0
    low, high = 0, n - 1
    while high - low > 1:
        middle = (low + high) // 2
        if book[begin + middle] <= x:
            low = middle
        else:
            high = middle
    left = book[begin + low]
    return low, (x - left) / (book[begin + low + 1] - left)


# ---- the driver ------------------------------------------------------------------------------


@compiled
def _leg_is_done(s: Any) -> bool:  # pragma: no cover - compiled
    if s.leg_kind == PULL and s.rpm >= s.leg_value:
        return True
    if s.leg_kind == COAST and s.speed_kmh <= s.leg_value:
        return True
    extra = APPROACH_S if s.leg_kind == HOLD and s.arrived == 0.0 else 0.0
    return s.time_s - s.began >= s.leg_seconds + extra


@compiled
def _drive(s: Any, c: Any, rng: Any) -> None:  # pragma: no cover - compiled
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
def _wanted_pedal(s: Any, c: Any) -> float:  # pragma: no cover - compiled
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
def _select(s: Any, gear: float) -> None:  # pragma: no cover - compiled
    if gear != s.gear and s.time_s >= s.shift_until:
        s.gear += 1 if gear > s.gear else -1
        s.shift_until = s.time_s + SHIFT_S


@compiled
def _towards_gear(s: Any, c: Any) -> None:  # pragma: no cover - compiled
    """One gear at a time towards the leg's: up once revs allow it, down before the engine labours."""
    here = s.speed_kmh * GEARS[int(s.gear)]
    up = s.speed_kmh * GEARS[min(int(s.gear) + 1, 5)]
    enough = min(1600.0, 0.85 * s.leg_value) if s.leg_kind == HOLD else 1600.0
    if s.gear < s.leg_gear and up > enough:
        _select(s, s.gear + 1)
    elif s.gear > 1 and (here < 1050.0 or (s.gear > s.leg_gear and here < 0.5 * c.redline_rpm)):
        _select(s, s.gear - 1)


@compiled
def _approach(s: Any, c: Any, speed_kmh: float) -> float:  # pragma: no cover - compiled
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
def _hold(s: Any, c: Any) -> float:  # pragma: no cover - compiled
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
def _outside(s: Any, c: Any) -> None:  # pragma: no cover - compiled
    """The road's height and the heat under the bonnet."""
    climbed = 0.0
    if c.pass_kpa != 0.0:
        climbed = c.pass_kpa * 0.5 * (1.0 - math.cos(2.0 * math.pi * s.time_s / PASS_EVERY_S))
    s.now_kpa = c.baro_kpa - climbed
    s.more_air = 1.0 + c.pass_air_pct / 100.0 * climbed / 10.0
    spell = c.air_misread != 0.0 and s.time_s % SPELL_EVERY_S > SPELL_EVERY_S - SPELL_S
    s.hot_air_k = SPELL_K if spell else 0.0


@compiled
def _breathe(s: Any, c: Any) -> None:  # pragma: no cover - compiled
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
def _true_ve_pct(s: Any, c: Any) -> float:  # pragma: no cover - compiled
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
    )


@compiled
def _idle_air(s: Any, c: Any) -> float:  # pragma: no cover - compiled
    """What the idle valve lets through: more below idle speed, less above."""
    wanted = min(0.02, max(0.007, 0.0145 + (IDLE_RPM - s.rpm) * 2.2e-5 * c.idle_gain))
    if c.idle_gain == 1.0:
        return wanted
    s.idle_valve += (wanted - s.idle_valve) * (1.0 - math.exp(-STEP_S / IDLE_VALVE_S))
    return s.idle_valve


@compiled
def _spool(s: Any, c: Any) -> None:  # pragma: no cover - compiled
    if c.turbo == 0.0:
        return
    drive = s.flow_g_per_s / (0.33 * c.most_flow)
    wanted = c.max_boost_kpa * min(1.0, drive**1.6) if s.throttle_pct > 25.0 else 0.0
    tau = 0.55 if wanted > s.boost_kpa else 0.25
    s.boost_kpa += (wanted - s.boost_kpa) * (1.0 - math.exp(-STEP_S / tau))


# ---- what sensors and faulty parts make of it ------------------------------------------------


@compiled
def _leaked(c: Any, map_share: float) -> float:  # pragma: no cover - compiled
    """Air drawn in behind the airflow sensor, g/s; negative in boost, where it is blown out."""
    choked = c.intake_leak_pct / 100.0 * c.most_flow
    if choked == 0.0 or map_share < CHOKED:
        return choked
    low = min(map_share, 1.0 / map_share)
    high = max(1.0, map_share)
    # The ellipse that is used for orifices between choked and no flow.
    part = 1.0
    if low > CHOKED:
        part = math.sqrt(max(0.0, 1.0 - ((low - CHOKED) / (1.0 - CHOKED)) ** 2))
    return choked * part * high * (1.0 if map_share <= 1.0 else -1.0)


@compiled
def _metered_hz(s: Any, c: Any) -> float:  # pragma: no cover - compiled
    flow = s.flow_g_per_s - _leaked(c, s.map_kpa / s.now_kpa)
    ceiling = c.airflow_ceiling * c.most_flow
    if ceiling != 0.0:
        flow = min(flow, ceiling)
    return maf_hz(flow, c.maf_low_hz, c.maf_low_g_per_s, c.maf_exponent)


@compiled
def _intake_read_c(s: Any, c: Any) -> float:  # pragma: no cover - compiled
    soaked = c.soak_k * math.exp(-s.time_s / c.soak_s) if c.soak_k != 0.0 else 0.0
    return s.intake_c - c.air_misread * (s.intake_c - MIDDLE_C) + soaked


@compiled
def _fuel_dp_kpa(s: Any, c: Any) -> float:  # pragma: no cover - compiled
    """Differential pressure across the injectors: what the pump and the regulator keep up."""
    share = min(1.0, max(0.0, (s.flow_g_per_s / c.most_flow - 0.3) / 0.7))
    followed = c.inj_rated_kpa - (1.0 - c.regulator_follows) * (s.map_kpa - s.now_kpa)
    return followed * (1.0 - c.pump_sag_pct / 100.0 * share)


@compiled
def _battery(s: Any, c: Any, sound_v: float) -> float:  # pragma: no cover - compiled
    loads = c.loads_v if s.time_s % LOADS_EVERY_S > LOADS_EVERY_S / 2.0 else 0.0
    return sound_v - (c.battery_drop_v if s.time_s % 150.0 > 110.0 else 0.0) - loads


@compiled
def _burnt(s: Any, c: Any, shifting: bool, misfires: float) -> float:  # pragma: no cover - compiled
    share = 1.0 - c.unburnt_share if shifting else 1.0
    return share * (1.0 - 1.0 / c.cylinders) if misfires != 0.0 else share


@compiled
def _misfire(s: Any, c: Any, rng: Any) -> None:  # pragma: no cover - compiled
    rate = c.misfires_per_min
    # A sound car draws no random number here.
    if rate != 0.0 and s.time_s >= s.misfires_until and rng.random() < rate * STEP_S / 60.0:
        s.misfires_until = s.time_s + rng.uniform(MISFIRE_S[0], MISFIRE_S[1])
    s.misfires = 1.0 if s.time_s < s.misfires_until else 0.0


@compiled
def _lambda_read(s: Any, c: Any, gas: float, rng: Any) -> float:  # pragma: no cover - compiled
    """What the sensor says when the gas at it has that lambda."""
    lam = gas
    if c.tail_air_pct != 0.0:
        lam *= 1.0 + c.tail_air_pct / 100.0 * 2.0 ** (-s.flow_g_per_s / TAIL_HALF_G_PER_S)
    if c.exhaust_leak_pct != 0.0:
        lam *= 1.0 + c.exhaust_leak_pct / 100.0 * c.most_flow / max(s.flow_g_per_s, 0.1)
    if c.free_air_gain != 1.0 and lam > 1.0:
        # By oxygen in the gas, which a worn cell pumps less of; free air holds all there is.
        lam = 1.0 / (1.0 - c.free_air_gain * (1.0 - 1.0 / lam))
    if c.sensor_lag_s != 0.0:
        s.lagging += (1.0 / lam - s.lagging) * (1.0 - math.exp(-STEP_S / c.sensor_lag_s))
        lam = 1.0 / s.lagging
    if s.time_s < c.sensor_cold_s:
        lam = FREE_AIR_LAMBDA
    may_drop = c.sensor_drops_per_min != 0.0 and s.time_s >= s.dropped_until
    if may_drop and rng.random() < c.sensor_drops_per_min * STEP_S / 60.0:
        s.dropped_until = s.time_s + rng.uniform(0.5, 2.0)
    if s.time_s < s.dropped_until:
        lam = FREE_AIR_LAMBDA
    # After the drop: a stuck sensor shows neither the gas nor its loss.
    if c.sensor_stuck_s != 0.0 and s.time_s % STUCK_EVERY_S > STUCK_EVERY_S - c.sensor_stuck_s:
        return s.held
    s.held = lam
    return lam


# ---- the ECU ---------------------------------------------------------------------------------


@compiled
def _command(s: Any, c: Any, book: Array, ltft: Array) -> None:  # pragma: no cover - compiled
    """Decide this step's injection."""
    intake_c = _intake_read_c(s, c)
    s.target = _target(s, c, book)
    air = _ecu_air_g(s, c, book, intake_c)
    s.airflow_g_per_s = air * c.told_cylinders * s.rpm / 120.0
    _fuel_cut(s, c)
    block = _block(s)
    s.block = block
    s.closed_loop = 1.0 if _may_close(s, c) else 0.0
    if s.closed_loop != 0.0:
        _learn(s, c, ltft, block)
    else:
        s.stft_pct *= math.exp(-STEP_S / 0.3)
    fuel = air / (c.told_stoich_afr * s.target) * _enriched(s, c, book, intake_c)
    fuel *= (1 + s.stft_pct / 100) * (1 + ltft[block] / 100)
    if c.has_tables != 0.0:
        fuel = _onto_walls(s, c, book, fuel)
    if s.throttle_pct > FULL_THROTTLE_PCT:
        fuel *= 1 + c.hidden_rich_pct / 100
    s.width_ms = _width_ms(s, c, book, fuel)


@compiled
def _width_ms(s: Any, c: Any, book: Array, fuel_g: float) -> float:  # pragma: no cover - compiled
    if s.cutting != 0.0 or s.rpm <= 200:
        return 0.0
    width = fuel_g / c.told_flow_g_per_s * 1e3
    small = _look_up(book, c.at_small, width, 0.0) if c.at_small != NOWHERE else 0.0
    return min(width + small + _look_up(book, c.at_dead, s.volts, 0.0), 119000.0 / s.rpm)


@compiled
def _target(s: Any, c: Any, book: Array) -> float:  # pragma: no cover - compiled
    target = _look_up(book, c.at_targets, s.map_read, s.rpm) if c.at_targets != NOWHERE else 1.0
    if s.throttle_pct < c.enrich_above_pct:
        target = max(target, 1.0)
    if c.target_swing_pct != 0.0 and target > 0.95:
        target *= 1.0 + c.target_swing_pct / 100.0 * (1.0 if s.time_s % 2.0 < 1.0 else -1.0)
    return target


@compiled
def _ecu_air_g(
    s: Any, c: Any, book: Array, intake_c: float
) -> float:  # pragma: no cover - compiled
    if c.by_curve != 0.0:
        flow = _look_up(book, c.at_airflow, _metered_hz(s, c), 0.0)
        return flow * 120.0 / (c.told_cylinders * max(s.rpm, 100.0))
    density = s.map_read / (laws.AIR_R * (intake_c + laws.ZERO_C_K))
    return _look_up(book, c.at_airflow, s.map_read, s.rpm) / 100 * density * c.told_cylinder_l


@compiled
def _fuel_cut(s: Any, c: Any) -> None:  # pragma: no cover - compiled
    if s.cutting != 0.0:
        if s.throttle_pct > 2.0 or s.rpm < c.cut_to_rpm:
            s.cutting = 0.0
            s.refuelled_at = s.time_s
            s.stft_pct = 0.0
    elif s.throttle_pct < 1.2 and s.rpm > c.cut_from_rpm and s.coolant_c > 45:
        s.cutting = 1.0


@compiled
def _may_close(s: Any, c: Any) -> bool:  # pragma: no cover - compiled
    # A narrowband sensor can hold nothing but lambda 1.
    least = 0.95 - c.target_swing_pct / 100.0 if c.feedback == WIDEBAND else 0.99
    ready = s.coolant_c > 55.0 and s.time_s > 25.0 and s.throttle_pct < FULL_THROTTLE_PCT
    ready = ready and s.target > least and s.cutting == 0.0 and s.time_s - s.refuelled_at > 1.2
    return ready and c.feedback != NO_LOOP


@compiled
def _learn(s: Any, c: Any, ltft: Array, block: int) -> None:  # pragma: no cover - compiled
    if c.feedback == NARROWBAND:
        swing = 6.0 * c.loop_gain
        lean = s.lam / c.loop_lambda - 1.0 > 0
        s.stft_pct += (
            (swing if lean else -swing) * STEP_S * min(1.0, 0.3 + s.airflow_g_per_s / 20.0)
        )
    else:
        error = s.lam / s.target - 1.0
        gain = c.loop_gain * min(1.6, 0.5 + s.airflow_g_per_s / 15.0)
        s.stft_pct += 100.0 * max(-0.15, min(0.15, error)) * STEP_S * gain
    short, long = 20.0, 15.0
    if c.trim_limit_pct != 0.0:
        short = long = c.trim_limit_pct
    s.stft_pct = max(-short, min(short, s.stft_pct))
    step = s.stft_pct * STEP_S / 15.0
    ltft[block] = max(-long, min(long, ltft[block] + step))
    s.stft_pct -= step


@compiled
def _block(s: Any) -> int:  # pragma: no cover - compiled
    i = 0
    for edge in LTFT_RPM:
        i += s.rpm > edge
    j = 0
    for edge in LTFT_LOAD:
        j += s.map_read > edge
    return 4 * j + i


@compiled
def _enriched(s: Any, c: Any, book: Array, intake_c: float) -> float:  # pragma: no cover - compiled
    """Factor by which corrections raise the fuel."""
    own = _own_enrichment(s, c)
    warm_up = WARM_UP_PER_K * max(0.0, WARM_UP_BELOW_C - s.coolant_c)
    if c.has_tables == 0.0:
        return 1.0 + own + warm_up
    if c.at_enrichment != NOWHERE:
        own = _enrichment_pct(s, c, book) / 100.0
    own += _after_cut_pct(s, c, book) / 100.0
    if c.at_warm_up != NOWHERE:
        warm_up = _look_up(book, c.at_warm_up, s.coolant_c, 0.0) / 100.0
    air = _look_up(book, c.at_air, intake_c, 0.0) / 100.0 if c.at_air != NOWHERE else 0.0
    return (1.0 + own + warm_up) * (1.0 + air)


@compiled
def _own_enrichment(s: Any, c: Any) -> float:  # pragma: no cover - compiled
    slope = (s.map_read - s.last_map) / STEP_S
    s.last_map = s.map_read
    s.accel *= math.exp(-STEP_S / 0.35)
    if slope > 40.0:
        s.accel = min(0.30, s.accel + 0.0012 * slope * STEP_S * 4.0)
    return c.accel_times * s.accel


@compiled
def _enrichment_pct(s: Any, c: Any, book: Array) -> float:  # pragma: no cover - compiled
    """What quick openings and closings add now; the larger of the table's and what fades."""
    value = s.throttle_pct if c.by_throttle != 0.0 else s.map_read
    slope = (value - s.last_value) / STEP_S if s.has_last != 0.0 else 0.0
    s.last_value = value
    s.has_last = 1.0
    s.rate += (slope - s.rate) * min(1.0, STEP_S / RATE_OVER_S)
    fade = _look_up(book, c.at_fade, s.rpm, 0.0) if c.at_fade != NOWHERE else FADE_S
    s.added_pct *= math.exp(-STEP_S / max(fade, STEP_S))
    wanted = _look_up(book, c.at_enrichment, s.rate, s.rpm)
    if abs(wanted) > abs(s.added_pct):
        s.added_pct = wanted
    return s.added_pct


@compiled
def _after_cut_pct(s: Any, c: Any, book: Array) -> float:  # pragma: no cover - compiled
    if s.cutting != 0.0:
        if s.cut_since == UNKNOWN:
            s.cut_since = s.time_s
        return 0.0
    if s.cut_since != UNKNOWN and c.at_after_cut != NOWHERE:
        s.after_pct = _look_up(book, c.at_after_cut, s.time_s - s.cut_since, 0.0)
    s.cut_since = UNKNOWN
    pct = s.after_pct
    fade = (
        _look_up(book, c.at_after_cut_fade, s.rpm, 0.0)
        if c.at_after_cut_fade != NOWHERE
        else FADE_S
    )
    s.after_pct *= math.exp(-STEP_S / max(fade, STEP_S))
    return pct


@compiled
def _onto_walls(s: Any, c: Any, book: Array, fuel_g: float) -> float:  # pragma: no cover - compiled
    """What has to be injected a cycle for so much to reach the cylinder, by the ECU's own film."""
    if c.at_share == NOWHERE or c.at_wall_times == NOWHERE:
        return fuel_g
    share = min(0.9, _look_up(book, c.at_share, s.map_read, 0.0) / 100.0)
    gone = 1.0 - math.exp(-STEP_S / max(_look_up(book, c.at_wall_times, s.coolant_c, 0.0), STEP_S))
    cycles = max(s.rpm, 100.0) / 120.0 * STEP_S
    evaporated = gone * s.ecu_film
    injected = 0.0
    if s.cutting == 0.0:
        injected = max(0.0, (fuel_g * cycles - evaporated) / (1.0 - share))
    s.ecu_film += share * injected - evaporated
    return injected / cycles


# ---- fuel, exhaust, road ---------------------------------------------------------------------


@compiled
def _injected_g(
    s: Any, c: Any, book: Array, sound_v: float
) -> float:  # pragma: no cover - compiled
    """Fuel of one injection: opening time less the true dead time, at the pressure there is."""
    if s.width_ms == 0.0:
        return 0.0
    pressure = _fuel_dp_kpa(s, c)
    by_pressure = c.inj_dead_per_kpa * (pressure - c.inj_rated_kpa)
    dead = _look_up(book, c.at_true_dead, s.volts, 0.0) + by_pressure + c.dead_shift_ms
    # The sheet is for a sound supply; below it real injectors slow down by more than the sheet
    # says.
    if s.volts != sound_v:
        weak = _look_up(book, c.at_true_dead, s.volts, 0.0) - _look_up(
            book, c.at_true_dead, sound_v, 0.0
        )
        dead += WEAK_DEAD * weak
    opened = open_ms(s.width_ms, dead, c.inj_small_ms, c.inj_small_open_ms)
    flow = injector_flow(pressure, c.inj_flow_g_per_s, c.inj_rated_kpa, c.inj_exponent)
    settling = c.settle_rich_pct / 100.0 * 2.0 ** (-s.time_s / 60.0)
    more = 0.0
    if c.extra_fuel_pct != 0.0:
        above = s.map_kpa - s.now_kpa
        opens = min(1.0, max(0.0, (above - BOOST_FROM_KPA) / BOOST_OVER_KPA))
        more = c.extra_fuel_pct / 100.0 * opens
    return opened * 1e-3 * flow * c.flow_scale * (1.0 + settling) * (1.0 + more)


@compiled
def _burn(
    s: Any, c: Any, leaving: Array, pipe: Array, injected_g: float, burnt: float
) -> float:  # pragma: no cover
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
def _exhaust(
    s: Any, c: Any, leaving: Array, pipe: Array, phi: float, litres_per_s: float
) -> None:  # pragma: no cover
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
def _heat(s: Any, c: Any) -> None:  # pragma: no cover - compiled
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
def _roll(s: Any, c: Any) -> None:  # pragma: no cover - compiled
    """Engine and road speed."""
    firing = 0.0 if s.cutting != 0.0 else _burnt(s, c, False, s.misfires)
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
) -> None:  # pragma: no cover - compiled
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
    s.volts = _battery(s, c, sound_v)
    _command(s, c, book, ltft)
    _misfire(s, c, fault_rng)
    burnt = _burnt(s, c, s.time_s < s.shift_until, s.misfires)
    gas = _burn(s, c, leaving, pipe, _injected_g(s, c, book, sound_v), burnt)
    read = _lambda_read(s, c, gas, fault_rng)
    # The ECU is fed what the meter can show, as a real one is.
    s.lam = max(LAMBDA_RANGE[0], min(LAMBDA_RANGE[1], read))
    _roll(s, c)


@compiled
def sample(s: Any, c: Any, ltft: Array, out: Array) -> None:  # pragma: no cover - compiled
    """Noise-free values of every channel now.

    Parameters
    ----------
    s, c, ltft : as for ``step``.
    out : takes the time and ``state.COLUMNS``.
    """
    shifts = s.time_s < s.shift_until
    retard = 24.0 if _burnt(s, c, shifts, 0.0) < 1.0 else 0.0
    knocks = c.knock_from_kpa != 0.0 and s.map_kpa > c.knock_from_kpa
    values = (
        s.time_s,
        s.rpm,
        s.map_read,
        s.throttle_pct,
        _intake_read_c(s, c),
        s.coolant_c,
        s.volts,
        s.lam,
        s.target,
        s.stft_pct,
        ltft[int(s.block)],
        s.closed_loop,
        s.width_ms,
        s.width_ms * s.rpm / 1200.0,
        _fuel_dp_kpa(s, c),
        s.now_kpa,
        s.speed_kmh,
        s.gear,
        34.0 - 0.14 * s.map_kpa - retard,
        3.0 if knocks else 0.0,
        _metered_hz(s, c),
        s.airflow_g_per_s,
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
) -> int:  # pragma: no cover - compiled
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
