"""What every way of correcting an airflow table by command shares: solving, refusing, telling."""

from __future__ import annotations

import sys
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from lean_trim.core.errors import BadInputError

if TYPE_CHECKING:
    from lean_trim.cli.logs import Logs
    from lean_trim.core.data.vehicle import Vehicle
    from lean_trim.core.decision.proposal import Proposal
    from lean_trim.core.diagnosis.finding import Finding
    from lean_trim.core.pipeline.solve import SolveSettings
    from lean_trim.core.pipeline.summary import Summary

SWAPPED = (
    "{said} The airflow table is not corrected for it: put the injector data right first "
    "(lean-trim "
    "injectors says them), then correct again; --despite-swap writes the table all the same."
)

GAUGE_ASKED = (
    "{said} The airflow table follows from which of them is off: compare the gauge with another or "
    "in "
    "free air, then correct again with --gauge off (the wideband is off) or --gauge right (the "
    "loop is)."
)


def refuse_unsettled(summary: Summary, despite_swap: bool) -> None:
    """Write nothing while the injectors are certainly others, or a gauge is in question.

    Raises BadInputError with what settles it.
    """
    from lean_trim.core.diagnosis.causes import certain_swap
    from lean_trim.core.diagnosis.of_fit import gauge_in_question

    swap = certain_swap(summary.findings)
    if swap is not None and not despite_swap:
        raise BadInputError(SWAPPED.format(said=swap.said))
    gauge = gauge_in_question(summary.findings)
    if gauge is not None:
        raise BadInputError(GAUGE_ASKED.format(said=gauge.said))


def tell(
    summary: Summary, proposal: Proposal, before: str = "", known: frozenset[str] = frozenset()
) -> frozenset[str]:
    """Say what was found, dangers on stderr, and what changed.

    Parameters
    ----------
    summary, proposal : of one table.
    before : in front of every line about the table.
    known : findings that were said of another table of the same drive.

    Returns
    -------
    Lines about the drive that have been said now.
    """
    import numpy as np

    from lean_trim.core.decision.shortfall import shortfalls
    from lean_trim.core.decision.written import written_words

    lines = [line_of(f) for f in summary.findings if f.severity != "note"]
    for line in lines:
        if line not in known:
            print(line, file=sys.stderr)
    for left in shortfalls(summary.estimate, proposal, summary.vehicle.induction):
        print(f"{before}{line_of(left)}", file=sys.stderr)
    shared = float(np.mean(summary.shared_error_pct))
    for line in written_words(summary.estimate, proposal, summary.residual.rms, shared):
        print(f"{before}{line}")
    return known | frozenset(lines)


def line_of(finding: Finding) -> str:
    """A finding on one line: how grave, how sure where that is a question, and what it is."""
    sure = (
        f", {finding.sureness} ({100.0 * finding.probability:.0f} %)"
        if finding.probability < 1.0
        else ""
    )
    return f"{finding.severity}{sure}: {finding.message}"


def solved(logs: Logs, vehicle: Vehicle, settings: SolveSettings) -> Summary:
    """Solve all logs in one piece, or one after another where they are too many for that."""
    from lean_trim.core.pipeline.batch import MOST_JOINT, solve_batch
    from lean_trim.core.pipeline.solve import solve
    from lean_trim.core.pipeline.summary import places_of, summary_of

    driven = []
    for path in logs.paths:
        driven.append(logs.read(path))
        if sum(len(d.log) for d in driven) > MOST_JOINT:
            driven.clear()
            return solve_batch([partial(logs.read, p) for p in logs.paths], vehicle, settings)
    solution = solve(driven, vehicle, settings)
    return replace(summary_of(solution), places=places_of(solution))
