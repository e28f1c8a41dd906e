"""From an estimate to the table that would be written: gain, step limits, resolution and range."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.tables import OwnUnit, Table
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision.driving_shares import DrivingShares
from lean_trim.core.decision.knock import no_leaner_where_read
from lean_trim.core.decision.regions import REGION_NAMES, boosted
from lean_trim.core.decision.restraints import Restraints, no_restraints
from lean_trim.core.decision.unvisited import UNVISITED, Unvisited, steps_for_unvisited
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.bounds import UNKNOWN_PCT
from lean_trim.core.estimation.edge_nodes import edge_nodes, nearest_speeds
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.knobs import Knob, default_of
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Ints


class Say:
    """Sentences of this module."""

    UNVISITED = Message("proposal.unvisited", "unvisited is {unvisited!r}; allowed are {allowed}")
    REGION = Message(
        "proposal.region", "cell {cell} is put into region {region!r}; allowed are {allowed}"
    )


class Status(StrEnum):
    """Which rule decided a cell."""

    CORRECTED = "corrected"
    KEPT = "kept"
    LIMITED = "limited"
    RANGE = "range"
    PINNED = "pinned"
    KNOCK = "knock"
    FAULT = "fault"
    FILLED = "filled"
    CARRIED = "carried"
    RISING = "rising"
    EXTRAPOLATED = "extrapolated"
    BEYOND = "beyond"
    SCALED = "scaled"
    UNPROVEN = "not proven"
    WAITS = "waits for fuel pressure"
    ONE_SIDED = "read from one side"
    NOT_IN_FORCE = "not in force"


STATUS_TEXT = {
    Status.CORRECTED: "changed by what the drive says",
    Status.KEPT: "kept: not enough steady driving here",
    Status.LIMITED: "changed by the step limit, less than asked; drive again before going further",
    Status.RANGE: "stopped at the end of the table's range; the scale has to be moved, not the "
    "cell",
    Status.PINNED: "kept: pinned by hand",
    Status.KNOCK: "kept: knock was seen here, so no fuel is taken out",
    Status.FAULT: "kept: a fault was seen here, so no fuel is taken out until it is mended or "
    "settled",
    Status.FILLED: "not driven: filled with what the surface through the driven cells says here",
    Status.CARRIED: "not driven: enriched as its nearest driven neighbour was",
    Status.RISING: "raised so that the curve never falls",
    Status.EXTRAPOLATED: "not driven: on the line of the last driven segment or raised as its last "
    "point, "
    "whichever is richer",
    Status.BEYOND: "kept: at or past the reading at which the airflow sensor met its end",
    Status.UNPROVEN: "not proven: fuel may not have arrived here; never leaner until the supply is "
    "mended",
    Status.WAITS: "part of it written: fuel pressure was not logged, and a weak pump needs fuel "
    "like this",
    Status.SCALED: "raised with the whole table by what feedback gave at its stop; drive again",
    Status.NOT_IN_FORCE: "kept: the other airflow table was in force here",
    Status.ONE_SIDED: "less taken out than needed: driving reads this point from one side only, so "
    "it is "
    "leaned hardly more than the driven one beside it",
}


STATUS_WORD = {
    Status.CORRECTED: "changed by the drive",
    Status.KEPT: "kept for want of driving",
    Status.LIMITED: "cut at the step limit",
    Status.RANGE: "at the end of the range",
    Status.PINNED: "pinned",
    Status.KNOCK: "held for knock",
    Status.FAULT: "held for a fault",
    Status.FILLED: "filled, not driven",
    Status.CARRIED: "enriched like a neighbour",
    Status.RISING: "raised to keep rising",
    Status.EXTRAPOLATED: "carried past the end",
    Status.BEYOND: "past the sensor's end",
    Status.SCALED: "raised with the whole table",
    Status.UNPROVEN: "not proven: fuel supply",
    Status.WAITS: "waiting for fuel pressure",
    Status.ONE_SIDED: "read from one side",
    Status.NOT_IN_FORCE: "the other table's",
}
"""The same in a few words, for counts."""
POLICY_KNOBS: tuple[Knob, ...] = (
    Knob(
        "gain",
        "Share written, all",
        1.0,
        0.0,
        1.0,
        "",
        tip="Part of every correction that is written; it multiplies the share of the regime.",
    ),
    Knob(
        "gain_idle",
        "Share at idle",
        1.0,
        0.0,
        1.0,
        "",
        tip="For what was driven at idle. A cell driven half at idle gets the mean of both shares.",
    ),
    Knob(
        "gain_part",
        "Share at part throttle",
        1.0,
        0.0,
        1.0,
        "",
        tip="For what was driven neither at idle nor at full throttle.",
    ),
    Knob(
        "gain_full",
        "Share at full throttle",
        1.0,
        0.0,
        1.0,
        "",
        tip="For what was driven at full throttle up to atmospheric pressure; in boost the share "
        "in boost "
        "counts.",
    ),
    Knob(
        "gain_boost",
        "Share in boost",
        1.0,
        0.0,
        1.0,
        "",
        tip="For every cell above the pressure below; full throttle in boost is written by this "
        "share alone.",
    ),
    Knob(
        "add_limit_pct",
        "Most fuel added",
        25.0,
        0.0,
        100.0,
        "%",
        tip="No cell gets more fuel than this in one round.",
    ),
    Knob(
        "remove_limit_pct",
        "Most fuel removed",
        20.0,
        0.0,
        100.0,
        "%",
        tip="No cell gets less fuel than this in one round.",
    ),
    Knob(
        "boost_remove_limit_pct",
        "Most removed in boost",
        12.0,
        0.0,
        100.0,
        "%",
        tip="The same above atmospheric pressure, where lean is dangerous.",
    ),
    Knob(
        "full_lean_whole_pct",
        "Lean, whole up to",
        10.0,
        0.0,
        100.0,
        "%",
        tip="Leaner by up to this is written whole where the engine ran at full throttle or in "
        "boost; of "
        "more, the share below. Richer is written whole.",
    ),
    Knob(
        "full_lean_share",
        "Share beyond that",
        0.67,
        0.0,
        1.0,
        "",
        tip="Part of a large leaning at full throttle that is written at once: a first run that "
        "needs "
        "-15 % gets -10 %, then a new run tells.",
    ),
    Knob(
        "fill_limit_pct",
        "Most added, not driven",
        15.0,
        0.0,
        50.0,
        "%",
        tip="No cell nobody drove gets more fuel than this: too rich misfires and burns the "
        "catalyst.",
    ),
    Knob(
        "rich_bias_pct",
        "Rich bias",
        0.0,
        0.0,
        5.0,
        "%",
        tip="Fuel added to every correction as a margin on the safe side.",
    ),
    Knob(
        "atmospheric_kpa",
        "Boost counts from",
        101.0,
        60.0,
        110.0,
        "kPa",
        tip="Rows above this manifold pressure are boost; from less where the barometer stood "
        "lower.",
    ),
)
"""Numbers of the policy (common practice, no source)."""
BEYOND_EDGE_PCT = 2.0
"""Most a node nobody can drive is leaned beyond the driven one beside it, percent (a choice: an
engine pulled down to it stalls where it is lean)."""
SURE_ERROR_PCT = 1.5
"""Own error up to which a leaning is written whole, percent (a choice)."""
MOSTLY_FULL = 0.5
"""Share of its seconds from which a cell was driven at full throttle."""
LOWEST_KPA = 60.0
"""No road is so high that boost begins below."""


@dataclass(frozen=True)
class PolicySettings:
    """How much of an estimate is written at once.

    Attributes
    ----------
    gain, gain_idle, gain_part, gain_full, gain_boost : shares written, 0 to 1.
    add_limit_pct, remove_limit_pct, boost_remove_limit_pct : largest steps, percent.
    full_lean_whole_pct, full_lean_share : leanings of cells driven at full throttle or in boost are
        written whole up to the first, percent, of larger ones the second share, but no less than
        the first.
    fill_limit_pct : most fuel added to a cell nobody drove, percent.
    rich_bias_pct, atmospheric_kpa : extra fuel, percent; pressure from which boost counts, kPa.
    unvisited : what happens to cells without support. "filled": what the surface says where that is
        an enrichment, else the old value; "keep" their value; "carry" the enrichment of the nearest
        driven cell, never a leaning; "taper" the same, halved with every cell of distance; "sure"
        as filled, and leaner by what two standard errors leave between driven cells below
        atmospheric.
    extrapolate_end : raise a curve past its last driven point, along its last segment or as its
        last point, never below the old value.
    supply_sound : the user vouches for the fuel supply, though its pressure was not logged.
    pinned : flat indices of cells that must not change.
    regions : cells the user put into another region than the drive tells, with its name; rising.

    The shares multiply: a cell driven half at idle gets gain · (gain_idle + gain_part) / 2. Raises
    BadInputError outside a range.
    """

    gain: float = default_of(POLICY_KNOBS, "gain")
    gain_idle: float = default_of(POLICY_KNOBS, "gain_idle")
    gain_part: float = default_of(POLICY_KNOBS, "gain_part")
    gain_full: float = default_of(POLICY_KNOBS, "gain_full")
    gain_boost: float = default_of(POLICY_KNOBS, "gain_boost")
    add_limit_pct: float = default_of(POLICY_KNOBS, "add_limit_pct")
    remove_limit_pct: float = default_of(POLICY_KNOBS, "remove_limit_pct")
    boost_remove_limit_pct: float = default_of(POLICY_KNOBS, "boost_remove_limit_pct")
    full_lean_whole_pct: float = default_of(POLICY_KNOBS, "full_lean_whole_pct")
    full_lean_share: float = default_of(POLICY_KNOBS, "full_lean_share")
    fill_limit_pct: float = default_of(POLICY_KNOBS, "fill_limit_pct")
    rich_bias_pct: float = default_of(POLICY_KNOBS, "rich_bias_pct")
    atmospheric_kpa: float = default_of(POLICY_KNOBS, "atmospheric_kpa")
    unvisited: Unvisited = "filled"
    extrapolate_end: bool = False
    supply_sound: bool = False
    pinned: frozenset[int] = field(default_factory=frozenset)
    regions: tuple[tuple[int, str], ...] = ()

    def __post_init__(self) -> None:
        for knob in POLICY_KNOBS:
            knob.checked(getattr(self, knob.name))
        if self.unvisited not in UNVISITED:
            raise BadInputError(
                Say.UNVISITED(unvisited=self.unvisited, allowed=", ".join(UNVISITED))
            )
        for cell, region in self.regions:
            if cell < 0 or region not in REGION_NAMES:
                raise BadInputError(
                    Say.REGION(cell=cell, region=region, allowed=", ".join(REGION_NAMES))
                )


@dataclass(frozen=True, eq=False)
class Proposal:
    """The table that would be written and, per cell, the step in percent and the rule that decided it.

    ``policy`` is the one it was made by, with boost counted from where the job's barometer puts it;
    ``nearest_rpm`` the engine speed nearest to a point that driving reads from one side only, NaN at
    the others, None where nothing is said.
    """

    table: Table
    step_pct: Floats
    status: NDArray[np.object_]
    policy: PolicySettings
    nearest_rpm: Floats | None = None


def propose(
    estimate: Estimate,
    settings: PolicySettings,
    limits: TableLimits,
    restraints: Restraints | None = None,
    driving: DrivingShares | None = None,
) -> Proposal:
    """Apply the policy to an estimate.

    Parameters
    ----------
    restraints : what the drive says beside the estimate; nothing if None.
    driving : how each cell was driven, for the shares by regime; all part throttle if None.
    """
    table = estimate.table
    settings = _with_barometer(settings, driving)
    held_by = restraints or no_restraints(table.shape)
    wanted = _wanted(estimate, settings, held_by, driving)
    status = np.full(table.shape, Status.CORRECTED, object)
    remove = np.full(table.shape, settings.remove_limit_pct)
    remove[boosted(table, settings.atmospheric_kpa)] = settings.boost_remove_limit_pct
    # What feedback itself has given is no step into the unknown.
    most = np.maximum(settings.add_limit_pct, held_by.least_pct + UNKNOWN_PCT)
    step = np.clip(_careful(table, wanted, settings, driving), -remove, most)
    # Rounding of the clip itself must not mark a cell as limited.
    status[np.abs(step - wanted) > 1e-9] = Status.LIMITED
    keep = ~estimate.supported
    step[keep], status[keep] = 0.0, Status.KEPT
    boost = boosted(table, settings.atmospheric_kpa)
    blind = steps_for_unvisited(
        settings.unvisited, wanted, estimate.own_error_pct, step, estimate.supported, boost
    )
    moved = keep & (np.abs(blind) > 0.0)
    if held_by.not_in_force is not None:
        # What another table stands for is not to be filled from this one's neighbours.
        moved[:] = False
        status[keep & held_by.not_in_force] = Status.NOT_IN_FORCE
    end_at = driving.end_at if driving is not None and len(table.axes) == 1 else np.inf
    pegged = np.isfinite(end_at)
    if pegged and estimate.supported.any():
        # Where the sensor met its end, what lies past it is unknown air.
        moved[int(np.flatnonzero(estimate.supported)[-1]) + 1 :] = False
    status[moved] = Status.CARRIED if settings.unvisited in ("carry", "taper") else Status.FILLED
    step[moved] = np.clip(blind, -remove, min(settings.fill_limit_pct, settings.add_limit_pct))[
        moved
    ]
    step, status = _restrained(step, status, held_by, estimate, settings)
    if settings.extrapolate_end and len(table.axes) == 1 and not pegged:
        ahead = _past_the_end(table, step, estimate.supported, settings.add_limit_pct)
        status[keep & (ahead > 0)] = Status.EXTRAPOLATED
        step = np.where(keep & (ahead > 0), ahead, step)
    if pegged:
        # A point past the end is asked for by readings below it, and would be bent for air nobody
        # measured.
        beyond = table.axes[0].points >= end_at
        step[beyond], status[beyond] = 0.0, Status.BEYOND
    if held_by.knock_at is not None and len(held_by.knock_at.cells):
        richer = no_leaner_where_read(step, table.values, held_by.knock_at)
        status[richer != step] = Status.KNOCK
        step = richer
    pinned = np.isin(np.arange(table.size), list(settings.pinned)).reshape(table.shape)
    step[pinned], status[pinned] = 0.0, Status.PINNED
    nearest = None if held_by.gaps is None else nearest_speeds(table, held_by.gaps)
    return replace(_written(table, step, status, limits, settings), nearest_rpm=nearest)


def _wanted(
    estimate: Estimate, settings: PolicySettings, held_by: Restraints, driving: DrivingShares | None
) -> Floats:
    """Percent each cell would be changed by if nothing spoke against it."""
    table = estimate.table
    error = np.nan_to_num(estimate.own_error_pct, nan=np.inf)
    proven = _proven(np.nan_to_num(estimate.correction_pct), error)
    richer = settings.rich_bias_pct + held_by.richer_pct * _loaded(table, settings, driving)
    return _gain(table, settings, driving) * (proven + richer)


def _with_barometer(settings: PolicySettings, driving: DrivingShares | None) -> PolicySettings:
    """The policy with boost counted from where the barometer of the drive puts it."""
    if driving is None:
        return settings
    from_kpa = min(settings.atmospheric_kpa, max(driving.boost_from_kpa, LOWEST_KPA))
    return replace(settings, atmospheric_kpa=from_kpa)


def _restrained(
    step: Floats,
    status: NDArray[np.object_],
    held_by: Restraints,
    estimate: Estimate,
    settings: PolicySettings,
) -> tuple[Floats, NDArray[np.object_]]:
    """Steps under everything the drive says beside its estimate, what forbids leaner first."""
    # Something was seen there that forbids leaner; richer is allowed.
    for cells, why in ((held_by.knock, Status.KNOCK), (held_by.fault, Status.FAULT)):
        held = cells & (step < 0.0)
        step[held], status[held] = 0.0, why
    if held_by.gaps is not None:
        beside = edge_nodes(estimate.table, held_by.gaps).beside
        step, status = _no_leaner_than_beside(step, status, beside, estimate.supported)
    if held_by.ceiling_pct is not None and not settings.supply_sound:
        waits = step > held_by.ceiling_pct
        step = np.where(waits, held_by.ceiling_pct, step)
        status[waits] = Status.WAITS
    step = np.where(held_by.unproven, np.maximum(step, 0.0), step)
    status[held_by.unproven] = Status.UNPROVEN
    # Feedback has given so much already; no limit of a round keeps that out of the table.
    raised = step < held_by.least_pct
    status[raised] = np.where(estimate.seconds[raised] > 0.0, Status.LIMITED, Status.SCALED)
    step = np.maximum(step, held_by.least_pct)
    return step, status


def _no_leaner_than_beside(
    step: Floats, status: NDArray[np.object_], beside: Ints, supported: NDArray[np.bool_]
) -> tuple[Floats, NDArray[np.object_]]:
    """Nodes read from one side, leaned hardly more than the driven node on that side."""
    there = np.maximum(beside, 0)
    least = np.minimum(0.0, step.ravel()[there]) - BEYOND_EDGE_PCT
    held = (beside >= 0) & supported.ravel()[there] & (step < least)
    return np.where(held, least, step), np.where(held, Status.ONE_SIDED, status)


def _gain(table: Table, settings: PolicySettings, driving: DrivingShares | None) -> Floats:
    """Share of the correction written per cell."""
    idle, full = (driving.idle, driving.full) if driving is not None else (0.0, 0.0)
    part = 1.0 - idle - full
    share = idle * settings.gain_idle + full * settings.gain_full + part * settings.gain_part
    share = np.where(boosted(table, settings.atmospheric_kpa), settings.gain_boost, share)
    # The user's word moves shares only; limits and cautions go by pressure and driving.
    for cell, region in settings.regions:
        if cell < table.size:
            share.ravel()[cell] = getattr(settings, f"gain_{region}")
    return np.asarray(settings.gain * share)


def _loaded(table: Table, settings: PolicySettings, driving: DrivingShares | None) -> Floats:
    """Share of a cell's driving at full throttle, 1 in boost."""
    full = driving.full if driving is not None else 0.0
    return np.where(boosted(table, settings.atmospheric_kpa), 1.0, full)


