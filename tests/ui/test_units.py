"""Readings in the units the user likes, remembered from one time to the next."""

from __future__ import annotations

import pint
import pytest

from lean_trim.core.data.shown_units import UnitChoice
from lean_trim.features.registry import FEATURES
from lean_trim.ui.tape.tape_data import describe_at
from lean_trim.ui.units import UNITS, Units
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.main_window import MainWindow

AS_PINT = {
    "°C": "degC",
    "°F": "degF",
    "lb/min": "lb/minute",
    "kg/h": "kg/hour",
    "km/h": "km/hour",
    "mph": "mile/hour",
}


@pytest.mark.parametrize(
    "quantity", [u for u in UNITS if u.ours != "λ"], ids=lambda quantity: quantity.ours
)
def test_every_unit_is_that_of_a_units_package(quantity: UnitChoice) -> None:
    registry = pint.get_application_registry()
    for own in quantity.shown:
        value = (
            registry.Quantity(87.0, AS_PINT.get(quantity.ours, quantity.ours))
            .to(AS_PINT.get(own.unit, own.unit))
            .magnitude
        )
        assert float(own.own(87.0)) == pytest.approx(float(value), rel=1e-5)


def test_afr_is_that_of_the_fuel_in_the_tank() -> None:
    units = Units()
    units.choose("λ", "AFR")
    units.burn(9.8)
    assert float(units.of("λ").own(0.9)) == pytest.approx(8.82)


@pytest.mark.slow
def test_the_tape_reads_in_chosen_units_and_the_window_remembers(driven: MainWindow) -> None:
    tape = driven.tape
    assert tape.data is not None
    before = tape.data
    menu = {a.text(): a for a in driven.units_menu.actions() if a.isCheckable()}
    menu["psi"].trigger()
    menu["AFR of the fuel"].trigger()
    text = describe_at(tape.data, 400.0)
    assert " psi" in text and " AFR" in text and "kPa" not in text
    lane = next(x for x in tape.data.lanes if x.title == "Mixture")
    # The picture is the same; what is written beside it is not.
    assert (lane.low, lane.own.scale) == (
        next(x for x in before.lanes if x.title == "Mixture").low,
        14.1,
    )
    driven._remember()
    again = make_window(FEATURES, driven.data_folder)
    try:
        assert again.appearance.units.of("kPa").unit == "psi"
    finally:
        again.close()
        again.deleteLater()
