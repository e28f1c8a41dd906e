"""The Proof desk: what is in the ECU, what became of it, and whether it is time to stop."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtGui import QAction, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from lean_trim.core.proving.conditions import Condition
from lean_trim.core.proving.proof import Proof
from lean_trim.features.proof.control import ProofControl, ProofMade, TrendPoint
from lean_trim.features.proof.desk.course_chart import Course, CourseChart
from lean_trim.features.proof.desk.region_marks import RegionMarks
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.page import running_text

JUDGING = "Judging the round before."
CAUTION = (
    "A proof speaks of what was driven. Full throttle and boost that were not driven are not proven: richer "
    "first, short runs, and stop at once on lean, knock or falling fuel pressure."
)


class ProofDesk(QWidget):
    """Speaks of the round before the shown one, by the drive of the shown one."""

    hovered = Signal(str)

    def __init__(
        self, session: Session, appearance: Appearance, actions: Mapping[str, QAction]
    ) -> None:
        super().__init__()
        self.session = session
        self.control = session.part(ProofControl)
        self.took = running_text(10.5)
        self.outcome = running_text(10.5)
        self.next = running_text(12.0)
        self.next.setFont(font(12.0, bold=True))
        self.beside = running_text(9.0)
        self.weather = running_text(8.5)
        self.caution = running_text(8.5, CAUTION)
        self.marks = RegionMarks(appearance, self)
        self.along = CourseChart(appearance, "proof-drive", "Along this drive", "minute", self)
        self.trend = CourseChart(appearance, "proof-rounds", "The rounds", "round", self)
        self._lay_out()
        session.told(ProofMade).connect(lambda *_: self.refresh())
        for signal in (session.round_changed, session.job_changed):
            signal.connect(lambda *_: self._again())
        self.refresh()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 10, 4)
        layout.setSpacing(5)
        for text in (self.next, self.took, self.outcome, self.beside):
            layout.addWidget(text)
        layout.addWidget(self.marks)
        charts = QHBoxLayout()
        charts.setSpacing(10)
        charts.addWidget(self.along, 3)
        charts.addWidget(self.trend, 2)
        layout.addLayout(charts, 1)
        layout.addWidget(self.weather)
        layout.addWidget(self.caution)

    @property
    def widget(self) -> QWidget:
        """What fills the middle."""
        return self

    def mark(self) -> str:
        """Nothing before it is asked."""
        return ""

    def showEvent(self, event: QShowEvent) -> None:
        """From now on rounds are judged."""
        super().showEvent(event)
        self.control.want()
        self.refresh()

    def _again(self) -> None:
        # What nobody looks at stands as the job does when it is turned to.
        if self.isVisible():
            self.control.look()
            self.refresh()

    def refresh(self) -> None:
        """Stand as the proof does."""
        proof = self.control.proof
        said = self.control.said
        self._show_trend(self.control.trend())
        if proof is None or said:
            self.next.setText(said or (JUDGING if self.control.lookup.is_looking else ""))
            for text in (self.took, self.outcome, self.beside, self.weather):
                text.setText("")
                text.setVisible(False)
            self.marks.setVisible(False)
            self.along.setVisible(False)
            return
        self._show(proof)

    def _show(self, proof: Proof) -> None:
        self.next.setText(str(proof.next_said))
        self.took.setText(str(proof.took_said))
        self.outcome.setText(str(proof.outcome_said))
        self.beside.setText(" ".join(str(said) for said in proof.beside))
        self.weather.setText(weather_words(proof.conditions))
        for text in (self.took, self.outcome, self.beside, self.weather):
            text.setVisible(bool(text.text()))
        self.marks.setVisible(True)
        self.marks.show_proof(proof)
        self.along.setVisible(bool(proof.times))
        self.along.show_courses(
            [t / 60.0 for t in proof.times],
            (
                Course("expected, % rms", "dashes", proof.expected_along),
                Course("observed, % rms", "line", proof.observed_along),
            ),
        )

    def _show_trend(self, points: tuple[TrendPoint, ...]) -> None:
        self.trend.setVisible(len(points) > 1)
        flashes = points[-1].flashes if points else 0
        word = "flash" if flashes == 1 else "flashes"
        self.trend.title = f"{flashes} {word}"
        self.trend.show_courses(
            [float(i) for i in range(len(points))],
            (
                Course("off by, % rms", "dots", [p.rms_pct for p in points]),
                Course("leanest, %", "dashes", [p.worst_lean_pct for p in points]),
                Course("trims, % rms", "line", [p.trim_rms_pct for p in points]),
            ),
            [str(p.number) for p in points],
        )


def weather_words(conditions: tuple[Condition, ...]) -> str:
    """Conditions of both drives in a line.

    Parameters
    ----------
    conditions : of a proof.

    Returns
    -------
    What differs first and said so; "" where nothing was logged.
    """
    if not conditions:
        return ""
    ordered = sorted(conditions, key=lambda c: not c.differs)
    parts = []
    for c in ordered:
        was, now = ("not logged" if np.isnan(v) else f"{v:.0f}" for v in (c.before, c.now))
        flag = ", another" if c.differs else ""
        parts.append(f"{c.label} {was} → {now} {c.unit}{flag}")
    return "Medians of both drives: " + "; ".join(parts) + "."