def _proven(wanted: Floats, error: Floats) -> Floats:
    """Leanings, less what their own error is beyond one percent; richer is not held back by it."""
    doubt = np.maximum(0.0, error - SURE_ERROR_PCT)
    return np.where(wanted < 0.0, np.minimum(0.0, wanted + doubt), wanted)


def _careful(
    table: Table, wanted: Floats, settings: PolicySettings, driving: DrivingShares | None
) -> Floats:
    """Large leanings of cells driven at full throttle or in boost, a part of them: no feedback checks those.

    Rising without a step: up to the limit whole, beyond it the share, once that is more than the
    limit.
    """
    loaded = boosted(table, settings.atmospheric_kpa)
    if driving is not None:
        loaded = loaded | (driving.full > MOSTLY_FULL)
    whole = settings.full_lean_whole_pct
    part = -np.maximum(settings.full_lean_share * -wanted, whole)
    return np.where(loaded & (wanted < -whole), part, wanted)


def _past_the_end(
    table: Table, step: Floats, supported: NDArray[np.bool_], most_pct: float
) -> Floats:
    """Steps of the points past the last driven one.

    The richer of the line of the last driven segment and its last enrichment.

    A sensor's curve bends upwards, so that the line alone would often mean less air than before; it
    is never less than 0.
    """
    out = np.zeros(table.shape)
    last = int(np.flatnonzero(supported)[-1]) if supported.any() else 0
    if last < 1 or not supported[last - 1]:
        return out
    x = table.axes[0].points
    new = table.values * (1.0 + step / 100.0)
    slope = (new[last] - new[last - 1]) / (x[last] - x[last - 1])
    line = new[last] + slope * (x[last + 1 :] - x[last])
    on_line = 100.0 * (line / table.values[last + 1 :] - 1.0)
    out[last + 1 :] = np.clip(np.maximum(on_line, step[last]), 0.0, most_pct)
    return out


