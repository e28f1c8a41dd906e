"""What stands above the tiles: which table this is, how far off the drive was, which number tiles show."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QMenu,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.log import Log
from lean_trim.core.data.table_kinds import table_words
from lean_trim.core.decision.decision import Origin
from lean_trim.core.decision.proposal import Status
from lean_trim.core.decision.round_verdict import UNJUDGED
from lean_trim.core.decision.shortfall import shortfalls
from lean_trim.core.diagnosis.causes import SUPPLY_IDS
from lean_trim.features.table.desk.base_choice import Base, bases_of
from lean_trim.features.table.desk.reason_strip import reason_for
from lean_trim.features.table.figure_names import AGAINST, FIGURE_TEXT, MAIN, Figure
from lean_trim.job.records import Round
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.choice_button import ChoiceButton, Entry
from lean_trim.ui.widgets.elided_line import ElidedLine
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.workspace.judging import verdict_of

FACT_TIPS = (
    "How far this drive was from a table that needs no correction: root mean square over the "
    "cells it visited, each cell counted once. Fuel trims and what is left in lambda are taken "
    "together.",
    "Visited cells whose own mean is at most 3 % off.",
    "What the ECU itself corrected by short and long-term fuel trim, root mean square over the "
    "same cells. Where it is smaller than “off by”, lambda was off its target too.",
    "Driving that passed the sieve; the Sieve page tells where the rest went.",
    "What every cell shares beside its own error: the lambda gauge, one standard error at λ 1. No "
    "driving "
    "on this gauge removes it; a knob of the Fit page says how good the gauge is.",
)
FILLED_TIP = (
    "Dashed bars: cells nobody drove, filled with what the surface through the driven cells says "
    "where that adds fuel. A click keeps their old values instead; Undo, or the Write page, "
    "brings the fill back."
)

MORE = "More"
FACT_GAP = 14
MARGINS = 16
"""Left and right of the header's lines together, pixels."""


