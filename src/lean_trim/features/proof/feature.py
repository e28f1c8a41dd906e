"""Proving a round: its desk, its command and its file, declared."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.features.feature import Feature
from lean_trim.features.proof.command import COMMAND
from lean_trim.ui.specs import Desk, DeskSpec, HelpPage, OutputSpec
from lean_trim.workspace.parts import Parts

if TYPE_CHECKING:
    from PySide6.QtGui import QAction

    from lean_trim.ui.session import Session
    from lean_trim.ui.theme import Appearance


def _proofs(parts: Parts) -> object:
    from lean_trim.features.proof.control import ProofControl
    from lean_trim.workspace.open_job import OpenJob
    from lean_trim.workspace.solving import Solver
    from lean_trim.workspace.tasks import Tasks

    return ProofControl(parts[OpenJob], parts[Tasks], parts[Solver])


def _desk(session: Session, appearance: Appearance, actions: Mapping[str, QAction]) -> Desk:
    from lean_trim.features.proof.desk.desk import ProofDesk

    return ProofDesk(session, appearance, actions)


def _prepare(parts: Parts) -> Callable[[Path], object]:
    from lean_trim.features.proof.control import ProofControl
    from lean_trim.features.proof.proof_json import write_proof

    proof = parts[ProofControl].shown()
    return lambda path: write_proof(proof, path)


HELP = HelpPage(
    title="The Proof desk",
    paragraphs=(
        "The drive of a round proves the round before it. First: is the table in the ECU? Every known table "
        "is held against what the pulse width, or lambda and trims, show of it; one is named only where it "
        "is twenty times likelier than all others and fits.",
        "Then: what became of it? Of every region the bar is what was expected, with two of its errors, the "
        "tick what it was off by before, the dot what this drive shows. Weather and fuel differ between "
        "drives; half a percent of that is allowed for.",
        "It is time to stop when what another round would write is less than a drive can tell, so was what "
        "was written last, and no driven state is off by more than 3 %. Where leaning is held back, more "
        "driving does not help.",
        "What was not driven is not proven. Nothing here is a permission for full throttle.",
    ),
)
PROOF = Feature(
    name="proof",
    parts=(_proofs,),
    desk=DeskSpec(
        name="proof",
        title="Proof",
        tip="Is the table in the ECU, what became of it, and is it time to stop?",
        make=_desk,
        help=HELP,
        folds_tape=True,
    ),
    commands=(COMMAND,),
    outputs=(
        OutputSpec(
            name="proof", title="proof of the round", file_name="proof.json", prepare=_prepare
        ),
    ),
)
