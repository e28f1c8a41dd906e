"""``lean-trim export`` and ``lean-trim import``: a whole job as a folder, and back."""

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


EXPORT = Subcommand("export", "write a job as a folder of open formats", add_export, run_export)
IMPORT = Subcommand("import", "make a job file of an exported folder", add_import, run_import)
