"""The command line: ``lean-trim`` opens the window, sub-commands work without one."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from pathlib import Path

from lean_trim import __version__
from lean_trim.core.errors import LeanTrimError

GAIN_HELP = "share of the wanted correction that is written, 0 to 1 (default 1)"


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> None:  # type: ignore[override]
        self.exit(2, f"{self.prog}: {message}\n")


def build_parser() -> argparse.ArgumentParser:
    """The parser of the sub-commands."""
    parser = _Parser(prog="lean-trim", description="Correct an engine's airflow table from drive logs.")
    parser.add_argument("--version", action="version", version=f"lean-trim {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, parser_class=_Parser)
    correct = commands.add_parser("correct", help="write the corrected airflow table")
    correct.add_argument("--vehicle", required=True, type=Path)
    correct.add_argument("--log", required=True, type=Path, action="append")
    correct.add_argument("--out", required=True, type=Path)
    correct.add_argument("--method", choices=("surface", "average"), default="surface")
    correct.add_argument("--gain", type=float, default=1.0, help=GAIN_HELP)
    correct.add_argument("--unvisited", choices=("keep", "carry", "taper"), default="keep")
    correct.add_argument("--rich-bias", type=float, default=0.0, help="extra fuel in corrected cells, 0 to 5 percent")
    correct.add_argument(
        "--regime-gain", action="append", default=[], metavar="REGIME=SHARE", help="idle, part, full or boost, 0 to 1"
    )
    correct.add_argument("--extrapolate-end", action="store_true", help="carry a curve's last segment on")
    correct.add_argument(
        "--driven-on",
        action="append",
        default=[],
        metavar="LOG=TABLE",
        help="the table a log was driven on, if another",
    )
    correct.add_argument(
        "--sieve", action="append", default=[], metavar="RULE.KNOB=VALUE", help="turn a knob of the sieve"
    )
    correct.add_argument("--sieve-off", action="append", default=[], metavar="RULE", help="switch a rule off")
    correct.set_defaults(run=_correct)
    simulate = commands.add_parser("simulate", help="drive the simulated car with this calibration")
    simulate.add_argument("--vehicle", required=True, type=Path)
    simulate.add_argument("--out", required=True, type=Path, help="a CSV file, or - to stream to standard output")
    simulate.add_argument("--seed", type=int, default=1)
    simulate.add_argument("--minutes", type=float, default=12.0)
    simulate.add_argument("--fault", default="", help="drive with a fault, by name; an unknown name lists them")
    simulate.set_defaults(run=run_simulate)
    return parser


def _correct(args: argparse.Namespace) -> None:
    from lean_trim.cli.correct import run_correct

    run_correct(args)


def run_simulate(args: argparse.Namespace) -> None:
    """``lean-trim simulate``: a log of the simulated car driven on this calibration."""
    from lean_trim.core.data.log import Log, concatenate
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.logs import header_lines, row_lines, write_log_csv
    from lean_trim.formats.vehicle_sheet import read_vehicle
    from lean_trim.simcar.drive import drive
    from lean_trim.simcar.faults import Faults, fault_named

    faults = fault_named(args.fault) if args.fault else Faults()
    vehicle, warnings = read_vehicle(args.vehicle)
    for line in warnings:
        print(f"warning: {line}", file=sys.stderr)
    pieces: list[Log] = []
    for piece in drive(vehicle, args.seed, args.minutes, faults=faults):
        if str(args.out) == "-":
            sys.stdout.write((header_lines(piece.channels) if not pieces else "") + row_lines(piece))
            sys.stdout.flush()
        pieces.append(piece)
    if str(args.out) != "-":
        make_folder(args.out.parent)
        write_log_csv(concatenate(pieces, "drive"), args.out)


def main(argv: Sequence[str] | None = None) -> int:
    """Entry point. Returns 0 when done, 2 on bad input (one line on stderr)."""
    # Small linear systems are slower on several threads; this has to be said before NumPy is loaded.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    words = list(sys.argv[1:] if argv is None else argv)
    if not words or words[0] == "--demo" or not (words[0].startswith("-") or words[0] in ("correct", "simulate")):
        from lean_trim.ui.window.app import run_application

        return run_application(words)
    args = build_parser().parse_args(words)
    try:
        args.run(args)
    except (LeanTrimError, OSError) as error:
        print(f"lean-trim: {error}", file=sys.stderr)
        return 2
    return 0
