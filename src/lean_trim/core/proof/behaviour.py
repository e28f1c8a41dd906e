"""Does a channel behave as what it is taken for: sensors lag and have ends, engines idle, cars have mass.

Comparisons of levels confirm a channel that holds its neighbour; how it moves does not.
"""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import target_by_table
from lean_trim.core.messages import Message, Said
from lean_trim.core.proof.mixture import lambda_in_cut
from lean_trim.core.proof.proof_evidence import Proof
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    IDLES_SLOW = Message(
        "proof.idles_slow",
        "turns steadily at {rpm:.0f} rpm for {seconds:.0f} s; engines idle at 500 to 1500: is it "
        "half of the engine speed?",
    )
    PER_SPEED = Message(
        "proof.per_speed",
        "{ratio:.0f} rpm for each km/h in the highest gear driven; cars have 15 to 130",
    )
    COPY = Message(
        "proof.copy",
        "follows its target to {pct:.2f} % all along, which no sensor does: is it the wanted "
        "lambda?",
    )
    SAME = Message("proof.same", "holds the very numbers of the measured one")
    RICH_IN_CUTS = Message(
        "proof.rich_in_cuts",
        "reads {value:.2f} while no fuel is injected; a sensor reads lean there",
    )
    LEAN_WANTED = Message(
        "proof.lean_wanted",
        "{value:.2f} at full throttle; no engine is meant to run so lean there: is it the inverse?",
    )
    TRIMS = Message(
        "proof.trims_swapped",
        "moves {times:.0f} × as much as the short-term one at held states; are the two swapped?",
    )
    IN_NO_GEAR = Message(
        "proof.in_no_gear",
        "only {share:.0f} % of driving is in a ratio to engine speed that is held; is it another "
        "speed?",
    )
    TRIM_RESTS = Message(
        "proof.trim_rests",
        "is 0 where feedback does not work, and the short-term one is not; are the two swapped?",
    )
    AIR_OVER_WATER = Message(
        "proof.air_over_water",
        "intake air of {air:.0f} °C beside coolant of {water:.0f} °C; are the two swapped?",
    )
    HOT_AIR = Message(
        "proof.hot_air", "{air:.0f} °C in the middle of the drive; {other:.0f} °C if it is °F"
    )
    ABSOLUTE = Message(
        "proof.absolute",
        "{pressure:.0f} kPa is the rated pressure and the air outside: absolute, and not across "
        "the "
        "injector?",
    )
    TOO_QUICK = Message(
        "proof.clock_quick",
        "Time seems to run too slowly: road speed would change by {rate:.0f} km/h in a second",
    )
    TOO_SLOW = Message(
        "proof.clock_slow",
        "Time seems to run too quickly: road speed never changes by more than {rate:.1f} km/h in a "
        "second",
    )


RUNNING_RPM = 300.0
"""Engine speed from which the engine turns by itself."""
SLOWEST_IDLE_RPM = 480.0
STEADY_RPM = 40.0
STEADY_S = 5.0
"""An engine that stays within so much below that for so long idles there (common practice: 500 and more)."""
LEAST_SAMPLES = 60
"""Fewest samples a proof speaks from."""
PER_KMH = (13.0, 140.0)
"""Engine speed for each km/h in the highest gear of a drive, with room (common practice, no source)."""
DRIVING_KMH = 20.0
HIGHEST_GEAR = 3.0
"""Percentile of rpm over road speed that is the highest gear's."""
COPY = 0.0015
"""Middle distance of a measured lambda from its target that no sensor keeps, as a share."""
COPY_MOST = 0.006
"""And its 95th percentile: quick changes leave any sensor behind."""
TARGET_MOVES = 0.03
"""Spread of the target from which following it says something."""
LEAN_CUT = 1.03
"""Lambda every sensor passes in a fuel cut; narrow ones end from 1.06 on (common practice)."""
FULL_PCT = 80.0
LEAN_FULL = 1.08
"""No engine is meant to run leaner at full throttle (common practice)."""
LIVELIER = 2.0
"""Times the short-term trim's motion from which a long-term trim is none, beside a narrowband loop (its
own moves 3 to 30 times as much as what is learnt: simulated cars)."""
LEAST_MOTION_PCT = 0.15
MOST_MOTION_PCT = 3.0
"""Motion of a trim within a second that is one, and the most that counts."""
STEADY_LOAD = 3.0
"""Manifold pressure, kPa, or throttle, %, that moves by less is held."""
ZERO_PCT = 0.05
MOSTLY = 0.95
"""A trim so small, and the share of samples in which it is, from which it is taken back to 0."""
RICH_TARGET = 0.93
"""Wanted lambda below which feedback to 1 does not work."""
WARMER_K = 10.0
"""Intake air so much above the coolant, in the middle of a drive, is none."""
HOT_C = 60.0
WEATHER_C = (-15.0, 45.0)
"""Intake air beyond the first is rare, within the second usual (common practice)."""
NEAR_KPA = 12.0
FAR_KPA = 50.0
"""Differential pressure nearer than the first to rated and barometer, further than the second from
rated."""
QUICKEST_KMH_PER_S = 40.0
SLOWEST_KMH_PER_S = 2.0
"""Change of road speed hardly any tyre allows (1.1 g), and one the brakes of every drive pass."""
GEARS = 6
GEAR_WIDTH = 0.03
LEAST_GEARED = 0.3
"""Any speed beside any engine speed has so much by chance."""
GEARED = 0.5
"""So many ratios, each so wide as a logarithm, hold so much of a drive with gears (simulated drives:
over 0.95)."""
RANGE_KMH = 30.0
"""Road speed has to cover so much before its slowness says anything."""


