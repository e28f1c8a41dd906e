"""Where the user decides: accept, put back, pin, type; with the caution that belongs to it."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from lean_trim.core.decision.cautions import cautions_for, knock_caution, shape_caution
from lean_trim.core.decision.decision import accept
from lean_trim.core.decision.knock import knock_cells
from lean_trim.core.types import Floats
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font

SIDE_MARGINS = 16
LEAST_CAUTION = 54
MOST_CAUTION = 84
"""Heights of the caution, px.

Three lines always have room, so that the table does not jump with every click.
"""


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
        self.caution = QLabel(self)
        self.caution.setWordWrap(True)
        self.caution.setFont(font(9))
        self.entry = QLineEdit(self)
        self.entry.setPlaceholderText("+3%  x0.95  =82")
        self.entry.setAccessibleName("Change the chosen cells")
        self.entry.setToolTip("Change the chosen cells: +3%, -2, x0.95, =82, then Enter")
        # It gives way first where the buttons beside it need the room.
        self.entry.setMinimumWidth(90)
        self.entry.setMaximumWidth(130)
        self.entry.returnPressed.connect(self._typed)
        self.accept = _button(actions["accept"], "Accept all", primary=True)
        self.put_back = _button(actions["put_back"], "Put back")
        self.pin = _button(actions["pin"], "Pin")
        self.hand_over = _button(actions["hand_over"], "Hand over…")
        self.drive = _button(actions["drive"], "Drive again")
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        for widget in (self.accept, self.put_back, self.pin, self.entry):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(self.hand_over)
        row.addWidget(self.drive)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 2, 6, 4)
        layout.setSpacing(4)
        layout.addWidget(self.caution)
        layout.addLayout(row)
        session.selection.changed.connect(self.refresh)
        for signal in (session.round_changed, session.solved, session.decided, session.idle):
            signal.connect(self.refresh)
        session.busy.connect(self._busy)
        session.access_changed.connect(lambda _: self.refresh())
        appearance.changed.connect(self.refresh)
        self.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Give the caution the lines it needs at this width, so that none is cut."""
        super().resizeEvent(event)
        self._fit_caution()

    def _fit_caution(self) -> None:
        # A label does not ask for more height by itself, and a cut caution is none.
        needed = self.caution.heightForWidth(self.width() - SIDE_MARGINS)
        self.caution.setFixedHeight(min(max(needed, LEAST_CAUTION), MOST_CAUTION))

    def begin_typing(self, text: str) -> None:
        """Take over a key typed on the table."""
        self.entry.setText(text)
        self.entry.setFocus(Qt.FocusReason.OtherFocusReason)

    def _typed(self) -> None:
        if self.session.deciding.type_in(self.entry.text(), self.session.selection.cells):
            self.entry.clear()

    def _busy(self, title: str, share: float) -> None:
        if share == 0.0:
            self.refresh()

    def refresh(self) -> None:
        """Names, states and the caution for what the accept button would do now."""
        session = self.session
        cells = self.session.selection.cells
        may = session.can_save and session.is_last
        can = may and session.proposal is not None
        free = not session.is_reading
        self.accept.setText(
            f"Accept {len(cells)} {'cell' if len(cells) == 1 else 'cells'}" if cells else "Accept all"
        )
        self.accept.setEnabled(can)
        self.put_back.setEnabled(may and session.round is not None)
        self.pin.setEnabled(may and bool(cells))
        self.entry.setEnabled(may and bool(cells))
        self.hand_over.setEnabled(session.round is not None)
        has_car = session.job is not None and bool(session.job.car)
        self.drive.setVisible(has_car)
        self.drive.setEnabled(has_car and free and session.can_save)
        first = session.round is not None and not session.round.logs
        self.drive.setText("Drive the simulated car" if first else "Drive again")
        self._show_caution(can)

    def _show_caution(self, can: bool) -> None:
        session = self.session
        text = ""
        when = ""
        if (
            can
            and session.proposal is not None
            and session.round is not None
            and session.decision is not None
        ):
            pending = session.decision.origin == 0
            step = session.proposal.step_pct * pending
            lines = cautions_for(session.round.table, step, session.selection.cells or None, session.policy)
            if session.solution is not None and "knock" in session.settings.sieve.disabled:
                knocked = knock_cells(session.solution.sifted, even_if_off=True)
                lines = [*knock_caution(step, knocked, session.selection.cells or None), *lines]
            shape = shape_caution(session.round.table, self._would_write())
            text = "  ".join([*lines, shape] if shape else lines)
            when = "accept" if (step != 0.0).any() else "hand over"
        theme = self.appearance.theme
        self.caution.setText(f"Before you {when}: {text}" if text else self._summary())
        paper, edge = (theme.caution_paper, theme.danger) if text else (theme.paper, theme.edge)
        self.caution.setStyleSheet(
            f"background: {paper}; color: {theme.ink}; border-left: 3px solid {edge}; padding: 2px 8px;"
        )
        self._fit_caution()

    def _would_write(self) -> Floats:
        """The table as it would be after the accept button."""
        session = self.session
        assert session.decision is not None and session.proposal is not None
        return accept(session.decision, session.proposal, session.selection.cells or None).values

    def _summary(self) -> str:
        """What is decided and what is still open, in one line."""
        session = self.session
        if session.round is None or session.decision is None:
            return ""
        if not session.is_last:
            return "An earlier round: kept as it was decided."
        taken = session.decision.origin != 0
        more = int((taken & (session.decision.values > session.round.table.values)).sum())
        less = int((taken & (session.decision.values < session.round.table.values)).sum())
        decided = (
            f"Decided: {more} cells get more fuel, {less} less." if taken.any() else "Nothing decided yet."
        )
        if session.proposal is None:
            return f"{decided} A log is needed for a proposal."
        step = session.proposal.step_pct[~taken]
        return f"{decided} Still proposed: {int((step > 0).sum())} more, {int((step < 0).sum())} less."


def _button(action: QAction, text: str, primary: bool = False) -> QPushButton:
    button = QPushButton(text)
    if primary:
        button.setObjectName("primary")
    button.setToolTip(action.toolTip())
    button.clicked.connect(action.trigger)
    return button
