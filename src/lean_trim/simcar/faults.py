"""Faults of the simulated car that are not its airflow table, to see whether they stay out of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    UNKNOWN_FAULT = Message(
        "faults.unknown_fault", "--fault {name!r} is unknown; allowed are {allowed}"
    )
    STRENGTH = Message(
        "faults.strength", "--fault {name}: strength is {given!r}; allowed is a number above 0 to 2"
    )


@dataclass(frozen=True)
class Faults:
    """What is wrong beside the table; the defaults are a sound car (invented strengths, common kinds).

    Attributes
    ----------
    pump_sag_pct : differential fuel pressure lost at the engine's largest airflow; it begins at 30
        % of that airflow.
    battery_drop_v : volts missing for 40 s of every 150 s; dead time is then longer than the
        sheet's by 25 % of what the drop adds.
    sensor_drops_per_min : spells of 0.5 to 2 s in which the lambda sensor reads free air; the ECU
        believes it.
    sensor_stuck_s : seconds of every 120 s in which the lambda sensor's reading does not move; the
        ECU believes it.
    wild_share : share of logged lambda readings that are interference, 0 to 1; the ECU's own
        readings are sound.
    unburnt_share : share of fuel that stays unburnt while the driver shifts, 0 to 1 (spark is taken
        back).
    tail_air_pct : lambda read too lean by so much at no flow, half of it at idle, as with a sensor
        at the tailpipe.
    hidden_rich_pct : fuel the ECU adds at full throttle without naming it in its target.
    settle_rich_pct : fuel delivered too much after a flash, fading over three minutes.
    fuel_drift_pct, fuel_drift_s : fuel delivered more at the end of so many seconds than at their
        beginning, as a tank is mixed or a rail gets warm; right in their middle.
    knock_from_kpa : manifold pressure from which knock retard is logged; 0 for none.
    airflow_ceiling : share of the engine's largest airflow at which the mass-airflow sensor is at
        its end; 0 for none.
    regulator_follows : kPa the fuel rail follows the manifold by per kPa; 1 is sound.
    loads_v : volts that are missing for every other twelve seconds, as when lamps and fans are
        switched to find the voltage slope of the dead time; no fault.
    intake_leak_pct : air drawn in behind the airflow sensor, percent of the engine's largest
        airflow while the leak is choked; less as MAP nears the barometer, and outwards in boost.
        Speed-density fuels it.
    exhaust_leak_pct : air drawn into the exhaust ahead of the lambda sensor, percent of the largest
        airflow.
    flow_scale, dead_shift_ms : injectors that deliver so much, and open so much later, than they
        did.
    air_misread : share of a change of intake air the air sensor does not see; with it come spells
        of hot air.
    pass_kpa : how far the barometer falls and rises again over every 8 min, as over a mountain
        pass.
    pass_air_pct : air the engine draws more per 10 kPa of that, percent.
    extra_fuel_pct : fuel from a second set of injectors in boost, which no pulse width shows.
    misfires_per_min : spells in which one cylinder does not fire.
    sensor_lag_s : time constant of an old lambda sensor, on top of a sound one's.
    sensor_cold_s : seconds after the start for which the lambda sensor shows its lean end; the ECU
        believes it.
    free_air_gain : share of the true distance from stoichiometry a worn sensor shows on the lean
        side, so that free air no longer drives it to its end; 1 is sound.
    trim_limit_pct : the ECU allows its trims no more than this; 0 for its own limits.
    loop_gain : feedback quicker than a sound loop by so much; 1 is sound.
    target_swing_pct : the ECU swings its target by so much to either side every second, percent.
    bank_gap_pct : fuel bank 1 needs more than bank 2, percent; what is logged beside is the mean
        of both.
    accel_times : fuel the ECU adds while pressure rises, over what it usually adds; 1 is sound.
    idle_gain : idle control sharper than a sound one by so much, and late; 1 is sound.
    cut_from_rpm, cut_to_rpm : engine speed from which fuel is cut on a closed throttle, and at
        which it comes back.
    enrich_above_pct : throttle from which the ECU enriches for full load; 0 for none, over 100 for
        never.
    """

    pump_sag_pct: float = 0.0
    battery_drop_v: float = 0.0
    sensor_drops_per_min: float = 0.0
    sensor_stuck_s: float = 0.0
    wild_share: float = 0.0
    unburnt_share: float = 0.0
    tail_air_pct: float = 0.0
    hidden_rich_pct: float = 0.0
    settle_rich_pct: float = 0.0
    fuel_drift_pct: float = 0.0
    fuel_drift_s: float = 600.0
    knock_from_kpa: float = 0.0
    airflow_ceiling: float = 0.0
    regulator_follows: float = 1.0
    loads_v: float = 0.0
    intake_leak_pct: float = 0.0
    exhaust_leak_pct: float = 0.0
    flow_scale: float = 1.0
    dead_shift_ms: float = 0.0
    air_misread: float = 0.0
    pass_kpa: float = 0.0
    pass_air_pct: float = 0.0
    extra_fuel_pct: float = 0.0
    misfires_per_min: float = 0.0
    sensor_lag_s: float = 0.0
    sensor_cold_s: float = 0.0
    free_air_gain: float = 1.0
    trim_limit_pct: float = 0.0
    loop_gain: float = 1.0
    target_swing_pct: float = 0.0
    enrich_above_pct: float = 0.0
    bank_gap_pct: float = 0.0
    accel_times: float = 1.0
    idle_gain: float = 1.0
    cut_from_rpm: float = 1700.0
    cut_to_rpm: float = 1300.0


SOUND = Faults()
NEVER_PCT = 101.0
KINDS: Mapping[str, Mapping[str, float]] = {
    "pump": {"pump_sag_pct": 25.0},
    "battery": {"battery_drop_v": 2.6},
    "sensor-drops": {"sensor_drops_per_min": 3.0},
    "sensor-stuck": {"sensor_stuck_s": 20.0},
    "interference": {"wild_share": 0.03},
    "torque-cut": {"unburnt_share": 0.3},
    "tailpipe": {"tail_air_pct": 12.0},
    "hidden-enrichment": {"hidden_rich_pct": 10.0},
    "after-flash": {"settle_rich_pct": 10.0},
    "knock": {"knock_from_kpa": 140.0},
    "airflow-sensor": {"airflow_ceiling": 0.75},
    "regulator": {"regulator_follows": 0.4},
    "loads": {"loads_v": 1.2},
    "intake-leak": {"intake_leak_pct": 0.8},
    "exhaust-leak": {"exhaust_leak_pct": 0.4},
    "injector-flow": {"flow_scale": 0.8},
    "dead-time": {"dead_shift_ms": 0.3},
    "air-temperature": {"air_misread": 0.8},
    "altitude": {"pass_kpa": 16.0, "pass_air_pct": 5.0},
    "extra-fuel": {"extra_fuel_pct": 20.0},
    "misfire": {"misfires_per_min": 12.0},
    "sensor-slow": {"sensor_lag_s": 0.6},
    "sensor-cold": {"sensor_cold_s": 90.0},
    "free-air": {"free_air_gain": 0.2},
    "trim-limit": {"trim_limit_pct": 4.0, "flow_scale": 0.8},
    "feedback": {"loop_gain": 6.0},
    "target-swing": {"target_swing_pct": 6.0},
    "no-enrichment": {"enrich_above_pct": NEVER_PCT},
    "thin-tip-in": {"accel_times": 0.0},
    "banks": {"bank_gap_pct": 12.0},
    "idle-hunts": {"idle_gain": 6.0},
    "cut-hunts": {"cut_from_rpm": 920.0, "cut_to_rpm": 700.0},
}
"""Faults by the name ``lean-trim simulate --fault`` knows them by, at strength 1."""
AT_ONCE = (
    "knock_from_kpa",
    "enrich_above_pct",
    "trim_limit_pct",
    "pass_kpa",
    "cut_from_rpm",
    "cut_to_rpm",
)
"""What a fault has or has not, whatever its strength."""
SOUND_CEILING = 1.0
"""A mass-airflow sensor of strength 0 just shows the engine's largest airflow."""
STRENGTHS = (0.0, 2.0)


