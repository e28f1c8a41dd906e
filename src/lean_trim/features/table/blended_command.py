"""``lean-trim correct`` for an ECU with several airflow tables: each from where it was in force."""

from __future__ import annotations

import argparse
import sys

from lean_trim.cli.logs import Logs
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.errors import LogError
from lean_trim.core.pipeline.solve import SolveSettings
from lean_trim.core.pipeline.too_few import TooFewError
from lean_trim.features.table.blended_json import TableRound, write_blended_round
from lean_trim.features.table.correcting import refuse_unsettled, solved, tell


def correct_blended(
    args: argparse.Namespace,
    logs: Logs,
    vehicle: Vehicle,
    settings: SolveSettings,
    policy: PolicySettings,
) -> None:
    """Solve every table, write every file and one round.json.

    Parameters
    ----------
    args : of the command.
    logs : that were named.
    vehicle : with all its tables.
    settings, policy : as for one table.

    Raises
    ------
    LogError
        If no table was in force long enough.
    """
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.tables import write_table

    rounds = [
        _one(logs, vehicle.seen_by(name), settings, policy) for name in vehicle.airflow_tables
    ]
    if all(r.summary is None for r in rounds):
        raise LogError("; ".join(f"{r.vehicle.table_title}: {r.why}" for r in rounds))
    for one in rounds:
        if one.summary is not None:
            refuse_unsettled(one.summary, args.despite_swap)
    make_folder(args.out)
    for one in rounds:
        written = one.proposal.table if one.proposal is not None else one.vehicle.table
        write_table(written, args.out / f"{one.vehicle.table_name}.csv")
    write_blended_round(rounds, args.out / "round.json")
    if args.quiet:
        return
    known: frozenset[str] = frozenset()
    for one in rounds:
        name = one.vehicle.table_title
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
