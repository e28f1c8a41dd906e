"""A whole job as a folder and back; its file looked through, compacted, repaired by copy."""

from __future__ import annotations

import argparse
from pathlib import Path

from lean_trim.cli.parser import Subcommand


def add_export(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments of the one."""
    parser.add_argument("job", type=Path, metavar="JOBFILE")
    parser.add_argument("--out", required=True, type=Path, metavar="FOLDER", help="new, or empty")


def run_export(args: argparse.Namespace) -> None:
    """Read the job, write the folder."""
    from lean_trim.job.folder import export_job

    job = export_job(args.job, args.out)
    if not args.quiet:
        logs = sum(len(r.logs) + len(r.resting) for r in job.rounds)
        print(f"{args.out}: {len(job.rounds)} rounds, {logs} logs; README.txt explains each file.")


def add_import(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments of the other."""
    parser.add_argument("folder", type=Path, metavar="FOLDER")
    parser.add_argument("--out", required=True, type=Path, metavar="JOBFILE", help="must not exist")


def run_import(args: argparse.Namespace) -> None:
    """Read the folder, write the job."""
    from lean_trim.job.folder import import_job

    job = import_job(args.folder, args.out)
    if not args.quiet:
        print(f"{args.out}: {job.vehicle.name}, {len(job.rounds)} rounds.")


def add_check(parser: argparse.ArgumentParser) -> None:
    """Declare the argument of looking through a file."""
    parser.add_argument("job", type=Path, metavar="JOBFILE")


def run_check(args: argparse.Namespace) -> None:
    """Read every value of the file."""
    from lean_trim.job.care import check_file

    state = check_file(args.job)
    if not args.quiet:
        print(state.said)


def add_compact(parser: argparse.ArgumentParser) -> None:
    """Declare the argument of compacting a file."""
    parser.add_argument("job", type=Path, metavar="JOBFILE")


def run_compact(args: argparse.Namespace) -> None:
    """Give back what the file does not use."""
    from lean_trim.job.care import MEGA, compact_file

    before, after = compact_file(args.job)
    if not args.quiet:
        print(f"{args.job}: {before / MEGA:.1f} MB before, {after / MEGA:.1f} MB now.")


def add_repair(parser: argparse.ArgumentParser) -> None:
    """Declare the arguments of repairing."""
    parser.add_argument("job", type=Path, metavar="JOBFILE", help="damaged; left as it is")
    parser.add_argument("--out", required=True, type=Path, metavar="JOBFILE", help="must not exist")


def run_repair(args: argparse.Namespace) -> None:
    """Copy what can be read, say what is lost."""
    from lean_trim.job.repair import repair_file

    repaired = repair_file(args.job, args.out)
    for what in repaired.lost:
        print(f"lost: {what}")
    if not args.quiet:
        rounds = len(repaired.job.rounds)
        print(
            f"{args.out}: {rounds} round(s); {'nothing lost' if not repaired.lost else 'see above'}."
        )


CHECK = Subcommand("check", "look through a job file, every value of it", add_check, run_check)
COMPACT = Subcommand(
    "compact", "make a job file as small as what it holds", add_compact, run_compact
)
REPAIR = Subcommand("repair", "copy what can be read of a damaged job", add_repair, run_repair)
EXPORT = Subcommand("export", "write a job as a folder of open formats", add_export, run_export)
IMPORT = Subcommand("import", "make a job file of an exported folder", add_import, run_import)
