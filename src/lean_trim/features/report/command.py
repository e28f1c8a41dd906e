"""``lean-trim report``: a round as pages for the customer or one's own file."""

from __future__ import annotations

import argparse
from pathlib import Path

from lean_trim.cli.parser import Subcommand


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Declare the command's arguments."""
    parser.add_argument("job", type=Path, metavar="JOBFILE")
    parser.add_argument("--out", required=True, type=Path, metavar="FILE", help=".pdf or .html")
    parser.add_argument(
        "--round", type=int, default=None, help="number; the newest with a log if left out"
    )
    parser.add_argument(
        "--page", choices=("A4", "Letter"), default="A4", help="size of a PDF's pages"
    )


def run(args: argparse.Namespace) -> None:
    """Read the job, work the round out, write."""
    from lean_trim.features.report.gathering import gathered_report
    from lean_trim.features.report.writing import checked, write_figures, write_report
    from lean_trim.job.loading import load_job

    checked(args.out)
    gathered = gathered_report(load_job(args.job), args.round)
    report = gathered.report
    if args.out.suffix.lower() == ".pdf":
        from lean_trim.features.report.pages.without_window import begin_qt

        begin_qt()
    write_report(report, args.out, args.page)
    write_figures(gathered.solution, gathered.proposal, args.out)
    if not args.quiet:
        print(f"{args.out}: {report.title}")


COMMAND = Subcommand("report", "write a round as pages (PDF or HTML)", add_arguments, run)
