"""The Table desk, its pages and its command, declared."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from lean_trim.features.feature import Feature
from lean_trim.features.logs.feature import LOGS_PAGE
from lean_trim.features.table.command import COMMAND
from lean_trim.features.table.table_commands import ACTIONS
from lean_trim.ui.specs import Desk, DeskSpec, HelpPage, Mark, PageSpec

if TYPE_CHECKING:
    from PySide6.QtGui import QAction
    from PySide6.QtWidgets import QWidget

    from lean_trim.ui.session import Session
    from lean_trim.ui.theme import Appearance

SEVERITIES = {"danger": "danger", "warning": "caution", "note": "note"}
"""How findings of a severity are counted in words."""


def _desk(session: Session, appearance: Appearance, actions: Mapping[str, QAction]) -> Desk:
    from lean_trim.features.table.desk.desk import TableDesk

    return TableDesk(session, appearance, actions)


def _evidence(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.features.table.pages.evidence_page import EvidencePage

    return EvidencePage(session, appearance)


def _findings(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.features.table.pages.findings_page import FindingsPage

    return FindingsPage(session, appearance)


def _sieve(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.features.table.pages.sieve_page import SievePage

    return SievePage(session, appearance)


def _fit(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.features.table.pages.fit_page import FitPage

    return FitPage(session, appearance)


def _write(session: Session, appearance: Appearance) -> QWidget:
    from lean_trim.features.table.pages.write_page import WritePage

    return WritePage(session, appearance)


def _findings_mark(session: Session) -> Mark:
    """How many there are, on the tab itself: nobody looks for a danger they do not know of."""
    solution = session.solution
    found = solution.findings if solution is not None else ()
    if not found:
        return Mark()
    # No meaning by colour alone, and none at all by a colour that a theme would have to follow.
    mark = "!" if any(f.severity == "danger" for f in found) else ""
    counts = [(sum(f.severity == s for f in found), word) for s, word in SEVERITIES.items()]
    told = ", ".join(f"{n} {word}" + ("s" if n > 1 else "") for n, word in counts if n)
    return Mark(text=f"{len(found)}{mark}", tip=told)


HELP = HelpPage(
    title="The Table desk",
    paragraphs=(
        "Each tile is a cell of the airflow table. An ochre bar to the right is fuel to add, a "
        "violet bar to the left is fuel to take out; the paler the bar, the fewer seconds of "
        "driving stand behind it. Hatched cells were not visited.",
        "Choose a tile, and the pages beside the desk show which seconds of the drive say so, "
        "what was left out and why, and what the log shows that is not airflow. Point at the tape, or "
        "play it: a dot shows where the engine was. F7 opens the tape, F3 shows the row or curve as a "
        "curve, “More” has other figures for the tiles.",
        "Accept the proposal for the chosen cells or for all, put cells back, pin them, or type "
        "over them: +3%, x0.95, =82, 50% of what is proposed. “Shape” smooths, blends, fills and nudges; "
        "a right click has everything else. Everything can be undone, also tomorrow (Ctrl+H). Nothing is "
        "written until you hand the table over.",
        "Fuel taken out above atmospheric pressure, where knock or a fault was seen, where nobody drove, or "
        "beyond the largest step needs your word; it is kept with its date.",
        "Lean under load destroys engines: look at the findings before you accept a cell that "
        "takes fuel away, and write large changes in part, then drive again.",
    ),
    keys=(
        ("Arrows", "move from tile to tile; with Shift choose"),
        ("Ctrl+Space, Shift+Space", "choose the column, the row"),
        ("Page Up, Page Down", "raise or lower the chosen cells by 1 %; with Shift by 0.2 %"),
        ("+ - x = 0…9", "type over the chosen cells: +3%, x0.95, =82, 50%"),
        ("Menu key", "everything that is done with the chosen cells"),
        ("Esc", "choose nothing; leave what is offered"),
    ),
)
TABLE = Feature(
    name="table",
    desk=DeskSpec(
        name="table",
        title="Table",
        tip="Decide cell by cell what is written; the number counts cells with a proposal that is "
        "not decided",
        make=_desk,
        help=HELP,
        pages=(
            PageSpec("evidence", "Evidence", "What stands behind the chosen cells", _evidence),
            PageSpec(
                name="findings",
                title="Findings",
                tip="What the log shows that is not airflow",
                make=_findings,
                mark=_findings_mark,
                widest_mark="8!",
            ),
            PageSpec("sieve", "Sieve", "Which samples are left out, and why", _sieve),
            PageSpec("fit", "Fit", "The sensor delay and the way of estimating", _fit),
            LOGS_PAGE,
            PageSpec("write", "Write", "How much is written at once", _write),
        ),
        is_first=True,
        folds_tape=True,
        widest_mark="888 to decide",
    ),
    commands=(COMMAND,),
    actions=ACTIONS,
)
