"""``lean-trim plan``: which minutes of the next drive are worth most, and which may be driven."""

from __future__ import annotations

import argparse
import sys

from lean_trim.cli.log_options import add_drive_arguments, log_words
from lean_trim.cli.logs import Logs, warn
from lean_trim.cli.parser import Subcommand

LEAST_MINUTES = 2.0
MOST_MINUTES = 120.0


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    add_drive_arguments(parser)
    parser.add_argument(
        "--minutes", type=float, default=10.0, help="of the next drive, 2 to 120 (default 10)"
    )
    parser.add_argument(
        "--where",
        choices=("dyno", "road"),
        default="dyno",
        help="what holds the states: a dynamometer or brake (default), or a road with its grades",
    )
    parser.add_argument(
        "--airflow-table",
        default="",
        metavar="NAME",
        help="of an ECU with several, the one that is planned for (default: the sheet's first)",
    )


def run(args: argparse.Namespace) -> None:
    """Read, solve, plan the drive of the corrected table, write."""
    from lean_trim.core.decision.proposal import PolicySettings
    from lean_trim.core.errors import BadInputError
    from lean_trim.core.pipeline.planning import plan_next
    from lean_trim.core.pipeline.proposing import propose_for
    from lean_trim.core.pipeline.solve import SolveSettings, solve
    from lean_trim.core.pipeline.summary import summary_of
    from lean_trim.core.planning.card import card_lines
    from lean_trim.core.planning.full_throttle import full_throttle_lines
    from lean_trim.core.planning.open_questions import open_questions
    from lean_trim.features.planning.plan_json import CAUTION, write_plan
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.vehicle_sheet import read_vehicle

    if not LEAST_MINUTES <= args.minutes <= MOST_MINUTES:
        raise BadInputError(
            f"--minutes {args.minutes:g}: allowed is {LEAST_MINUTES:g} to {MOST_MINUTES:g}"
        )
    vehicle, warnings = read_vehicle(args.vehicle)
    logs = Logs(args.log, vehicle, {}, args.quiet, log_words(args), args.accept_doubts)
    warn(() if args.quiet else warnings)
    if args.airflow_table:
        if args.airflow_table not in vehicle.airflow_tables:
            known = ", ".join(vehicle.airflow_tables)
            raise BadInputError(f"--airflow-table {args.airflow_table}: allowed are {known}")
        vehicle = vehicle.seen_by(args.airflow_table)
    solution = solve([logs.read(path) for path in args.log], vehicle, SolveSettings())
    proposal = propose_for(summary_of(solution), PolicySettings())
    plan = plan_next(solution, proposal.step_pct, args.minutes, args.where)
    card = card_lines(plan, vehicle.name)
    make_folder(args.out)
    questions = open_questions(solution.findings)
    write_plan(plan, proposal.table, card, args.out / "plan.json", questions)
    if args.quiet:
        return
    print(f"caution: {CAUTION}", file=sys.stderr)
    for line in card:
        print(line)
    for line in full_throttle_lines(plan, plan.ratios):
        print(line)
    for line in questions:
        print(line)
    left = int(plan.not_yet.sum())
    if left:
        print(
            f"{left} states are not offered: they may be too lean, or nothing below them is proven. "
            "Plan again after this drive."
        )


COMMAND = Subcommand("plan", "plan the next drive on the corrected table", add_arguments, run)
