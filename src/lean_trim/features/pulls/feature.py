"""The Pulls desk, what it looks for, its command and its file, declared."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.features.feature import Feature
from lean_trim.features.pulls.command import COMMAND
from lean_trim.ui.specs import Desk, DeskSpec, HelpPage, OutputSpec
from lean_trim.workspace.parts import Parts

if TYPE_CHECKING:
    from PySide6.QtGui import QAction

    from lean_trim.ui.session import Session
    from lean_trim.ui.theme import Appearance


def _pulls(parts: Parts) -> object:
    from lean_trim.features.pulls.control import PullsControl
    from lean_trim.workspace.deciding import Deciding
    from lean_trim.workspace.kept import KeptAnswers
    from lean_trim.workspace.open_job import OpenJob
    from lean_trim.workspace.saving import Saving
    from lean_trim.workspace.tasks import Tasks

    return PullsControl(
        parts[OpenJob], parts[Tasks], parts[Saving], parts[Deciding], parts[KeptAnswers]
    )


def _targets(parts: Parts) -> object:
    from lean_trim.features.pulls.target_table import TargetTable
    from lean_trim.workspace.deciding import Deciding
    from lean_trim.workspace.history import History
    from lean_trim.workspace.open_job import OpenJob
    from lean_trim.workspace.saving import Saving
    from lean_trim.workspace.solving import Solver

    return TargetTable(
        open_job=parts[OpenJob],
        saving=parts[Saving],
        history=parts[History],
        solver=parts[Solver],
        deciding=parts[Deciding],
    )


def _desk(session: Session, appearance: Appearance, actions: Mapping[str, QAction]) -> Desk:
    from lean_trim.features.pulls.desk.desk import PullsDesk

    return PullsDesk(session, appearance, actions)


def _prepare(parts: Parts) -> Callable[[Path], object]:
    from lean_trim.features.pulls.control import PullsControl
    from lean_trim.features.pulls.pulls_json import write_pulls
    from lean_trim.workspace.open_job import OpenJob

    found = parts[PullsControl].shown()
    vehicle = parts[OpenJob].vehicle
    assert vehicle is not None
    name = vehicle.name
    pulls = [t.pull for t in found.traces]
    return lambda path: write_pulls(name, found.baro_logged, pulls, path)


HELP = HelpPage(
    title="The Pulls desk",
    paragraphs=(
        "Full-throttle runs, boost and launches of every round are found in the logs and laid "
        "over each other, by engine speed or by time. Choose a run in the list to see what it "
        "showed and how it differs from the one before.",
        "A run needs the throttle far open for two seconds. The first moments, until enrichment "
        "and the sensor have settled, say nothing of airflow and are shaded.",
        "Knock shows where spark was taken out. Target λ shows what is asked for beside what "
        "people run at that load; cells can be typed over there.",
        "Full throttle only off public roads or on a dynamometer, a second person reading the "
        "mixture. End a run at once on lean, knock or falling fuel pressure.",
    ),
)
PULLS = Feature(
    name="pulls",
    parts=(_pulls, _targets),
    desk=DeskSpec(
        name="pulls",
        title="Pulls",
        tip="Full throttle, boost and launches: found, laid over each other, judged",
        make=_desk,
        help=HELP,
    ),
    commands=(COMMAND,),
    outputs=(
        OutputSpec(
            name="pulls",
            title="full-throttle runs of this round",
            file_name="pulls.json",
            prepare=_prepare,
        ),
    ),
)
