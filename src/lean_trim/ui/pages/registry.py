"""Pages of the margin: a new one is a module of this package and a line here; a desk names those it shows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtWidgets import QWidget

from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance


@dataclass(frozen=True)
class PageSpec:
    """One page.

    Attributes
    ----------
    name : for the program; also names the command that turns to it.
    title, tip : for people.
    make : builds it; called when it is first turned to, so that the window opens quickly.
    """

    name: str
    title: str
    tip: str
    make: Callable[[Session, Appearance], QWidget]


def _evidence(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.ui.pages.evidence_page import EvidencePage

    return EvidencePage(session, appearance)


def _findings(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.ui.pages.findings_page import FindingsPage

    return FindingsPage(session, appearance)


def _sieve(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.ui.pages.sieve_page import SievePage

    return SievePage(session, appearance)


def _fit(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.ui.pages.fit_page import FitPage

    return FitPage(session, appearance)


def _logs(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.ui.pages.logs_page import LogsPage

    return LogsPage(session, appearance)


def _write(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.ui.pages.write_page import WritePage

    return WritePage(session, appearance)


PAGES: dict[str, PageSpec] = {
    page.name: page
    for page in (
        PageSpec("evidence", "Evidence", "What stands behind the chosen cells", _evidence),
        PageSpec("findings", "Findings", "What the log shows that is not airflow", _findings),
        PageSpec("sieve", "Sieve", "Which samples are left out, and why", _sieve),
        PageSpec("fit", "Fit", "The sensor delay and the way of estimating", _fit),
        PageSpec("logs", "Logs", "Which logs count, airflow source, what was inferred", _logs),
        PageSpec("write", "Write", "How much is written at once", _write),
    )
}
"""Every page by its name, in the order they are shown."""
