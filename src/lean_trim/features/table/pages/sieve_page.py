"""Every rule of the sieve: a switch, what it takes, and its knobs, which work while they are dragged."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QCheckBox, QSizePolicy, QToolButton, QWidget

from lean_trim.core.drive.regimes import REGIME_KNOBS, REGIME_LABELS, Regime
from lean_trim.core.sieve.rule import Rule
from lean_trim.core.sieve.sieve import RULE_BITS, RULES
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.fold import Fold
from lean_trim.ui.widgets.knob_row import KnobRow
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.page import fill_page, running_text, scrolling_column

FOLDED = "▸"
UNFOLDED = "▾"
REGIME_TITLE = "Regimes and their thresholds"


class SievePage(QWidget):
    """``look`` asks for a stretch of the tape."""

    look = Signal(float, float)

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.summary = running_text()
        self.rows = {rule.name: RuleRow(rule, session, self._jump) for rule in RULES}
        self.regimes = RegimeRow(session)
        fill_page(self, self.summary, scrolling_column((*self.rows.values(), self.regimes), 0))
        for signal in (
            session.round_changed,
            session.solved,
            session.tuning_changed,
            appearance.changed,
        ):
            signal.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Counts of the present solution, knobs as they stand."""
        sifted = self.session.sifted
        for row in self.rows.values():
            row.refresh()
        self.regimes.refresh()
        if sifted is None:
            self.summary.setText(
                "Once a log is in, each rule tells how many seconds it leaves out."
            )
            return
        durations = sifted.conditions.frame.log.durations_s
        self.summary.setText(
            f"{durations[sifted.used].sum():.0f} of {durations.sum():.0f} s used. Beside a rule: "
            "seconds it hits, and in brackets those that it alone leaves out. A second may be hit "
            "by several rules."
        )

    def _jump(self, rule: Rule) -> None:
        """Show the next stretch a rule hits on the tape, from the last one shown on."""
        sifted = self.session.sifted
        if sifted is None:
            return
        time = sifted.conditions.frame.log.time_s
        hit = (sifted.hit_bits & RULE_BITS[rule.name]) != 0
        starts = np.flatnonzero(hit & ~np.concatenate([[False], hit[:-1]]))
        if not len(starts):
            return
        row = self.rows[rule.name]
        row.shown = (row.shown + 1) % len(starts)
        first = starts[row.shown]
        ends = np.flatnonzero(~hit[first:])
        last = first + (int(ends[0]) if len(ends) else len(hit) - 1 - first)
        self.look.emit(float(time[first]) - 4.0, float(time[last]) + 4.0)


class RuleRow(Fold):
    """A rule: switch, seconds, and its knobs once unfolded."""

    def __init__(self, rule: Rule, session: Session, jump: Callable[[Rule], None]) -> None:
        self.rule = rule
        self.session = session
        self.shown = -1
        self._rows: dict[str, KnobRow] = {}
        self.box = QCheckBox(rule.label)
        self.box.setFont(font(9))
        self.box.setToolTip(plain_tip(f"{rule.label}: {rule.why}."))
        self.box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.box.toggled.connect(lambda on: session.tuning.switch(rule.name, on))
        self.count = QToolButton()
        self.count.setFont(font(8.5))
        self.count.setObjectName("flat")
        self.count.setToolTip("Show the next such stretch on the tape")
        self.count.clicked.connect(lambda: jump(rule))
        super().__init__("", self._make_rows, beside=(self.box, self.count))
        self.mark.setAccessibleName(f"Settings of {rule.label}")

    def _make_rows(self) -> list[QWidget]:
        why = running_text(8.5, f"{self.rule.why[:1].upper()}{self.rule.why[1:]}.")
        self._rows = {k.name: KnobRow(k, partial(self._turn, k.name)) for k in self.rule.knobs}
        self._show_values()
        return [why, *self._rows.values()]

    @property
    def rows(self) -> dict[str, KnobRow]:
        """The knobs by their names."""
        self.fill()
        return self._rows

    def _show_values(self) -> None:
        values = self.session.settings.sieve.values(self.rule)
        for name, row in self._rows.items():
            row.show_value(values[name])

    def _turn(self, knob: str, value: float) -> None:
        self.session.tuning.turn("sieve", f"{self.rule.name}.{knob}", value)

    def refresh(self) -> None:
        """Stand as the settings say, with the counts of the present solution."""
        sieve = self.session.settings.sieve
        with QSignalBlocker(self.box):
            self.box.setChecked(self.rule.name not in sieve.disabled)
        values = sieve.values(self.rule)
        self.box.setFont(font(9, bold=any(values[k.name] != k.default for k in self.rule.knobs)))
        self._show_values()
        self._show_count()

    def _show_count(self) -> None:
        """Seconds the rule hits, and in brackets those it alone leaves out."""
        sifted = self.session.sifted
        name = self.rule.name
        samples = sifted.counts[name] if sifted is not None else 0
        self.count.setEnabled(samples > 0)
        if sifted is None or not samples:
            self.count.setText("–")
            self.count.setToolTip("No such stretch")
            return
        seconds = sifted.seconds[name]
        alone = "" if self.rule.marks else f" ({sifted.alone[name]:.0f})"
        self.count.setText(f"{seconds:.0f} s{alone}")
        self.count.setToolTip(
            plain_tip(
                f"{samples} samples, {seconds:.1f} s. Click to see the next such stretch on the tape."
            )
        )


class RegimeRow(Fold):
    """The thresholds that tell regimes apart; how long each regime lasted."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.spent = running_text(8.5)
        self._rows: dict[str, KnobRow] = {}
        super().__init__(REGIME_TITLE, self._make_rows)

    def _make_rows(self) -> list[QWidget]:
        turn = self.session.tuning.turn
        self._rows = {k.name: KnobRow(k, partial(turn, "regimes", k.name)) for k in REGIME_KNOBS}
        self.refresh()
        return [self.spent, *self._rows.values()]

    @property
    def rows(self) -> dict[str, KnobRow]:
        """The thresholds by their names."""
        self.fill()
        return self._rows

    def refresh(self) -> None:
        """Stand as the settings say."""
        for name, row in self._rows.items():
            row.show_value(getattr(self.session.settings.regimes, name))
        prepared = self.session.prepared
        if prepared is None:
            self.spent.setText("")
            return
        conditions = prepared.conditions
        seconds = np.bincount(conditions.regime, conditions.motion.durations_s, len(Regime))
        lasted = (
            f"{REGIME_LABELS[r].lower()} {seconds[r]:.0f} s" for r in Regime if seconds[r] > 0
        )
        self.spent.setText(", ".join(lasted))
