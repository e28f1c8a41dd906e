"""A report as a file: pages or one HTML page, as the suffix says."""

from __future__ import annotations

from pathlib import Path

from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.features.report.content import Report
from lean_trim.features.report.report_html import report_html
from lean_trim.formats.round_json import write_round
from lean_trim.formats.whole_files import write_whole, write_whole_bytes


class Say:
    """Sentences of this module."""

    SUFFIX = Message("report.suffix", "{path}: a report is written as .pdf or .html")


SUFFIXES = (".pdf", ".html")


def checked(path: Path) -> Path:
    """The path, if a report can be written as that.

    Raises
    ------
    BadInputError
        If its suffix is another one.
    """
    if path.suffix.lower() not in SUFFIXES:
        raise BadInputError(Say.SUFFIX(path=path))
    return path


def write_figures(solution: Solution | None, proposal: Proposal | None, path: Path) -> None:
    """Write what was found as JSON beside a report, under its name.

    Parameters
    ----------
    solution, proposal : of the round; where either is None nothing is written.
    path : of the report.
    """
    if solution is None or proposal is None:
        return
    write_round(summary_of(solution), proposal, path.with_name(f"{path.stem}-round.json"))


def write_report(report: Report, path: Path, page: str = "A4") -> None:
    """Write a report.

    Parameters
    ----------
    report : what it says.
    path : ending in .pdf or .html; replaced if it exists.
    page : "A4" or "Letter", of a PDF.

    Raises
    ------
    BadInputError
        If the suffix is another one.
    OSError
        If it cannot be written; an earlier file is as it was.
    """
    if checked(path).suffix.lower() == ".html":
        write_whole(path, report_html(report))
        return
    # Painting pages needs Qt, and this is the only place that does.
    from lean_trim.features.report.pages.report_pdf import report_pdf

    write_whole_bytes(path, report_pdf(report, page))