def _against(role: Role, said: Said) -> Proof:
    return Proof(role, "contradicts", said, 1.0)


def prove_idle(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Engine speed: nothing turns by itself as slowly as half an idle.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : not used.

    Returns
    -------
    A contradiction, or nothing: many drives never idle.
    """
    if Role.RPM not in log:
        return []
    rpm = log[Role.RPM]
    with np.errstate(invalid="ignore"):
        slow = (rpm > RUNNING_RPM) & (rpm < SLOWEST_IDLE_RPM)
    seconds = float(log.durations_s[slow].sum())
    if slow.sum() < LEAST_SAMPLES // 2 or seconds < STEADY_S:
        return []
    middle = float(np.median(rpm[slow]))
    # Running up and dying away pass through; idle stays.
    steady = slow & (np.abs(rpm - middle) < STEADY_RPM)
    seconds = float(log.durations_s[steady].sum())
    if seconds < STEADY_S:
        return []
    return [_against(Role.RPM, Say.IDLES_SLOW(rpm=middle, seconds=seconds))]


def prove_speed(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Road speed against engine speed: gears of cars are alike.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : not used.

    Returns
    -------
    One proof, none where the car hardly moved.
    """
    ratio = highest_gear(log)
    if not np.isfinite(ratio):
        return []
    low, high = PER_KMH
    said = Say.PER_SPEED(ratio=ratio)
    if not low <= ratio <= high:
        return [_against(Role.SPEED, said)]
    geared = _in_gear(log)
    if geared < LEAST_GEARED:
        return [_against(Role.SPEED, Say.IN_NO_GEAR(share=100.0 * geared))]
    return [Proof(Role.SPEED, "agrees", said, 0.0)]


def highest_gear(log: Log) -> float:
    """Engine speed for each km/h in the highest gear of a drive.

    Parameters
    ----------
    log : as its columns are taken.

    Returns
    -------
    rpm per km/h; NaN where road or engine speed is missing, or the car hardly moved.
    """
    if Role.SPEED not in log or Role.RPM not in log:
        return float("nan")
    speed = log[Role.SPEED]
    top = np.nanmax(speed, initial=0.0)
    with np.errstate(invalid="ignore", divide="ignore"):
        # By its own top where that is no road speed at all: a tenth of one never reaches 20.
        driving = (speed > min(DRIVING_KMH, 0.3 * top)) & (log[Role.RPM] > 2.0 * RUNNING_RPM)
        ratio = (log[Role.RPM] / speed)[driving]
    ratio = ratio[np.isfinite(ratio)]
    return float(np.percentile(ratio, HIGHEST_GEAR)) if len(ratio) >= LEAST_SAMPLES else np.nan


def prove_measured(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Measured and wanted lambda, each by what the other never does.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : with its target table.

    Returns
    -------
    Contradictions; nothing where both behave as they are named.
    """
    out = []
    if Role.LAMBDA in log:
        value = lambda_in_cut(log)
        if value < LEAN_CUT:
            out.append(_against(Role.LAMBDA, Say.RICH_IN_CUTS(value=value)))
        elif (copy := _copy_pct(log, vehicle)) is not None:
            out.append(_against(Role.LAMBDA, Say.COPY(pct=copy)))
    # Where the measured one is none, it is no news that the wanted one holds the same.
    if Role.TARGET in log and not out:
        out += _wanted(log)
    return out


def _copy_pct(log: Log, vehicle: Vehicle) -> float | None:
    """How closely measured lambda keeps to a target that moves, percent; None where it is left behind."""
    wanted = log[Role.TARGET] if Role.TARGET in log else target_by_table(log, vehicle)
    if wanted is None:
        return None
    with np.errstate(invalid="ignore", divide="ignore"):
        off = np.abs(np.log(log[Role.LAMBDA] / wanted))
        known = np.isfinite(off) & (log.get(Role.RPM) > RUNNING_RPM)
    if known.sum() < LEAST_SAMPLES or float(np.std(wanted[known])) < TARGET_MOVES:
        return None
    middle = float(np.median(off[known]))
    most = float(np.percentile(off[known], 95.0))
    return 100.0 * middle if middle < COPY and most < COPY_MOST else None


def _wanted(log: Log) -> list[Proof]:
    wanted = log[Role.TARGET]
    if Role.LAMBDA in log:
        both = np.isfinite(wanted) & np.isfinite(log[Role.LAMBDA])
        moves = both.sum() >= LEAST_SAMPLES and float(np.std(wanted[both])) > TARGET_MOVES
        # Equal nearly everywhere, and not only where a loop holds it there.
        if moves and float(np.mean(np.abs(wanted - log[Role.LAMBDA])[both] < 1e-4)) > 0.9:
            return [_against(Role.TARGET, Say.SAME())]
    with np.errstate(invalid="ignore"):
        full = (log.get(Role.THROTTLE) > FULL_PCT) & (log.get(Role.RPM) > 4.0 * RUNNING_RPM)
    there = wanted[full & np.isfinite(wanted)]
    if len(there) < LEAST_SAMPLES // 3 or float(np.median(there)) < LEAN_FULL:
        return []
    return [_against(Role.TARGET, Say.LEAN_WANTED(value=float(np.median(there))))]


def prove_trims(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Short- and long-term trim, each by what the other never does.

    Feedback takes the short-term trim back to 0 where it does not work, and keeps what was learnt;
    at a state that is held a long-term trim rests.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : tells what feedback there is.

    Returns
    -------
    A contradiction, or nothing.
    """
    if Role.STFT not in log or Role.LTFT not in log:
        return []
    with np.errstate(invalid="ignore"):
        rich = log.get(Role.TARGET) < RICH_TARGET
        open_loop = (log[Role.CLOSED_LOOP] < 0.5) if Role.CLOSED_LOOP in log else rich
        running = log.get(Role.RPM) > 4.0 * RUNNING_RPM
    where = open_loop & running
    # On its way back it is not zero either.
    if _rests(log, Role.LTFT, where, running) and _zero_share(log, Role.STFT, where) < 0.5:
        return [_against(Role.LTFT, Say.TRIM_RESTS())]
    held_state = _steady(log)
    quick = _motion(log, Role.STFT, held_state)
    slow = _motion(log, Role.LTFT, held_state)
    # A wideband loop comes to rest where a narrowband one swings.
    if vehicle.feedback == "narrowband" and slow > max(LEAST_MOTION_PCT, LIVELIER * quick):
        return [_against(Role.LTFT, Say.TRIMS(times=slow / max(quick, slow / 99.0)))]
    return []


def _rests(log: Log, role: Role, where: Mask, running: Mask) -> bool:
    """Whether a trim is 0 there, and seldom elsewhere."""
    return _is_zero(log, role, where) and not _is_zero(log, role, running & ~where)


def _is_zero(log: Log, role: Role, where: Mask) -> bool:
    return _zero_share(log, role, where) > MOSTLY


def _zero_share(log: Log, role: Role, where: Mask) -> float:
    """Share of samples in which a trim is taken back to 0; NaN for too few."""
    values = log[role][where]
    values = values[np.isfinite(values)]
    return float(np.mean(np.abs(values) < ZERO_PCT)) if len(values) >= LEAST_SAMPLES else np.nan


def _steady(log: Log) -> Mask:
    """Samples about which engine speed and load hardly move for three seconds."""
    from scipy.ndimage import maximum_filter1d, minimum_filter1d

    still = np.ones(len(log), bool)
    load = Role.MAP if Role.MAP in log else Role.THROTTLE
    rows = 2 * max(1, round(1.5 / max(log.step_s, 1e-3))) + 1
    for role, most in ((Role.RPM, 2.0 * STEADY_RPM), (load, STEADY_LOAD)):
        if role in log:
            values = np.nan_to_num(log[role])
            still &= maximum_filter1d(values, rows) - minimum_filter1d(values, rows) < most
    return still


def _motion(log: Log, role: Role, where: Mask) -> float:
    """Root mean square of what a channel moves within a second, percent; NaN for too little of it."""
    rows = max(1, round(1.0 / max(log.step_s, 1e-3)))
    if len(log) <= 2 * rows:
        return float("nan")
    moved = log[role][rows:] - log[role][:-rows]
    moved = moved[where[rows:] & where[:-rows] & np.isfinite(moved)]
    if len(moved) < LEAST_SAMPLES:
        return float("nan")
    # A trim that is cleared jumps once.
    return float(np.sqrt(np.mean(np.clip(moved, -MOST_MOTION_PCT, MOST_MOTION_PCT) ** 2)))


def prove_air(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Intake air is never warmer than the coolant for a whole drive, and seldom hotter than weather.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : tells whether the table rests on it.

    Returns
    -------
    A contradiction, or nothing.
    """
    air = _middle(log, Role.IAT)
    water = _middle(log, Role.COOLANT)
    if air > water + WARMER_K:
        said = Say.AIR_OVER_WATER(air=air, water=water)
        return [_against(Role.IAT, said), _against(Role.COOLANT, said)]
    other = (air - 32.0) / 1.8
    low, high = WEATHER_C
    # An air mass meter weighs the air: there a wrong temperature changes no table.
    if vehicle.is_speed_density and air > HOT_C and low <= other <= high:
        return [_against(Role.IAT, Say.HOT_AIR(air=air, other=other))]
    return []


def prove_differential(log: Log, vehicle: Vehicle) -> list[Proof]:
    """Differential fuel pressure that is the rated one and the air outside is not differential.

    Parameters
    ----------
    log : as its columns are taken.
    vehicle : with the rated pressure.

    Returns
    -------
    A contradiction, or nothing.
    """
    pressure = _middle(log, Role.FUEL_DP)
    baro = _middle(log, Role.BARO)
    outside = baro if np.isfinite(baro) else 100.0
    rated = vehicle.injectors.rated_pressure_kpa
    if abs(pressure - rated - outside) < NEAR_KPA and abs(pressure - rated) > FAR_KPA:
        return [_against(Role.FUEL_DP, Say.ABSOLUTE(pressure=pressure))]
    return []


def clock_doubt(log: Log) -> str:
    """What speaks against the time of the rows, "" if nothing does.

    Parameters
    ----------
    log : as its columns are taken, with a road speed that fits its engine speed.

    Returns
    -------
    A sentence.
    """
    ratio = highest_gear(log)
    low, high = PER_KMH
    # A speed that is none of this car's says nothing of its clock.
    if not low <= ratio <= high or _in_gear(log) < GEARED:
        return ""
    rate = _quickest(log.time_s, log[Role.SPEED])
    covered = float(np.ptp(log[Role.SPEED][np.isfinite(log[Role.SPEED])]))
    if rate > QUICKEST_KMH_PER_S:
        return str(Say.TOO_QUICK(rate=rate))
    if rate < SLOWEST_KMH_PER_S and covered > RANGE_KMH:
        return str(Say.TOO_SLOW(rate=rate))
    return ""


def _in_gear(log: Log) -> float:
    """Share of driving that lies in the few ratios of engine to road speed that are driven most."""
    with np.errstate(invalid="ignore", divide="ignore"):
        ratio = np.log(log[Role.RPM] / log[Role.SPEED])[log[Role.SPEED] > DRIVING_KMH]
    ratio = ratio[np.isfinite(ratio)]
    if len(ratio) < LEAST_SAMPLES:
        return 0.0
    counts = np.bincount(((ratio - ratio.min()) / GEAR_WIDTH).astype(int))
    return float(np.sort(counts)[-GEARS:].sum() / len(ratio))


def _quickest(time_s: Floats, speed: Floats) -> float:
    """Nearly the quickest change of road speed over about a second, km/h a second."""
    known: Mask = np.isfinite(speed)
    t = time_s[known]
    v = speed[known]
    if len(t) < LEAST_SAMPLES:
        return float("nan")
    # Over at least a second and one row: a clock that is wrong makes a second any number of rows.
    rows = np.maximum(np.searchsorted(t, t + 1.0), np.arange(len(t)) + 1)
    inside = rows < len(t)
    start = np.flatnonzero(inside)
    gap = t[rows[inside]] - t[start]
    rate = np.abs(v[rows[inside]] - v[start])[gap > 0.0] / gap[gap > 0.0]
    return float(np.percentile(rate, 99.0)) if len(rate) else float("nan")


def _middle(log: Log, role: Role) -> float:
    values = log.get(role)
    known = values[np.isfinite(values)]
    return float(np.median(known)) if len(known) >= LEAST_SAMPLES // 3 else float("nan")
