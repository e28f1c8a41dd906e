"""Readings that values alone cannot settle, settled by the engine's physics or turned into a question."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.messages import Message
from lean_trim.core.proof.behaviour import clock_doubt
from lean_trim.core.proof.fuel import LEAST_SAMPLES, fuel_of, slopes
from lean_trim.core.proof.mixture import LEAST_CUT, lambda_in_cut, prove_lambda, prove_target
from lean_trim.core.proof.motion import (
    SLEW_RPM_PER_S,
    USUAL_SLEW_RPM_PER_S,
    coolant_miss,
    prove_map,
    prove_temperatures,
    slew_rpm_per_s,
)
from lean_trim.core.proof.proof_evidence import Proof
from lean_trim.core.proof.proofs import prove
from lean_trim.core.types import Floats, Mask
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.meaning.match import Match
from lean_trim.formats.meaning.pressure import is_vacuum
from lean_trim.formats.meaning.swapped import MOST_ODDS, clock_odds, odds_of, with_odds_of_swaps
from lean_trim.formats.meaning.timebase import TimeUnit
from lean_trim.formats.meaning.two_scales import with_scale_doubt
from lean_trim.formats.meaning.unit_check import FUEL_SCALE, PETROL_SCALE
from lean_trim.formats.meaning.units import seconds_per, show_unit


class Say:
    """Sentences of this module."""

    EITHER = Message(
        "settling.either",
        "{label} could be in {units}; neither its values nor the engine's physics tells which",
    )
    BORNE_OUT = Message("settling.borne_out", "{unit} and not {others}: {why}{odds}")
    ODDS = Message("settling.odds", " (odds {odds} to 1)")
    LIKE_TARGET = Message("settling.like_target", "on the scale of the logged target")
    LIKE_OTHER = Message("settling.like_other", "in {unit} like the other temperature")
    LIKE_OTHER_TRIM = Message(
        "settling.like_other_trim",
        "in {unit} like the other trim, for which the file says the same",
    )
    BY_CUT = Message(
        "settling.by_cut", "only so it reads lean, {value:.2f}, where no fuel is injected"
    )
    BY_SIZE = Message("settling.by_size", "only so it lies about its target")
    BY_WARMTH = Message(
        "settling.by_warmth", "only in {unit} does the engine become as warm as engines do"
    )
    BY_FUEL = Message(
        "settling.by_fuel", "only so the pulse width is {ratio:.2f} × what the table asks"
    )
    BY_SLOPE = Message("settling.by_slope", "only so fuel follows it with a slope of {slope:.2f}")
    BY_RATED = Message("settling.by_rated", "only so it lies near the rated pressure")
    CONTRADICTED = Message("settling.contradicted", "{label} does not fit this vehicle: {said}")
    TIME_EITHER = Message(
        "settling.time_either", "Time could be in {units}; engine speed does not tell which"
    )


ORDER = (
    Role.RPM,
    Role.COOLANT,
    Role.IAT,
    Role.BARO,
    Role.MAP,
    Role.PULSE_WIDTH,
    Role.FUEL_DP,
    Role.TARGET,
    Role.LAMBDA,
    Role.STFT,
    Role.LTFT,
)
"""Roles are settled in this order: what later ones are compared with comes first."""
TRIMS = (Role.STFT, Role.LTFT)
COLD_MISS = 0.8
COLD_APART = 0.3
"""How far from warm coolant may end, and how much further in another unit; see ``coolant_miss``."""
PHI_WORD = re.compile("phi|φ|equiv|eq[ ._]?r|richesse|riqueza|当量|當量")
"""Words for fuel per air, or for either."""
CLEARLY = 3.0
"""A reading is taken if every other misses by so many times more."""
NEAR = 0.06
"""What the best reading may miss by, as a share."""
SLOPE_NEAR = 0.45
MOST_SLOPE_ERROR = 0.35
"""Of the slope itself: enough to tell one from a hundred or a half."""
OVERALL = 0.15
"""λ over target may lie off by this on average in a log without feedback."""
FAR = 0.3
HARMLESS = frozenset((Role.KNOCK, Role.DUTY, Role.THROTTLE, Role.BATTERY, Role.BARO))
"""Roles for which the likelier reading is taken with a note: a wrong one changes no fuel."""


class Told(NamedTuple):
    """The reading that is borne out, why, and its odds against the next best; "" where none is.

    ``odds`` are those of two Gaussian misfits whose standard deviation is what the best may miss by;
    NaN where it was told by something that has no size.
    """

    unit: str
    why: str
    odds: float = float("nan")
    runner_up: str = ""


NOTHING = Told("", "")


@dataclass(frozen=True, eq=False)
class Reading:
    """A channel as first read, and as it could be read otherwise.

    Attributes
    ----------
    match : role, columns, unit, notes and doubt.
    values : in our unit, shape (n,).
    fresh : rows with a new reading, None for all.
    rivals : values by unit, read otherwise.
    banks : values of banks 1 and 2 that ``values`` are the mean of; empty for one.
    """

    match: Match
    values: Floats
    fresh: Mask | None
    rivals: Mapping[str, Floats]
    banks: tuple[Floats, ...] = ()


@dataclass(frozen=True)
class Settled:
    """What became of the time: its unit, a doubt, notes, the next best scale and the odds against it."""

    unit: str = ""
    doubt: str = ""
    notes: tuple[str, ...] = field(default=())
    runner_up: str = ""
    odds: float = float("nan")


def settled(
    log: Log,
    readings: Mapping[Role, Reading],
    unit: TimeUnit | None,
    vehicle: Vehicle | None,
    choices: Choices,
) -> tuple[Log, list[Match], Settled]:
    """Choose between readings, and prove what was chosen.

    Parameters
    ----------
    log : as first read.
    readings : of its channels.
    unit : the time was read in, None where the file tells it.
    vehicle : whose log it is; without it the first readings stand.
    choices : the user's word.

    Returns
    -------
    The log with the readings that are borne out, its matches with proofs and doubts, and the time's
    unit.
    """
    log, readings = _vacuum_as_gauge(log, readings)
    log, time = _settle_time(log, unit, choices)
    matches = {role: reading.match for role, reading in readings.items()}
    if vehicle is None:
        return log, [replace(m, doubt=m.doubt or m.weak) for m in matches.values()], time
    for role in (*ORDER, *(r for r in readings if r not in ORDER)):
        reading = readings.get(role)
        if reading is not None and reading.rivals and not reading.match.doubt:
            log, matches[role] = _choose(log, reading, matches, vehicle)
    proofs: dict[Role, list[Proof]] = {}
    for proof in prove(_absolute_enough(log), vehicle):
        proofs.setdefault(proof.role, []).append(proof)
    _followed(proofs, matches)
    if not time.doubt and not choices.time_unit:
        time = replace(time, doubt=clock_doubt(log))
    found = [_proved(m, tuple(proofs.get(m.role, ())), choices) for m in matches.values()]
    scale, odds = clock_odds(log)
    time = replace(time, runner_up=scale, odds=odds)
    found = with_scale_doubt(log, found, vehicle, choices)
    return log, with_odds_of_swaps(_absolute_enough(log), found, vehicle), time


def _followed(proofs: dict[Role, list[Proof]], matches: Mapping[Role, Match]) -> None:
    """A target without a table to compare it with is borne out by the λ that follows it."""
    target = matches.get(Role.TARGET)
    told = proofs.get(Role.LAMBDA, [])
    if target is None or Role.TARGET in proofs or matches.get(Role.LAMBDA) is None:
        return
    # Where both could be read otherwise, that they agree with each other says nothing of either.
    settled_alone = target.only and matches[Role.LAMBDA].only and not matches[Role.LAMBDA].weak
    if settled_alone and told and all(p.verdict == "agrees" for p in told):
        proofs[Role.TARGET] = [replace(p, role=Role.TARGET) for p in told]


def _vacuum_as_gauge(
    log: Log, readings: Mapping[Role, Reading]
) -> tuple[Log, Mapping[Role, Reading]]:
    """Vacuum with its sign turned, so that it is compared as the gauge pressure it is."""
    reading = readings.get(Role.MAP)
    if (
        reading is None
        or not is_vacuum(reading.match, log[Role.MAP])
        or _rises_with_load(log[Role.MAP], log)
    ):
        return log, readings
    rivals = {unit: -values for unit, values in reading.rivals.items()}
    turned = replace(reading, values=-reading.values, rivals=rivals)
    return (
        replace(log, channels={**log.channels, Role.MAP: -log[Role.MAP]}),
        {**readings, Role.MAP: turned},
    )


def _rises_with_load(pressure: Floats, log: Log) -> bool:
    """Whether more of it goes with more throttle or fuel: vacuum would fall, whatever its name says."""
    for role in (Role.THROTTLE, Role.PULSE_WIDTH):
        known = np.isfinite(pressure) & np.isfinite(log.get(role))
        if known.sum() < LEAST_SAMPLES or np.ptp(log.get(role)[known]) == 0.0:
            continue
        if np.ptp(pressure[known]) > 0.0:
            return bool(np.corrcoef(pressure[known], log.get(role)[known])[0, 1] > 0.0)
    return False


def _absolute_enough(log: Log) -> Log:
    """The log with gauge pressure lifted by a barometer, so that fuel can be compared already."""
    pressure = log.get(Role.MAP)
    known = pressure[np.isfinite(pressure)]
    if not len(known) or float(np.percentile(known, 1)) > 5.0:
        return log
    baro = log.get(Role.BARO)
    known_baro = baro[np.isfinite(baro)]
    level = float(np.median(known_baro)) if len(known_baro) else 101.3
    return replace(log, channels={**log.channels, Role.MAP: pressure + level})


def _settle_time(log: Log, unit: TimeUnit | None, choices: Choices) -> tuple[Log, Settled]:
    if unit is None:
        return log, Settled()
    if choices.time_unit or Role.RPM not in log:
        return log, Settled(unit.unit, "" if choices.time_unit else unit.doubt)
    if unit.doubt or not unit.rivals:
        return log, Settled(unit.unit, unit.doubt)
    low, high = SLEW_RPM_PER_S
    first = seconds_per(unit.unit) or 1.0
    slews = {}
    for name in (unit.unit, *unit.rivals):
        scale = (seconds_per(name) or 1.0) / first
        slews[name] = slew_rpm_per_s(log.time_s * scale, log[Role.RPM])
    able = [name for name, rate in slews.items() if not np.isfinite(rate) or low <= rate <= high]
    if len(able) > 1:
        # Hardly any drive is as gentle, or as wild, as the others would be.
        least, most = USUAL_SLEW_RPM_PER_S
        usual = [name for name in able if least <= slews[name] <= most]
        able = usual if len(usual) == 1 else able
    if not able or able == [unit.unit]:
        return log, Settled(unit.unit)
    if len(able) == 1:
        scale = (seconds_per(able[0]) or 1.0) / first
        moved = replace(
            log, time_s=log.time_s * scale, joints_s=tuple(j * scale for j in log.joints_s)
        )
        return moved, Settled(able[0])
    return log, Settled(unit.unit, str(Say.TIME_EITHER(units=" or ".join(able))))


def _choose(
    log: Log, reading: Reading, matches: Mapping[Role, Match], vehicle: Vehicle
) -> tuple[Log, Match]:
    match = reading.match
    role = match.role
    options = {match.unit: reading.values, **reading.rivals}
    logs = {
        unit: replace(log, channels={**log.channels, role: values})
        for unit, values in options.items()
    }
    told = _borne_out(role, logs, matches, vehicle)
    unit = told.unit
    if not unit:
        shown = " or ".join(_shown(u, vehicle) for u in options)
        # Loggers that show the inverse of λ say so in the name.
        usual = set(options) == {"λ", "φ"} and not PHI_WORD.search(match.columns[0].name.lower())
        if role in HARMLESS or usual:
            return log, match
        doubt = str(Say.EITHER(label=LABELS[role][0], units=shown))
        return log, replace(
            match, doubt=doubt, confidence=min(match.confidence, 0.4), choices=tuple(options)
        )
    others = " or ".join(show_unit(u) for u in options if u != unit)
    odds = "" if np.isnan(told.odds) else str(Say.ODDS(odds=_shown_odds(told.odds)))
    note = str(Say.BORNE_OUT(unit=show_unit(unit), others=others, why=told.why, odds=odds))
    chosen = replace(
        match,
        unit=unit,
        note=_joined(match.note, note),
        by_physics=True,
        runner_up=told.runner_up,
        odds=told.odds,
    )
    return logs[unit], chosen


def _shown_odds(odds: float) -> str:
    return f"over {MOST_ODDS:.0f}" if odds >= MOST_ODDS else f"{odds:.0f}"


def _shown(unit: str, vehicle: Vehicle) -> str:
    if unit == FUEL_SCALE:
        return f"AFR of this fuel ({vehicle.stoich_afr:g})"
    return "AFR of petrol (14.7)" if unit == PETROL_SCALE else show_unit(unit)


def _borne_out(
    role: Role, logs: Mapping[str, Log], matches: Mapping[Role, Match], vehicle: Vehicle
) -> Told:
    """The one reading that the engine's physics bears out; nothing if it cannot tell."""
    if role is Role.TARGET:
        return (
            _by_proof({u: prove_target(x, vehicle) for u, x in logs.items()})
            or _by_held(logs, vehicle)
            or NOTHING
        )
    if role is Role.LAMBDA:
        found = _by_proof({u: prove_lambda(x, vehicle) for u, x in logs.items()})
        target = matches.get(Role.TARGET)
        if found is None and target is not None and target.unit in logs and target.by_physics:
            return Told(target.unit, str(Say.LIKE_TARGET()))
        return found or _by_size(logs, vehicle) or _by_cut(logs) or NOTHING
    if role in TRIMS:
        told = _by_slope(role, logs, vehicle)
        return told if told.unit else _by_other_trim(role, logs, matches)
    if role in (Role.IAT, Role.COOLANT):
        return _by_temperature(role, logs, matches, vehicle)
    if role is Role.FUEL_DP:
        rated = vehicle.injectors.rated_pressure_kpa
        misses = {u: abs(np.log(max(_middle(x[role]), 1e-6) / rated)) for u, x in logs.items()}
        return _clear(misses, FAR, str(Say.BY_RATED()))
    fuels = {u: _fuel_miss(x, vehicle) for u, x in logs.items()}
    told = _clear(fuels, NEAR * 4, "")
    if told.unit:
        return told._replace(why=str(Say.BY_FUEL(ratio=_fuel_ratio(logs[told.unit], vehicle))))
    if role is Role.MAP:
        return _by_proof({u: prove_map(x, vehicle) for u, x in logs.items()}) or NOTHING
    return NOTHING


