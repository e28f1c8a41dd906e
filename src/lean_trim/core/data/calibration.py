"""A calibration: the named tables that are in an ECU together."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from lean_trim.core.data.injector_tables import with_tables
from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import TableError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    NO_TABLE = Message("calibration.no_table", "a calibration needs at least one table")
    UNKNOWN_TABLE = Message(
        "calibration.unknown_table",
        "a calibration has no table {unknown!r}: a name is a letter, then up to 39 letters, digits "
        "or underscores",
    )
    MISSING_TABLE = Message(
        "calibration.missing_table", "this calibration has no table {name!r}; it has {present}"
    )


TARGET = "target_lambda"
INJECTOR_FLOW = "injector_flow"
DEAD_TIME = "dead_time"
SMALL_PULSES = "small_pulses"
INJECTOR_TABLES = (INJECTOR_FLOW, DEAD_TIME, SMALL_PULSES)
ENGINE_SCALE = "engine_scale"
"""What the airflow table is multiplied by in the ECU, against what the sheet says: 1 to begin
with."""
LAYER_NAMES = tuple(f"ve_{number}" for number in range(2, 9))
"""Further VE tables of an ECU that blends several over the position of a cam or flap."""
AIRFLOW_TABLES = ("ve", "maf", *LAYER_NAMES)
NOT_ADDED = frozenset((*AIRFLOW_TABLES, TARGET, *INJECTOR_TABLES, ENGINE_SCALE))
"""Tables with a place of their own in a vehicle; every other one is a correction of fuel, or what a
feature keeps beside the airflow table."""
TABLE_NAME = re.compile(r"[a-z][a-z0-9_]{0,39}")
"""What a table may be called: it becomes the name of a file."""


class ScaleAt(StrEnum):
    """Where the scale of an airflow table can be moved."""

    DISPLACEMENT = "displacement"
    MULTIPLIER = "master multiplier"
    FLOW = "injector flow"


@dataclass(frozen=True, eq=False)
class Calibration:
    """Named tables, as they were together in the ECU.

    Parameters
    ----------
    tables : by name; at least one. A name is lower-case letters, digits and underscores.

    Raises
    ------
    TableError
        If there is no table, or a name is none.
    """

    tables: Mapping[str, Table]

    def __post_init__(self) -> None:
        if not self.tables:
            raise TableError(Say.NO_TABLE())
        for name in self.tables:
            refuse_bad_name(name)

    def __getitem__(self, name: str) -> Table:
        if name not in self.tables:
            raise TableError(Say.MISSING_TABLE(name=name, present=", ".join(self.tables)))
        return self.tables[name]

    def __contains__(self, name: str) -> bool:
        return name in self.tables

    def __iter__(self) -> Iterator[str]:
        return iter(self.tables)

    def with_table(self, name: str, table: Table) -> Calibration:
        """The same calibration with one table replaced or added.

        Returns a new calibration; this one stays as it is.
        """
        return replace(self, tables={**self.tables, name: table})

    def without_table(self, name: str) -> Calibration:
        """The same calibration less one table.

        Parameters
        ----------
        name : of a table that may not be there.

        Returns
        -------
        A new calibration; this one stays as it is.
        """
        return replace(self, tables={n: t for n, t in self.tables.items() if n != name})

    def same_as(self, other: Calibration) -> bool:
        """True if both hold the same tables with the same axes and cells.

        Parameters
        ----------
        other : another calibration.

        Returns
        -------
        True if driving one is driving the other.
        """
        return set(self.tables) == set(other.tables) and all(
            table.same_axes(other.tables[name])
            and bool((table.values == other.tables[name].values).all())
            for name, table in self.tables.items()
        )


def scale_table(at: ScaleAt, scale: float = 1.0) -> Table:
    """A scale as a table, so that it is decided, undone, kept and handed over as tables are.

    Parameters
    ----------
    at : where it was moved.
    scale : above 0.

    Returns
    -------
    Two points: at the engine (size or multiplier), and at the injectors, whose flow holds it
    already.
    """
    values = np.ones(2)
    values[point_of(at)] = scale
    return Table((Axis("engine, injectors", "", np.array([0.0, 1.0])),), values, "", str(at))


def point_of(at: ScaleAt) -> int:
    """Which point of a scale's table a move is kept in.

    Parameters
    ----------
    at : where it was moved.

    Returns
    -------
    0 at the engine, 1 at the injectors.
    """
    return int(at is ScaleAt.FLOW)


def refuse_bad_name(name: str) -> None:
    """Let nothing pass for a table's name that could not be the name of its file.

    Raises TableError if it is none.
    """
    if not TABLE_NAME.fullmatch(name):
        raise TableError(Say.UNKNOWN_TABLE(unknown=name))


def calibration_of(vehicle: Vehicle) -> Calibration:
    """The tables a vehicle sheet brought along.

    Returns its airflow table (of a blended ECU both), its target table if there is one, and corrections of
    fuel it named.
    """
    target = {} if vehicle.target is None else {TARGET: vehicle.target}
    other: dict[str, Table] = (
        {} if vehicle.other is None else {vehicle.other.airflow: vehicle.other.table}
    )
    layers = {layer.name: layer.table for layer in vehicle.layers}
    own = {vehicle.table_name: vehicle.table}
    return Calibration({**own, **layers, **other, **target, **vehicle.corrections})


def with_tables_of(vehicle: Vehicle, calibration: Calibration) -> Vehicle:
    """The vehicle with a calibration's tables, its injectors and size as the sheet says them.

    A job's vehicle holds the tables of its first round.

    Returns the same record where it holds just these tables: whoever keeps something for a vehicle
    knows it by identity.
    """
    driven = with_calibration(vehicle, calibration)
    kept = vehicle.corrections
    same = driven.table is vehicle.table and driven.target is vehicle.target
    if vehicle.other is not None and driven.other is not None:
        same = same and driven.other.table is vehicle.other.table
    for before, after in zip(vehicle.layers, driven.layers, strict=True):
        same = same and after.table is before.table
    same = same and kept.keys() == driven.corrections.keys()
    if same and all(kept[name] is table for name, table in driven.corrections.items()):
        return vehicle
    return replace(driven, injectors=vehicle.injectors, displacement_l=vehicle.displacement_l)


def with_calibration(vehicle: Vehicle, calibration: Calibration) -> Vehicle:
    """The vehicle with a calibration in its ECU.

    Parameters
    ----------
    vehicle : as its sheet describes it.
    calibration : holds at least the vehicle's airflow table; injector tables and a scale stand for
        the sheet's data where there are any. Tables a feature added go with the corrections.

    Returns
    -------
    The vehicle as it is driven on that calibration.

    Raises
    ------
    TableError
        If the calibration lacks the airflow table the vehicle is corrected by.
    """
    tables = calibration.tables
    data = (tables.get(name) for name in INJECTOR_TABLES)
    injectors = with_tables(vehicle.injectors, *data)
    table = calibration[vehicle.table_name]
    scale = tables.get(ENGINE_SCALE)
    size = vehicle.displacement_l
    # A move at the injectors stands in their flow already.
    if scale is not None:
        size *= float(scale.values[0])
    other = vehicle.other
    if other is not None:
        other = replace(other, table=calibration[other.airflow])
    layered = vehicle.layered
    if layered is not None:
        others = tuple(replace(one, table=calibration[one.name]) for one in layered.others)
        layered = replace(layered, others=others)
    return replace(
        vehicle,
        table=table,
        other=other,
        layered=layered,
        target=tables.get(TARGET),
        injectors=injectors,
        displacement_l=size,
        corrections={name: table for name, table in tables.items() if name not in NOT_ADDED},
    )
