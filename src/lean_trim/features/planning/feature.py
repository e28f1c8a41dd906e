"""Planning the next drive: its desk, what it plans, its command and its file, declared."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.features.feature import Feature
from lean_trim.features.planning.command import COMMAND
from lean_trim.ui.specs import Desk, DeskSpec, HelpPage, OutputSpec
from lean_trim.workspace.parts import Parts

if TYPE_CHECKING:
    from PySide6.QtGui import QAction

    from lean_trim.ui.session import Session
    from lean_trim.ui.theme import Appearance


def _plans(parts: Parts) -> object:
    from lean_trim.features.planning.control import PlanControl
    from lean_trim.workspace.open_job import OpenJob
    from lean_trim.workspace.saving import Saving
    from lean_trim.workspace.solving import Solver
    from lean_trim.workspace.tasks import Tasks

    return PlanControl(parts[OpenJob], parts[Tasks], parts[Saving], parts[Solver])


def _checks(parts: Parts) -> object:
    from lean_trim.features.planning.checklist import Checklist
    from lean_trim.workspace.open_job import OpenJob
    from lean_trim.workspace.solving import Solver
    from lean_trim.workspace.words import Words

    return Checklist(parts[OpenJob], parts[Solver], parts[Words])


def _desk(session: Session, appearance: Appearance, actions: Mapping[str, QAction]) -> Desk:
    from lean_trim.features.planning.desk.desk import PlanDesk

    return PlanDesk(session, appearance, actions)


def _prepare(parts: Parts) -> Callable[[Path], object]:
    from lean_trim.features.planning.control import PlanControl
    from lean_trim.features.planning.plan_json import write_plan
    from lean_trim.workspace.open_job import OpenJob

    planned = parts[PlanControl].shown()
    current = parts[OpenJob].round
    assert current is not None
    table = current.table
    return lambda path: write_plan(planned.plan, table, planned.card, path, planned.questions)


HELP = HelpPage(
    title="The Plan desk",
    paragraphs=(
        "What is still uncertain of the table says which minutes of the next drive are worth most. "
        "Every mark is a state the engine can be held in: the larger, the less is known there.",
        "Filled marks are planned, in the order of the line: up the gears, speeds and loads. On a "
        "dynamometer a brake holds the speed; on a road a gear and a grade do, as far as earlier logs "
        "tell what the road takes.",
        "Crossed marks are not offered yet. Under load a state is planned only if it cannot be more than "
        "5 % lean, two errors included, and if the load below it is proven. Plan again after the drive.",
        "Before the drive there is a checklist: what the last log shows is answered by it, the rest by you. "
        "Answers are dated and kept with the round; those from before the last drive count no more.",
        "Record logs the running car: name its sources, one a line, and start. It listens first, and asks "
        "what is in doubt. The drive view fills a screen for a passenger: what to hold next, "
        "lambda, and alarms that stay until seen (Space). At the end the recording is taken in like any log.",
        "The card is read aloud by a second person. A plan is an estimate, not a permission: closed "
        "course or dynamometer, and stop at once on lean, knock, falling fuel pressure or heat.",
    ),
)
PLANNING = Feature(
    name="planning",
    parts=(_plans, _checks),
    desk=DeskSpec(
        name="plan",
        title="Plan",
        tip="Which minutes of the next drive are worth most, and which may be driven",
        make=_desk,
        help=HELP,
        folds_tape=True,
    ),
    commands=(COMMAND,),
    outputs=(
        OutputSpec(
            name="plan", title="plan of the next drive", file_name="plan.json", prepare=_prepare
        ),
    ),
)
