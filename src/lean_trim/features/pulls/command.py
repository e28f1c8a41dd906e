"""``lean-trim pulls``: find the full-throttle runs of a log and say what each showed."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.cli.log_options import add_drive_arguments, log_words
from lean_trim.cli.logs import Logs, warn
from lean_trim.cli.parser import Subcommand

if TYPE_CHECKING:
    from lean_trim.core.pipeline.pulls import PullReport


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    add_drive_arguments(parser)
    parser.add_argument(
        "--altitude",
        type=float,
        default=0.0,
        metavar="M",
        help="metres above the sea, for boost where no barometer was logged (default 0)",
    )


def run(args: argparse.Namespace) -> None:
    """Read, find, write."""
    from lean_trim.core.pipeline.pulls import find_pulls
    from lean_trim.core.pulls.pull_verdict import verdict_on_pull
    from lean_trim.core.text import clock
    from lean_trim.features.pulls.pulls_json import write_pulls
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.vehicle_sheet import read_vehicle

    vehicle, warnings = read_vehicle(args.vehicle)
    logs = Logs(args.log, vehicle, {}, args.quiet, log_words(args), args.accept_doubts)
    warn(() if args.quiet else warnings)
    report = find_pulls([logs.read(p) for p in args.log], vehicle, args.altitude)
    make_folder(args.out)
    write_pulls(vehicle.name, report.baro_logged, report.pulls, args.out / "pulls.json")
    _write_knock(report, args.out)
    if args.quiet:
        return
    if not report.pulls:
        print("No pull: nowhere was the throttle far open for two seconds.")
    for pull, before in zip(report.pulls, (None, *report.pulls), strict=False):
        gear = f"gear {pull.gear}, " if pull.gear else ""
        print(
            f"{clock(pull.start_s)} {pull.kind}, {gear}{pull.rpm_from:.0f} to {pull.rpm_to:.0f} "
            f"rpm in {pull.seconds:.1f} s. {verdict_on_pull(pull, before)}"
        )


def _write_knock(report: PullReport, folder: Path) -> None:
    """The ledger beside it: a list, and a grid on the airflow table's axes where it has two."""
    from lean_trim.core.pulls.knock import by_of, knock_events, knock_samples, largest_retard
    from lean_trim.features.pulls.knock_csv import knock_grid, knock_list

    conditions = report.conditions
    events = knock_events(conditions, report.pulls)
    (folder / "knock.csv").write_text(knock_list(events), encoding="utf-8")
    axes = conditions.frame.vehicle.table.axes
    by = by_of(axes[0])
    if by is not None:
        samples = knock_samples(conditions, report.baro_kpa)
        text = knock_grid(largest_retard([samples], by, *axes), axes[0], axes[1], axes[0].unit)
        (folder / "knock_grid.csv").write_text(text, encoding="utf-8")


COMMAND = Subcommand(
    "pulls", "find full-throttle runs and say what each showed", add_arguments, run
)
