"""Everything about the vehicle but its tables; wrong values are refused where they are typed."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.fuels import FUELS, OWN
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.vehicle.entries import EDIT_W, LABEL_W, UNIT_W, ChoiceEntry, NumberEntry
from lean_trim.ui.widgets.fold import INDENT, Fold
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.page import heading
from lean_trim.workspace.vehicle.draft import Entered, VehicleDraft
from lean_trim.workspace.vehicle.fields import FIELDS, Key, units_of

FUEL_CHOICES = (
    *((f.name, f"{f.name} ({f.stoich_afr:g})") for f in FUELS.values()),
    (OWN, "another fuel"),
)
AIRFLOW_CHOICES = (("ve", "table over engine speed"), ("maf", "curve of a MAF sensor"))
FEEDBACK_CHOICES = (
    ("wideband", "wideband λ sensor"),
    ("narrowband", "narrowband λ sensor"),
    ("none", "none, open loop"),
)
PLACE_CHOICES = (("downpipe", "behind the manifold"), ("tailpipe", "in the tailpipe"))
REFERENCE_CHOICES = (
    ("manifold", "the manifold"),
    ("atmosphere", "the atmosphere"),
    ("compensated", "any; the ECU knows"),
)
INDUCTION_CHOICES = (
    ("unknown", "not known"),
    ("atmospheric", "atmospheric"),
    ("boosted", "turbo or supercharger"),
)
CHOICES: dict[str, tuple[str, str, Sequence[tuple[str, str]]]] = {
    "fuel": (
        "Fuel",
        "Fills the stoichiometry in; type another one below if the ECU has another",
        FUEL_CHOICES,
    ),
    "airflow": (
        "Airflow model",
        "What the ECU takes its airflow from, and what is corrected",
        AIRFLOW_CHOICES,
    ),
    "feedback": ("Feedback", "What holds the mixture at its target", FEEDBACK_CHOICES),
    "sensor_place": (
        "λ sensor",
        "In a tailpipe it is late, and outside air dilutes idle",
        PLACE_CHOICES,
    ),
    "induction": (
        "Induction",
        "Where boost cannot be, cells above atmospheric pressure are no danger; what is not known "
        "is "
        "taken for boosted",
        INDUCTION_CHOICES,
    ),
    "reference": (
        "held against",
        "A regulator without a hose to the manifold holds against the atmosphere",
        REFERENCE_CHOICES,
    ),
}
DEAD_TIMES_TIP = (
    "Volts and ms in pairs, as two columns or two rows; one number alone is taken at 14 V"
)
CAR = (Key.CYLINDERS, Key.DISPLACEMENT)
MORE = (Key.REDLINE, Key.EXHAUST, Key.COMPRESSION, Key.RESOLUTION, Key.LOWEST, Key.HIGHEST)


class CarForm(QWidget):
    """Shows a draft and says what was typed; ``edited`` carries the draft that would be.

    Parameters
    ----------
    fixed : choices that cannot be changed any more, for a vehicle whose rounds hang on them.
    """

    edited = Signal(object)

    def __init__(
        self, appearance: Appearance, fixed: Iterable[str] = (), parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.draft = VehicleDraft()
        self.numbers: dict[Key, NumberEntry] = {}
        self.choices: dict[str, ChoiceEntry] = {}
        self.name = QLineEdit(self)
        self.name.setFixedWidth(EDIT_W + UNIT_W + 6)
        self.name.setAccessibleName("Name of the vehicle")
        self.name.textEdited.connect(lambda text: self._take(replace(self.draft, name=text)))
        self.dead_times = QPlainTextEdit(self)
        self.dead_times.setFixedSize(EDIT_W + UNIT_W + 6, 76)
        self.dead_times.setPlaceholderText("8: 1.9\n12: 1.0\n14: 0.78")
        self.dead_times.setAccessibleName("Dead times, volts and ms")
        self.dead_times.setToolTip(plain_tip(DEAD_TIMES_TIP))
        self.dead_times.setTabChangesFocus(True)
        self.dead_times.textChanged.connect(self._dead_times_typed)
        self.dead_note = Label(self)
        self.dead_note.setWordWrap(True)
        self.dead_note.setFont(font(8.5))
        self.varies = QCheckBox("its ethanol varies", self)
        self.varies.setToolTip(
            plain_tip(
                "A flex-fuel car: logs of different tanks are only pooled where the ethanol content "
                "is logged"
            )
        )
        self.varies.toggled.connect(self._varies_said)
        # Made with the rest of what is folded away.
        self.follows: QCheckBox | None = None
        self.more = Fold("More: sensor, engine speed, the table's field", self._more)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 6, 0)
        layout.setSpacing(1)
        for widget in self._rows():
            layout.addWidget(widget)
        layout.addStretch(1)
        for name in fixed:
            self.choices[name].box.setEnabled(False)
        appearance.changed.connect(lambda: self.show_draft(self.draft))

    def _rows(self) -> list[QWidget]:
        car = [self._line("Name", self.name), *(self._number(key) for key in CAR)]
        burns = [self._choice("fuel"), self._number(Key.STOICH), self._line("", self.varies)]
        works = [
            self._choice(name) for name in ("airflow", "induction", "feedback", "sensor_place")
        ]
        injectors = [self._number(Key.FLOW), self._number(Key.PRESSURE), self._choice("reference")]
        dead = self._line("Dead times, V: ms", self.dead_times, self.dead_note)
        return [
            heading("The car"),
            *car,
            *burns,
            *works,
            _spaced(heading("Injectors, as the ECU has them")),
            *injectors,
            dead,
            self.more,
        ]

    def _more(self) -> Iterable[QWidget]:
        self.follows = QCheckBox("follows the barometer", self)
        self.follows.setToolTip(
            plain_tip(
                "The ECU makes up for height by itself: its table is not corrected for the drive's "
                "barometer"
            )
        )
        self.follows.toggled.connect(self._height_said)
        made = [
            *(self._number(key, INDENT) for key in MORE),
            self._line("The ECU", self.follows, indent=INDENT),
        ]
        self.show_draft(self.draft)
        return made

    def _line(
        self, label: str, widget: QWidget, note: QWidget | None = None, indent: int = 0
    ) -> QWidget:
        holder = QWidget(self)
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 1, 0, 1)
        grid.setHorizontalSpacing(6)
        words = Label(label, holder)
        words.setFixedWidth(LABEL_W - indent)
        words.setBuddy(widget)
        grid.addWidget(words, 0, 0)
        grid.addWidget(widget, 0, 1)
        if note is not None:
            grid.addWidget(note, 0, 2)
        grid.setColumnStretch(2, 1)
        return holder

    def _number(self, key: Key, indent: int = 0) -> NumberEntry:
        limits = FIELDS[key]
        entry = NumberEntry(
            limits.label, limits.tip, list(units_of(key, self.draft)), self.appearance, indent, self
        )
        entry.edited.connect(lambda text, unit: self._take(self.draft.typed(key, text, unit)))
        self.numbers[key] = entry
        return entry

    def _choice(self, name: str) -> ChoiceEntry:
        label, tip, choices = CHOICES[name]
        entry = ChoiceEntry(label, tip, choices, self.appearance, self)
        entry.chosen.connect(partial(self._chosen, name))
        self.choices[name] = entry
        return entry

    def _chosen(self, name: str, key: str) -> None:
        words: dict[str, Any] = {name: key}
        draft = replace(self.draft, **words)
        if name == "fuel" and key != OWN:
            # A stoichiometry that was typed for the fuel before is none of this one.
            draft = draft.typed(Key.STOICH, "")
        self._take(draft)

    def _dead_times_typed(self) -> None:
        text = self.dead_times.toPlainText()
        if text != self.draft.dead_times:
            self._take(replace(self.draft, dead_times=text))

    def _varies_said(self, on: bool) -> None:
        if on != self.draft.fuel_varies:
            self._take(replace(self.draft, fuel_varies=on))

    def _height_said(self, on: bool) -> None:
        if on != self.draft.follows_barometer:
            self._take(replace(self.draft, follows_barometer=on))

    def _take(self, draft: VehicleDraft) -> None:
        self.show_draft(draft)
        self.edited.emit(draft)

    def show_draft(self, draft: VehicleDraft) -> None:
        """Stand as the draft says, with what is wrong beside what was typed."""
        self.draft = draft
        if self.name.text() != draft.name:
            self.name.setText(draft.name)
        for key, entry in self.numbers.items():
            entered = draft.numbers.get(key, Entered())
            entry.show_entry(entered.text, entered.unit, draft.note(key), draft.problem(key))
        for name, choice in self.choices.items():
            choice.show_choice(getattr(draft, name))
        if self.dead_times.toPlainText() != draft.dead_times:
            self.dead_times.setPlainText(draft.dead_times)
        self.varies.setChecked(draft.fuel_varies)
        if self.follows is not None:
            self.follows.setChecked(draft.follows_barometer)
        problem = draft.dead_times_problem
        theme = self.appearance.theme
        self.dead_note.setText(
            problem or ("" if draft.dead_times.strip() else "not known; later, or pasted")
        )
        self.dead_note.setStyleSheet(f"color: {theme.danger if problem else theme.faint};")

    def preferred_units(self) -> dict[str, str]:
        """Units the user types in, by key, to be remembered."""
        return {str(key): entry.unit.currentText() for key, entry in self.numbers.items()}

    def prefer_units(self, unit_of: Callable[[str], str]) -> None:
        """Begin with the units the user likes."""
        for key, entry in self.numbers.items():
            unit = unit_of(str(key))
            if unit and entry.unit.findText(unit) >= 0:
                entry.unit.setCurrentText(unit)


def _spaced(label: QLabel) -> QLabel:
    label.setContentsMargins(0, 8, 0, 0)
    return label
