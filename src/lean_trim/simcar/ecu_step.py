"""What the simulated car's sensors say, what faulty parts make of it, and what its ECU decides.

Part of the stepper; ``s`` is the state, ``c`` the car, ``book`` its tables.
"""

from __future__ import annotations

import math
from typing import Any

from lean_trim.simcar import laws
from lean_trim.simcar.compiled import compiled, look_up
from lean_trim.simcar.faulty_log import STUCK_EVERY_S
from lean_trim.simcar.numbers import (
    CHOKED,
    FADE_S,
    FREE_AIR_LAMBDA,
    FULL_THROTTLE_PCT,
    LOADS_EVERY_S,
    LTFT_LOAD,
    LTFT_RPM,
    MIDDLE_C,
    MISFIRE_S,
    NARROWBAND,
    NO_LOOP,
    RATE_OVER_S,
    TAIL_HALF_G_PER_S,
    WARM_UP_BELOW_C,
    WARM_UP_PER_K,
    WIDEBAND,
)
from lean_trim.simcar.state import NOWHERE, STEP_S, UNKNOWN, Array

SEEN_RATE_S = 0.15
"""Lag by which a blended ECU sees how fast the pressure moves."""
CHANGE_OVER_S = 0.12
"""Time constant of its change from one airflow to the other."""

maf_hz = compiled(laws.maf_hz)

# ---- what sensors and faulty parts make of it ------------------------------------------------


@compiled
def leaked(c: Any, map_share: float) -> float:
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
def metered_hz(s: Any, c: Any) -> float:
    """Frequency of the mass-airflow sensor, for what it can show."""
    flow = s.flow_g_per_s - leaked(c, s.map_kpa / s.now_kpa)
    ceiling = c.airflow_ceiling * c.most_flow
    if ceiling != 0.0:
        flow = min(flow, ceiling)
    return maf_hz(flow, c.maf_low_hz, c.maf_low_g_per_s, c.maf_exponent)


@compiled
def intake_read_c(s: Any, c: Any) -> float:
    """What the air sensor says."""
    soaked = c.soak_k * math.exp(-s.time_s / c.soak_s) if c.soak_k != 0.0 else 0.0
    return s.intake_c - c.air_misread * (s.intake_c - MIDDLE_C) + soaked


@compiled
def fuel_dp_kpa(s: Any, c: Any) -> float:
    """Differential pressure across the injectors: what the pump and the regulator keep up."""
    share = min(1.0, max(0.0, (s.flow_g_per_s / c.most_flow - 0.3) / 0.7))
    followed = c.inj_rated_kpa - (1.0 - c.regulator_follows) * (s.map_kpa - s.now_kpa)
    return followed * (1.0 - c.pump_sag_pct / 100.0 * share)


@compiled
def battery(s: Any, c: Any, sound_v: float) -> float:
    """Battery voltage."""
    loads = c.loads_v if s.time_s % LOADS_EVERY_S > LOADS_EVERY_S / 2.0 else 0.0
    return sound_v - (c.battery_drop_v if s.time_s % 150.0 > 110.0 else 0.0) - loads


@compiled
def burnt(s: Any, c: Any, shifting: bool, misfires: float) -> float:
    """Share of the fuel that burns."""
    share = 1.0 - c.unburnt_share if shifting else 1.0
    return share * (1.0 - 1.0 / c.cylinders) if misfires != 0.0 else share


@compiled
def misfire(s: Any, c: Any, rng: Any) -> None:
    """Whether one cylinder does not fire now."""
    rate = c.misfires_per_min
    # A sound car draws no random number here.
    if rate != 0.0 and s.time_s >= s.misfires_until and rng.random() < rate * STEP_S / 60.0:
        s.misfires_until = s.time_s + rng.uniform(MISFIRE_S[0], MISFIRE_S[1])
    s.misfires = 1.0 if s.time_s < s.misfires_until else 0.0


@compiled
def lambda_read(s: Any, c: Any, gas: float, rng: Any) -> float:
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
def command(s: Any, c: Any, book: Array, ltft: Array) -> None:
    """Decide this step's injection."""
    intake_c = intake_read_c(s, c)
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
def _width_ms(s: Any, c: Any, book: Array, fuel_g: float) -> float:
    if s.cutting != 0.0 or s.rpm <= 200:
        return 0.0
    width = fuel_g / c.told_flow_g_per_s * 1e3
    small = look_up(book, c.at_small, width, 0.0) if c.at_small != NOWHERE else 0.0
    return min(width + small + look_up(book, c.at_dead, s.volts, 0.0), 119000.0 / s.rpm)


