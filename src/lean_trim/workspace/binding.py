"""What a request was made for, so that its answer can be told from one that is no longer wanted."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.vehicle import AirflowSourceSettings, Injectors, Vehicle
from lean_trim.core.pipeline.solve import SolveSettings
from lean_trim.job.records import Span


@dataclass(frozen=True)
class Binding:
    """Everything a solve depends on.

    Attributes
    ----------
    job : number of the opened job.
    round_id, revision_id : the round that is solved, the calibration it was driven on.
    logs : ids of the round's logs.
    left_out : stretches of them left out by hand.
    earlier : rounds whose drives count too: id, ids of their logs, stretches left out.
    settings, airflow_source : as they are at rest.
    vehicle : what the car is, beside its tables; another record is another car.
    injectors : flow, volts and dead times the round was driven on, for its revision may get another
        table.
    """

    job: int
    round_id: int
    revision_id: int
    logs: tuple[int, ...]
    left_out: tuple[Span, ...]
    earlier: tuple[tuple[int, tuple[int, ...], tuple[Span, ...]], ...]
    settings: SolveSettings
    airflow_source: AirflowSourceSettings | None
    vehicle: Vehicle
    injectors: tuple[float, ...]

    def same_but_for_settings(self, other: Binding) -> bool:
        """True if an answer for one may be refitted into an answer for the other."""
        return replace(self, settings=other.settings) == other


def injector_key(injectors: Injectors) -> tuple[float, ...]:
    """Injector data as numbers that can be compared.

    Returns flow, volts, dead times and what short pulses get; -1 for a flow that is not known.
    """
    flow = injectors.flow_g_per_s
    known = -1.0 if np.isnan(flow) else float(flow)
    small = (*injectors.small_open_ms.tolist(), *injectors.small_add_ms.tolist())
    return (known, *injectors.volts.tolist(), *injectors.dead_time_ms.tolist(), *small)


def needs_refit_only(before: SolveSettings, after: SolveSettings) -> bool:
    """True if nothing was changed that the whole way from the log depends on."""
    plain = replace(
        after,
        sieve=before.sieve,
        surface=before.surface,
        averages=before.averages,
        method=before.method,
    )
    return plain == before
