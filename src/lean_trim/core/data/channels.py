"""The roles a logged channel can play, each with the one unit the computation uses."""

from __future__ import annotations

from enum import StrEnum


class Role(StrEnum):
    """What a channel means. The value is its key in files and carries the unit."""

    RPM = "rpm"
    MAP = "map_kpa"
    THROTTLE = "throttle_pct"
    IAT = "intake_air_c"
    COOLANT = "coolant_c"
    BATTERY = "battery_v"
    LAMBDA = "lambda_measured"
    TARGET = "lambda_target"
    STFT = "stft_pct"
    LTFT = "ltft_pct"
    CLOSED_LOOP = "closed_loop"
    PULSE_WIDTH = "pulse_width_ms"
    DUTY = "duty_pct"
    FUEL_DP = "fuel_dp_kpa"
    BARO = "baro_kpa"
    SPEED = "speed_kmh"
    GEAR = "gear"
    SPARK = "spark_deg"
    KNOCK = "knock_retard_deg"
    MAF_HZ = "maf_hz"
    MAF_V = "maf_v"
    MAF_FLOW = "maf_g_per_s"
    AIRFLOW_SOURCE = "airflow_source_maf"
    ETHANOL = "ethanol_pct"
    BANK_GAP = "bank_gap_pct"
    TABLE_POSITION = "table_position"


LABELS: dict[Role, tuple[str, str]] = {
    Role.RPM: ("Engine speed", "rpm"),
    Role.MAP: ("Manifold pressure", "kPa"),
    Role.THROTTLE: ("Throttle", "%"),
    Role.IAT: ("Intake air", "°C"),
    Role.COOLANT: ("Coolant", "°C"),
    Role.BATTERY: ("Battery", "V"),
    Role.LAMBDA: ("Lambda", "λ"),
    Role.TARGET: ("Target lambda", "λ"),
    Role.STFT: ("Short-term trim", "%"),
    Role.LTFT: ("Long-term trim", "%"),
    Role.CLOSED_LOOP: ("Closed loop", ""),
    Role.PULSE_WIDTH: ("Pulse width", "ms"),
    Role.DUTY: ("Injector duty", "%"),
    Role.FUEL_DP: ("Fuel pressure Δp", "kPa"),
    Role.BARO: ("Barometer", "kPa"),
    Role.SPEED: ("Road speed", "km/h"),
    Role.GEAR: ("Gear", ""),
    Role.SPARK: ("Spark advance", "°"),
    Role.KNOCK: ("Knock retard", "°"),
    Role.MAF_HZ: ("MAF frequency", "Hz"),
    Role.MAF_V: ("MAF voltage", "V"),
    Role.MAF_FLOW: ("Mass airflow", "g/s"),
    Role.AIRFLOW_SOURCE: ("Airflow source MAF", ""),
    Role.ETHANOL: ("Ethanol content", "%"),
    Role.BANK_GAP: ("Bank difference, fuel asked for", "%"),
    Role.TABLE_POSITION: ("Cam or flap position", ""),
}
"""Plain name and unit of each role, for people."""


def in_words(role: Role) -> str:
    """The plain name of a role within a sentence: letters that stand for a word stay large."""
    words = LABELS[role][0].split(" ")
    return " ".join(w.lower() if w[1:].islower() or len(w) == 1 else w for w in words).replace(
        "δ", "Δ"
    )
