"""Cautions that belong to a decision about to be made."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.data.table_kinds import heavy_rows, row_pressures
from lean_trim.core.data.tables import Table
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.decision.regions import boosted
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.of_fit import ENDS_ID, GAUGE_ID
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import cells_in_words
from lean_trim.core.types import Floats, Mask


class Kind(StrEnum):
    """What a caution speaks of; its value is said in one line with others."""

    FOUND = "found in the log"
    HOLES = "lean in boost where nobody drove"
    BOOST = "leaner in boost"
    KNOCK = "leaner where knock was seen"
    LOAD = "leaner near full load"
    SHIFT = "less load by leaning"
    LARGE = "large steps"
    SHAPE = "out of line"
    INJECTORS = "injectors, perhaps"
    AGAINST = "the log is doubted"


GRAVE = (Kind.FOUND, Kind.HOLES, Kind.BOOST, Kind.KNOCK, Kind.AGAINST)
"""Kinds that are dangers; the others are cautions."""


@dataclass(frozen=True, eq=False)
class Caution:
    """What is to be minded before a decision.

    Attributes
    ----------
    kind : what it speaks of.
    text : in full.
    cells : it speaks of, flat; none where it speaks of the table or the log.
    short : in a few words where the kind's own do not name it.
    """

    kind: Kind
    text: str
    cells: frozenset[int] = frozenset()
    short: str = ""

    @property
    def is_danger(self) -> bool:
        """True where an engine may be destroyed."""
        return self.kind in GRAVE

    @property
    def words(self) -> str:
        """In a few words, with the number of cells."""
        if self.short:
            return self.short
        return f"{len(self.cells)} {self.kind}" if self.cells else str(self.kind)


def _of(kind: Kind, text: Said, mask: Mask) -> Caution:
    return Caution(kind=kind, text=str(text), cells=frozenset(np.flatnonzero(mask).tolist()))


class Say:
    """Sentences of this module."""

    ROUGH_AND_LEAN = Message(
        "cautions.rough_and_lean",
        "{cells} would stand more than {percent:g} % out of line with the cells beside, ",
    )
    SHAPE_OR_CARRY = Message(
        "cautions.shape_or_carry",
        "{many}{holes} (lean there): shape the edges, or carry enrichment.",
    )
    ROUGH = Message(
        "cautions.rough",
        "{cells} would stand more than {percent:g} % out of line with the cells beside: shape the "
        "edges or drive them.",
    )
    SOME_LEAN_HOLES = Message(
        "cautions.some_lean_holes", "{lean} of them not driven and lower than both"
    )
    ALL_LEAN_HOLES = Message("cautions.all_lean_holes", "not driven and lower than both")
    LEANER_IN_BOOST = Message(
        "cautions.leaner_in_boost",
        "{cells} above atmospheric would get less fuel. Lean under boost destroys engines: end "
        "runs on lean, knock or falling fuel pressure.",
    )
    LARGE_STEPS = Message(
        "cautions.large_steps",
        "{cells} would change by more than {percent:g} %. Check fuel pressure and injectors first.",
    )
    LEANER_WHERE_KNOCKED = Message(
        "cautions.leaner_where_knocked",
        "{cells} in which knock was seen would get less fuel; the rule that holds them is off.",
    )
    LOAD_SHIFTS = Message(
        "cautions.load_shifts",
        "Up to {percent:.0f} % leaner above {pressure:g} kPa is that much less load: rescale spark "
        "and target that are read over it.",
    )
    LEANER_AT_LOAD = Message(
        "cautions.leaner_at_load",
        "{cells} near full load would get less fuel. Approach full throttle in short runs.",
    )

    DANGERS = Message("cautions.dangers", "Found: {names}.{next_step}")
    FOR_SECONDS = Message("cautions.for_seconds", "{name} for {seconds:.1f} s")
    LEAN_FULL_THROTTLE = Message("cautions.lean_full_throttle", "lean at full throttle")
    KNOCK = Message("cautions.knock", "knock")
    REGULATOR = Message("cautions.regulator", "a fuel pressure that does not follow the manifold")
    SENSOR_END = Message("cautions.sensor_end", "an airflow sensor at its end")
    LAMBDA_END = Message("cautions.lambda_end", "a lambda reading at the end of its range")
    FULL_OPEN = Message("cautions.full_open", "injectors that are open all the time")
    PRESSURE = Message("cautions.pressure", "a fuel pressure that falls")
    DELIVERY = Message("cautions.delivery", "fuel that does not all arrive")
    GAUGE = Message("cautions.gauge", "a lambda gauge that is off, or the loop beside it")
    OTHER = Message("cautions.other", "{said}")
    INJECTORS = Message(
        "cautions.injectors",
        "What is asked has the shape of {what} ({sureness}): the Injectors desk tells that from "
        "airflow, and written into this table it stays there.",
    )


OF_INJECTORS = {"dead_time": "a dead time", "injector_flow": "an injector flow"}
NAMES: Mapping[str, Message] = {
    "lean_full_throttle": Say.LEAN_FULL_THROTTLE,
    "knock": Say.KNOCK,
    "regulator": Say.REGULATOR,
    "airflow_sensor_end": Say.SENSOR_END,
    "lambda_at_its_end": Say.LAMBDA_END,
    "injectors_full_open": Say.FULL_OPEN,
    "fuel_pressure": Say.PRESSURE,
    ENDS_ID: Say.DELIVERY,
    GAUGE_ID: Say.GAUGE,
}
"""Dangers by finding, in a few words."""
ANSWERED = ("lean_full_throttle", "knock")
"""Dangers the correction itself answers: it enriches there, or takes nothing out. They are named as well;
what to do next is told of the others."""
LARGE_STEP_PCT = 8.0
"""Beyond what a sound part-throttle table is off by (common practice, no source)."""
LOADED_KPA = 80.0
LOAD_SHIFT_PCT = 3.0
"""Where load-based tables matter most, and the leaning from which their shift is told (common
practice)."""


def cautions_for(
    table: Table, step_pct: Floats, cells: Iterable[int] | None, policy: PolicySettings
) -> list[Caution]:
    """What is to be minded beside an accept button.

    Parameters
    ----------
    step_pct : change that would be made per cell, in the table's shape; negative takes fuel out.
    cells : the cells in question, all if None.
    """
    step = _of_cells(step_pct, cells)
    out = []
    lean_boost = boosted(table, policy.atmospheric_kpa) & (step < -0.5)
    # One caution about leaning is read, two are not: the graver one stands.
    if lean_boost.any():
        said = Say.LEANER_IN_BOOST(cells=cells_in_words(int(lean_boost.sum())))
        out.append(_of(Kind.BOOST, said, lean_boost))
    elif len(table.axes) == 2:
        load = np.broadcast_to(heavy_rows(table)[:, None], table.shape)
        lean_load = load & (step < -2.0)
        if lean_load.any():
            said = Say.LEANER_AT_LOAD(cells=cells_in_words(int(lean_load.sum())))
            out.append(_of(Kind.LOAD, said, lean_load))
    shift = _load_shift(table, step)
    if shift:
        out.append(Caution(kind=Kind.SHIFT, text=shift))
    large = np.abs(step) > LARGE_STEP_PCT
    if large.any():
        said = Say.LARGE_STEPS(cells=cells_in_words(int(large.sum())), percent=LARGE_STEP_PCT)
        out.append(_of(Kind.LARGE, said, large))
    return out


def _load_shift(table: Table, step: Floats) -> str:
    """What leaning does to tables that are read over load, "" where it is too little to tell."""
    if len(table.axes) != 2:
        return ""
    pressures = row_pressures(table)
    rows = heavy_rows(table) if pressures is None else np.asarray(pressures >= LOADED_KPA)
    # The deepest leaning: one cell is enough to move what is read over load.
    most = -float(np.min(step[rows], initial=0.0))
    if most < LOAD_SHIFT_PCT:
        return ""
    return str(Say.LOAD_SHIFTS(percent=most, pressure=LOADED_KPA))


def fault_caution(findings: Sequence[Finding]) -> list[Caution]:
    """A caution that names every danger that was found, what no table mends first.

    Returns one or none.
    """
    grave = [f for f in findings if f.severity == "danger"]
    if not grave:
        return []
    ordered = sorted(grave, key=lambda f: f.id in ANSWERED)
    step = None if ordered[0].id in ANSWERED else ordered[0].next_step
    names = "; ".join(_named(f) for f in ordered)
    text = str(Say.DANGERS(names=names, next_step="" if step is None else f" {step}"))
    return [Caution(kind=Kind.FOUND, text=text, short=names)]


def _named(finding: Finding) -> str:
    """A danger in a few words, with how long it was seen."""
    message = NAMES.get(finding.id)
    name = str(message()) if message is not None else str(Say.OTHER(said=finding.said)).rstrip(".")
    return str(Say.FOR_SECONDS(name=name, seconds=finding.seconds)) if finding.seconds else name


def injector_caution(findings: Sequence[Finding]) -> list[Caution]:
    """A caution if injectors would explain what is asked of the airflow table.

    Returns one or none.
    """
    for finding in findings:
        named = [name for name in OF_INJECTORS if name in (finding.id, *finding.alike)]
        if named:
            what = OF_INJECTORS[named[0]]
            text = str(Say.INJECTORS(what=what, sureness=finding.sureness))
            return [Caution(kind=Kind.INJECTORS, text=text)]
    return []


def knock_caution(step_pct: Floats, knocked: Mask, cells: Iterable[int] | None) -> list[Caution]:
    """A caution if fuel would be taken out where knock was seen, because the user switched that rule off.

    Parameters
    ----------
    step_pct : change that would be made per cell, percent, in the table's shape.
    knocked : cells knock was seen in, in the table's shape.
    cells : the cells in question, all if None.

    Returns
    -------
    One or none.
    """
    leaner = knocked & (_of_cells(step_pct, cells) < 0.0)
    said = Say.LEANER_WHERE_KNOCKED(cells=cells_in_words(int(leaner.sum())))
    return [_of(Kind.KNOCK, said, leaner)] if leaner.any() else []


HOLE_PCT = 5.0
"""Depth of a cell below both neighbours, %, told as a hole (common practice, no source)."""


def holes(table: Table, values: Floats) -> Mask:
    """Cells left as they were that now stand more than 5 % below both neighbours along an axis.

    Those that did so before do not count.

    Parameters
    ----------
    table : as it was driven on.
    values : that would be written, in the table's shape.

    Returns
    -------
    In the table's shape.
    """
    count = np.zeros(table.shape, bool)
    kept = values == table.values
    for axis in range(len(table.axes)):
        new = np.moveaxis(values, axis, 0)
        old = np.moveaxis(table.values, axis, 0)
        # Below both neighbours: a slope has one higher and one lower.
        low = np.minimum(new[:-2], new[2:])
        was = np.minimum(old[:-2], old[2:])
        deep = (new[1:-1] < low * (1 - HOLE_PCT / 100)) & ~(old[1:-1] < was * (1 - HOLE_PCT / 100))
        np.moveaxis(count, axis, 0)[1:-1] |= deep & np.moveaxis(kept, axis, 0)[1:-1]
    return count


KINK_PCT = 5.0
"""Bend of the table between neighbours, %, told as a kink (common practice, no source)."""


def kinks(table: Table, values: Floats) -> Mask:
    """Cells that now stand more than 5 % off the line between their neighbours along an axis.

    They also have to stand 2 % further off than before.

    Parameters
    ----------
    table : as it was driven on.
    values : that would be written, in the table's shape.

    Returns
    -------
    In the table's shape.
    """
    off = np.zeros(table.shape, bool)
    for axis in range(len(table.axes)):
        now, was = (np.abs(_bends(table, field, axis)) for field in (values, table.values))
        # A bend the table had is its tuner's; only what is written now is spoken of.
        rough = (now > KINK_PCT / 100) & (now > was + 0.02)
        np.moveaxis(off, axis, -1)[..., 1:-1] |= rough
    return off


def _bends(table: Table, values: Floats, axis: int) -> Floats:
    """How far the inner cells stand off the line between their neighbours along an axis, last."""
    points = table.axes[axis].points
    share = (points[1:-1] - points[:-2]) / (points[2:] - points[:-2])
    # In logarithms, so that a percent is a percent at idle and at full load.
    logs = np.moveaxis(np.log(values), axis, -1)
    return np.asarray(logs[..., 1:-1] - (logs[..., :-2] * (1 - share) + logs[..., 2:] * share))


def off_line_pct(table: Table, values: Floats) -> Floats:
    """How far every cell stands off the line between its neighbours, along the axis on which that is more.

    Parameters
    ----------
    table : gives the axes.
    values : in its shape.

    Returns
    -------
    Percent, in the table's shape; 0 for cells that have no neighbours on both sides.
    """
    out = np.zeros(table.shape)
    for axis in range(len(table.axes)):
        bends = np.zeros(table.shape)
        np.moveaxis(bends, axis, -1)[..., 1:-1] = 100.0 * _bends(table, values, axis)
        out = np.where(np.abs(bends) > np.abs(out), bends, out)
    return out


def shape_faults(table: Table, values: Floats) -> int:
    """Cells the shape caution would speak of.

    Parameters
    ----------
    table : as it was driven on.
    values : that would be written, in the table's shape.

    Returns
    -------
    Number of cells out of line or below both neighbours.
    """
    return max(int(kinks(table, values).sum()), int(holes(table, values).sum()))


def shape_caution(table: Table, values: Floats) -> list[Caution]:
    """A caution if the written table would be rougher than the driven one or have lean holes.

    Parameters
    ----------
    table : as it was driven on.
    values : that would be written, in the table's shape.

    Returns
    -------
    One or none.
    """
    off_line = kinks(table, values)
    low = holes(table, values)
    rough = int(off_line.sum())
    lean = int(low.sum())
    if not rough and not lean:
        return []
    if not lean:
        said = Say.ROUGH(cells=cells_in_words(rough), percent=KINK_PCT)
        return [_of(Kind.SHAPE, said, off_line)]
    many = str(Say.ROUGH_AND_LEAN(cells=cells_in_words(max(rough, lean)), percent=KINK_PCT))
    whole = str(Say.SOME_LEAN_HOLES(lean=lean)) if rough > lean else str(Say.ALL_LEAN_HOLES())
    return [_of(Kind.SHAPE, Say.SHAPE_OR_CARRY(many=many, holes=whole), off_line | low)]


def _of_cells(step_pct: Floats, cells: Iterable[int] | None) -> Floats:
    """The steps of the cells in question, 0 elsewhere."""
    mask = np.zeros(step_pct.size, bool)
    mask[list(range(mask.size) if cells is None else cells)] = True
    return np.where(mask.reshape(step_pct.shape), step_pct, 0.0)
