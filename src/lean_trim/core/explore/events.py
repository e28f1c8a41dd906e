"""Moments of a drive worth jumping to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.explore.adding_up import LEAST_SHARE
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.transients.events import Kind, Transient, of_kind
from lean_trim.core.types import Mask


class EventKind(StrEnum):
    """What happened."""

    TIP_IN = "tip-in"
    FUEL_CUT = "fuel cut"
    PULL = "pull"
    SHIFT = "gear change"
    FAULT = "finding"
    MARK = "bookmark"


@dataclass(frozen=True)
class Event:
    """A stretch of time with a kind and a line of text."""

    kind: EventKind
    start_s: float
    end_s: float
    text: str


MIN_PULL_S = 1.5
MIN_CUT_S = 0.5
APART_S = 1.0
TIP_S = 0.5
"""What is shown of an opening."""
AFTER_TIP_S = 1.5
"""After an opening until pressure and mixture have settled (common practice, no source)."""


def find_events(solution: Solution) -> tuple[Event, ...]:
    """Tip-ins, fuel cuts, pulls, gear changes and findings of a drive, in time order.

    Parameters
    ----------
    solution : of one round.

    Returns
    -------
    Events a reader may want to go to.
    """
    log = solution.frame.log
    regime = solution.regime
    out = _stretches(
        solution, regime == Regime.FULL_THROTTLE, MIN_PULL_S, EventKind.PULL, "full throttle"
    )
    out += _stretches(solution, regime == Regime.OVERRUN, MIN_CUT_S, EventKind.FUEL_CUT, "fuel cut")
    # Without a throttle an opening is told by pressure.
    by = "throttle by {:.0f} %" if Role.THROTTLE in log else "pressure by {:.0f} kPa"
    out += [
        Event(EventKind.TIP_IN, t.edge_s, t.edge_s + TIP_S, f"{t.kind}, {by.format(t.size)}")
        for t in _openings(solution, Kind.TIP_IN, Kind.STAB)
    ]
    if Role.GEAR in log:
        gear = np.nan_to_num(log[Role.GEAR])
        out += _stretches(
            solution, np.diff(gear, prepend=gear[:1]) != 0, 0.0, EventKind.SHIFT, "gear changes"
        )
    for finding in solution.findings:
        out.append(
            Event(
                EventKind.FAULT,
                finding.first_time_s,
                finding.first_time_s + finding.seconds,
                finding.message,
            )
        )
    return tuple(sorted(out, key=lambda e: e.start_s))


def _stretches(
    solution: Solution, mask: Mask, min_s: float, kind: EventKind, text: str
) -> list[Event]:
    time = solution.frame.log.time_s
    on = np.flatnonzero(mask)
    if not len(on):
        return []
    groups = np.split(on, np.flatnonzero(np.diff(time[on]) > APART_S) + 1)
    return [
        Event(kind, float(time[g[0]]), float(time[g[-1]]), text)
        for g in groups
        if time[g[-1]] - time[g[0]] >= min_s
    ]


def next_event(
    events: tuple[Event, ...], after_s: float, kinds: frozenset[EventKind] | None = None
) -> Event | None:
    """The first event that begins after a time, of the wanted kinds (all if None).

    Parameters
    ----------
    events : in time order.
    after_s : on the joined log, s.
    kinds : wanted ones; all if None.

    Returns
    -------
    The event, or None.
    """
    return next(
        (e for e in events if e.start_s > after_s + 1e-6 and (kinds is None or e.kind in kinds)),
        None,
    )


def previous_event(
    events: tuple[Event, ...], before_s: float, kinds: frozenset[EventKind] | None = None
) -> Event | None:
    """The last event that begins before a time.

    Parameters
    ----------
    events : in time order.
    before_s : on the joined log, s.
    kinds : wanted ones; all if None.

    Returns
    -------
    The event, or None.
    """
    fit = [e for e in events if e.start_s < before_s - 1e-6 and (kinds is None or e.kind in kinds)]
    return fit[-1] if fit else None


def _openings(solution: Solution, *kinds: Kind) -> Sequence[Transient]:
    return of_kind(solution.prepared.transients, *kinds)


def tip_in_cells(solution: Solution) -> Mask:
    """Cells whose values fuelled the engine as the throttle opened, and until that had settled.

    The sieve takes most of these samples out of a correction; the cells are where a wrong table and
    a wrong wall film look alike.

    Parameters
    ----------
    solution : of one round.

    Returns
    -------
    In the table's shape.
    """
    time = solution.frame.log.time_s
    part = np.zeros(len(time), bool)
    for opening in _openings(solution, Kind.TIP_IN):
        ends = (opening.edge_s, opening.edge_s + AFTER_TIP_S)
        part[slice(*np.searchsorted(time, ends, side="left"))] = True
    mesh = solution.frame.mesh
    table = solution.estimate.table
    out = np.zeros(table.size, bool)
    # Where the place is not known weights are NaN, and count for no cell.
    out[mesh.cells[part][mesh.weights[part] > LEAST_SHARE]] = True
    return out.reshape(table.shape)