class TableHeader(QWidget):
    """Title, figures of the round, and the choice of the tiles' number."""

    figure_chosen = Signal(object)
    base_chosen = Signal(object)
    """Which table of the job changes are counted from."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.show_truth = False
        self.figure = Figure.VALUE
        self._key = ""
        self.title = ElidedLine()
        self.advice = Label(self)
        self.facts = tuple(Label(self) for _ in FACT_TIPS)
        self.title.setFont(font(12, bold=True))
        for label in (self.advice, *self.facts):
            label.setFont(font(9))
            label.setTextFormat(Qt.TextFormat.PlainText)
        for label, tip in zip(self.facts, FACT_TIPS, strict=True):
            label.setToolTip(plain_tip(tip))
        self.advice.setWordWrap(True)
        self.advice.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.group = QButtonGroup(self)
        self.more = QToolButton(self)
        self.as_curve = QToolButton(self)
        self.keep_filled = QToolButton(self)
        self.base = ChoiceButton(self._bases, parent=self)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, MARGINS - 10, 2)
        column.setSpacing(2)
        for line in (self._top(), self._figures_line(), self._below()):
            column.addLayout(line)
        self._listen()

    def _figures_line(self) -> QHBoxLayout:
        """Figures of the round."""
        line = QHBoxLayout()
        line.setSpacing(FACT_GAP)
        for label in self.facts:
            line.addWidget(label)
        # The last is left out of a window too narrow for it, which it must not widen.
        last = self.facts[-1]
        last.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        line.setStretchFactor(last, 1)
        return line

    def _below(self) -> QHBoxLayout:
        """What is advised, and what changes are counted from or what is filled."""
        self.keep_filled.setToolTip(plain_tip(FILLED_TIP))
        self.keep_filled.clicked.connect(lambda: self.session.tuning.choose_unvisited("keep"))
        self.base.setAccessibleName("The table changes are counted from")
        self.base.chosen.connect(self._hold_against)
        self.base.hide()
        below = QHBoxLayout()
        below.addWidget(self.advice, 1)
        below.addWidget(self.base)
        below.addWidget(self.keep_filled)
        return below

    def _top(self) -> QHBoxLayout:
        """Which table this is, and what its tiles show."""
        row = QHBoxLayout()
        row.setSpacing(0)
        row.addWidget(self.title, 1)
        for figure in MAIN:
            self._add_button(row, figure)
        self.more.setText(MORE)
        self.more.setObjectName("figure")
        self.more.setCheckable(True)
        self.more.setToolTip("More that tiles can show")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setMenu(self._others())
        self.group.addButton(self.more, len(Figure))
        row.addWidget(self.more)
        self.as_curve.setText("Curve")
        self.as_curve.setObjectName("figure")
        self.as_curve.setToolTip("The chosen row, column or curve as a curve (F3)")
        self.as_curve.setCheckable(True)
        row.addSpacing(6)
        row.addWidget(self.as_curve)
        self.group.idClicked.connect(self._clicked)
        return row

    def _clicked(self, place: int) -> None:
        # The last button of the group opens a list; what is chosen there chooses itself.
        if place < len(Figure):
            self.choose(list(Figure)[place])

    def _listen(self) -> None:
        session = self.session
        for signal in (session.round_changed, session.solved, session.decided, session.job_changed):
            signal.connect(self.refresh)
        session.round_changed.connect(self._show_base)
        session.access_changed.connect(lambda _: self.refresh())
        session.work_changed.connect(self.refresh)
        session.driving.connect(self._drive)

    def _add_button(self, row: QHBoxLayout, figure: Figure) -> None:
        text, tip = FIGURE_TEXT[figure]
        button = QToolButton(self)
        button.setText(text)
        button.setObjectName("figure")
        button.setToolTip(plain_tip(f"Tiles show {tip}"))
        button.setCheckable(True)
        button.setChecked(figure is Figure.VALUE)
        self.group.addButton(button, list(Figure).index(figure))
        row.addWidget(button)

    def _others(self) -> QMenu:
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for figure in Figure:
            if figure not in MAIN:
                text, tip = FIGURE_TEXT[figure]
                action = menu.addAction(text)
                action.setToolTip(plain_tip(f"Tiles show {tip}"))
                action.triggered.connect(lambda _=False, f=figure: self.choose(f))
        # The group takes the button for chosen when its list opens; only a figure is.
        menu.aboutToHide.connect(lambda: self._mark(self.figure))
        return menu

    def choose(self, figure: Figure) -> None:
        """Show a figure on the tiles.

        Parameters
        ----------
        figure : which.
        """
        self.figure = figure
        self._mark(figure)
        self._choose_figure(figure)

    def _mark(self, figure: Figure) -> None:
        self.more.setText(MORE if figure in MAIN else FIGURE_TEXT[figure][0])
        button = self.group.button(list(Figure).index(figure)) if figure in MAIN else self.more
        button.setChecked(True)

    @property
    def text(self) -> str:
        """Everything that is said, for screen readers and tests."""
        return "\n".join(
            label.text() for label in (self.title, *self.facts, self.advice) if label.text()
        )

    def _drive(self, log: Log) -> None:
        minutes = log.duration_s / 60.0
        self._show((f"Driving: {minutes:.1f} of {self.session.rounds.drive_minutes:g} min",))
        self._advise("The tiles show the seconds driven in each cell so far.")

    def _show(self, facts: tuple[str, ...]) -> None:
        for i, label in enumerate(self.facts):
            label.setText(facts[i] if i < len(facts) else "")
            label.setVisible(bool(label.text()))
            label.setToolTip(plain_tip(FACT_TIPS[i] if len(facts) > 1 else ""))
        self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The last figure only where there is room for it."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        last = self.facts[-1]
        others = sum(f.sizeHint().width() + FACT_GAP for f in self.facts[:-1] if f.text())
        room = self.width() - MARGINS - others
        last.setVisible(bool(last.text()) and last.sizeHint().width() <= room)

    def _choose_figure(self, figure: Figure) -> None:
        self.base.setVisible(figure in AGAINST)
        self._offer_to_keep()
        self.figure_chosen.emit(figure)

    def _bases(self) -> list[Entry]:
        session = self.session
        if session.job is None or session.round is None:
            return []
        return [Entry(base.words, base) for base in bases_of(session.job, session.round)]

    def _hold_against(self, base: object) -> None:
        assert isinstance(base, Base)
        self._key = base.key
        self._show_base()

    def _show_base(self) -> None:
        """The base that was chosen, where the shown round still has it; else what was driven."""
        entries = [entry.data for entry in self._bases()]
        found = [base for base in entries if isinstance(base, Base)]
        base = next((b for b in found if b.key == self._key), found[0] if found else None)
        self.base.show_choice(f"against {base.words}" if base is not None else "")
        self.base_chosen.emit(None if base is None else base.table)

    def _offer_to_keep(self) -> None:
        """One click keeps the old values of the cells that are filled without having been driven."""
        session = self.session
        proposal = session.proposal
        decision = session.decision
        count = 0
        if proposal is not None and decision is not None and session.is_last:
            filled = (proposal.status == Status.FILLED) & (decision.origin == Origin.UNTOUCHED)
            count = int(filled.sum())
        # Its room is the base's while changes are looked at.
        self.keep_filled.setVisible(count > 0 and self.base.isHidden())
        self.keep_filled.setEnabled(session.can_save)
        self.keep_filled.setText(f"{count} filled, not driven: keep old values")

    def _advise(self, text: str) -> None:
        self.advice.setText(text)
        self.advice.setVisible(bool(text))

    def refresh(self) -> None:
        """Show the current round's figures."""
        session = self.session
        self._offer_to_keep()
        if session.round is None or session.job is None:
            self.title.setText("")
            self._show(())
            self._advise("")
            return
        table = session.round.table
        words = table_words(table)
        title = f"{words[:1].upper()}{words[1:]}, {table.shown_unit} · round {session.round.number}"
        self.title.setText(title)
        self.title.setToolTip(plain_tip(title))
        self._show(self._figures())
        shows_truth = self.show_truth and bool(session.job.car) and session.solution is not None
        self._advise(self._truth() if shows_truth else self._advice())

    def _figures(self) -> tuple[str, ...]:
        session = self.session
        assert session.round is not None
        solution = session.solution
        if solution is None:
            # Of what failed the strip below says why.
            return (session.work.state.said,)
        r = solution.residual
        used = solution.observations.seconds.sum() / 60.0
        gauge = float(
            solution.frame.gauge.error_at(np.ones(1), session.settings.surface.gauge_pct / 100.0)[0]
        )
        return (
            f"Off by {r.rms:.1f} % rms" if math.isfinite(r.rms) else "Off by an unknown amount",
            f"{r.within_3:.0f} % of {r.cells} cells within ±3 %"
            if r.cells
            else "no cell driven for long",
            f"fuel trims {r.trim_rms:.1f} % rms"
            if math.isfinite(r.trim_rms)
            else "no fuel trims logged",
            f"{used:.1f} of {solution.frame.log.duration_s / 60:.1f} min used",
            # What no driving on this gauge removes: said once, for all cells have it.
            f"all ± {100.0 * gauge:.1f} % by the gauge",
        )

    def _advice(self) -> str:
        session = self.session
        assert session.job is not None
        current = session.round
        assert current is not None
        state = session.work.state
        # Until it is worked out, what is said is how far that is.
        if state.shows_table and state.holds_writing is not None:
            return state.said
        cut = self._cut_short()
        return f"{cut}  {self._verdict(current)}".strip() if cut else self._verdict(current)

    def _cut_short(self) -> str:
        """The headline where the step limits hold back a good part of what is needed."""
        session = self.session
        if session.solution is None or session.proposal is None or reason_for(session) is not None:
            return ""
        found = shortfalls(
            session.solution.estimate, session.proposal, session.solution.frame.vehicle.induction
        )
        return next((f.message for f in found if f.id == "step_limited"), "")

    def _verdict(self, current: Round) -> str:
        session = self.session
        assert session.job is not None
        before = session.job.round_before(current)
        # No advice to accept beside a reason not to.
        if session.solution is None or reason_for(session) is not None:
            return ""
        if any(f.severity == "danger" and f.id in SUPPLY_IDS for f in session.solution.findings):
            return "Fuel may not arrive: mend the supply before this is driven on."
        if before is None and session.deciding.holds_accepting is not None:
            # What keeps Accept off stands under the table; no advice to accept beside it.
            return ""
        if before is None:
            return "First drive: the bars show what it needs. Accept, hand over, drive again."
        judged = verdict_of(session.job, current)
        if judged is None:
            return ""
        verdict = judged.said
        expected = before.prediction
        if expected is None or judged.word == UNJUDGED:
            return verdict
        return f"{verdict} Expected were {expected.residual_rms:.1f} ± {expected.std_error:.1f} %."

    def _truth(self) -> str:
        from lean_trim.simcar.cars import truth_of
        from lean_trim.simcar.judge import rms_where_driven

        session = self.session
        assert (
            session.vehicle is not None
            and session.solution is not None
            and session.round is not None
        )
        assert session.job is not None
        truth = truth_of(session.job.car, session.vehicle)
        driven = rms_where_driven(session.round.table, session.solution, truth)
        decided = rms_where_driven(session.round.result_as_driven, session.solution, truth)
        return (
            f"Truth of the simulated car, where driven: driven table {driven:.2f} % off, decided "
            f"table {decided:.2f} % off (rms)"
        )
