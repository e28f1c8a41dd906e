"""What a request was made for, so that its answer can be told from one that is no longer wanted."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lean_trim.core.data.vehicle import AirflowSourceSettings
from lean_trim.core.pipeline.solve import SolveSettings
from lean_trim.job.records import Span


@dataclass(frozen=True)
class Binding:
    """Everything a solve depends on.

    Attributes
    ----------
    job : number of the opened job.
    round_id, revision_id : the round that is solved, the calibration it was driven on.
    logs : (round id, log id) of every log that counts, the round's own first.
    left_out : stretches left out by hand, by round.
    settings, airflow_source : as they are at rest.
    """

    job: int
    round_id: int
    revision_id: int
    logs: tuple[tuple[int, int], ...]
    left_out: tuple[tuple[Span, ...], ...]
    settings: SolveSettings
    airflow_source: AirflowSourceSettings | None

    def same_but_for_settings(self, other: Binding) -> bool:
        """True if an answer for one may be refitted into an answer for the other.

        Parameters
        ----------
        other : another binding.

        Returns
        -------
        Whether only the settings of the solve differ.
        """
        return replace(self, settings=other.settings) == other


def needs_refit_only(before: SolveSettings, after: SolveSettings) -> bool:
    """True if nothing was changed that the whole way from the log depends on.

    Parameters
    ----------
    before, after : settings of two solves.

    Returns
    -------
    Whether ``refit`` leads from one to the other.
    """
    plain = replace(
        after, sieve=before.sieve, surface=before.surface, averages=before.averages, method=before.method
    )
    return plain == before