def fault_named(name: str, strength: float = 1.0) -> Faults:
    """A fault by name.

    Parameters
    ----------
    name : one of ``KINDS``.
    strength : above 0 to 2; at 1 it is gross, near 0 hardly to be seen.

    Raises
    ------
    BadInputError
        For an unknown name, or a strength outside.
    """
    return _with(SOUND, name, strength)


def faults_of(words: str) -> Faults:
    """Several faults at once.

    Parameters
    ----------
    words : names of ``KINDS`` with commas between, each with ``:strength`` or without; empty for
        none.

    Raises
    ------
    BadInputError
        For an unknown name, or a strength outside.
    """
    faults = SOUND
    for word in filter(None, words.split(",")):
        name, _, given = word.strip().partition(":")
        try:
            strength = float(given) if given else 1.0
        except ValueError:
            raise BadInputError(Say.STRENGTH(name=name, given=given)) from None
        faults = _with(faults, name, strength)
    return faults


def _with(faults: Faults, name: str, strength: float) -> Faults:
    if name not in KINDS:
        raise BadInputError(Say.UNKNOWN_FAULT(name=name, allowed=", ".join(KINDS)))
    if not STRENGTHS[0] < strength <= STRENGTHS[1]:
        raise BadInputError(Say.STRENGTH(name=name, given=f"{strength:g}"))
    changed: dict[str, float] = {}
    for key, gross in KINDS[name].items():
        sound = SOUND_CEILING if key == "airflow_ceiling" else float(getattr(SOUND, key))
        changed[key] = gross if key in AT_ONCE else sound + strength * (gross - sound)
    return replace(faults, **changed)
