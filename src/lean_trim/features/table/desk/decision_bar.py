"""Where the user decides: accept, put back, pin, type; with the caution that belongs to it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lean_trim.core.decision.cautions import (
    cautions_for,
    fault_caution,
    injector_caution,
    knock_caution,
    shape_caution,
    shape_faults,
)
from lean_trim.core.decision.decision import accept
from lean_trim.core.decision.knock import knock_cells
from lean_trim.core.decision.shortfall import shortfalls
from lean_trim.features.table.desk.reason_strip import reason_for
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.operation_entry import OperationEntry
from lean_trim.ui.widgets.whole_text import WholeText
from lean_trim.workspace.deciding import cells_in_words
from lean_trim.workspace.work_state import Stage

AGAINST = "what stands above the table speaks against this log. Accept nothing from it until that is cleared."
LEAST_CAUTION = 54
LOW_CAUTION = 38
MOST_CAUTION = 116
LOW_MOST = 96
"""Heights of the caution, px.

Three lines always have room, two in a low window, so that the table does not jump with every click;
in a low window at most six.
"""
NO_PROPOSAL = {
    Stage.NO_LOG: "A log is needed for a proposal.",
    Stage.READING: "A log is on its way.",
    Stage.DRIVING: "A drive is on its way.",
    Stage.FAILED: "Nothing is proposed: this round could not be worked out.",
}
LOW_WINDOW = 700
"""Height of a window, px, below which every line counts."""


class DecisionBar(QWidget):
    """Buttons act on the selection, or on all cells if none is chosen."""

    def __init__(
        self,
        session: Session,
        appearance: Appearance,
        actions: Mapping[str, QAction],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.actions_ = actions
        self.caution = WholeText(9)
        self.entry = OperationEntry(self)
        self.entry.setPlaceholderText("+3%  x0.95  =82")
        self.entry.setAccessibleName("Change the chosen cells")
        self.entry.setToolTip(
            "Change the chosen cells, then Enter: +3%, -2, x0.95, =82,\nor 50% of what is proposed"
        )
        # It gives way first where the buttons beside it need the room.
        self.entry.setMinimumWidth(90)
        self.entry.setMaximumWidth(130)
        self.state = Label(self)
        self.state.setFont(font(9))
        self.state.setAccessibleName("What is decided")
        self.entry.returnPressed.connect(self._typed)
        self.accept = _button(actions["accept_all"], "Accept all", primary=True)
        self.accept_chosen = _button(actions["accept"], "Accept chosen")
        self.put_back = _button(actions["put_back"], "Put back")
        self.pin = _button(actions["pin"], "Pin")
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        for widget in (self.accept, self.accept_chosen, self.put_back, self.pin, self.entry):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(self.state)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 2, 6, 4)
        layout.setSpacing(4)
        layout.addWidget(self.caution)
        layout.addLayout(row)
        session.selection.changed.connect(self.refresh)
        for signal in (
            session.round_changed,
            session.solved,
            session.decided,
            session.work_changed,
        ):
            signal.connect(self.refresh)
        session.access_changed.connect(lambda _: self.refresh())
        appearance.changed.connect(self.refresh)
        self.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a low window every line counts."""
        super().resizeEvent(event)
        self._bound_caution()

    def _bound_caution(self) -> None:
        low = self.window().height() < LOW_WINDOW
        self.caution.bound(LOW_CAUTION if low else LEAST_CAUTION, LOW_MOST if low else MOST_CAUTION)

    def begin_typing(self, text: str) -> None:
        """Take over a key typed on the table."""
        self.entry.setText(text)
        self.entry.setFocus(Qt.FocusReason.OtherFocusReason)

    def _typed(self) -> None:
        if self.session.deciding.type_in(self.entry.text(), self.session.selection.cells):
            self.entry.clear()

    def refresh(self) -> None:
        """Names, states and the caution for what the accept button would do now."""
        session = self.session
        cells = self.session.selection.cells
        may = session.can_save and session.is_last
        held = session.deciding.holds_accepting
        can = may and session.proposal is not None and held is None
        waiting = session.deciding.waiting_in()
        chosen = session.deciding.waiting_in(cells) if cells else 0
        self.accept.setText(f"Accept all {waiting}" if waiting else "Accept all")
        self.accept.setEnabled(can and waiting > 0)
        for button, action in ((self.accept, "accept_all"), (self.accept_chosen, "accept")):
            button.setToolTip(
                plain_tip(str(held) if held is not None else self.actions_[action].toolTip())
            )
        self.accept_chosen.setVisible(bool(cells))
        self.accept_chosen.setText(f"Accept {chosen} chosen" if chosen else "Accept chosen")
        self.accept_chosen.setEnabled(can and bool(cells))
        self.put_back.setEnabled(may and session.round is not None)
        self.pin.setEnabled(may and bool(cells))
        self.entry.setEnabled(may and bool(cells))
        self._show_state(waiting)
        self._show_caution(can)

    def _show_state(self, waiting: int) -> None:
        """Beside the buttons: how much is decided, and how much is not."""
        decision = self.session.decision
        if decision is None or self.session.proposal is None:
            self.state.setText("")
            return
        done = decision.changed
        self.state.setText(f"{done} decided, {waiting} not")
        self.state.setToolTip(
            plain_tip(
                f"{done} cells are accepted or set by hand; {waiting} cells have a proposal that is "
                "not decided. Cells without a proposal keep their value."
            )
        )

    def _show_caution(self, can: bool) -> None:
        session = self.session
        against = reason_for(session) is not None
        lines = [AGAINST] if can and against else self._cautions() if can else []
        text = "  ".join(lines)
        when = "accept" if can and session.deciding.waiting_in() else "hand over"
        theme = self.appearance.theme
        self.caution.setText(f"Before you {when}: {text}" if text else self._summary())
        # What keeps Accept off for good is no less a caution than what is to be minded before it.
        held = session.deciding.holds_accepting is not None
        held &= session.work.state.holds_writing is None
        warns = bool(text) or held
        paper, edge = (theme.caution_paper, theme.danger) if warns else (theme.paper, theme.edge)
        self.caution.setStyleSheet(
            f"background: {paper}; color: {theme.ink}; border-left: 3px solid {edge}; padding: "
            "2px 8px;"
        )
        self._bound_caution()

    def _cautions(self) -> list[str]:
        """What is to be minded before all cells are accepted, and where only the chosen ones are."""
        session = self.session
        proposal = session.proposal
        decision = session.decision
        current = session.round
        if proposal is None or decision is None or current is None:
            return []
        # On the scale that was driven: a moved one is no change of the mixture.
        decision = replace(decision, values=current.result_as_driven.values)
        step = proposal.step_pct * (decision.origin == 0)
        lines = cautions_for(current.table, step, None, proposal.policy)
        if session.solution is not None and "knock" in session.settings.sieve.disabled:
            knocked = knock_cells(session.solution.sifted, even_if_off=True)
            lines = [*knock_caution(step, knocked, None), *lines]
        if session.solution is not None:
            left = shortfalls(
                session.solution.estimate, proposal, session.solution.frame.vehicle.induction
            )
            holes = [f.message for f in left if f.severity == "danger"]
            found = session.solution.findings
            lines = [*fault_caution(found), *holes, *lines, *injector_caution(found)]
        shape = shape_caution(current.table, accept(decision, proposal).values)
        lines = [*lines, shape] if shape else lines
        chosen = session.selection.cells
        # What the chosen cells are warned of, all of them are; only the shape may be worse with
        # fewer.
        if chosen and session.deciding.waiting_in(chosen):
            part = shape_faults(current.table, accept(decision, proposal, chosen).values)
            if part and part != shape_faults(current.table, accept(decision, proposal).values):
                lines.append(f"With only the chosen accepted: {cells_in_words(part)}.")
        return lines

    def _summary(self) -> str:
        """What is decided and what is still open, in one line."""
        session = self.session
        if session.round is None or session.decision is None:
            return ""
        if not session.is_last:
            return "An earlier round: kept as it was decided."
        taken = session.decision.origin != 0
        driven = session.round.table.values
        result = session.round.result_as_driven.values
        more = int((taken & (result > driven)).sum())
        less = int((taken & (result < driven)).sum())
        decided = (
            f"Decided: {more} cells get more fuel, {less} less."
            if taken.any()
            else "Nothing decided yet."
        )
        state = session.work.state
        if state.holds_writing is not None:
            return f"{decided} {state.holds_writing}"
        held = session.deciding.holds_accepting
        if held is not None:
            # What keeps Accept off for good stands here, not in a tooltip alone.
            return f"{decided} {held}"
        if session.proposal is None:
            return f"{decided} {NO_PROPOSAL.get(state.stage, '')}".strip()
        step = session.proposal.step_pct[~taken & ~session.decision.pinned]
        more = int((step > 0).sum())
        less = int((step < 0).sum())
        return f"{decided} Still proposed: {more} get more fuel, {less} less."


def _button(action: QAction, text: str, primary: bool = False) -> QPushButton:
    button = QPushButton(text)
    if primary:
        button.setObjectName("primary")
    button.setToolTip(plain_tip(action.toolTip()))
    button.clicked.connect(action.trigger)
    return button
