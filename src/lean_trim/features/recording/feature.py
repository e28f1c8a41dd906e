"""Recording, declared."""

from __future__ import annotations

from lean_trim.features.feature import Feature
from lean_trim.features.recording.command import COMMAND
from lean_trim.workspace.parts import Parts


def _live(parts: Parts) -> object:
    from lean_trim.features.planning.checklist import Checklist
    from lean_trim.features.planning.control import PlanControl
    from lean_trim.features.recording.live_drive import LiveDrive
    from lean_trim.workspace.imports import LogImports
    from lean_trim.workspace.navigation import Navigation
    from lean_trim.workspace.open_job import OpenJob
    from lean_trim.workspace.saving import Saving
    from lean_trim.workspace.solving import Solver
    from lean_trim.workspace.tasks import Tasks

    return LiveDrive(
        open_job=parts[OpenJob],
        tasks=parts[Tasks],
        saving=parts[Saving],
        navigation=parts[Navigation],
        solver=parts[Solver],
        imports=parts[LogImports],
        plans=parts[PlanControl],
        checklist=parts[Checklist],
    )


RECORDING = Feature(name="recording", parts=(_live,), commands=(COMMAND,))
