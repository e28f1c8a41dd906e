"""``lean-trim correct`` for an ECU with a MAF curve and a VE table: each from where it was in force."""

from __future__ import annotations

import argparse
import sys

from lean_trim.cli.logs import Logs
from lean_trim.core.data.vehicle import Airflow, Vehicle
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.errors import LogError
from lean_trim.core.pipeline.solve import SolveSettings
from lean_trim.core.pipeline.too_few import TooFewError
from lean_trim.features.table.blended_json import TableRound, write_blended_round
from lean_trim.features.table.correcting import refuse_unsettled, solved, tell

ORDER: tuple[Airflow, ...] = ("maf", "ve")
"""The order of work: the curve first, for most of the driving is on it (common practice, no source)."""
NAMES = {"maf": "MAF curve", "ve": "VE table"}


def correct_blended(
    args: argparse.Namespace,
    logs: Logs,
    vehicle: Vehicle,
    settings: SolveSettings,
    policy: PolicySettings,
) -> None:
    """Solve both tables, write both files and one round.json.

    Parameters
    ----------
    args : of the command.
    logs : that were named.
    vehicle : with both tables.
    settings, policy : as for one table.

    Raises
    ------
    LogError
        If neither table was in force long enough.
    """
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.tables import write_table

    rounds = [_one(logs, vehicle.seen_by(name), settings, policy) for name in ORDER]
    if all(r.summary is None for r in rounds):
        raise LogError("; ".join(f"{NAMES[r.vehicle.airflow]}: {r.why}" for r in rounds))
    for one in rounds:
        if one.summary is not None:
            refuse_unsettled(one.summary, args.despite_swap)
    make_folder(args.out)
    for one in rounds:
        written = one.proposal.table if one.proposal is not None else one.vehicle.table
        write_table(written, args.out / f"{one.vehicle.airflow}.csv")
    write_blended_round(rounds, args.out / "round.json")
    if args.quiet:
        return
    known: frozenset[str] = frozenset()
    for one in rounds:
        name = NAMES[one.vehicle.airflow]
        if one.summary is None or one.proposal is None:
            print(f"{name}: left as it was. {one.why}", file=sys.stderr)
            continue
        known = tell(one.summary, one.proposal, f"{name}: ", known)


def _one(
    logs: Logs, vehicle: Vehicle, settings: SolveSettings, policy: PolicySettings
) -> TableRound:
    from lean_trim.core.pipeline.proposing import propose_for

    try:
        summary = solved(logs, vehicle, settings)
    except TooFewError as error:
        # A table that was hardly in force is left as it was, and that is said.
        return TableRound(vehicle, None, None, str(error))
    return TableRound(vehicle, summary, propose_for(summary, policy))
