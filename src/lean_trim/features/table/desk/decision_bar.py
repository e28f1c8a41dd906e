"""Where the user decides: accept, put back, pin, type; with the caution that belongs to it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QAction, QEnterEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QToolButton, QVBoxLayout, QWidget

from lean_trim.core.decision.before_accepting import cautions_before, worse_with_fewer
from lean_trim.core.decision.cautions import Caution, Kind
from lean_trim.core.decision.knock import knock_cells
from lean_trim.features.table.desk.caution_line import CautionLine
from lean_trim.features.table.desk.offer_strip import OfferStrip
from lean_trim.features.table.desk.reason_strip import reason_for
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.elided_line import ElidedLine
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.operation_entry import OperationEntry
from lean_trim.workspace.changes import ConfirmationAsked
from lean_trim.workspace.work_state import Stage

AGAINST = "what stands above the table speaks against this log. Accept nothing from it until that is cleared."
NO_PROPOSAL = {
    Stage.NO_LOG: "A log is needed for a proposal.",
    Stage.READING: "A log is on its way.",
    Stage.DRIVING: "A drive is on its way.",
    Stage.FAILED: "Nothing is proposed: this round could not be worked out.",
}


class HoverButton(QToolButton):
    """Tells when the pointer comes and goes."""

    hovered = Signal(bool)

    def __init__(self, text: str) -> None:
        super().__init__()
        self.setText(text)

    def enterEvent(self, event: QEnterEvent) -> None:
        """It comes."""
        super().enterEvent(event)
        self.hovered.emit(True)

    def leaveEvent(self, event: QEvent) -> None:
        """It goes."""
        super().leaveEvent(event)
        self.hovered.emit(False)


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
        self.caution = CautionLine(appearance)
        self.caution.chosen.connect(session.selection.set_cells)
        self.entry = OperationEntry(self)
        self.entry.setPlaceholderText("+3%  x0.95  =82")
        self.entry.setAccessibleName("Change the chosen cells")
        self.entry.setToolTip(
            "Change the chosen cells, then Enter: +3%, -2, x0.95, =82,\nor 50% of what is proposed"
        )
        # It gives way first where the buttons beside it need the room.
        self.entry.setMinimumWidth(70)
        self.entry.setMaximumWidth(130)
        self.state = ElidedLine()
        self.state.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.state.setAccessibleName("What is decided")
        self.entry.returnPressed.connect(self._typed)
        self.accept = _button(actions["accept_all"], "Accept all", primary=True)
        self.accept_chosen = _button(actions["accept"], "Accept chosen")
        self.put_back = _button(actions["put_back"], "Put back")
        self.pin = _button(actions["pin"], "Pin")
        self.shape = QPushButton("Shape")
        self.shape.setToolTip("Smooth, blend, straighten, fill, nudge the chosen cells")
        self.offer = OfferStrip(session)
        self.marks = HoverButton("?")
        self.row = self._make_row()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 2, 6, 4)
        layout.setSpacing(4)
        layout.addWidget(self.caution)
        layout.addWidget(self.offer)
        layout.addWidget(self.row)
        self._listen()
        self.refresh()

    def _make_row(self) -> QWidget:
        """The buttons, the line to type in, and what is decided."""
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        decide = (self.accept, self.accept_chosen, self.put_back, self.pin, self.shape, self.entry)
        for widget in decide:
            row.addWidget(widget)
        row.addWidget(self.state, 1)
        self.marks.setObjectName("flat")
        self.marks.setFont(font(9))
        self.marks.setAccessibleName("Explain the marks on the tiles")
        self.marks.setToolTip("What the marks on the tiles mean (F8)")
        row.addWidget(self.marks)
        holder = QWidget()
        holder.setLayout(row)
        return holder

    def _listen(self) -> None:
        session = self.session
        self.offer.shown.connect(lambda on: self._show_only(not on))
        session.told(ConfirmationAsked).connect(self._show_what_waits)
        session.selection.changed.connect(self.refresh)
        for signal in (
            session.round_changed,
            session.solved,
            session.decided,
            session.work_changed,
        ):
            signal.connect(self.refresh)
        session.access_changed.connect(lambda _: self.refresh())
        self.appearance.changed.connect(self.refresh)

    def _show_what_waits(self) -> None:
        """While a word is asked for, nothing else is decided here."""
        waits = self.session.deciding.confirming.waiting is not None
        self._show_only(not waits)

    def _show_only(self, deciding: bool) -> None:
        self.row.setVisible(deciding)
        self.caution.setVisible(deciding)

    def begin_typing(self, text: str) -> None:
        """Take over a key typed on the table."""
        self.entry.setText(text)
        self.entry.setFocus(Qt.FocusReason.OtherFocusReason)

    def _typed(self) -> None:
        deciding = self.session.deciding
        done = deciding.type_in(self.entry.text(), self.session.selection.cells)
        # What waits for a word is kept there, with its own undo.
        if done or deciding.confirming.waiting is not None:
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
        self.shape.setEnabled(may and bool(cells))
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
        doubted = [Caution(kind=Kind.AGAINST, text=AGAINST)]
        cautions = doubted if can and against else self._cautions() if can else []
        when = "accept" if can and session.deciding.waiting_in() else "hand over"
        # What keeps Accept off for good is no less a caution than what is to be minded before it.
        held = session.deciding.holds_accepting is not None
        held &= session.work.state.holds_writing is None
        self.caution.show_cautions(cautions, when, self._summary(), warns=held)
        if cautions and session.deciding.waiting_in():
            # In full where Accept is pressed.
            for button in (self.accept, self.accept_chosen):
                button.setToolTip(plain_tip(f"Before you accept: {self._in_full(cautions)}"))

    def _in_full(self, cautions: list[Caution]) -> str:
        return "  ".join(caution.text for caution in cautions)

    def _cautions(self) -> list[Caution]:
        """What is to be minded before all cells are accepted, and where only the chosen ones are."""
        session = self.session
        proposal = session.proposal
        decision = session.decision
        current = session.round
        if proposal is None or decision is None or current is None:
            return []
        # On the scale that was driven: a moved one is no change of the mixture.
        decision = replace(decision, values=current.result_as_driven.values)
        solution = session.solution
        off = solution is not None and "knock" in session.settings.sieve.disabled
        cautions = cautions_before(
            current.table,
            decision,
            proposal,
            estimate=None if solution is None else solution.estimate,
            induction="unknown" if solution is None else solution.frame.vehicle.induction,
            findings=() if solution is None else solution.findings,
            knocked=knock_cells(solution.sifted, even_if_off=True) if solution and off else None,
        )
        chosen = session.selection.cells
        # What the chosen cells are warned of, all of them are; only the shape may be worse with
        # fewer.
        if chosen and session.deciding.waiting_in(chosen):
            worse = worse_with_fewer(current.table, decision, proposal, chosen)
            if worse:
                cautions.append(Caution(kind=Kind.SHAPE, text=worse, short="shape of a part"))
        return cautions

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
