"""Several VE tables in a vehicle sheet: their files, and the position each is in force alone at."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise
from pathlib import Path
from typing import Any

from lean_trim.core.data.calibration import LAYER_NAMES
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Layer, Layered, Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.formats.sheet import Sheet


class Say:
    """Sentences of this module."""

    NO_POSITIONS = Message(
        "layers_sheet.no_positions",
        "{source}: tables names {names}, but table_position does not say where each is in force alone; "
        'give table_position as {{"channel": "the column of the log", "ve": 0, "{first}": 30}}',
    )
    NO_TABLES = Message(
        "layers_sheet.no_tables",
        "{source}: table_position is for several VE tables, but tables names only one; name the others ve_2, "
        "ve_3 and so on",
    )
    ONLY_VE = Message(
        "layers_sheet.only_ve",
        '{source}: several VE tables go with airflow "ve" and a table of VE, not with a MAF curve or another '
        "kind of table",
    )
    SAME_PLACE = Message(
        "layers_sheet.same_place",
        "{source}: table_position has {value:g} for two tables; each is in force alone at one of its own",
    )


KEY = "table_position"
POSITION_RANGE = (-1000.0, 10_000.0)
"""What a position may be: degrees, percent, a switch, counts."""


def layer_names(sheet: Sheet) -> tuple[str, ...]:
    """Further VE tables a sheet names.

    Parameters
    ----------
    sheet : of a vehicle.

    Returns
    -------
    Of ``LAYER_NAMES``, in their order.
    """
    tables = sheet.data.get("tables")
    named = tables if isinstance(tables, Mapping) else {}
    return tuple(name for name in LAYER_NAMES if named.get(name) is not None)


def layered_of(sheet: Sheet, tables: Mapping[str, Table], only_ve: bool) -> Layered | None:
    """What a sheet says of several VE tables.

    Parameters
    ----------
    sheet : of a vehicle.
    tables : its further VE tables, by name.
    only_ve : whether the vehicle has one airflow source, which is a table of VE.

    Returns
    -------
    As seen by the first; None of a vehicle with one.

    Raises
    ------
    BadInputError
        Naming the key and what is allowed.
    """
    if not tables:
        if sheet.get(KEY) is not None:
            raise BadInputError(Say.NO_TABLES(source=sheet.source))
        return None
    if not only_ve:
        raise BadInputError(Say.ONLY_VE(source=sheet.source))
    if not isinstance(sheet.get(KEY), dict):
        names = ", ".join(tables)
        raise BadInputError(
            Say.NO_POSITIONS(source=sheet.source, names=names, first=next(iter(tables)))
        )
    at = {name: sheet.number(f"{KEY}.{name}", *POSITION_RANGE) for name in ("ve", *tables)}
    places = sorted(at.values())
    for one, next_one in pairwise(places):
        if one == next_one:
            raise BadInputError(Say.SAME_PLACE(source=sheet.source, value=one))
    return Layered(
        name="ve",
        at=at["ve"],
        others=tuple(Layer(name=n, table=table, at=at[n]) for n, table in tables.items()),
        channel=str(sheet.get(f"{KEY}.channel") or ""),
    )


def layers_dict(vehicle: Vehicle) -> dict[str, Any]:
    """The inverse of ``layered_of``.

    Parameters
    ----------
    vehicle : any.

    Returns
    -------
    Plain values for JSON; nothing of a vehicle with one VE table.
    """
    if vehicle.layered is None:
        return {}
    at = {layer.name: layer.at for layer in (vehicle.own_layer, *vehicle.layers)}
    return {KEY: {"channel": vehicle.layered.channel, **dict(sorted(at.items()))}}


def layer_files(folder: Path, sheet: Sheet) -> dict[str, Path]:
    """Files of the further VE tables, by name.

    Parameters
    ----------
    folder : of the sheet.
    sheet : of a vehicle.

    Returns
    -------
    Paths as the sheet names them; whether they can be files is not looked at.
    """
    return {name: folder / str(sheet.get(f"tables.{name}")) for name in layer_names(sheet)}
