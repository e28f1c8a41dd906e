"""``lean-trim simulate``: a log of the simulated car driven on a calibration."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from lean_trim.cli.parser import Subcommand

TO_STANDARD_OUTPUT = "-"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    parser.add_argument("--vehicle", required=True, type=Path)
    parser.add_argument(
        "--out", required=True, type=Path, help="a CSV file, or - to stream to standard output"
    )
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--minutes", type=float, default=12.0)
    parser.add_argument(
        "--plan",
        type=Path,
        metavar="FILE",
        help="a plan.json whose states are held in its order, once the engine is warm",
    )
    parser.add_argument(
        "--car",
        default="",
        help="the engine of a demo car behind the sheet; an unknown name lists them",
    )
    parser.add_argument(
        "--fault",
        default="",
        help="drive with faults: names with commas between, each with :strength or without; an "
        "unknown name "
        "lists them",
    )


def run(args: argparse.Namespace) -> None:
    """Drive, and write or stream the log."""
    from lean_trim.core.data.log import Log, concatenate
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.logs import header_lines, row_lines, write_log_csv
    from lean_trim.formats.vehicle_sheet import read_vehicle
    from lean_trim.simcar.cars import faults_on_drive, truth_of
    from lean_trim.simcar.drive import drive
    from lean_trim.simcar.faults import SOUND, faults_of
    from lean_trim.simcar.planned import WARM_UP_S, planned_legs, states_of

    # The seed of a demo car's drive is its number.
    own = faults_on_drive(args.car, args.seed) if args.car and not args.fault else SOUND
    faults = faults_of(args.fault) if args.fault else own
    vehicle, warnings = read_vehicle(args.vehicle)
    for line in () if args.quiet else warnings:
        print(f"warning: {line}", file=sys.stderr)
    streams = str(args.out) == TO_STANDARD_OUTPUT
    pieces: list[Log] = []
    truth = truth_of(args.car, vehicle) if args.car else None
    legs = planned_legs(states_of(args.plan), WARM_UP_S) if args.plan else None
    for piece in drive(vehicle, args.seed, args.minutes, truth=truth, faults=faults, legs=legs):
        if streams:
            sys.stdout.write(
                (header_lines(piece.channels) if not pieces else "") + row_lines(piece)
            )
            sys.stdout.flush()
        pieces.append(piece)
    if not streams:
        make_folder(args.out.parent)
        write_log_csv(concatenate(pieces, "drive"), args.out)


COMMAND = Subcommand(
    "simulate", "drive the simulated car with this calibration", add_arguments, run
)
