"""Every rule of the sieve: a switch, what it takes, and its knobs, which work while they are dragged."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from lean_trim.core.drive.regimes import REGIME_KNOBS, REGIME_LABELS, Regime
from lean_trim.core.sieve.rule import Rule
from lean_trim.core.sieve.sieve import RULE_BITS, RULES
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.knob_row import KnobRow
from lean_trim.ui.widgets.page import fill_page, running_text, scrolling_column

FOLDED = "▸"
UNFOLDED = "▾"
REGIME_TITLE = "Regimes and their thresholds"


class SievePage(QWidget):
    """``look`` asks for a stretch of the tape."""

    look = Signal(float, float)

    def __init__(self, session: Session, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.summary = running_text()
        self.rows = {rule.name: RuleRow(rule, session, self._jump) for rule in RULES}
        self.regimes = RegimeRow(session)
        fill_page(self, self.summary, scrolling_column((*self.rows.values(), self.regimes), 0))
        for signal in (session.round_changed, session.solved, session.tuning_changed, appearance.changed):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Counts of the present solution, knobs as they stand."""
        solution = self.session.solution
        for row in self.rows.values():
            row.refresh(self.appearance)
        self.regimes.refresh()
        if solution is None:
            self.summary.setText("Once a log is in, each rule tells how many seconds it leaves out.")
            return
        total = float(solution.frame.log.durations_s.sum())
        used = float(solution.observations.seconds.sum())
        self.summary.setText(
            f"{used:.0f} of {total:.0f} s used. Seconds a rule hits, and in brackets those it alone leaves "
            "out."
        )

    def _jump(self, rule: Rule) -> None:
        """Show the next stretch a rule hits on the tape, from the last one shown on."""
        solution = self.session.solution
        if solution is None:
            return
        time = solution.frame.log.time_s
        hit = (solution.sifted.hit_bits & RULE_BITS[rule.name]) != 0
        starts = np.flatnonzero(hit & ~np.concatenate([[False], hit[:-1]]))
        if not len(starts):
            return
        row = self.rows[rule.name]
        row.shown = (row.shown + 1) % len(starts)
        first = starts[row.shown]
        ends = np.flatnonzero(~hit[first:])
        last = first + (int(ends[0]) if len(ends) else len(hit) - 1 - first)
        self.look.emit(float(time[first]) - 4.0, float(time[last]) + 4.0)


