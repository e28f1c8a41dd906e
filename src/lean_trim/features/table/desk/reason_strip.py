"""Why a round has no answer, or one that is not to be believed: large, first, and with what to check."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtWidgets import QVBoxLayout, QWidget

from lean_trim.core.diagnosis.contradiction import Contradiction, implausible
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.whole_text import WholeText

OTHERS_FIT = (
    "Fuel by pulse width against table, trims and injector data, in steady running. Other logs of "
    "this round do fit, so this one was most likely driven with another car or on another table. "
    "Leave it out, move or remove it on the Logs page."
)


@dataclass(frozen=True)
class Reason:
    """A short line in large type and what to do about it."""

    title: str
    advice: str


def reason_for(session: Session) -> Reason | None:
    """What speaks against the shown round; None if nothing does.

    Parameters
    ----------
    session : with or without a job.

    Returns
    -------
    The gravest reason.
    """
    leftover = session.solver.leftover
    solution = session.solution
    if leftover is not None and leftover.contradictions:
        return _of_contradiction(leftover.contradictions)
    if session.solver.failure:
        return Reason("This round could not be worked out", session.solver.failure)
    if solution is None:
        return None
    if solution.contradictions:
        return _of_contradiction(
            solution.contradictions, bool(solution.prepared.conditions.pulse_width_proven.any())
        )
    doubt = implausible(solution.residual.rms)
    return Reason(str(doubt[0]), str(doubt[1])) if doubt is not None else None


def _of_contradiction(
    contradictions: tuple[Contradiction, ...], others_fit: bool = False
) -> Reason:
    first = contradictions[0]
    if others_fit:
        # The sheet is right for those, so it is not what has to be checked.
        return Reason(str(first.title), OTHERS_FIT)
    more = (
        f" {len(contradictions) - 1} more of the logs do not fit either."
        if len(contradictions) > 1
        else ""
    )
    return Reason(
        str(first.title), f"{first.advice}{more} A log can be left out or removed on the Logs page."
    )


class ReasonStrip(QWidget):
    """Stands above the tiles while there is a reason; hidden otherwise."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.title = WholeText(12, bold=True)
        self.advice = WholeText(9.5)
        self.title.setAccessibleName("Why this round cannot be believed")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 2, 6, 4)
        layout.setSpacing(0)
        layout.addWidget(self.title)
        layout.addWidget(self.advice)
        for signal in (
            session.round_changed,
            session.solved,
            session.work_changed,
            session.job_changed,
            appearance.changed,
        ):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Stand as the round stands."""
        reason = reason_for(self.session)
        self.setVisible(reason is not None)
        if reason is None:
            return
        theme = self.appearance.theme
        edge = f"background: {theme.caution_paper}; border-left: 4px solid {theme.danger}; padding: 3px 8px;"
        self.title.setStyleSheet(f"color: {theme.danger}; {edge}")
        self.advice.setStyleSheet(f"color: {theme.ink}; {edge}")
        self.title.setText(reason.title)
        self.advice.setText(reason.advice)