@compiled
def _target(s: Any, c: Any, book: Array) -> float:
    target = look_up(book, c.at_targets, s.map_read, s.rpm) if c.at_targets != NOWHERE else 1.0
    if s.throttle_pct < c.enrich_above_pct:
        target = max(target, 1.0)
    if c.target_swing_pct != 0.0 and target > 0.95:
        target *= 1.0 + c.target_swing_pct / 100.0 * (1.0 if s.time_s % 2.0 < 1.0 else -1.0)
    return target


@compiled
def _ecu_air_g(s: Any, c: Any, book: Array, intake_c: float) -> float:
    if c.layered != 0.0:
        at_rest = _air_by_grid(s, c, book, c.at_airflow, intake_c)
        turned = _air_by_grid(s, c, book, c.at_other, intake_c)
        return (1.0 - s.turn) * at_rest + s.turn * turned
    if c.blended == 0.0:
        s.source_maf = c.by_curve
        if c.by_curve != 0.0:
            return _air_by_curve(s, c, book, c.at_airflow)
        return _air_by_grid(s, c, book, c.at_airflow, intake_c)
    _change_over(s, c)
    curve, grid = (c.at_airflow, c.at_other) if c.by_curve != 0.0 else (c.at_other, c.at_airflow)
    metered = _air_by_curve(s, c, book, curve)
    reckoned = _air_by_grid(s, c, book, grid, intake_c)
    return s.source_maf * metered + (1.0 - s.source_maf) * reckoned


@compiled
def _air_by_curve(s: Any, c: Any, book: Array, place: int) -> float:
    flow = look_up(book, place, metered_hz(s, c), 0.0)
    return flow * 120.0 / (c.told_cylinders * max(s.rpm, 100.0))


@compiled
def _air_by_grid(s: Any, c: Any, book: Array, place: int, intake_c: float) -> float:
    density = s.map_read / (laws.AIR_R * (intake_c + laws.ZERO_C_K))
    return look_up(book, place, s.map_read, s.rpm) / 100 * density * c.told_cylinder_l


@compiled
def _change_over(s: Any, c: Any) -> None:
    """The sensor in steady state, the grid at low speed and while the pressure moves; never at once."""
    s.slow_map += (s.map_read - s.slow_map) * STEP_S / SEEN_RATE_S
    rate = 100.0 * abs(s.map_read - s.slow_map) / SEEN_RATE_S / s.map_read
    moves = c.ve_above_map_rate != 0.0 and rate > c.ve_above_map_rate
    wanted = 0.0 if s.rpm < c.ve_below_rpm or moves else 1.0
    s.source_maf += (wanted - s.source_maf) * STEP_S / CHANGE_OVER_S
    if abs(wanted - s.source_maf) < 0.02:
        s.source_maf = wanted


@compiled
def _fuel_cut(s: Any, c: Any) -> None:
    if s.cutting != 0.0:
        if s.throttle_pct > 2.0 or s.rpm < c.cut_to_rpm:
            s.cutting = 0.0
            s.refuelled_at = s.time_s
            s.stft_pct = 0.0
    elif s.throttle_pct < 1.2 and s.rpm > c.cut_from_rpm and s.coolant_c > 45:
        s.cutting = 1.0


@compiled
def _may_close(s: Any, c: Any) -> bool:
    # A narrowband sensor can hold nothing but lambda 1.
    least = 0.95 - c.target_swing_pct / 100.0 if c.feedback == WIDEBAND else 0.99
    ready = s.coolant_c > 55.0 and s.time_s > 25.0 and s.throttle_pct < FULL_THROTTLE_PCT
    ready = ready and s.target > least and s.cutting == 0.0 and s.time_s - s.refuelled_at > 1.2
    return ready and c.feedback != NO_LOOP