def _by_proof(proofs: Mapping[str, list[Proof]]) -> Told | None:
    agreeing = [u for u, found in proofs.items() if _agree(found)]
    if len(agreeing) == 1 and all(found for found in proofs.values()):
        # What tells this reading from the others is what the others fail at.
        told = max(range(len(proofs[agreeing[0]])), key=lambda i: _worst(proofs, agreeing[0], i))
        why = str(proofs[agreeing[0]][told].said)
        return Told(agreeing[0], why, *_against(_in_measures(proofs), agreeing[0], 1.0))
    clear = _clear(_misses(proofs), NEAR, "")
    return clear._replace(why=str(proofs[clear.unit][0].said)) if clear.unit else None


def _misses(proofs: Mapping[str, list[Proof]]) -> dict[str, float]:
    return {u: max((p.misfit for p in found), default=float("nan")) for u, found in proofs.items()}


def _in_measures(proofs: Mapping[str, list[Proof]]) -> dict[str, float]:
    """How far each reading misses all comparisons together, each in its own measure."""
    return {u: float(np.hypot.reduce([p.misfit / p.agrees for p in x])) for u, x in proofs.items()}


def _agree(found: list[Proof]) -> bool:
    verdicts = {p.verdict for p in found}
    return "agrees" in verdicts and "contradicts" not in verdicts


