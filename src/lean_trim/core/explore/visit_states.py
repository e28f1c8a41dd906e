"""In what state the engine was on each visit to some cells, and which visit asks for something else."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.gears import GearReading
from lean_trim.core.explore.adding_up import Visit
from lean_trim.core.types import Floats, Mask


class Over(StrEnum):
    """What visits are laid out over."""

    TIME = "time"
    COOLANT = "coolant"
    INTAKE = "intake air"
    VOLTS = "voltage"
    GEAR = "gear"
    LOG = "log"


UNITS = {
    Over.TIME: "min",
    Over.COOLANT: "°C",
    Over.INTAKE: "°C",
    Over.VOLTS: "V",
    Over.GEAR: "",
    Over.LOG: "",
}
ROLES = {Over.COOLANT: Role.COOLANT, Over.INTAKE: Role.IAT, Over.VOLTS: Role.BATTERY}
FEWEST = 5
"""Visits below which none can stand apart from the others."""
APART_SIGMAS = 3.0
"""Distance from the middle of the visits, in their own spread, from which one stands apart."""
LEAST_APART_PCT = 2.0
"""And in percent, so that a calm cell has no outliers of a tenth (a choice)."""
MAD_TO_SIGMA = 1.4826
"""Of a normal distribution: standard deviation over median absolute deviation."""


@dataclass(frozen=True, eq=False)
class VisitStates:
    """Visits with their states, (n,) each; NaN where it is not known.

    Attributes
    ----------
    visits : in time order.
    asked_pct : what each asks.
    over : state by kind; minutes, °C, V, gear, number of the log from 1.
    apart : those that ask for something else than the others.
    """

    visits: tuple[Visit, ...]
    asked_pct: Floats
    over: dict[Over, Floats]
    apart: Mask

    @property
    def known(self) -> tuple[Over, ...]:
        """States that are known of some visit and differ between visits."""
        return tuple(
            kind
            for kind, values in self.over.items()
            if kind is Over.TIME or len(np.unique(values[np.isfinite(values)])) > 1
        )


NO_VISITS = VisitStates(
    visits=(), asked_pct=np.zeros(0), over={Over.TIME: np.zeros(0)}, apart=np.zeros(0, bool)
)


def visit_states(frame: Frame, gears: GearReading, visits: Sequence[Visit]) -> VisitStates:
    """The state of the engine on each visit.

    Parameters
    ----------
    frame : of the joined log.
    gears : of the same.
    visits : to some cells.

    Returns
    -------
    Means over each visit; the gear and the log it was mostly in.
    """
    log = frame.log
    spans = [
        slice(
            int(np.searchsorted(log.time_s, v.start_s)),
            int(np.searchsorted(log.time_s, v.end_s, side="right")),
        )
        for v in visits
    ]
    over: dict[Over, Floats] = {Over.TIME: np.array([v.start_s / 60.0 for v in visits])}
    for kind, role in ROLES.items():
        over[kind] = np.array([_mean(log.get(role)[span]) for span in spans])
    over[Over.GEAR] = np.array([_mostly(gears.gear[span]) for span in spans])
    starts = np.array(log.joints_s, float)
    over[Over.LOG] = np.array([1.0 + float((starts <= v.start_s).sum()) for v in visits])
    asked = np.array([100.0 * (v.k - 1.0) for v in visits])
    return VisitStates(tuple(visits), asked, over, _apart(asked))


def _mean(values: Floats) -> float:
    known = values[np.isfinite(values)]
    return float(known.mean()) if len(known) else np.nan


def _mostly(gear: Floats) -> float:
    known = gear[np.isfinite(gear) & (gear > 0)]
    if not len(known):
        return np.nan
    found, counts = np.unique(known, return_counts=True)
    return float(found[np.argmax(counts)])


def _apart(asked: Floats) -> Mask:
    """Visits that ask for something else than the others, by their own spread."""
    known = np.isfinite(asked)
    if known.sum() < FEWEST:
        return np.zeros(len(asked), bool)
    middle = float(np.median(asked[known]))
    spread = MAD_TO_SIGMA * float(np.median(np.abs(asked[known] - middle)))
    far = np.abs(asked - middle) > max(APART_SIGMAS * spread, LEAST_APART_PCT)
    return np.asarray(far & known)
