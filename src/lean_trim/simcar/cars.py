"""The cars of the demos by name: the sheet each comes with, and what its injectors really are."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.simcar.curlew import FAULTS_BY_DRIVE, curlew, curlew_truth
from lean_trim.simcar.faults import SOUND, Faults, faults_of
from lean_trim.simcar.heron import heron_with_corrections
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
    truth : the engine behind a sheet of it; None for the one a sheet tells of.
    faults : what is wrong on its drives in turn, as ``faults_of`` reads it; the last stays.
    """

    sheet: Callable[[], Vehicle]
    injectors: Callable[[], TrueInjectors] | None = None
    truth: Callable[[Vehicle], Truth] | None = None
    faults: tuple[str, ...] = ()


CARS: dict[str, DemoCar] = {
    "heron": DemoCar(heron_with_corrections),
    "plover": DemoCar(plover, plover_injectors),
    "plover-bent": DemoCar(lambda: plover(bent=True), plover_injectors),
    "curlew": DemoCar(curlew, truth=curlew_truth, faults=FAULTS_BY_DRIVE),
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
    true_size = replace(vehicle, displacement_l=sheet.displacement_l)
    truth = car.truth(true_size) if car.truth is not None else truth_for(true_size)
    injectors = car.injectors() if car.injectors is not None else injectors_by_sheet(sheet, truth)
    return replace(truth, injectors=injectors)


def faults_on_drive(name: str, number: int) -> Faults:
    """What is wrong with a demo car on one of its drives.

    Parameters
    ----------
    name : of the car.
    number : of the drive, from 1.

    Returns
    -------
    A sound car's where nothing is.
    """
    wrong = car_named(name).faults
    return faults_of(wrong[min(number, len(wrong)) - 1]) if wrong else SOUND