def _worst(proofs: Mapping[str, list[Proof]], chosen: str, i: int) -> float:
    """How far the other readings miss in the i-th comparison, in its own measure."""
    others = [f[i] for u, f in proofs.items() if u != chosen and i < len(f)]
    return max((p.misfit / p.agrees for p in others), default=0.0)


def _against(misses: Mapping[str, float], best: str, near: float) -> tuple[float, str]:
    """Odds of the best reading against the next best, and which that is."""
    others = {u: m for u, m in misses.items() if u != best and np.isfinite(m)}
    if not others or not np.isfinite(misses[best]):
        return float("nan"), ""
    runner_up = min(others, key=lambda u: others[u])
    return odds_of(misses[best], others[runner_up], near), runner_up


def _clear(misses: Mapping[str, float], near: float, why: str) -> Told:
    known = {u: m for u, m in misses.items() if np.isfinite(m)}
    if not known or len(known) < len(misses):
        return NOTHING
    best = min(known, key=lambda u: known[u])
    others = [m for u, m in known.items() if u != best]
    if known[best] <= near and all(m >= CLEARLY * max(known[best], near / CLEARLY) for m in others):
        return Told(best, why, *_against(known, best, near))
    return NOTHING


def _by_held(logs: Mapping[str, Log], vehicle: Vehicle) -> Told | None:
    """Without a target table: the scale on which a settled lambda lies on target while feedback holds."""
    return _by_proof({u: prove_lambda(x, vehicle) for u, x in logs.items()})


