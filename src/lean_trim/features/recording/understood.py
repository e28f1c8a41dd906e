"""What a recording says so far: its channels, what its rate allows, and the table solved from it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import LeanTrimError, LogError
from lean_trim.core.messages import Said
from lean_trim.core.pipeline.carrying import Earlier
from lean_trim.core.types import Floats
from lean_trim.formats.decode.recorded import columns_of
from lean_trim.formats.logs import open_log
from lean_trim.formats.meaning.choices import Choices, shape_of
from lean_trim.formats.meaning.match import Match
from lean_trim.formats.recording.reading import read_recording
from lean_trim.live.rates import Allowed, allowed_by, rates_in
from lean_trim.live.roles import Meanings, meanings_of

KNOWN_PCT = 2.0
"""A cell with an error of its own below this is known."""


@dataclass(frozen=True, eq=False)
class Understood:
    """What a recording says so far.

    Attributes
    ----------
    log : it, on common rows.
    matches : its channels' roles.
    doubts : questions only the user can settle; with one nothing is solved.
    meanings : of channels, to follow them live.
    rates : readings a second by role.
    allowed : what can be worked out of it.
    shape : key of its columns.
    """

    log: Log
    matches: tuple[Match, ...]
    doubts: tuple[str, ...]
    meanings: Meanings
    rates: Mapping[Role, float]
    allowed: Allowed
    shape: str


@dataclass(frozen=True, eq=False)
class SolvedSoFar:
    """The table from the drive so far, with earlier drives.

    Attributes
    ----------
    correction_pct, error_pct : asked, and its own error, in the table's shape; NaN where nothing is known.
    known : cells whose error is small.
    seconds : used of this drive.
    error_median_pct : of the cells this drive visited.
    why_not : why there is none.
    """

    correction_pct: Floats
    error_pct: Floats
    known: int
    seconds: float
    error_median_pct: float
    why_not: str | Said = ""


def understand(
    path: Path, vehicle: Vehicle, remembered: Mapping[str, Choices], said: Choices | None = None
) -> Understood | None:
    """Read what was recorded so far; None while it is too short to say anything.

    Parameters
    ----------
    path : of the recording, which may still grow.
    vehicle : whose car it is.
    remembered : the user's word by shape of the columns.
    said : the user's word of this drive, which counts where more channels have come since.

    Returns
    -------
    What it says.
    """
    recorded = read_recording(path)
    if not recorded.rows:
        return None
    columns, places = columns_of(recorded)
    try:
        shape = shape_of(columns)
        choices = remembered.get(shape, said)
        mapped = open_log(path, vehicle.stoich_afr, choices, hashed=False, vehicle=vehicle).mapped
    except LogError:
        return None
    rates = rates_in(mapped.log)
    return Understood(
        log=mapped.log,
        matches=mapped.matches,
        doubts=mapped.doubts,
        meanings=meanings_of(mapped, places, recorded.streams),
        rates=rates,
        allowed=allowed_by(rates),
        shape=shape,
    )


def solve_so_far(log: Log, vehicle: Vehicle, earlier: Sequence[Earlier]) -> SolvedSoFar:
    """Solve the drive so far.

    Parameters
    ----------
    log : of the drive so far, without a doubt.
    vehicle : as driven.
    earlier : what earlier drives said.

    Returns
    -------
    The table; empty, with the reason, where it cannot be solved yet.
    """
    from lean_trim.core.pipeline.look import NOT_LOOKED
    from lean_trim.core.pipeline.solve import conclude, measure

    nothing = np.full(vehicle.table.shape, np.nan)
    try:
        solution = conclude(measure([log], vehicle, earlier=earlier), NOT_LOOKED)
    except LeanTrimError as refusal:
        return SolvedSoFar(nothing, nothing, 0, 0.0, float("nan"), refusal.said or str(refusal))
    estimate = solution.estimate
    error = estimate.own_error_pct
    visited = estimate.seconds > 0.0
    seen = error[visited & np.isfinite(error)]
    return SolvedSoFar(
        correction_pct=estimate.correction_pct,
        error_pct=error,
        known=int(np.count_nonzero(error < KNOWN_PCT)),
        seconds=float(solution.observations.seconds.sum()),
        error_median_pct=float(np.median(seen)) if len(seen) else float("nan"),
    )
