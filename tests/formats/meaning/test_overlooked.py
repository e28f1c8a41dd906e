"""A channel whose name is not known is asked about, and not passed over as one that was not logged."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.channel_map import MappedLog, map_channels
from lean_trim.formats.meaning.choices import Choices, ColumnChoice

NAMES = {
    Role.RPM: ("RPM", "rpm"),
    Role.MAP: ("MAP", "kPa"),
    Role.LAMBDA: ("Lambda", "λ"),
    Role.STFT: ("STFT", "%"),
    Role.LTFT: ("LTFT", "%"),
    Role.PULSE_WIDTH: ("Pulse Width", "ms"),
    Role.IAT: ("IAT", "°C"),
    Role.COOLANT: ("Coolant Temp", "°C"),
    Role.BATTERY: ("Battery", "V"),
}


def read(
    log: Log, vehicle: Vehicle, called: dict[Role, tuple[str, str]], choices: Choices | None = None
) -> MappedLog:
    """The drive with some columns called otherwise."""
    columns = [Column(0, "Time", "s")]
    values = {0: log.time_s}
    for at, (role, usual) in enumerate(NAMES.items(), 1):
        columns.append(Column(at, *called.get(role, usual)))
        values[at] = log[role]
    raw = RawColumns(tuple(columns), values, "text")
    return map_channels(raw, "drive", vehicle.stoich_afr, choices, vehicle)


@pytest.mark.parametrize(
    ("role", "name"),
    [
        (Role.COOLANT, "Qxz temp"),
        (Role.IAT, "Qxz"),
        (Role.BATTERY, "Qxz"),
        (Role.PULSE_WIDTH, "Qxz"),
        (Role.LAMBDA, "Qxz"),
    ],
)
def test_it_is_asked_and_the_answer_holds(
    role: Role, name: str, heron_log: Log, heron_vehicle: Vehicle
) -> None:
    called = {role: (name, NAMES[role][1])}
    asked = read(heron_log, heron_vehicle, called)
    assert role in asked.log or any(repr(name) in d for d in asked.doubts)
    found = Choices({name: ColumnChoice(role)})
    settled = read(heron_log, heron_vehicle, called, found)
    assert settled.doubts == () and role in settled.log
    nothing = Choices({name: ColumnChoice(None)})
    assert read(heron_log, heron_vehicle, called, nothing).doubts == ()


def test_a_name_that_says_another_thing_is_not_asked_about(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    assert read(heron_log, heron_vehicle, {Role.COOLANT: ("Oil Temp", "°C")}).doubts == ()
    assert read(heron_log, heron_vehicle, {Role.COOLANT: ("Ambient Temp", "°C")}).doubts == ()


def test_nothing_is_asked_of_a_log_that_lacks_nothing(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    mapped = read(heron_log, heron_vehicle, {})
    assert mapped.doubts == () and set(NAMES) <= set(mapped.log.channels)
    assert float(np.ptp(mapped.log.time_s)) == pytest.approx(heron_log.duration_s)
