"""``lean-trim transients``: what quick changes, warm-up and idle need that the table cannot hold."""

from __future__ import annotations

import argparse
from collections.abc import Mapping
from typing import TYPE_CHECKING

from lean_trim.cli.log_options import add_drive_arguments, log_words
from lean_trim.cli.logs import Logs, warn
from lean_trim.cli.parser import Subcommand

if TYPE_CHECKING:
    from lean_trim.core.pipeline.transients import TransientReport
    from lean_trim.core.transients.classes import TransientClass
    from lean_trim.core.transients.to_write import Written


CAUTION = (
    "Lean under load destroys engines: change one class at a time, by part of what is proposed, "
    "and drive again."
)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    add_drive_arguments(parser)


def run(args: argparse.Namespace) -> None:
    """Read, solve, look, write."""
    from lean_trim.core.pipeline.solve import solve
    from lean_trim.core.pipeline.transients import table_to_write, transients_of
    from lean_trim.features.transients.transients_json import write_transients
    from lean_trim.formats.folders import make_folder
    from lean_trim.formats.tables import write_table
    from lean_trim.formats.vehicle_sheet import read_vehicle

    vehicle, warnings = read_vehicle(args.vehicle)
    logs = Logs(args.log, vehicle, {}, args.quiet, log_words(args), args.accept_doubts)
    warn(() if args.quiet else warnings)
    report = transients_of(solve([logs.read(p) for p in args.log], vehicle))
    make_folder(args.out)
    asked = {
        name: table_to_write(report, name, vehicle.corrections) for name in vehicle.corrections
    }
    write_transients(report, args.out / "transients.json", asked)
    for name, written in asked.items():
        if written.table is not None:
            write_table(written.table, args.out / f"{name}.csv")
    if not args.quiet:
        _tell(report)
        _tell_tables(asked)


def _tell(report: TransientReport) -> None:
    film = report.film
    if film.known:
        print(
            f"Wall film: X {film.share:.2f} ± {film.share_se:.2f} at {film.map_kpa:.0f} kPa, "
            f"τ {film.tau_s:.2f} ± {film.tau_se_s:.2f} s, from {film.windows} quick changes."
        )
    else:
        print(f"Wall film: not known, {film.why}.")
    if report.missing is not None:
        print(report.missing)
    said = {id(change.of): change for change in report.changes}
    often = [one for one in report.classes if len(one.events) > 1]
    for one in often:
        lean = one.mean_of("lean_pct")[0]
        rich = one.mean_of("rich_pct")[0]
        change = said.get(id(one))
        words = "" if change is None else f" Write: {change.said}."
        print(
            f"{_named(one)}, {len(one.events)} times: at most {lean:.1f} % lean, {rich:.1f} % "
            f"rich.{words}"
        )
    if len(often) < len(report.classes):
        print(f"{len(report.classes) - len(often)} classes were seen once; they stand in the file.")
    if any(change.proposed.percent > change.given.percent for change in report.changes):
        print(CAUTION)


def _tell_tables(asked: Mapping[str, Written]) -> None:
    from lean_trim.core.data.fuel_corrections import KINDS

    for name, written in asked.items():
        where = f"{name}.csv" if written.table is not None else "no table"
        print(f"{KINDS[name].title}: {where}. {written.said}")


def _named(one: TransientClass) -> str:
    key = one.key
    speed = f"from {key.rpm_from:.0f} rpm" if key.rpm_from else f"below {key.rpm_to:.0f} rpm"
    return f"{str(key.kind).capitalize()}, {key.size}, {speed}{'' if key.warm else ', cold'}"


COMMAND = Subcommand(
    "transients",
    "say what quick changes, warm-up and idle need beside the table",
    add_arguments,
    run,
)
