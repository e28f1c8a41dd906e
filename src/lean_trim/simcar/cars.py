"""The cars of the demos by name: the sheet each comes with, and what its injectors really are."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.simcar.heron import heron
from lean_trim.simcar.injectors import TrueInjectors
from lean_trim.simcar.plover import plover, plover_injectors
from lean_trim.simcar.truth import Truth, injectors_by_sheet, truth_for


class Say:
    """Sentences of this module."""

    UNKNOWN = Message("cars.unknown", "no demo car {name!r}; allowed are {allowed}")


@dataclass(frozen=True)
class DemoCar:
    """One car of a demo.

    Attributes
    ----------
    sheet : makes the vehicle with the calibration it comes with.
    injectors : what they really are; None if they are what the ECU was told.
    """

    sheet: Callable[[], Vehicle]
    injectors: Callable[[], TrueInjectors] | None = None


CARS: dict[str, DemoCar] = {
    "heron": DemoCar(heron),
    "plover": DemoCar(plover, plover_injectors),
    "plover-bent": DemoCar(lambda: plover(bent=True), plover_injectors),
}


def car_named(name: str) -> DemoCar:
    """A car by name; BadInputError for an unknown one."""
    if name not in CARS:
        raise BadInputError(Say.UNKNOWN(name=name, allowed=", ".join(CARS)))
    return CARS[name]


def truth_of(name: str, vehicle: Vehicle) -> Truth:
    """The engine behind a demo car, whatever calibration or scale its ECU is told.

    Only where its axes end is taken from the vehicle as it is driven.
    """
    car = car_named(name)
    sheet = car.sheet()
    truth = truth_for(replace(vehicle, displacement_l=sheet.displacement_l))
    injectors = car.injectors() if car.injectors is not None else injectors_by_sheet(sheet, truth)
    return replace(truth, injectors=injectors)