def _by_size(logs: Mapping[str, Log], vehicle: Vehicle) -> Told | None:
    misses = {}
    for unit, log in logs.items():
        target = log.get(Role.TARGET, 1.0)
        running = log.get(Role.RPM) > 500.0
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            ratio = (log[Role.LAMBDA] / target)[running]
        misses[unit] = abs(_middle(ratio) - 1.0)
    near = [u for u, m in misses.items() if m <= OVERALL]
    if len(near) == 1 and all(m >= FAR for u, m in misses.items() if u != near[0]):
        return Told(near[0], str(Say.BY_SIZE()), *_against(misses, near[0], OVERALL))
    return None


def _by_cut(logs: Mapping[str, Log]) -> Told | None:
    """Without fuel a sensor reads lean; on the other scale it would read rich."""
    middles = {u: lambda_in_cut(x) for u, x in logs.items()}
    lean = [u for u, m in middles.items() if m >= LEAST_CUT]
    if len(lean) == 1 and all(m < 1.0 for u, m in middles.items() if u != lean[0]):
        return Told(lean[0], str(Say.BY_CUT(value=middles[lean[0]])))
    return None


def _by_slope(role: Role, logs: Mapping[str, Log], vehicle: Vehicle) -> Told:
    misses = {}
    found = {}
    for unit, log in logs.items():
        fuel = fuel_of(_absolute_enough(log), vehicle)
        slope, error = (slopes(fuel).by_role if fuel is not None else {}).get(
            role, (float("nan"), float("nan"))
        )
        # Measured in its own scale: a slope of 100 ± 5 is as sure as one of 1 ± 0.05.
        sure = np.isfinite(error) and error < MOST_SLOPE_ERROR * abs(slope)
        misses[unit] = abs(np.log(max(slope, 1e-6))) if sure and slope > 0 else float("nan")
        found[unit] = slope
    told = _clear(misses, SLOPE_NEAR, "")
    return told._replace(why=str(Say.BY_SLOPE(slope=found[told.unit]))) if told.unit else told


