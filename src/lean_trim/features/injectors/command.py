"""``lean-trim injectors``: tell flow, dead time and airflow apart and write the tables that follow."""

from __future__ import annotations

import argparse

from lean_trim.cli.log_options import add_drive_arguments, log_words
from lean_trim.cli.logs import Logs, warn
from lean_trim.cli.parser import Subcommand
from lean_trim.core.errors import BadInputError
from lean_trim.core.injectors.measured_words import (
    BENCH_ERROR_PCT,
    WEIGHED_ERROR_PCT,
    MeasuredWords,
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    add_drive_arguments(parser)
    parser.add_argument(
        "--airflow-trusted",
        type=float,
        default=3.0,
        metavar="PCT",
        help="standard deviation of the airflow table's mean error over the driven states (default "
        "3)",
    )
    parser.add_argument(
        "--fuel-weighed",
        default="",
        metavar="G[:PCT]",
        help=f"fuel burnt over all logs, grams, and its error (default {WEIGHED_ERROR_PCT:g} %%)",
    )
    parser.add_argument(
        "--flow-measured",
        default="",
        metavar="G_PER_S[:PCT]",
        help="flow of one injector at the rated pressure, by a flow bench, and its error "
        f"(default {BENCH_ERROR_PCT:g} %%)",
    )
    parser.add_argument(
        "--pulses",
        default="",
        metavar="ONE:TWO[:VOLTS]",
        help="pulse width with one and with two injections a cycle at one steady state, ms, and "
        "the battery "
        "(default 14 V)",
    )


def run(args: argparse.Namespace) -> None:
    """Read, tell apart, write."""
    from lean_trim.core.injectors.tables import refuse_unknown
    from lean_trim.core.pipeline.injectors import TRUST_PCT, identify_injectors
    from lean_trim.features.injectors.injectors_json import injectors_dict, write_injectors
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.vehicle_sheet import read_vehicle

    low, high = TRUST_PCT
    if not low <= args.airflow_trusted <= high:
        raise BadInputError(
            f"--airflow-trusted {args.airflow_trusted:g}: allowed are {low:g} to {high:g} percent"
        )
    measured = _measured(args)
    vehicle, warnings = read_vehicle(args.vehicle)
    try:
        refuse_unknown(vehicle.injectors)
    except BadInputError as error:
        raise BadInputError(f"{args.vehicle}: {error}") from error
    logs = Logs(args.log, vehicle, {}, args.quiet, log_words(args), args.accept_doubts)
    warn(() if args.quiet else warnings)
    driven = [logs.read(p) for p in args.log]
    report = identify_injectors(driven, vehicle, args.airflow_trusted, measured=measured)
    make_folder(args.out)
    write_injectors(report, args.out / "injectors.json")
    if not args.quiet:
        print(injectors_dict(report)["message"])


def _measured(args: argparse.Namespace) -> MeasuredWords:
    """What was measured apart, from the options."""
    fuel = _numbers("--fuel-weighed", args.fuel_weighed, (0.0, WEIGHED_ERROR_PCT))
    flow = _numbers("--flow-measured", args.flow_measured, (0.0, BENCH_ERROR_PCT))
    pulses = _numbers("--pulses", args.pulses, (0.0, 0.0, 14.0))
    return MeasuredWords(*fuel, *flow, *pulses)


def _numbers(option: str, text: str, defaults: tuple[float, ...]) -> tuple[float, ...]:
    """Numbers between colons; those at the end may be left out."""
    if not text:
        return defaults
    try:
        said = tuple(float(word) for word in text.split(":"))
    except ValueError:
        raise BadInputError(f"{option} {text}: is no number") from None
    if len(said) > len(defaults):
        raise BadInputError(f"{option} {text}: at most {len(defaults)} numbers between colons")
    if said[0] <= 0.0:
        raise BadInputError(f"{option} {text}: has to be above 0")
    return (*said, *defaults[len(said) :])


COMMAND = Subcommand(
    "injectors", "tell injector flow, dead time and airflow apart", add_arguments, run
)
