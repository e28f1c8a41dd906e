"""A solve → what happens when air moves faster than fuel, and what to change for it."""

from __future__ import annotations

from lean_trim.core.pipeline.solve import Solution, film_evidence, table_factor
from lean_trim.core.transients.quick_changes import QuickChanges, quick_changes, rows_of, what_is_missing
from lean_trim.core.transients.wall_film import WallFilm, fit_wall_film, no_film


def wall_film_of(solution: Solution) -> tuple[WallFilm, QuickChanges | None]:
    """The wall film as one drive tells it.

    Parameters
    ----------
    solution : of one or more logs, by the surface.

    Returns
    -------
    The film and the quick changes it was read from.
    """
    frame = solution.frame
    missing = what_is_missing(frame)
    if missing is not None:
        return no_film(solution.delay.settings, missing), None
    k = table_factor(frame, solution.estimate)
    _, may = film_evidence(solution.prepared, solution.sifted, solution.observations, solution.estimate)
    changes = quick_changes(frame, rows_of(frame, k), may)
    return fit_wall_film(changes, solution.delay.settings), changes
