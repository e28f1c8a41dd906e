"""``lean-trim prove`` judges a round by the next log."""

from __future__ import annotations

import argparse
from pathlib import Path

from lean_trim.cli.log_options import add_drive_arguments, log_words
from lean_trim.cli.logs import Logs, warn
from lean_trim.cli.parser import Subcommand

ROUND = "round.json"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    add_drive_arguments(parser)
    parser.add_argument(
        "--before",
        required=True,
        type=Path,
        metavar="DIR",
        help="folder that 'lean-trim correct' wrote for the round that is judged",
    )


def run(args: argparse.Namespace) -> None:
    """Read the round and the next drive, judge, write."""
    from lean_trim.core.decision.proposal import PolicySettings
    from lean_trim.core.errors import BadInputError
    from lean_trim.core.pipeline.proposing import propose_for
    from lean_trim.core.pipeline.proving import prove
    from lean_trim.core.pipeline.solve import SolveSettings, solve
    from lean_trim.core.pipeline.summary import summary_of
    from lean_trim.core.pipeline.too_few import TooFewError
    from lean_trim.features.proof.proof_json import write_proof
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.round_reading import read_written
    from lean_trim.formats.vehicle_sheet import read_vehicle

    vehicle, warnings = read_vehicle(args.vehicle)
    if len(vehicle.airflow_tables) > 1:
        raise BadInputError(
            "a round is proved for an ECU with one airflow table; this one has "
            f"{len(vehicle.airflow_tables)}"
        )
    written = read_written(args.before / ROUND, vehicle.table)
    assumed = vehicle.with_table(written.after)
    logs = Logs(args.log, assumed, {}, args.quiet, log_words(args), args.accept_doubts)
    warn(() if args.quiet else warnings)
    read = [logs.read(path) for path in args.log]
    try:
        solution = solve(read, assumed, SolveSettings())
        proof = prove(written, solution, propose_for(summary_of(solution), PolicySettings()))
    except TooFewError as refused:
        proof = prove(written, refused, None)
    make_folder(args.out)
    write_proof(proof, args.out / "proof.json")
    if args.quiet:
        return
    print(proof.took_said)
    print(proof.outcome_said)
    for outcome in proof.outcomes[:-1]:
        if outcome.word in ("better", "as predicted", "worse"):
            print(
                f"  {outcome.name}: {outcome.word}, off by {outcome.observed_pct:.1f} % rms; "
                f"{outcome.expected_pct:.1f} ± {outcome.expected_error_pct:.1f} % was expected"
            )
    for said in proof.beside:
        print(said)
    print(f"Next: {proof.next_said}")


COMMAND = Subcommand("prove", "judge a round by the next log", add_arguments, run)