class RuleRow(QWidget):
    """A rule: switch, seconds, and its knobs once unfolded."""

    def __init__(self, rule: Rule, session: Session, jump: object) -> None:
        super().__init__()
        self.rule = rule
        self.session = session
        self.shown = -1
        self.box = QCheckBox(rule.label, self)
        self.box.setFont(font(9))
        self.box.setToolTip(f"{rule.label}: {rule.why}.")
        self.box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.box.toggled.connect(lambda on: session.tuning.switch(rule.name, on))
        self.count = QToolButton(self)
        self.count.setFont(font(8.5))
        self.count.setObjectName("flat")
        self.count.setToolTip("Show the next such stretch on the tape")
        self.count.clicked.connect(lambda: jump(rule))  # type: ignore[operator]
        self.fold = QToolButton(self)
        self.fold.setText(FOLDED)
        self.fold.setObjectName("flat")
        self.fold.setFixedSize(18, 20)
        self.fold.setAccessibleName(f"Settings of {rule.label}")
        self.fold.clicked.connect(self._turn_over)
        self.knobs = QWidget(self)
        self.inner = QVBoxLayout(self.knobs)
        self.inner.setContentsMargins(18, 0, 2, 8)
        self.inner.setSpacing(2)
        self.knobs.hide()
        self._rows: dict[str, KnobRow] = {}
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(2)
        line.addWidget(self.fold)
        line.addWidget(self.box, 1)
        line.addWidget(self.count)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(line)
        layout.addWidget(self.knobs)

    @property
    def rows(self) -> dict[str, KnobRow]:
        """The knobs, made when first asked for: a window with all of them at once would open slowly."""
        if not self._rows:
            self.inner.addWidget(running_text(8.5, f"{self.rule.why[:1].upper()}{self.rule.why[1:]}."))
            self._rows = {k.name: KnobRow(k, partial(self._turn, k.name)) for k in self.rule.knobs}
            for row in self._rows.values():
                self.inner.addWidget(row)
            self._show_values()
        return self._rows

    def _show_values(self) -> None:
        values = self.session.settings.sieve.values(self.rule)
        for name, row in self._rows.items():
            row.show_value(values[name])

    def unfold(self, on: bool) -> None:
        """Show or hide the knobs."""
        self.knobs.setVisible(on and bool(self.rows))
        self.fold.setText(UNFOLDED if on else FOLDED)

    def _turn_over(self) -> None:
        self.unfold(self.knobs.isHidden())

    def _turn(self, knob: str, value: float) -> None:
        self.session.tuning.turn("sieve", f"{self.rule.name}.{knob}", value)

    def refresh(self, appearance: Appearance) -> None:
        """Stand as the settings say, with the counts of the present solution."""
        sieve = self.session.settings.sieve
        solution = self.session.solution
        self.box.blockSignals(True)
        self.box.setChecked(self.rule.name not in sieve.disabled)
        self.box.blockSignals(False)
        values = sieve.values(self.rule)
        changed = any(values[k.name] != k.default for k in self.rule.knobs)
        self.box.setFont(font(9, bold=changed))
        self._show_values()
        seconds = solution.sifted.seconds[self.rule.name] if solution is not None else 0.0
        alone = solution.sifted.alone[self.rule.name] if solution is not None else 0.0
        samples = solution.sifted.counts[self.rule.name] if solution is not None else 0
        self.count.setEnabled(samples > 0)
        self.count.setText(
            f"{seconds:.0f} s" + (f" ({alone:.0f})" if not self.rule.marks else "") if samples else "–"
        )
        self.count.setToolTip(
            f"{samples} samples, {seconds:.1f} s. Click to see the next such stretch on the tape."
        )


class RegimeRow(QWidget):
    """The thresholds that tell regimes apart; how long each regime lasted."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fold = QToolButton(self)
        self.fold.setText(f"{FOLDED}  {REGIME_TITLE}")
        self.fold.setFont(font(9))
        self.fold.setObjectName("flat")
        self.fold.clicked.connect(self._turn_over)
        self.spent = running_text(8.5)
        self.inner = QWidget(self)
        self.column = QVBoxLayout(self.inner)
        self.column.setContentsMargins(18, 0, 2, 8)
        self.column.setSpacing(2)
        self.column.addWidget(self.spent)
        self._rows: dict[str, KnobRow] = {}
        self.inner.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.fold)
        layout.addWidget(self.inner)

    @property
    def rows(self) -> dict[str, KnobRow]:
        """The thresholds, made when first asked for."""
        if not self._rows:
            turn = self.session.tuning.turn
            self._rows = {k.name: KnobRow(k, partial(turn, "regimes", k.name)) for k in REGIME_KNOBS}
            for row in self._rows.values():
                self.column.addWidget(row)
            self.refresh()
        return self._rows

    def unfold(self, on: bool) -> None:
        """Show or hide the thresholds."""
        self.inner.setVisible(on and bool(self.rows))
        self.fold.setText(f"{UNFOLDED if on else FOLDED}  {REGIME_TITLE}")

    def _turn_over(self) -> None:
        self.unfold(self.inner.isHidden())

    def refresh(self) -> None:
        """Stand as the settings say."""
        for name, row in self._rows.items():
            row.show_value(getattr(self.session.settings.regimes, name))
        solution = self.session.solution
        if solution is None:
            self.spent.setText("")
            return
        seconds = np.bincount(solution.regime, solution.prepared.conditions.motion.durations_s, len(Regime))
        self.spent.setText(
            ", ".join(f"{REGIME_LABELS[r].lower()} {seconds[r]:.0f} s" for r in Regime if seconds[r] > 0)
        )
