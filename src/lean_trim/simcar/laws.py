"""Laws of the simulated engine, as plain functions of numbers, so that they can be compiled as they stand.

Whoever judges a table calls them through ``Truth`` and ``TrueInjectors``; the stepper compiles
them.
"""

from __future__ import annotations

import math

UNBURNT_BELOW_C = 75.0
"""Coolant below which some fuel may stay unburnt (common practice, no source)."""
WALL_RPM = 2000.0
"""Engine speed at which a film's time constant is what it is called."""
SQUARE_ROOT = 0.5
CAM_WIDTH = 0.006
"""Share of the redline within which a cam changes over: three quarters of the step in 1/50."""
NOTCH_WIDTH = 0.04
NOTCH_KPA = 9.0
"""Half the width of a notch, as a share of the redline and in kPa: about two cells of a usual
table."""
AIR_R = 0.28705
"""Gas constant of dry air, kJ/(kg K)."""
ZERO_C_K = 273.15
COMPRESSION = 10.0
"""Ratio of every simulated engine."""
KAPPA = 1.33
"""Ratio of heats of burnt gas (handbook value for hot exhaust; from memory)."""
BACK_PRESSURE = 1.05
"""Exhaust pressure over the barometer (common practice, no source)."""


def turned(rpm: float, map_kpa: float, redline_rpm: float, turn_pct: float, turn: float) -> float:
    """What a cam that is turned makes of volumetric efficiency (invented).

    Parameters
    ----------
    rpm, map_kpa, redline_rpm : of the engine.
    turn_pct : what it gives at low speed and takes at high, percent.
    turn : how far it is turned, 0 to 1.

    Returns
    -------
    Factor, 1 at rest.
    """
    return 1.0 + turn * turn_pct / 100.0 * math.cos(3.8 * rpm / redline_rpm) * (
        0.5 + map_kpa / 200.0
    )


def wanted_turn(rpm: float, map_kpa: float) -> float:
    """How far the ECU turns the cam, 0 to 1 (invented): at speed and load, at rest while idling."""
    by_speed = min(max((rpm - 1500.0) / 2000.0, 0.0), 1.0)
    return by_speed * min(max((map_kpa - 35.0) / 40.0, 0.0), 1.0)


def ve_pct(
    rpm: float,
    map_kpa: float,
    redline_rpm: float,
    peak_pct: float,
    best_x: float,
    fall: float,
    low_end: float,
    floor: float,
    rise: float,
    tuned: float,
    tuned_x: float,
    tuned_width: float,
    ripple_pct: float,
    ripple_rpm: float,
    cam_pct: float,
    cam_x: float,
    notch_pct: float,
    notch_x: float,
    notch_kpa: float,
) -> float:
    """Volumetric efficiency, percent; see ``Breathing`` for what the constants are.

    A broad hump over rpm, rising with load, with intake-resonance ripple; if there are, a step where
    a cam changes over and a narrow notch.

    The ripple is finer than a table's steps, so no table can hold this surface exactly.
    """
    x = rpm / redline_rpm
    load = map_kpa / 100.0
    hump = 1.0 - fall * (x - best_x) ** 2 - low_end * math.exp(-((x / 0.12) ** 2))
    filling = floor + rise * (1.0 - math.exp(-2.4 * load)) + 0.035 * max(load - 1.0, 0.0)
    peak = tuned * math.exp(-(((x - tuned_x) / tuned_width) ** 2)) * min(load, 1.2)
    ripple = ripple_pct / 100.0 * math.sin(2 * math.pi * (rpm / ripple_rpm + 0.25 * load))
    found = peak_pct * hump * filling * (1.0 + peak + ripple * min(load, 1.0))
    if cam_pct != 0.0:
        found *= 1.0 + cam_pct / 100.0 / (1.0 + math.exp(-(x - cam_x) / CAM_WIDTH))
    if notch_pct != 0.0:
        off = ((x - notch_x) / NOTCH_WIDTH) ** 2 + ((map_kpa - notch_kpa) / NOTCH_KPA) ** 2
        found *= 1.0 + notch_pct / 100.0 * math.exp(-off)
    return found


def thinner_outside(map_kpa: float, baro_kpa: float, usual_kpa: float) -> float:
    """Charge at a barometer over that at the usual one, at the same manifold pressure.

    Burnt gas left in the cylinder expands against the exhaust; the less stands before that, the
    more room for charge (Heywood, *Internal Combustion Engine Fundamentals*, 1988, ch. 6; from
    memory).
    """
    now: float = (BACK_PRESSURE * baro_kpa / map_kpa) ** (1.0 / KAPPA)
    then: float = (BACK_PRESSURE * usual_kpa / map_kpa) ** (1.0 / KAPPA)
    return (COMPRESSION - now) / (COMPRESSION - then)


def charge_c(
    intake_c: float, coolant_c: float, flow_g_per_s: float, heating: float, fades_g_per_s: float
) -> float:
    """Temperature of the air that enters the cylinders; what warms it fades with the flow."""
    if heating == 0.0:
        return intake_c
    return intake_c + heating * math.exp(-flow_g_per_s / fades_g_per_s) * (coolant_c - intake_c)


def burnt(coolant_c: float, unburnt_per_k: float) -> float:
    """Share of the fuel that burns in an engine of this temperature."""
    return 1.0 - unburnt_per_k * max(0.0, UNBURNT_BELOW_C - coolant_c)


def wall_share(coolant_c: float, map_kpa: float, x: float, by_load: float) -> float:
    """Share of fuel that joins the wall film; larger when cold and under load."""
    cold = max(0.0, (85.0 - coolant_c) / 60.0)
    return min(0.6, x * (1 + 0.7 * cold) * (0.8 + by_load * map_kpa / 100.0))


def wall_time(coolant_c: float, rpm: float, tau_s: float, by_rpm: float) -> float:
    """Time constant of the wall film, s; longer when cold, shorter at speed."""
    cold = max(0.0, (85.0 - coolant_c) / 60.0)
    tau = tau_s * (1 + cold)
    if by_rpm != 0.0:
        tau *= max(0.3, 1.0 - by_rpm * (rpm - WALL_RPM) / 1000.0)
    return tau


def drifted(time_s: float, drift_pct: float, over_s: float) -> float:
    """Fuel delivered beyond what should be, as a share: less before the middle of the drift, more after."""
    return drift_pct / 100.0 * (min(1.0, time_s / over_s) - 0.5)


def maf_hz(flow_g_per_s: float, low_hz: float, low_g_per_s: float, exponent: float) -> float:
    """Frequency of the mass-airflow sensor."""
    return low_hz * math.pow(max(flow_g_per_s, 0.01) / low_g_per_s, 1.0 / exponent)


def open_ms(width_ms: float, dead_ms: float, small_ms: float, small_open_ms: float) -> float:
    """Time fuel flows at full lift's worth, of a pulse of ``width_ms``."""
    opened = max(0.0, width_ms - dead_ms)
    if small_ms != 0.0:
        opened -= small_ms * 2.0 ** (-opened / small_open_ms)
    return max(0.0, opened)


def injector_flow(dp_kpa: float, rated_g_per_s: float, rated_kpa: float, exponent: float) -> float:
    """Flow of one open injector, g/s."""
    ratio = max(dp_kpa, 0.0) / rated_kpa
    law = math.sqrt(ratio) if exponent == SQUARE_ROOT else math.pow(ratio, exponent)
    return rated_g_per_s * law
