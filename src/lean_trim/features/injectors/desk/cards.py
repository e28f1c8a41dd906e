"""The injector tables as cards: their words, units and laws."""

from __future__ import annotations

from functools import partial

from lean_trim.core.data.calibration import DEAD_TIME, INJECTOR_FLOW, SMALL_PULSES
from lean_trim.core.data.fuels import FUELS, PETROL, fuel_of
from lean_trim.core.data.injector_tables import SQUARE_ROOT, law_of
from lean_trim.core.data.tables import Table
from lean_trim.formats.tables.block import Block
from lean_trim.formats.tables.injector_tables import (
    InjectorForm,
    form_said,
    injector_table_of,
    units_of,
)
from lean_trim.ui.session import Session
from lean_trim.ui.widgets.card_kind import CardKind, Units
from lean_trim.workspace.injector_tables import WORDS

TITLES = {
    INJECTOR_FLOW: "Flow of one injector",
    DEAD_TIME: "Dead time",
    SMALL_PULSES: "Added to short pulses",
}
WHAT = {
    INJECTOR_FLOW: "Two columns or rows: fuel pressure across the injector, and flow.",
    DEAD_TIME: "Two columns or rows: volts and dead time; or a grid of volts and fuel pressure.",
    SMALL_PULSES: "Two columns or rows: open time that is wanted (without dead time), and what is "
    "added.",
}
POINTS = {INJECTOR_FLOW: "250, 300, 350", DEAD_TIME: "8, 10, 12, 14, 16", SMALL_PULSES: ""}
POINT_UNITS = {INJECTOR_FLOW: "kPa", DEAD_TIME: "V", SMALL_PULSES: "ms"}
AXES = {INJECTOR_FLOW: "pressures", DEAD_TIME: "voltages", SMALL_PULSES: "open times"}


def injector_card(name: str, session: Session) -> CardKind:
    """One of the injector tables."""
    tables = session.injectors
    return CardKind(
        tables=tables,
        name=name,
        title=TITLES[name],
        words=WORDS[name],
        what=WHAT[name],
        empty=f"No {WORDS[name]} of this car yet: paste the ECU's own, or say it on Vehicle.",
        units=units_of(name),
        said=partial(_said, name),
        read=partial(_read, name, session),
        fill=None if name == SMALL_PULSES else partial(tables.fill, name),
        points=POINTS[name],
        points_unit=POINT_UNITS[name],
        axis=AXES[name],
        law=law_words if name == INJECTOR_FLOW else lambda _: "",
    )


def _said(name: str, block: Block, units: Units) -> Units:
    form = InjectorForm(pressure=units.get("pressure", "kPa"), cells=units["cells"])
    found = form_said(block.rows[0], name, form)
    named = {"pressure": found.pressure, "cells": found.cells}
    return {key: named[key] for key in units}


def _read(name: str, session: Session, block: Block, units: Units) -> Table:
    vehicle = session.vehicle
    fuel = FUELS.get(fuel_of(vehicle.stoich_afr)) if vehicle is not None else None
    form = InjectorForm(
        pressure=units.get("pressure", "kPa"),
        cells=units["cells"],
        density_kg_per_l=(fuel or PETROL).density_kg_per_l,
    )
    return injector_table_of(block, name, form)


def law_words(table: Table) -> str:
    """How a flow follows pressure, beside the square root."""
    exponent = law_of(table.axes[0].points, table.values).exponent
    return f"Flow follows pressure to the power {exponent:.2f}; the square-root law says {SQUARE_ROOT:g}."
