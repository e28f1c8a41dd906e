"""Rules of the sieve about what the engine and the driver did.

Thresholds are common practice, no source, unless said.
"""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.lean_spikes import LEAST_PER_MIN
from lean_trim.core.drive.regimes import LOOP_S, Regime, cold_samples
from lean_trim.core.knobs import Knob
from lean_trim.core.sieve.rule import Values, rule
from lean_trim.core.types import Mask

SLOWEST_RPM = 300.0
"""No engine runs below (common practice, no source)."""


@rule("not_running", "Engine not running", "no combustion, so lambda says nothing")
def not_running(conditions: Conditions, v: Values) -> Mask:
    """The engine stood still, or its speed is unknown, or reads below what running takes for a moment."""
    rpm = conditions.frame.log[Role.RPM]
    return np.asarray((conditions.regime == Regime.STOPPED) | ~(rpm >= SLOWEST_RPM))


@rule(
    "cold",
    "Cold engine",
    "warm-up enrichment is on and trims are off; only a pulse width that is borne out tells how "
    "much",
    Knob("below_c", "Coolant below", 70.0, 0.0, 95.0, "°C"),
    Knob("known_c", "Fuel known, below", 50.0, 0.0, 95.0, "°C"),
    LOOP_S,
)
def cold(conditions: Conditions, v: Values) -> Mask:
    """By coolant; where it was not logged, until some time after feedback first came on in each recording.

    Where the pulse width tells the fuel, less warmth will do: what is left, fuel that does not
    burn, is one slope over coolant and estimated with the table.
    """
    log = conditions.frame.log
    warming = cold_samples(log, v["below_c"], v["loop_s"])
    if not conditions.pulse_width_proven.any():
        return warming
    known = conditions.pulse_width_proven & (log.get(Role.COOLANT) >= v["known_c"])
    return warming & ~known


@rule(
    "starting",
    "Just started",
    "sensor and engine settle after a start",
    after_s=20.0,
    longest_s=1800.0,
)
def starting(conditions: Conditions, v: Values) -> Mask:
    """The moment the engine began to turn, or the recording began; the hold-off does the rest."""
    log = conditions.frame.log
    began = np.diff((conditions.regime != Regime.STOPPED).astype(np.int8), prepend=0) > 0
    # A log that begins with the engine running may have begun just after its start.
    began[0] = True
    # Each joined recording begins anew.
    began[np.searchsorted(log.time_s, log.joints_s)] = True
    return np.asarray(began)


@rule(
    "settling",
    "Settling after a flash",
    "some ECUs learn an internal temperature anew and run rich",
    Knob("minutes", "From the log's start", 0.0, 0.0, 60.0, "min"),
)
def settling(conditions: Conditions, v: Values) -> Mask:
    """The first minutes of the log."""
    time = conditions.frame.log.time_s
    return np.asarray(time - time[0] < 60.0 * v["minutes"])


@rule(
    "fuel_cut",
    "Fuel cut and refill",
    "no fuel, then the wall film fills again",
    before_s=0.2,
    after_s=0.5,
)
def cut(conditions: Conditions, v: Values) -> Mask:
    """No fuel; the hold-off covers the wall film that fills again."""
    return conditions.fuel_cut


@rule(
    "tip",
    "Quick change",
    "fuel on the walls lags behind the air",
    Knob("throttle_rate", "Throttle faster than", 30.0, 5.0, 500.0, "%/s"),
    Knob("map_rate", "MAP faster than", 60.0, 5.0, 500.0, "%/s"),
    before_s=0.1,
    after_s=0.5,
)
def tip(conditions: Conditions, v: Values) -> Mask:
    """Throttle or MAP moves quickly; the hold-off covers what the walls still owe."""
    motion = conditions.motion
    quick = np.abs(motion.throttle_rate) > v["throttle_rate"]
    return np.asarray(quick | (np.abs(motion.map_rate) > v["map_rate"]))


@rule(
    "shift",
    "Shift or torque cut",
    "throttle and spark are taken back, so unburnt fuel and air reach the sensor",
    Knob("spark_drop", "Spark falls by more than", 14.0, 4.0, 40.0, "°"),
    before_s=0.3,
    after_s=0.8,
)
def shift(conditions: Conditions, v: Values) -> Mask:
    """Another gear, or spark and throttle as a gear change has them."""
    motion = conditions.motion
    log = conditions.frame.log
    # On a closed throttle spark falls for idle control, which is no torque cut.
    open_throttle = log.get(Role.THROTTLE, 0.0) > 20.0
    return np.asarray(
        motion.gears.changes | (open_throttle & (motion.spark_drop > v["spark_drop"]))
    )


@rule(
    "slip",
    "Free revving or slip",
    "engine speed changes without the load that goes with it",
    Knob("rate", "Slope off road speed", 0.5, 0.05, 5.0, "1/s"),
    before_s=0.2,
    after_s=0.3,
)
def slip(conditions: Conditions, v: Values) -> Mask:
    """Engine speed changes and road speed does not."""
    return np.asarray(np.abs(conditions.motion.slip_rate) > v["rate"])


@rule(
    "crossed",
    "Cell passed through",
    "crossed too quickly: what the sensor shows belongs to the cells before",
    Knob("stay_s", "Crossed in less than", 0.15, 0.0, 5.0, "s"),
)
def crossed(conditions: Conditions, v: Values) -> Mask:
    """Load and speed move so quickly that a whole cell would be crossed in less than the time given."""
    return np.asarray(conditions.motion.cells_per_s * v["stay_s"] > 1.0)


@rule(
    "dilution",
    "Tailpipe air",
    "far back in the pipe the sensor reads lean at low flow",
    Knob("below_g_per_s", "Idle airflow below", 8.0, 0.0, 50.0, "g/s"),
)
def dilution(conditions: Conditions, v: Values) -> Mask:
    """So little flow that air from the tail reaches a sensor there."""
    frame = conditions.frame
    if frame.vehicle.sensor_place != "tailpipe":
        return np.zeros(len(frame.log), bool)
    # Only there is flow low enough, and the mixture settled enough, for air from the tail to count.
    slow = np.isin(conditions.regime, (Regime.IDLE, Regime.OVERRUN))
    return np.asarray(slow & (frame.flow_g_per_s < v["below_g_per_s"]))


@rule(
    "knock",
    "Knock retard",
    "used, but no fuel is taken out of these cells",
    Knob("above_deg", "Retard above", 0.2, 0.0, 10.0, "°"),
    marks=True,
)
def knock(conditions: Conditions, v: Values) -> Mask:
    """Knock retard was active; such samples are marked, not left out."""
    return np.asarray(conditions.frame.log.get(Role.KNOCK, 0.0) > v["above_deg"])


@rule(
    "misfire",
    "Misfire",
    "unburnt oxygen reads lean; enriching for it is the wrong answer",
    Knob("per_min", "Jumps a minute from", LEAST_PER_MIN, 0.5, 60.0, "1/min"),
    before_s=0.3,
    after_s=0.5,
)
def misfire(conditions: Conditions, v: Values) -> Mask:
    """Lambda jumps lean in steady running, again and again, and nothing asked for less fuel."""
    spikes = conditions.lean_spikes
    return spikes.mask if spikes.per_min >= v["per_min"] else np.zeros(len(conditions.lam), bool)
