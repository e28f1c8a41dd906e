"""Units the user likes to see, beside those the computation uses."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from lean_trim.core.data.fuels import PETROL
from lean_trim.core.data.shown_units import UnitChoice
from lean_trim.core.data.tables import OwnUnit

LB_G = 453.59237
UNITS = (
    UnitChoice("λ", "Mixture", (OwnUnit("λ"), OwnUnit("AFR"))),
    UnitChoice(
        "kPa", "Pressure", (OwnUnit("kPa"), OwnUnit("bar", 0.01), OwnUnit("psi", 1.0 / 6.894757))
    ),
    UnitChoice("°C", "Temperature", (OwnUnit("°C"), OwnUnit("°F", 1.8, 32.0))),
    UnitChoice(
        "g/s", "Airflow", (OwnUnit("g/s"), OwnUnit("kg/h", 3.6), OwnUnit("lb/min", 60.0 / LB_G))
    ),
    UnitChoice("km/h", "Road speed", (OwnUnit("km/h"), OwnUnit("mph", 1.0 / 1.609344))),
)
"""What every desk and the tape show. Factors of NIST SP 811."""
DIGITS = {
    "λ": 3, "AFR": 2, "rpm": 0, "ms": 3, "V": 2, "": 0, "bar": 2, "lb/min": 2,
}  # fmt: skip
"""Decimals of a reading, by unit; one where none is named."""


class Units(QObject):
    """What is chosen. ``changed`` asks for everything that shows a reading to be shown anew.

    ``more`` are quantities that features bring along.
    """

    changed = Signal()

    def __init__(self, parent: QObject | None = None, more: tuple[UnitChoice, ...] = ()) -> None:
        super().__init__(parent)
        self.choices = (*UNITS, *more)
        self.chosen: dict[str, str] = {}
        self.stoich_afr = PETROL.stoich_afr

    def choose(self, ours: str, shown: str) -> None:
        """Show a unit as another; one that is not offered is shown as it is."""
        self.chosen[ours] = shown
        self.changed.emit()

    def burn(self, stoich_afr: float) -> None:
        """The fuel whose AFR is shown."""
        if stoich_afr != self.stoich_afr:
            self.stoich_afr = stoich_afr
            self.changed.emit()

    def of(self, ours: str) -> OwnUnit:
        """How a unit of ours is shown."""
        wanted = self.chosen.get(ours, ours)
        offered = (own for c in self.choices if c.ours == ours for own in c.shown)
        found = next((own for own in offered if own.unit == wanted), OwnUnit(ours))
        # The scale is that of the fuel in the tank, which the unit's name alone does not say.
        return OwnUnit("AFR", self.stoich_afr) if found.unit == "AFR" else found
