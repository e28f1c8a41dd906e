"""The Transients desk, what it looks for, the tables it decides, its command and its file, declared."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.features.feature import Feature
from lean_trim.features.transients.command import COMMAND
from lean_trim.ui.specs import Desk, DeskSpec, HelpPage, OutputSpec
from lean_trim.workspace.parts import Parts

if TYPE_CHECKING:
    from PySide6.QtGui import QAction

    from lean_trim.ui.session import Session
    from lean_trim.ui.theme import Appearance


def _transients(parts: Parts) -> object:
    from lean_trim.features.transients.control import TransientsControl
    from lean_trim.workspace.kept import KeptAnswers
    from lean_trim.workspace.open_job import OpenJob
    from lean_trim.workspace.solving import Solver
    from lean_trim.workspace.tasks import Tasks

    return TransientsControl(parts[OpenJob], parts[Tasks], parts[Solver], parts[KeptAnswers])


def _corrections(parts: Parts) -> object:
    from lean_trim.features.transients.control import TransientsControl
    from lean_trim.features.transients.fuel_corrections import FuelCorrections
    from lean_trim.workspace.history import History
    from lean_trim.workspace.navigation import Navigation
    from lean_trim.workspace.open_job import OpenJob
    from lean_trim.workspace.saving import Saving
    from lean_trim.workspace.work_state import Work

    return FuelCorrections(
        open_job=parts[OpenJob],
        saving=parts[Saving],
        history=parts[History],
        navigation=parts[Navigation],
        work=parts[Work],
        transients=parts[TransientsControl],
    )


def _desk(session: Session, appearance: Appearance, actions: Mapping[str, QAction]) -> Desk:
    from lean_trim.features.transients.desk.desk import TransientsDesk

    return TransientsDesk(session, appearance, actions)


def _prepare(parts: Parts) -> Callable[[Path], object]:
    from lean_trim.features.transients.control import TransientsControl
    from lean_trim.features.transients.fuel_corrections import FuelCorrections
    from lean_trim.features.transients.transients_json import write_transients

    report = parts[TransientsControl].shown()
    told = parts[FuelCorrections].all_told()
    return lambda path: write_transients(report, path, told)


HELP = HelpPage(
    title="The Transients desk",
    paragraphs=(
        "What the airflow table cannot hold: quick changes of load, fuel cut, warm-up and idle. "
        "Quick changes of one class are laid over each other, with the steady error of the table "
        "taken out first, so that what is left is the transient's own.",
        "From them the wall film is read: which share of the fuel lands on the wall, and how long "
        "it takes to leave. From the film follows what has to be added when the throttle opens.",
        "“In the ECU's tables” puts that on the axes of your own tables, once you have pasted "
        "them. Film and enrichment make up for the same fuel: decide one of them in a round.",
        "Lean under load destroys engines. Write part of a large change first, drive gently and "
        "look again. Look at cold starts the next morning.",
    ),
)
TRANSIENTS = Feature(
    name="transients",
    parts=(_transients, _corrections),
    desk=DeskSpec(
        name="transients",
        title="Transients",
        tip="Tip-in, fuel cut, warm-up and idle: what the table cannot hold",
        make=_desk,
        help=HELP,
    ),
    commands=(COMMAND,),
    outputs=(
        OutputSpec(
            name="transients",
            title="quick changes of this round",
            file_name="transients.json",
            prepare=_prepare,
        ),
    ),
)
