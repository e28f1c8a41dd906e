"""Earlier rounds whose drives count for the one that is looked at: how much, and why not."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from lean_trim.core.messages import Message
from lean_trim.core.pipeline.carrying import CARRY_KNOBS, LEAST_PLACES, Counted
from lean_trim.ui.session import Session
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.knob_row import KnobRow
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.page import heading, running_text
from lean_trim.ui.widgets.wheel_safe import ComboBox
from lean_trim.workspace.carrying import EarlierRound


class Say:
    """What is said of an earlier round."""

    SECONDS = Message("earlier_rounds.seconds", "{minutes:.1f} min of it used")
    AGE = Message("earlier_rounds.age", "{days:.0f} days before, ± {off:.1f} % for it")
    AGREES = Message("earlier_rounds.agrees", "agrees to {apart:.1f} % in {places} common places")
    FEW = Message("earlier_rounds.few", "hardly any place in common")
    AGAINST = Message(
        "earlier_rounds.against",
        "does not count: this drive asks {apart:+.1f} % ± {spread:.1f} against it in {places} common "
        "places. Is the car another, or was another table in the ECU?",
    )
    DOUBTED = Message(
        "earlier_rounds.doubted", "does not count: what speaks against it is not settled"
    )
    NOT = Message("earlier_rounds.not", "does not count: {why}")
    WAITING = Message("earlier_rounds.waiting", "is worked out")
    NOTHING = Message("earlier_rounds.nothing", "does not count: its drive could not be worked out")


CHANGES = (
    ("Same car as the round before", ""),
    ("Other injectors or fuel pump", "injectors or pump"),
    ("Other engine parts, intake or exhaust", "engine parts"),
    ("Other fuel", "fuel"),
    ("Other sensors", "sensors"),
    ("Something else", "something else"),
)
LEAST_DAYS = 1.0
LEAST_SHOWN_PCT = 0.1
"""Nearer than that two drives never agree for long."""
DAYS_A_MONTH = 30.44


class EarlierRounds(QWidget):
    """A tick for each earlier round with a drive; hidden in a first round."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.rows = QWidget(self)
        self.boxes = QVBoxLayout(self.rows)
        self.boxes.setContentsMargins(0, 0, 0, 0)
        self.boxes.setSpacing(2)
        self.changed = ComboBox(self)
        self.changed.addItems([label for label, _ in CHANGES])
        self.changed.setFont(font(9))
        self.changed.setAccessibleName("What makes the car another than before this round")
        self.changed.setToolTip(
            plain_tip(
                "Where the car is another, what earlier drives said of its table does not hold any more"
            )
        )
        self.changed.activated.connect(self._say_changed)
        self.knobs = {
            knob.name: KnobRow(knob, partial(self._turn, knob.name), self) for knob in CARRY_KNOBS
        }
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for widget in (
            heading("Drives of earlier rounds"),
            self.rows,
            self.changed,
            *self.knobs.values(),
        ):
            column.addWidget(widget)

    def refresh(self) -> None:
        """Show what counts now."""
        while (item := self.boxes.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        earlier = self.session.earlier_rounds()
        self.setVisible(bool(earlier))
        solution = self.session.solution
        counted = (
            {} if solution is None else {c.number: c for c in solution.measured.before.counted}
        )
        for one in reversed(earlier):
            self._add_row(one, counted.get(one.round.number), solution is not None)
        state = self.session.tuning.state
        words = [what for _, what in CHANGES]
        told = state.car_changed
        self.changed.setCurrentIndex(words.index(told) if told in words else len(words) - 1)
        for name, row in self.knobs.items():
            row.show_value(getattr(state.solve.carrying, name))

    def _add_row(self, one: EarlierRound, counted: Counted | None, is_solved: bool) -> None:
        number = one.round.number
        box = QCheckBox(f"Round {number}", self.rows)
        box.setFont(font(9))
        left = number in self.session.tuning.state.left_earlier
        box.setChecked(not left and not one.why_not)
        box.setEnabled(left or not one.why_not)
        box.setToolTip(
            plain_tip(
                "What its drive said, by the table it was driven on, counts as if it had been driven now"
            )
        )
        box.toggled.connect(partial(self.session.tuning.use_earlier, number))
        said = running_text(8.5)
        said.setText(said_of(one, counted, is_solved))
        said.setContentsMargins(22, 0, 0, 0)
        self.boxes.addWidget(box)
        self.boxes.addWidget(said)

    def _say_changed(self, index: int) -> None:
        self.session.tuning.say_car_changed(CHANGES[index][1])

    def _turn(self, name: str, value: float) -> None:
        self.session.tuning.turn("carrying", name, value)


def said_of(one: EarlierRound, counted: Counted | None, is_solved: bool) -> str:
    """An earlier round in a sentence.

    Parameters
    ----------
    one : the round.
    counted : what became of its drive, None where that is not worked out.
    is_solved : the shown round is, so that nothing more is to come.

    Returns
    -------
    How much it says, how it agrees, or why it does not count.
    """
    if one.why_not:
        return str(Say.NOT(why=one.why_not))
    if counted is None:
        return str(Say.NOTHING() if is_solved else Say.WAITING())
    agreed = counted.agreement
    parts = [str(Say.SECONDS(minutes=counted.seconds / 60.0))]
    days = one.months * DAYS_A_MONTH
    if days >= LEAST_DAYS:
        parts.append(str(Say.AGE(days=days, off=counted.off_pct)))
    enough = agreed.places >= LEAST_PLACES and np.isfinite(agreed.apart_pct)
    if counted.counts:
        said = (
            Say.AGREES(apart=max(abs(agreed.apart_pct), LEAST_SHOWN_PCT), places=agreed.places)
            if enough
            else Say.FEW()
        )
    elif counted.contradicts:
        said = Say.AGAINST(apart=agreed.apart_pct, spread=agreed.spread_pct, places=agreed.places)
    else:
        said = Say.DOUBTED()
    return "; ".join([*parts, str(said)])
