"""What the compiled stepper works on: records of plain numbers, and tables as arrays.

``CAR`` is what does not change in a drive, ``STATE`` what does; their fields are read and written
by name in the stepper as in Python. Pressures in kPa absolute, temperatures in °C, volumes in L,
times in s, fuel in g.
"""

from __future__ import annotations

from enum import IntEnum
from typing import Any

import numpy as np
import numpy.typing as npt

from lean_trim.core.data.channels import Role
from lean_trim.core.data.fuel_corrections import (
    AFTER_CUT,
    AFTER_CUT_FADE,
    AIR_TEMPERATURE,
    ENRICHMENT,
    ENRICHMENT_FADE,
    KINDS,
    THROTTLE_RATE,
    WALL_SHARE,
    WALL_TIME,
    WARM_UP,
    cells_of,
)
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.simcar.faults import Faults
from lean_trim.simcar.injectors import TrueInjectors
from lean_trim.simcar.truth import Truth

Array = npt.NDArray[np.float64]
Record = npt.NDArray[Any]
"""A structured array of one element."""
STEP_S = 0.01
GEARS_RPM_PER_KMH = (0.0, 118.0, 70.0, 48.0, 36.5, 29.0)
UNKNOWN = -1.0
"""A moment that has not come, and a value that was not there yet where 0 would mean something."""
NOWHERE = -1
"""Place of a table there is none of."""
LTFT_BLOCKS = 16
LEAVING = 512
PIPE = 16384
"""Parcels of exhaust that are on their way: burning or in the cylinder, and in the pipe."""


class Kind(IntEnum):
    """What the driver does in a leg."""

    IDLE = 0
    CRUISE = 1
    HOLD = 2
    PULL = 3
    COAST = 4
    BLIP = 5


class Feedback(IntEnum):
    """What closes the loop."""

    NONE = 0
    NARROWBAND = 1
    WIDEBAND = 2