@compiled
def _learn(s: Any, c: Any, ltft: Array, block: int) -> None:
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
    short = 20.0
    long = 15.0
    if c.trim_limit_pct != 0.0:
        short = long = c.trim_limit_pct
    s.stft_pct = max(-short, min(short, s.stft_pct))
    step = s.stft_pct * STEP_S / 15.0
    ltft[block] = max(-long, min(long, ltft[block] + step))
    s.stft_pct -= step


@compiled
def _block(s: Any) -> int:
    i = 0
    for edge in LTFT_RPM:
        i += s.rpm > edge
    j = 0
    for edge in LTFT_LOAD:
        j += s.map_read > edge
    return 4 * j + i


@compiled
def _enriched(s: Any, c: Any, book: Array, intake_c: float) -> float:
    """Factor by which corrections raise the fuel."""
    own = _own_enrichment(s, c)
    warm_up = WARM_UP_PER_K * max(0.0, WARM_UP_BELOW_C - s.coolant_c)
    if c.has_tables == 0.0:
        return 1.0 + own + warm_up
    if c.at_enrichment != NOWHERE:
        own = _enrichment_pct(s, c, book) / 100.0
    own += _after_cut_pct(s, c, book) / 100.0
    if c.at_warm_up != NOWHERE:
        warm_up = look_up(book, c.at_warm_up, s.coolant_c, 0.0) / 100.0
    air = look_up(book, c.at_air, intake_c, 0.0) / 100.0 if c.at_air != NOWHERE else 0.0
    return (1.0 + own + warm_up) * (1.0 + air)


@compiled
def _own_enrichment(s: Any, c: Any) -> float:
    slope = (s.map_read - s.last_map) / STEP_S
    s.last_map = s.map_read
    s.accel *= math.exp(-STEP_S / 0.35)
    if slope > 40.0:
        s.accel = min(0.30, s.accel + 0.0012 * slope * STEP_S * 4.0)
    return c.accel_times * s.accel


@compiled
def _enrichment_pct(s: Any, c: Any, book: Array) -> float:
    """What quick openings and closings add now; the larger of the table's and what fades."""
    value = s.throttle_pct if c.by_throttle != 0.0 else s.map_read
    slope = (value - s.last_value) / STEP_S if s.has_last != 0.0 else 0.0
    s.last_value = value
    s.has_last = 1.0
    s.rate += (slope - s.rate) * min(1.0, STEP_S / RATE_OVER_S)
    fade = look_up(book, c.at_fade, s.rpm, 0.0) if c.at_fade != NOWHERE else FADE_S
    s.added_pct *= math.exp(-STEP_S / max(fade, STEP_S))
    wanted = look_up(book, c.at_enrichment, s.rate, s.rpm)
    if abs(wanted) > abs(s.added_pct):
        s.added_pct = wanted
    return s.added_pct


@compiled
def _after_cut_pct(s: Any, c: Any, book: Array) -> float:
    if s.cutting != 0.0:
        if s.cut_since == UNKNOWN:
            s.cut_since = s.time_s
        return 0.0
    if s.cut_since != UNKNOWN and c.at_after_cut != NOWHERE:
        s.after_pct = look_up(book, c.at_after_cut, s.time_s - s.cut_since, 0.0)
    s.cut_since = UNKNOWN
    pct = s.after_pct
    fade = (
        look_up(book, c.at_after_cut_fade, s.rpm, 0.0) if c.at_after_cut_fade != NOWHERE else FADE_S
    )
    s.after_pct *= math.exp(-STEP_S / max(fade, STEP_S))
    return pct


@compiled
def _onto_walls(s: Any, c: Any, book: Array, fuel_g: float) -> float:
    """What has to be injected a cycle for so much to reach the cylinder, by the ECU's own film."""
    if c.at_share == NOWHERE or c.at_wall_times == NOWHERE:
        return fuel_g
    share = min(0.9, look_up(book, c.at_share, s.map_read, 0.0) / 100.0)
    gone = 1.0 - math.exp(-STEP_S / max(look_up(book, c.at_wall_times, s.coolant_c, 0.0), STEP_S))
    cycles = max(s.rpm, 100.0) / 120.0 * STEP_S
    evaporated = gone * s.ecu_film
    injected = 0.0
    if s.cutting == 0.0:
        injected = max(0.0, (fuel_g * cycles - evaporated) / (1.0 - share))
    s.ecu_film += share * injected - evaporated
    return injected / cycles
