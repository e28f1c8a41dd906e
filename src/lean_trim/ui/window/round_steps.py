"""How far the shown round has come, step by step, and what leads to the next one.

Stands below the rounds: log, worked out, decided, handed over, next drive.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QGridLayout, QPushButton, QVBoxLayout, QWidget

from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.whole_text import WholeText
from lean_trim.ui.window.steps import BACKUP, State, Step, steps_of

GO_ANYWAY = {
    "hand_over": "Hand over {}…",
    "drive": "Drive {}",
    "begin_round": "Begin a round on {}",
}
"""What ends a round, and how the button says it where the program asked first."""


class RoundSteps(QWidget):
    """The steps, the two buttons that end a round, and the question where nothing was decided.

    ``go`` tells by its command's name what is to be done, once it is clear that it is meant.
    """

    go = Signal(str)

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
        self.asked = ""
        self._shown: tuple[tuple[Step, ...], str] | None = None
        self.setAccessibleName("Steps of this round")
        self.lines: list[tuple[Label, Label]] = []
        self._make_question()
        self._make_buttons(actions)
        self._lay_out()
        self._listen()
        self.refresh()

    def _make_question(self) -> None:
        self.question = WholeText(9, parent=self)
        self.question.setAccessibleName("Question before going on")
        self.accept_first = self._button("", self._accept_first, primary=True)
        self.go_anyway = self._button("", self._go_anyway)
        self.not_now = self._button("Not now", self.withdraw)

    def _make_buttons(self, actions: Mapping[str, QAction]) -> None:
        self.hand_over = self._button("Hand over…", lambda: self.ask("hand_over"))
        self.drive = self._button("Drive again", lambda: self.ask("drive"))
        self.add_log = self._button("Add a log…", actions["add_logs"].trigger)
        self.go_back = self._button("Go back to this round", actions["go_back"].trigger)
        self._hand_over_tip = f"{actions['hand_over'].toolTip()}. {BACKUP}"
        for button, name in (
            (self.drive, "drive"),
            (self.add_log, "add_logs"),
            (self.go_back, "go_back"),
        ):
            button.setToolTip(plain_tip(actions[name].toolTip()))

    def _lay_out(self) -> None:
        self._grid = QGridLayout()
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(1)
        self._grid.setColumnStretch(1, 1)
        self.hint = WholeText(8.5, parent=self)
        self.hint.setAccessibleName("What to do now")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(2, 6, 4, 4)
        layout.setSpacing(4)
        layout.addLayout(self._grid)
        asks = (self.question, self.accept_first, self.go_anyway, self.not_now)
        for widget in (*asks, self.hand_over, self.drive, self.add_log, self.go_back, self.hint):
            layout.addWidget(widget)

    def _listen(self) -> None:
        session = self.session
        for signal in (
            session.job_changed,
            session.round_changed,
            session.solved,
            session.decided,
            session.work_changed,
            session.injectors_told,
            session.imports_changed,
            self.appearance.changed,
        ):
            signal.connect(self.refresh)
        session.access_changed.connect(lambda _: self.refresh())
        session.round_changed.connect(self.withdraw)

    def _button(self, text: str, press: Callable[[], object], primary: bool = False) -> QPushButton:
        button = QPushButton(text, self)
        button.setFont(font(9))
        if primary:
            button.setObjectName("primary")
        button.clicked.connect(lambda: press())
        return button

    def ask(self, what: str) -> None:
        """Go on if that is clear; where hardly anything is decided, ask in place first."""
        if what == "hand_over" and self.session.rounds.is_held():
            return
        done = self.session.decision.changed if self.session.decision is not None else 0
        waiting = self.session.deciding.waiting_in()
        ends = what == "hand_over" or (
            self.session.round is not None and bool(self.session.round.logs)
        )
        # More waits than was decided: most likely a click to look was taken for the whole.
        if ends and self.session.is_last and self.session.can_save and waiting > done:
            self.asked = what
            self.refresh()
            self.accept_first.setFocus(Qt.FocusReason.OtherFocusReason)
        else:
            self.go.emit(what)

    def withdraw(self) -> None:
        """The question is not asked any more."""
        if self.asked:
            self.asked = ""
            self.refresh()

    def _accept_first(self) -> None:
        asked = self.asked
        self.withdraw()
        # What the file refused is not decided; going on would write a table nobody accepted.
        self.session.deciding.accept(then=lambda: self.go.emit(asked))

    def _go_anyway(self) -> None:
        asked = self.asked
        self.withdraw()
        self.go.emit(asked)

    def refresh(self) -> None:
        """Stand as the round stands."""
        steps = steps_of(self.session)
        shown = (steps, self.appearance.theme.name)
        # Told of by many signals; styling the same labels again would hold a dragged slider up.
        if shown != self._shown:
            self._shown = shown
            self._show_steps(steps)
        self._show_question()
        self._show_buttons()

    def _show_steps(self, steps: tuple[Step, ...]) -> None:
        while len(self.lines) < len(steps):
            pair = (Label(self), Label(self))
            for column, label in enumerate(pair):
                self._grid.addWidget(label, len(self.lines), column, Qt.AlignmentFlag.AlignTop)
            pair[1].setWordWrap(True)
            self.lines.append(pair)
        theme = self.appearance.theme
        now = next((s for s in steps if s.state in (State.FAILED, State.NOW)), None)
        self.hint.setText(now.tip if now is not None and now.state is State.NOW else "")
        self.hint.setStyleSheet(f"color: {theme.faint};")
        inks = {
            State.DONE: theme.faint,
            State.NOW: theme.ink,
            State.OPEN: theme.faint,
            State.FAILED: theme.danger,
        }
        for place, (mark, text) in enumerate(self.lines):
            shown = place < len(steps)
            mark.setVisible(shown)
            text.setVisible(shown)
            if shown:
                step = steps[place]
                mark.setText(step.state.value)
                text.setText(step.text)
                for label in (mark, text):
                    label.setFont(font(9, bold=step.state in (State.NOW, State.FAILED)))
                    label.setStyleSheet(f"color: {inks[step.state]};")
                    label.setToolTip(plain_tip(step.tip))

    def _show_question(self) -> None:
        decision = self.session.decision
        waiting = self.session.deciding.waiting_in() if self.asked else 0
        asks = waiting > 0
        for widget in (self.question, self.accept_first, self.go_anyway, self.not_now):
            widget.setVisible(asks)
        if not asks:
            return
        done = decision.changed if decision is not None else 0
        decided = f"Only {done} of {done + waiting}" if done else f"None of {waiting}"
        theme = self.appearance.theme
        self.question.setStyleSheet(
            f"background: {theme.caution_paper}; border-left: 3px solid {theme.danger}; padding: "
            "3px 6px;"
        )
        self.question.setText(f"{decided} proposed cells are decided. Go on like that?")
        self.accept_first.setText(f"Accept all {waiting} first")
        self.go_anyway.setText(
            GO_ANYWAY[self.asked].format("what is decided" if done else "the table as it is")
        )

    def _show_buttons(self) -> None:
        session = self.session
        current = session.round
        asks = self.question.isVisibleTo(self)
        has_car = session.job is not None and bool(session.job.car)
        self.hand_over.setVisible(current is not None and not asks and bool(current.logs))
        held = session.work.state.holds_writing
        self.hand_over.setEnabled(held is None)
        self.hand_over.setToolTip(plain_tip(str(held) if held is not None else self._hand_over_tip))
        last = session.is_last
        self.go_back.setVisible(current is not None and not last)
        self.go_back.setEnabled(session.can_save)
        self.drive.setVisible(has_car and last and not asks)
        self.drive.setEnabled(not session.is_reading and session.can_save)
        first = current is not None and not current.logs
        self.drive.setText("Drive the simulated car" if first else "Drive again")
        self.add_log.setVisible(current is not None and last and not has_car and not asks)
        self.add_log.setEnabled(session.can_save and not session.is_reading)
        waits = current is not None and bool(current.handed_over)
        self.add_log.setText(
            "Add a log…" if first else "Add the next log…" if waits else "Add another log…"
        )
        done = current.changed if current is not None else 0
        self.hand_over.setText(
            f"Hand over {done} decided…" if done else "Hand over, nothing decided…"
        )
