"""Engine speed, time, road speed, pressures and temperatures against each other."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message
from lean_trim.core.proof.proof_evidence import Proof, judged
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    IDLE = Message(
        "proof.rpm_range", "runs from {low:.0f} to {high:.0f} rpm; engines idle at 500 to 1500"
    )
    GEARS = Message(
        "proof.rpm_gears",
        "rpm over road speed keeps to steps ({share:.0f} % of driving near a gear)",
    )
    FULL = Message(
        "proof.map_full", "{pressure:.1f} kPa at full throttle; the barometer is {baro:.1f} kPa"
    )
    RANGE = Message(
        "proof.map_range", "runs from {low:.0f} to {high:.0f} kPa; engines idle at 20 to 70"
    )
    OFF = Message(
        "proof.map_off", "{pressure:.1f} kPa with the engine off; the barometer is {baro:.1f} kPa"
    )
    CONSTANT = Message("proof.constant", "stays at {value:.4g} throughout, which no drive does")
    CRANK = Message("proof.slew", "engine speed moves by up to {rate:.0f} rpm a second")
    COLD_START = Message(
        "proof.temperatures", "intake air {air:.0f} °C beside coolant {coolant:.0f} °C"
    )


RUNNING_RPM = 300.0
"""Engine speed from which the engine turns by itself."""
LEAST_SAMPLES = 40
"""Fewest samples a proof speaks from."""
FULL_THROTTLE_PCT = 90.0
"""Throttle at which a manifold without boost holds the air outside, %."""
OFF_AGREES_KPA = 4.0
"""By so much MAP of a standing engine may miss the barometer: sensors are that good (common
practice)."""
OFF_CONTRADICTS_KPA = 15.0
"""Beyond it one of them is gauge, or in another unit."""
IDLE_KPA = (12.0, 75.0)
LOAD_KPA = 55.0
"""Pressure any drive reaches under load."""
LEAST_FULL_SHARE = 0.86
"""An intake that chokes more than this at full throttle is a blocked one (common practice)."""
WARM_C = 68.0
"""Coolant a driven engine reaches at least, °C: most thermostats open from 75 to 95."""
HOTTEST_C = 118.0
"""Coolant beyond which hardly any engine goes on running, °C."""
SLEW_RPM_PER_S = (40.0, 25_000.0)
"""What the quickest change of engine speed in a drive can be; common practice, no source."""
USUAL_SLEW_RPM_PER_S = (400.0, 15_000.0)
"""What it usually is (40 simulated cars: 2200 to 9200)."""


def prove_rpm(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Engine speed: it moves, idles where engines idle, and does not race.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : for its redline.

    Returns
    -------
    One proof.
    """
    if Role.RPM not in log:
        return []
    rpm = log[Role.RPM]
    running = rpm[np.isfinite(rpm) & (rpm > RUNNING_RPM)]
    if len(running) < LEAST_SAMPLES:
        return []
    low = float(np.percentile(running, 2))
    high = float(np.percentile(running, 99.5))
    said = Say.IDLE(low=low, high=high)
    # A limit that is logged steps between few values and never idles.
    beyond = max(low / 3500.0, high / (1.35 * vehicle.redline_rpm), 700.0 / max(high, 1.0)) - 1.0
    return [judged(Role.RPM, said, max(beyond, 0.0), 0.0, 0.15)]