TRUTH_FIELDS = (
    *("displacement_l", "cylinders", "stoich_afr", "redline_rpm", "turbo", "baro_kpa", "ambient_c"),
    *("wall_x", "wall_tau_s", "wall_load", "wall_rpm", "exhaust_volume_l", "sensor_tau_s"),
    *(
        "max_boost_kpa",
        "maf_low_hz",
        "maf_exponent",
        "mass_kg",
        "charge_heating",
        "charge_flow_g_per_s",
    ),
    *("soak_k", "soak_s", "cold_unburnt_per_k", "turn_pct"),
)
BREATHING_FIELDS = (
    *("peak_pct", "best_x", "fall", "low_end", "floor", "rise", "tuned", "tuned_x", "tuned_width"),
    *("ripple_pct", "ripple_rpm", "cam_pct", "cam_x", "notch_pct", "notch_x", "notch_kpa"),
)
INJECTOR_FIELDS = (
    *("flow_g_per_s", "rated_kpa", "exponent", "dead_per_kpa", "small_ms", "small_open_ms"),
)
SHEET_FIELDS = (
    *(
        "map_share",
        "most_flow",
        "maf_low_g_per_s",
        "feedback",
        "by_curve",
        "has_tables",
        "by_throttle",
    ),
    *("blended", "ve_below_rpm", "ve_above_map_rate", "layered", "turn_from", "turn_to"),
    *("loop_lambda", "told_flow_g_per_s", "told_stoich_afr", "told_cylinders", "told_cylinder_l"),
)
FAULT_FIELDS = tuple(name for name in Faults.__dataclass_fields__ if name != "wild_share")
TABLE_NAMES = (
    *("airflow", "targets", "dead", "small", "enrichment", "fade", "after_cut", "after_cut_fade"),
    *("warm_up", "air", "share", "wall_times", "true_dead", "other"),
)
"""Everything the ECU reads from tables, and the true dead time over voltage."""
CAR = np.dtype(
    [(f, "f8") for f in (*TRUTH_FIELDS, *BREATHING_FIELDS, *SHEET_FIELDS, *FAULT_FIELDS)]
    + [(f"inj_{f}", "f8") for f in INJECTOR_FIELDS]
    + [(f"at_{f}", "i8") for f in TABLE_NAMES]
)
STATE = np.dtype(
    [
        (f, "f8")
        for f in (
            # The leg and the driver in it.
            *(
                "leg_kind",
                "leg_seconds",
                "leg_gear",
                "leg_value",
                "leg_load_kpa",
                "leg_load_end_kpa",
            ),
            *(
                "leg_is_new",
                "began",
                "arrived",
                "gear",
                "shift_until",
                "foot",
                "integral",
                "wander",
            ),
            # What the driver does in this step.
            *("pedal_pct", "clutch", "brake", "hold_rpm"),
            # Engine and car.
            *(
                "time_s",
                "rpm",
                "map_kpa",
                "boost_kpa",
                "coolant_c",
                "intake_c",
                "speed_kmh",
                "film_g",
            ),
            *(
                "throttle_pct",
                "air_g",
                "flow_g_per_s",
                "now_kpa",
                "more_air",
                "hot_air_k",
                "idle_valve",
            ),
            # Gas on its way to the sensor: ends of both rings, and what arrived.
            *(
                "leaving_from",
                "leaving_to",
                "pipe_from",
                "pipe_to",
                "pushed_l",
                "at_sensor",
                "reading",
            ),
            # What sensors say.
            *("map_read", "volts", "lam"),
            # The ECU, and what it commands.
            *(
                "stft_pct",
                "cutting",
                "accel",
                "last_map",
                "refuelled_at",
                "rate",
                "last_value",
                "has_last",
            ),
            *("added_pct", "after_pct", "cut_since", "ecu_film", "width_ms", "target", "block"),
            *("closed_loop", "airflow_g_per_s", "source_maf", "slow_map", "turn"),
            # Faulty parts.
            *("dropped_until", "misfires_until", "misfires", "lagging", "held"),
        )
    ]
)
COLUMNS = (
    *(
        Role.RPM,
        Role.MAP,
        Role.THROTTLE,
        Role.IAT,
        Role.COOLANT,
        Role.BATTERY,
        Role.LAMBDA,
        Role.TARGET,
    ),
    *(Role.STFT, Role.LTFT, Role.CLOSED_LOOP, Role.PULSE_WIDTH, Role.DUTY, Role.FUEL_DP, Role.BARO),
    *(Role.SPEED, Role.GEAR, Role.SPARK, Role.KNOCK, Role.MAF_HZ, Role.MAF_FLOW),
    *(Role.AIRFLOW_SOURCE, Role.TABLE_POSITION),
)
"""Columns of a sample after its time."""


def _curve(x: object, values: object) -> list[float]:
    """A curve as the book holds it."""
    points = np.asarray(x, float).ravel()
    return [float(len(points)), 0.0, *points.tolist(), *np.asarray(values, float).ravel().tolist()]


def _page(table: Table, cells: Array | None = None) -> list[float]:
    """A table as the book holds it: sizes of both axes, their points, the cells."""
    values = table.values if cells is None else cells
    if len(table.axes) == 1:
        return _curve(table.axes[0].points, values)
    y, x = (a.points.tolist() for a in table.axes)
    return [float(len(y)), float(len(x)), *y, *x, *values.ravel().tolist()]


def book_of(vehicle: Vehicle, injectors: TrueInjectors) -> tuple[Array, dict[str, int]]:
    """All tables of an ECU with that calibration in one array, and where each begins.

    Returns
    -------
    The array, and places by ``TABLE_NAMES``; ``NOWHERE`` for a table that is not there.
    """
    told = vehicle.injectors
    # Of several VE tables the first is the one of the cam at rest.
    layers = sorted((vehicle.own_layer, *vehicle.layers), key=lambda layer: layer.at)
    second = vehicle.other.table if vehicle.other is not None else layers[-1].table
    several = vehicle.other is not None or len(layers) > 1
    corrections = {
        name: _page(table, cells_of(name, table))
        for name, table in vehicle.corrections.items()
        # Of a table a feature added the ECU knows nothing.
        if name in KINDS
    }
    pages = {
        "airflow": _page(layers[0].table),
        "targets": _page(vehicle.target) if vehicle.target is not None else None,
        "dead": _curve(told.volts, told.dead_time_ms),
        "small": _curve(told.small_open_ms, told.small_add_ms) if len(told.small_open_ms) else None,
        "enrichment": corrections.get(ENRICHMENT),
        "fade": corrections.get(ENRICHMENT_FADE),
        "after_cut": corrections.get(AFTER_CUT),
        "after_cut_fade": corrections.get(AFTER_CUT_FADE),
        "warm_up": corrections.get(WARM_UP),
        "air": corrections.get(AIR_TEMPERATURE),
        "share": corrections.get(WALL_SHARE),
        "wall_times": corrections.get(WALL_TIME),
        "true_dead": _curve(injectors.volts, injectors.dead_ms),
        "other": _page(second) if several else None,
    }
    book: list[float] = []
    places = dict.fromkeys(TABLE_NAMES, NOWHERE)
    for name, page in pages.items():
        if page is not None:
            places[name] = len(book)
            book += page
    return np.array(book), places


