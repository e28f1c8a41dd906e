"""The menu in which the user chooses units."""

from __future__ import annotations

from PySide6.QtGui import QAction, QActionGroup
from PySide6.QtWidgets import QMenu, QWidget

from lean_trim.ui.units import Units
from lean_trim.ui.window.preferences import Preferences


class UnitsMenu(QMenu):
    """A part a quantity; what is chosen is remembered."""

    def __init__(
        self, units: Units, preferences: Preferences, parent: QWidget | None = None
    ) -> None:
        super().__init__("Units", parent)
        self.units = units
        self.preferences = preferences
        for quantity in units.choices:
            ours = quantity.ours
            self.addSection(quantity.name)
            group = QActionGroup(self)
            remembered = preferences.text(f"shown {ours}", ours)
            if remembered != ours:
                units.choose(ours, remembered)
            for choice in quantity.shown:
                words = "AFR of the fuel" if choice.unit == "AFR" else choice.unit
                action = QAction(words, self)
                action.setCheckable(True)
                action.setChecked(units.of(ours).unit == choice.unit)
                action.triggered.connect(lambda _=False, o=ours, s=choice.unit: self._choose(o, s))
                group.addAction(action)
                self.addAction(action)

    def _choose(self, ours: str, shown: str) -> None:
        self.preferences.keep(f"shown {ours}", shown)
        self.units.choose(ours, shown)