def _by_other_trim(role: Role, logs: Mapping[str, Log], matches: Mapping[Role, Match]) -> Told:
    """The unit of the other trim, where the file states the same for both and that one is plain."""
    own = matches[role]
    other = matches.get(next(r for r in TRIMS if r is not role))
    if other is None or other.doubt or not (other.only or other.by_physics):
        return NOTHING
    stated = own.columns[0].unit.strip()
    # A logger that writes a fraction under a percent sign does so for both.
    if not stated or other.columns[0].unit.strip() != stated or other.unit not in logs:
        return NOTHING
    return Told(other.unit, str(Say.LIKE_OTHER_TRIM(unit=show_unit(other.unit))))


def _by_temperature(
    role: Role, logs: Mapping[str, Log], matches: Mapping[Role, Match], vehicle: Vehicle
) -> Told:
    other = matches.get(Role.COOLANT if role is Role.IAT else Role.IAT)
    # A stated unit, or one that only one unit allows, says what the logger is set to.
    if other is not None and other.unit in logs and not other.doubt and _is_told(other):
        return Told(other.unit, str(Say.LIKE_OTHER(unit=show_unit(other.unit))))
    # Air may have any weather's temperature; only an engine's coolant is held where it is.
    if role is Role.IAT:
        return NOTHING
    misses = {
        u: next((p.misfit for p in prove_temperatures(x, vehicle) if p.role is role), _warmth(x))
        for u, x in logs.items()
    }
    best = min(misses, key=lambda u: misses[u])
    # A minute's drive ends cold in any unit; the one in which it ends warmer is meant.
    if misses[best] <= COLD_MISS and all(
        m >= misses[best] + COLD_APART for u, m in misses.items() if u != best
    ):
        why = str(Say.BY_WARMTH(unit=show_unit(best)))
        return Told(best, why, *_against(misses, best, COLD_APART))
    return NOTHING