def car_record(
    vehicle: Vehicle, truth: Truth, injectors: TrueInjectors, faults: Faults, places: dict[str, int]
) -> Record:
    """What does not change in a drive; ``places`` are those of its tables in the book."""
    car = np.zeros(1, CAR)
    for name, place in places.items():
        car[f"at_{name}"] = place
    for source, names in (
        (truth, TRUTH_FIELDS),
        (truth.breathing, BREATHING_FIELDS),
        (faults, FAULT_FIELDS),
    ):
        for name in names:
            car[name] = float(getattr(source, name))
    for name in INJECTOR_FIELDS:
        car[f"inj_{name}"] = getattr(injectors, name)
    enrichment = vehicle.corrections.get(ENRICHMENT)
    # A sensor without lag follows within one step.
    car["map_share"] = 1.0 - np.exp(-STEP_S / truth.map_lag_s) if truth.map_lag_s else 1.0
    car["most_flow"] = truth.max_flow_g_per_s()
    car["maf_low_g_per_s"] = truth.maf_exponent_scale()
    car["feedback"] = Feedback[vehicle.feedback.upper()]
    car["by_curve"] = vehicle.airflow != "ve"
    car["blended"] = vehicle.other is not None
    places_of_cam = [layer.at for layer in (vehicle.own_layer, *vehicle.layers)]
    car["layered"] = bool(vehicle.layers)
    car["turn_from"] = min(places_of_cam)
    car["turn_to"] = max(places_of_cam)
    car["ve_below_rpm"] = vehicle.airflow_source.ve_below_rpm
    car["ve_above_map_rate"] = vehicle.airflow_source.ve_above_map_rate
    car["has_tables"] = any(name in KINDS for name in vehicle.corrections)
    car["by_throttle"] = enrichment is not None and enrichment.axes[0].name == THROTTLE_RATE
    car["loop_lambda"] = 1.0 + truth.loop_bias
    car["told_flow_g_per_s"] = vehicle.injectors.flow_g_per_s
    car["told_stoich_afr"] = vehicle.stoich_afr
    car["told_cylinders"] = vehicle.cylinders
    car["told_cylinder_l"] = vehicle.cylinder_l
    return car


STANDING = {
    "gear": 1.0,
    "integral": 12.0,
    "rpm": 850.0,
    "map_kpa": 36.0,
    "map_read": 36.0,
    "slow_map": 36.0,
    "air_g": 0.1,
    "flow_g_per_s": 1.0,
    "more_air": 1.0,
    "idle_valve": 0.0145,
    "lam": 1.0,
    "volts": 13.6,
    "target": 1.0,
    "last_map": 40.0,
    "cut_since": UNKNOWN,
    "dropped_until": UNKNOWN,
    "misfires_until": UNKNOWN,
    "lagging": 1.0,
    "held": 1.0,
}
"""A car that idles, where it is not 0."""


def first_state(truth: Truth) -> Record:
    """A car that was just started."""
    state = np.zeros(1, STATE)
    for name, value in STANDING.items():
        state[name] = value
    state["coolant_c"] = truth.start_coolant_c
    state["now_kpa"] = truth.baro_kpa
    state["intake_c"] = truth.ambient_c + 4.0
    return state
