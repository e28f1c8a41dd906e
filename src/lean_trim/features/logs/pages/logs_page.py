"""Which logs count and for how much, which airflow model was in force, and what had to be inferred."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from lean_trim.core.data.vehicle import (
    AIRFLOW_SOURCE_KNOBS,
    AirflowSourceKind,
    AirflowSourceSettings,
)
from lean_trim.core.diagnosis.inference import Inferred
from lean_trim.core.drive.airflow_source import AirflowSource
from lean_trim.features.logs.pages.earlier_rounds import EarlierRounds
from lean_trim.features.logs.pages.learned_panel import LearnedPanel
from lean_trim.features.logs.pages.log_rows import LogRows
from lean_trim.features.logs.pages.notes_panel import NotesPanel
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.fold import Fold
from lean_trim.ui.widgets.knob_row import KnobRow
from lean_trim.ui.widgets.label import escaped
from lean_trim.ui.widgets.page import (
    fill_page,
    heading,
    running_markup,
    running_text,
    scrolling_column,
)
from lean_trim.ui.widgets.wheel_safe import ComboBox

SOURCES: tuple[tuple[str, AirflowSourceKind | None], ...] = (
    ("As the vehicle sheet says", None),
    ("By flag, else by pulse width", "auto"),
    ("This table throughout: my word", "table"),
    ("By the logged flag only", "flag"),
    ("By the ECU's rule", "rule"),
)
HOW = {
    "word": "in force throughout, by your word",
    "flag": "by the logged flag",
    "rule": "by the rule",
    "pulse width": "by the pulse width",
    "position": "by the logged position",
    "assumed": "taken to be in force throughout",
}


class LogsPage(QWidget):
    """Logs of the round, drives of earlier ones, and how the airflow source is told.

    ``replace_wanted`` asks for a file in the place of a log.
    """

    replace_wanted = Signal(int, int)

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.logs = LogRows(session, appearance)
        self.logs.replace_wanted.connect(self.replace_wanted)
        self._had_learned = False
        self.inferred = running_markup()
        self.learned = LearnedPanel(session, appearance)
        self.learned_fold = Fold("Learned map", lambda: (self.learned,))
        self.learned_fold.fill()
        self.force = running_text()
        self.earlier = EarlierRounds(session)
        self.notes = NotesPanel(session)
        self.source = ComboBox()
        self.source.addItems([label for label, _ in SOURCES])
        self.source.setFont(font(9))
        self.source.setAccessibleName("How the airflow source is told")
        self.source.activated.connect(self._choose_source)
        self.knobs = {k.name: KnobRow(k, partial(self._turn, k.name)) for k in AIRFLOW_SOURCE_KNOBS}
        self._lay_out()
        for signal in (
            session.round_changed,
            session.job_changed,
            session.solved,
            session.tuning_changed,
        ):
            signal.connect(self.refresh)
        appearance.changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        widgets = (
            heading("Logs of this round"),
            self.logs,
            self.earlier,
            self.learned_fold,
            heading("Notes"),
            self.notes,
            heading("Airflow source"),
            self.source,
            *self.knobs.values(),
            self.force,
            heading("What the log did not say"),
            self.inferred,
        )
        fill_page(self, scrolling_column(widgets, 4))

    def refresh(self) -> None:
        """Show the present solution and settings."""
        solution = self.session.solution
        faint = self.appearance.theme.faint
        self.earlier.refresh()
        self.notes.refresh()
        source = self.session.tuning.state.airflow_source
        kinds = [kind for _, kind in SOURCES]
        self.source.setCurrentIndex(kinds.index(source.kind if source is not None else None))
        for name, row in self.knobs.items():
            row.setVisible(source is not None and source.kind == "rule")
            row.show_value(getattr(source or AirflowSourceSettings(), name))
        self.logs.refresh()
        if self.learned.is_there != self._had_learned:
            self.show_learned(self.learned.is_there)
        if solution is None:
            state = self.session.work.state
            said = state.why or state.said
            self.force.setText(said)
            self.inferred.setText(escaped(said))
            return
        self.force.setText(source_line(solution.prepared.conditions.airflow_source))
        self.inferred.setText(
            "".join(inferred_line(i, faint) for i in solution.inferred)
            or "Nothing: every channel that matters is there."
        )

    def show_learned(self, on: bool) -> None:
        """Unfold what the ECU learned by itself, or fold it away."""
        self._had_learned = self.learned.is_there
        self.learned_fold.unfold(on)

    def _choose_source(self, index: int) -> None:
        kind = SOURCES[index][1]
        vehicle = self.session.vehicle
        # Of two tables the word speaks of the one that is looked at.
        two = vehicle is not None and vehicle.other is not None and kind == "table"
        of = vehicle.airflow if vehicle is not None and two else ""
        self.session.tuning.use_source(None if kind is None else AirflowSourceSettings(kind, of=of))

    def _turn(self, name: str, value: float) -> None:
        source = self.session.tuning.state.airflow_source or AirflowSourceSettings("rule")
        self.session.tuning.use_source(replace(source, **{name: value}))  # type: ignore[arg-type]


def source_line(source: AirflowSource) -> str:
    """How the airflow source was told, and how long this table was in force."""
    share = 100.0 * float(np.mean(source.share >= 0.95))
    sure = (
        ""
        if not np.isfinite(source.sure) or source.how != "pulse width"
        else f", explains {100 * source.sure:.0f} %"
    )
    return f"This table: {HOW[source.how]}, {share:.0f} % of the log{sure}."


def inferred_line(thing: Inferred, faint: str) -> str:
    """One inference as rich text."""
    share = (
        f", borne out by {thing.share_pct:.0f} % of the driving"
        if np.isfinite(thing.share_pct)
        else ""
    )
    return (
        f"<p style='margin:0 0 4px 0'><b>{escaped(thing.what)}</b>: {escaped(thing.taken)} "
        f"<span style='color:{faint}'>({escaped(thing.trust)}{escaped(share)})</span></p>"
    )