def _warmth(log: Log) -> float:
    """The same for a log without intake air."""
    known = log[Role.COOLANT][np.isfinite(log[Role.COOLANT])]
    return coolant_miss(float(np.percentile(known, 98))) if len(known) else float("inf")


def _is_told(match: Match) -> bool:
    return match.by_physics or match.only or bool(match.columns[0].unit)


def _fuel_miss(log: Log, vehicle: Vehicle) -> float:
    fuel = fuel_of(_absolute_enough(log), vehicle)
    return (
        abs(fuel.off) + fuel.scatter
        if fuel is not None and len(fuel.shown) >= LEAST_SAMPLES
        else float("nan")
    )


def _fuel_ratio(log: Log, vehicle: Vehicle) -> float:
    fuel = fuel_of(_absolute_enough(log), vehicle)
    return float(np.exp(fuel.off)) if fuel is not None else float("nan")


def _middle(values: Floats) -> float:
    known = values[np.isfinite(values)]
    return float(np.median(known)) if len(known) else float("nan")


def _proved(match: Match, proofs: tuple[Proof, ...], choices: Choices) -> Match:
    against = next((p for p in proofs if p.verdict == "contradicts"), None)
    said = any(
        (word := choices.columns.get(c.name)) and word.role is match.role for c in match.columns
    )
    doubt = match.doubt
    # What the user named stays as it was named; the proof is still shown beside it.
    if against is not None and not doubt and not said:
        doubt = str(Say.CONTRADICTED(label=LABELS[match.role][0], said=str(against.said)))
    if match.weak and not any(p.verdict == "agrees" for p in proofs):
        doubt = doubt or match.weak
    confidence = min(match.confidence, 0.4) if doubt else match.confidence
    return replace(match, proofs=proofs, doubt=doubt, confidence=confidence)


def _joined(*notes: str) -> str:
    return "; ".join(n for n in notes if n)
