"""The report of a round, declared."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from lean_trim.features.feature import Feature
from lean_trim.features.report.command import COMMAND
from lean_trim.ui.specs import OutputSpec
from lean_trim.workspace.parts import Parts


def _prepare(parts: Parts) -> Callable[[Path], object]:
    from lean_trim.core.errors import BadInputError
    from lean_trim.features.proof.control import ProofControl
    from lean_trim.features.report.content import report_of
    from lean_trim.features.report.writing import write_figures, write_report
    from lean_trim.workspace.open_job import OpenJob
    from lean_trim.workspace.solving import Solver
    from lean_trim.workspace.work_state import Work

    job = parts[OpenJob].job
    current = parts[OpenJob].round
    held = parts[Work].state.holds_writing
    if job is None or current is None or held is not None:
        raise BadInputError(held or "no round is open")
    solver = parts[Solver]
    solution = solver.solution
    proposal = solver.proposal
    proof = parts[ProofControl].proof

    def write(path: Path) -> None:
        write_report(report_of(job, current, solution, proposal, proof), path)
        write_figures(solution, proposal, path)

    return write


REPORT = Feature(
    name="report",
    commands=(COMMAND,),
    outputs=(
        OutputSpec(
            name="report", title="report of the round", file_name="report.pdf", prepare=_prepare
        ),
    ),
)
