"""The corrections of fuel as cards: their words, units, and what a proposal rests on."""

from __future__ import annotations

from functools import partial

from lean_trim.core.data.fuel_corrections import ENRICHMENT, KINDS
from lean_trim.core.data.tables import Table
from lean_trim.features.transients.fuel_corrections import FuelCorrections
from lean_trim.formats.tables.block import Block
from lean_trim.formats.tables.fuel_corrections import (
    CorrectionForm,
    correction_of,
    form_said,
    units_of,
)
from lean_trim.ui.session import Session
from lean_trim.ui.widgets.card_kind import CardKind, Units

POINTS = {
    "MAP rate": ("50, 100, 200, 400", "kPa/s"),
    "time without fuel": ("0.5, 1, 3, 8", "s"),
    "coolant": ("0, 20, 40, 60, 80", "°C"),
    "intake air": ("0, 20, 40, 60", "°C"),
    "MAP": ("20, 60, 100, 180", "kPa"),
    "engine speed": ("1000, 2500, 5000", "rpm"),
}
"""By the usual axis: an example of points, and their unit."""


def correction_card(name: str, session: Session) -> CardKind:
    """One of the corrections of fuel."""
    kind = KINDS[name]
    tables = session.part(FuelCorrections)
    points, unit = POINTS[kind.axes[0]]
    return CardKind(
        tables=tables,
        name=name,
        title=kind.title,
        words=kind.words,
        what=_what(name),
        empty="",
        units=units_of(name),
        said=partial(_said, name),
        read=partial(_read, name),
        fill=partial(tables.fill, name),
        points=points,
        points_unit=unit,
        axis="points",
        law=lambda _: "",
    )


def _what(name: str) -> str:
    kind = KINDS[name]
    columns = f"Two columns or rows: {' or '.join(kind.axes)}, and what is held"
    return (
        f"{columns}; or a grid with engine speed across." if name == ENRICHMENT else f"{columns}."
    )


def _said(name: str, block: Block, units: Units) -> Units:
    form, named = form_said(block, name)
    # Cells tell by themselves how they count; an axis nobody named stays as it was chosen.
    return {"axis": form.axis if "axis" in named else units["axis"], "cells": form.cells}


def _read(name: str, block: Block, units: Units) -> Table:
    return correction_of(block, name, CorrectionForm(axis=units["axis"], cells=units["cells"]))
