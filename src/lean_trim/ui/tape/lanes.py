"""Which channels share a lane of the tape, and sets of lanes for a purpose."""

from __future__ import annotations

import json
from dataclasses import dataclass

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.explore.derived import DERIVED

MAX_LANES = 8
SHORT = {
    "lambda_measured": "λ",
    "lambda_target": "target",
    "target_looked_up": "target",
    "stft_pct": "short",
    "ltft_pct": "long",
    "table_value": "table",
    "asked_value": "asked",
    "map_kpa": "MAP",
    "boost_kpa": "boost",
    "duty_pct": "logged",
    "duty_of_pulse_pct": "from width",
    "spark_deg": "spark",
    "knock_retard_deg": "retard",
    "trim_pct": "trims",
    "k_pct": "k",
}


@dataclass(frozen=True)
class LaneSpec:
    """A lane: its title and the keys of the series it shows, at most four."""

    title: str
    keys: tuple[str, ...]


MIXTURE = LaneSpec("Mixture", ("lambda_measured", "lambda_target", "target_looked_up"))
TRIMS = LaneSpec("Trims", ("stft_pct", "ltft_pct"))
MANIFOLD = LaneSpec("Manifold", ("map_kpa",))
ENGINE = LaneSpec("Engine", ("rpm",))
FLOW = LaneSpec("Airflow", ("maf_g_per_s",))
SETS: dict[str, tuple[LaneSpec, ...]] = {
    "Mixture": (MIXTURE, TRIMS, MANIFOLD, ENGINE),
    "Trims": (
        TRIMS,
        LaneSpec("Together", ("trim_pct", "k_pct")),
        MIXTURE,
        LaneSpec("Loop", ("closed_loop",)),
    ),
    "Air": (
        MANIFOLD,
        FLOW,
        LaneSpec("Table", ("table_value", "asked_value")),
        ENGINE,
        LaneSpec("Throttle", ("throttle_pct",)),
    ),
    "Injectors": (
        LaneSpec("Pulse", ("pulse_width_ms",)),
        LaneSpec("Duty", ("duty_pct", "duty_of_pulse_pct")),
        LaneSpec("Fuel Δp", ("fuel_dp_kpa",)),
        LaneSpec("Battery", ("battery_v",)),
    ),
}
"""Lane sets as they come; a job can change them."""


def single_lane(key: str) -> LaneSpec:
    """A lane for one series."""
    name = DERIVED[key][0] if key in DERIVED else LABELS[Role(key)][0]
    return LaneSpec(name, (key,))


def toggled(lanes: tuple[LaneSpec, ...], key: str) -> tuple[LaneSpec, ...]:
    """Take a series out of the lanes, or add it as a lane of its own if it is not shown."""
    if not any(key in lane.keys for lane in lanes):
        return (*lanes, single_lane(key))[-MAX_LANES:]
    kept = [LaneSpec(lane.title, tuple(k for k in lane.keys if k != key)) for lane in lanes]
    return tuple(lane for lane in kept if lane.keys)


def lanes_to_text(lanes: tuple[LaneSpec, ...]) -> str:
    """As kept in the job."""
    return json.dumps([[lane.title, *lane.keys] for lane in lanes])


def lanes_from_text(text: str, name: str) -> tuple[LaneSpec, ...]:
    """The inverse; the set as it comes where the text does not fit."""
    try:
        known = {str(r) for r in Role} | set(DERIVED)
        lanes = tuple(
            LaneSpec(str(t), tuple(k for k in keys if k in known)) for t, *keys in json.loads(text)
        )
    except (ValueError, TypeError, RecursionError):
        return SETS[name]
    return tuple(lane for lane in lanes if lane.keys)[:MAX_LANES] or SETS[name]
