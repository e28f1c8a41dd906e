"""What targets people run, by load: advice beside a target table, never a value that is written."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.table_kinds import heavy_rows, row_pressures
from lean_trim.core.data.tables import Table
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import cells_in_words
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    CRUISE = Message(
        "targets.cruise", "Part load: {span}; people run {from_:.2f} to {to:.2f}.{odd}"
    )
    FULL = Message(
        "targets.full",
        "Full load up to atmospheric: {span}; people run {from_:.2f} to {to:.2f}.{odd}",
    )
    BOOST = Message(
        "targets.boost",
        "Boost: {span}; people run {from_:.2f} to {to:.2f} where it is high, and go over to that "
        "from full load's as it rises.{odd}",
    )
    LEANER = Message("targets.leaner", " {cells} leaner than that.")
    RICHER = Message("targets.richer", " {cells} richer than that.")
    LEAN_AT_LOAD = Message(
        "targets.lean_at_load",
        "{cells} at load are leaner than people run there: heat and knock rise with it. Approach "
        "in short runs with a second person on λ and knock; lean under boost destroys engines.",
    )
    TOO_RICH = Message(
        "targets.too_rich",
        "{cells} are below {limit:.2f}: so rich it misfires, washes the bores and burns the "
        "catalyst.",
    )


class Load(StrEnum):
    """What a target cell is for."""

    CRUISE = "part load"
    BETWEEN = "between"
    FULL = "full load"
    BOOST = "boost"


USUAL: dict[Load, tuple[float, float]] = {
    Load.CRUISE: (0.95, 1.02),
    Load.FULL: (0.86, 0.90),
    Load.BOOST: (0.78, 0.83),
}
"""Targets people run (common practice, no source)."""
SENTENCES = {Load.CRUISE: Say.CRUISE, Load.FULL: Say.FULL, Load.BOOST: Say.BOOST}
TOO_RICH = 0.70
"""Below it a mixture burns badly (common practice, no source)."""
CRUISE_BELOW = 0.72
FULL_FROM = 0.90
BOOST_FROM = 1.06
"""Shares of the barometer at which rows count as part load, full load and boost; enrichment comes
on between
the first two (common practice, no source)."""
WHOLE_BOOST = 1.4
"""Share of the barometer from which boost's own targets hold; from atmospheric pressure to there they
go over in a line (common practice, no source)."""
SLACK = 0.005
"""A target table shows two digits; half of the last is no difference."""


def loads_of(table: Table, baro_kpa: float) -> NDArray[np.object_]:
    """What each row of a target table is for.

    Returns a ``Load`` a row, shape (rows,); of rows that are no pressure only part load and full
    load.
    """
    pressures = row_pressures(table)
    if pressures is None:
        return np.where(heavy_rows(table), Load.FULL, Load.CRUISE).astype(object)
    share = pressures / baro_kpa
    out = np.full(len(share), Load.BETWEEN, object)
    out[share < CRUISE_BELOW] = Load.CRUISE
    out[share >= FULL_FROM] = Load.FULL
    out[share >= BOOST_FROM] = Load.BOOST
    return out


def bands_of(table: Table, baro_kpa: float) -> Floats:
    """What people run in each row: from and to, going over smoothly from full load to boost.

    Returns shape (2, rows).
    """
    loads = loads_of(table, baro_kpa)
    usual = [USUAL.get(load, (0.0, np.inf)) for load in loads]
    out = np.array(usual, float).T
    pressures = row_pressures(table)
    if pressures is None:
        return out
    boost = loads == Load.BOOST
    over = np.clip((pressures / baro_kpa - 1.0) / (WHOLE_BOOST - 1.0), 0.0, 1.0)[boost]
    for i in range(2):
        full, whole = USUAL[Load.FULL][i], USUAL[Load.BOOST][i]
        out[i, boost] = full + over * (whole - full)
    return out


@dataclass(frozen=True, eq=False)
class TargetAdvice:
    """Advice on a target table.

    Attributes
    ----------
    loads : a ``Load`` a row, shape (rows,).
    odd : +1 where a cell is leaner than people run, -1 where richer, shape (rows, columns).
    said : a sentence for each load that is there.
    cautions : what is dangerous.
    """

    loads: NDArray[np.object_]
    odd: NDArray[np.int8]
    said: tuple[Said, ...]
    cautions: tuple[Said, ...]


def advise(table: Table, values: Floats, baro_kpa: float) -> TargetAdvice:
    """Hold targets against what people run.

    Parameters
    ----------
    table : of target lambda, over two axes.
    values : that would be written, shape (rows, columns).
    baro_kpa : barometer.

    Returns
    -------
    The advice.
    """
    loads = loads_of(table, baro_kpa)
    bands = bands_of(table, baro_kpa)
    odd = np.zeros(values.shape, np.int8)
    said = []
    for load, (from_, to) in USUAL.items():
        rows = loads == load
        if not rows.any():
            continue
        part = values[rows]
        low, high = bands[:, rows, None]
        odd[rows] = (part > high + SLACK).astype(np.int8) - (part < low - SLACK).astype(np.int8)
        counts = (
            (Say.LEANER, int((odd[rows] > 0).sum())),
            (Say.RICHER, int((odd[rows] < 0).sum())),
        )
        words = "".join(str(message(cells=cells_in_words(n))) for message, n in counts if n)
        said.append(SENTENCES[load](span=_span(part), from_=from_, to=to, odd=words))
    cautions = []
    lean = int((odd[np.isin(loads, (Load.FULL, Load.BOOST))] > 0).sum())
    if lean:
        cautions.append(Say.LEAN_AT_LOAD(cells=cells_in_words(lean)))
    rich = int((values < TOO_RICH - SLACK).sum())
    if rich:
        cautions.append(Say.TOO_RICH(cells=cells_in_words(rich), limit=TOO_RICH))
    return TargetAdvice(loads, odd, tuple(said), tuple(cautions))


def _span(values: Floats) -> str:
    low, high = (f"{v:.2f}" for v in (values.min(), values.max()))
    return low if low == high else f"{low} to {high}"
