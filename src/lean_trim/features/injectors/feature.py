"""The Injectors desk, its command and its file, declared.

What it looks for and the tables it decides are parts of every open job: the scale of the airflow
table can be moved at the injectors, and the steps of a round after a swap speak of them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.features.feature import Feature
from lean_trim.features.injectors.command import COMMAND
from lean_trim.ui.specs import Desk, DeskSpec, HelpPage, OutputSpec
from lean_trim.workspace.parts import Parts

if TYPE_CHECKING:
    from PySide6.QtGui import QAction

    from lean_trim.ui.session import Session
    from lean_trim.ui.theme import Appearance


def _desk(session: Session, appearance: Appearance, actions: Mapping[str, QAction]) -> Desk:
    from lean_trim.features.injectors.desk.desk import InjectorsDesk

    return InjectorsDesk(session, appearance, actions)


def _prepare(parts: Parts) -> Callable[[Path], object]:
    from lean_trim.features.injectors.injectors_json import write_injectors
    from lean_trim.workspace.injector_study import InjectorStudy

    shown = parts[InjectorStudy].shown()
    return lambda path: write_injectors(shown, path)


HELP = HelpPage(
    title="The Injectors desk",
    paragraphs=(
        "After other injectors went in, the mixture is off for three reasons at once: the flow, "
        "the dead time, and the airflow table. They look different over the drive: a flow error "
        "is the same percentage everywhere, a dead-time error is the same time and so counts most "
        "at short pulses, and an airflow error follows the table.",
        "How well flow and airflow can be told apart depends on how good the airflow table was "
        "before. Say so here, or enter what was measured apart: fuel weighed, a flow bench, pulses "
        "with one and with two injections a cycle.",
        "Accept injector tables or cells of the airflow table in one round, not both: both from "
        "one drive would correct one error twice.",
        "Begin on the rich side after a swap, and stop at once if it is leaner than its target "
        "under load.",
    ),
)
INJECTORS = Feature(
    name="injectors",
    desk=DeskSpec(
        name="injectors",
        title="Injectors",
        tip="After a swap: flow, dead time and airflow told apart",
        make=_desk,
        help=HELP,
    ),
    commands=(COMMAND,),
    outputs=(
        OutputSpec(
            name="injectors",
            title="injectors as this round tells them",
            file_name="injectors.json",
            prepare=_prepare,
        ),
    ),
)