def prove_constant(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Channels that no drive holds constant.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : not used.

    Returns
    -------
    A contradiction for each that stands still.
    """
    out = []
    for role in (
        Role.RPM,
        Role.MAP,
        Role.LAMBDA,
        Role.PULSE_WIDTH,
        Role.MAF_HZ,
        Role.MAF_V,
        Role.MAF_FLOW,
    ):
        if role not in log:
            continue
        known = log[role][np.isfinite(log[role])]
        if len(known) >= LEAST_SAMPLES and float(known.max()) == float(known.min()):
            out.append(Proof(role, "contradicts", Say.CONSTANT(value=float(known[0])), 1.0))
    return out


def prove_map(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Manifold pressure against the barometer, with the engine off or at full throttle.

    Returns one proof, none where neither happened or no barometer is known.
    """
    if Role.MAP not in log or Role.RPM not in log:
        return []
    pressure = log[Role.MAP]
    return [*_prove_range(log), *_prove_level(log, pressure)]


def _prove_range(log: Log) -> list[Proof]:
    """A throttled engine draws its manifold down at idle and overrun, and lets it rise under load."""
    with np.errstate(invalid="ignore"):
        running = log[Role.MAP][(log[Role.RPM] > RUNNING_RPM) & np.isfinite(log[Role.MAP])]
    if len(running) < LEAST_SAMPLES:
        return []
    low = float(np.percentile(running, 2))
    high = float(np.percentile(running, 99))
    beyond = max(
        0.0, (low - IDLE_KPA[1]) / 40.0, (IDLE_KPA[0] - low) / 10.0, (LOAD_KPA - high) / 30.0
    )
    return [judged(Role.MAP, Say.RANGE(low=low, high=high), beyond, 0.0, 1.0)]


def _prove_level(log: Log, pressure: Floats) -> list[Proof]:
    baro_values = log.get(Role.BARO)
    known = baro_values[np.isfinite(baro_values)]
    if not len(known):
        return []
    baro = float(np.median(known))
    with np.errstate(invalid="ignore"):
        off = (log[Role.RPM] < 50.0) & np.isfinite(pressure)
        full = (
            (log.get(Role.THROTTLE) > FULL_THROTTLE_PCT)
            & (log[Role.RPM] > 1000.0)
            & np.isfinite(pressure)
        )
    if off.sum() >= LEAST_SAMPLES:
        resting = float(np.median(pressure[off]))
        said = Say.OFF(pressure=resting, baro=baro)
        return [judged(Role.MAP, said, abs(resting - baro), OFF_AGREES_KPA, OFF_CONTRADICTS_KPA)]
    if full.sum() >= LEAST_SAMPLES:
        reached = float(np.percentile(pressure[full], 75))
        said = Say.FULL(pressure=reached, baro=baro)
        # Boost lifts it; nothing but a wrong column or unit holds it far below.
        short = max(0.0, 0.95 - reached / baro)
        return [judged(Role.MAP, said, short, 0.0, 0.95 - LEAST_FULL_SHARE + 0.1)]
    return []


def prove_temperatures(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Intake air cannot be far hotter than the coolant of a warm engine, nor both as cold as no weather is.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : not used.

    Returns
    -------
    A proof for each temperature where both are logged.
    """
    if Role.IAT not in log or Role.COOLANT not in log:
        return []
    air = log[Role.IAT][np.isfinite(log[Role.IAT])]
    water = log[Role.COOLANT][np.isfinite(log[Role.COOLANT])]
    if len(air) < 2 or len(water) < 2:
        return []
    middle_air = float(np.median(air))
    middle_water = float(np.median(water))
    said = Say.COLD_START(air=middle_air, coolant=middle_water)
    air_off = max(0.0, (middle_air - 65.0) / 25.0, (-25.0 - middle_air) / 20.0)
    water_off = coolant_miss(float(np.percentile(water, 98)))
    return [
        judged(Role.IAT, said, air_off, 0.0, 1.0),
        judged(Role.COOLANT, said, water_off, 0.0, 2.0),
    ]


def coolant_miss(hottest_c: float) -> float:
    """How far the hottest coolant of a drive is from where a thermostat holds it.

    Parameters
    ----------
    hottest_c : °C.

    Returns
    -------
    0 for a warm engine, 1 for one at 8 °C or 133 °C.
    """
    # A drive of minutes ends warm or on the way there.
    return max(0.0, (hottest_c - HOTTEST_C) / 15.0, (WARM_C - hottest_c) / 60.0)


def slew_rpm_per_s(time_s: Floats, rpm: Floats) -> float:
    """How fast engine speed moves at its quickest, over a few tenths of a second where rows allow.

    Parameters
    ----------
    time_s : shape (n,), s.
    rpm : shape (n,).

    Returns
    -------
    99.5th percentile of its rate, rpm/s; NaN if it cannot be read.
    """
    known = np.isfinite(rpm) & (rpm > RUNNING_RPM)
    t = time_s[known]
    r = rpm[known]
    if len(t) < LEAST_SAMPLES:
        return float("nan")
    # Over several rows, so that noise of the reading does not pass for motion.
    lag = max(1, len(t) // 4000) if len(t) > 8000 else 2
    gap = t[lag:] - t[:-lag]
    with np.errstate(invalid="ignore", divide="ignore"):
        rate = np.abs(r[lag:] - r[:-lag]) / gap
    rate = rate[np.isfinite(rate)]
    return float(np.percentile(rate, 99.5)) if len(rate) else float("nan")