def _written(
    table: Table,
    step: Floats,
    status: NDArray[np.object_],
    limits: TableLimits,
    policy: PolicySettings,
) -> Proposal:
    """Round to the field, keep untouched cells exactly, keep a curve rising."""
    held = table.values if table.own is None else table.own.own(table.values)
    # A range the table itself goes beyond is not the field's: cut to it, cells would get leaner
    # that
    # nobody asked for.
    values, clipped = quantise(table.values * (1 + step / 100), limits.holding(held), table.own)
    # Rounding would change cells nobody touched, and each would look like a decision.
    same = step == 0.0
    values[same] = table.values[same]
    status[clipped & ~same] = Status.RANGE
    if len(table.axes) == 1:
        # An ECU may refuse a falling curve, and a sensor cannot have one.
        rising = np.maximum.accumulate(values)
        status[rising > values] = Status.RISING
        values = rising
    return Proposal(table.with_values(values), 100 * (values / table.values - 1), status, policy)


def quantise(
    values: Floats, limits: TableLimits, own: OwnUnit | None = None
) -> tuple[Floats, NDArray[np.bool_]]:
    """Round to the field's resolution and clip to its range; also tells which cells were clipped.

    Parameters
    ----------
    values : what corrections multiply, any shape.
    limits : of the table's field, in the ECU's own numbers.
    own : how the ECU counts, None if as ``values`` are.

    Returns
    -------
    Values that can be written, and True where one was clipped.
    """
    as_held = np.asarray(values, float) if own is None else own.own(values)
    rounded: Floats = np.round(as_held / limits.resolution) * limits.resolution
    decimals = max(0, int(np.ceil(-np.log10(limits.resolution))) + 2)
    # What is multiplied has to stay above 0.
    lowest = max(limits.lowest, (own.offset if own is not None else 0.0) + limits.resolution)
    clipped = (rounded < lowest) | (rounded > limits.highest)
    held = np.round(np.clip(rounded, lowest, limits.highest), decimals)
    return np.asarray(held if own is None else own.ours(held), np.float64), clipped
