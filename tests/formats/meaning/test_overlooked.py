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
    log: Log,
    vehicle: Vehicle,
    called: dict[Role, tuple[str, str]],
    choices: Choices | None = None,
    extra: dict[Role, tuple[str, str]] | None = None,
) -> MappedLog:
    """The drive with some columns called otherwise, and perhaps some more."""
    columns = [Column(0, "Time", "s")]
    values = {0: log.time_s}
    for at, (role, usual) in enumerate({**NAMES, **(extra or {})}.items(), 1):
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


def test_what_only_one_column_can_be_is_taken_without_a_question(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    for role, name in ((Role.COOLANT, "Qxz"), (Role.BATTERY, "Qxz"), (Role.LTFT, "Qxz trim")):
        called = {role: (name, NAMES[role][1])}
        if role is Role.LTFT:
            called[Role.STFT] = ("Short trim", "%")
        mapped = read(heron_log, heron_vehicle, called)
        assert mapped.doubts == (), role
        np.testing.assert_allclose(mapped.log[role], heron_log[role], atol=1e-9)
        match = next(m for m in mapped.matches if m.role is role)
        assert match.sureness == "likely" and "told by its numbers" in match.note


def test_air_that_stays_cool_is_no_coolant(heron_log: Log, heron_vehicle: Vehicle) -> None:
    """A column in °C that never gets warm, with the coolant not logged."""
    cool = Log(heron_log.time_s, {**heron_log.channels, Role.COOLANT: heron_log[Role.IAT]})
    mapped = read(cool, heron_vehicle, {Role.COOLANT: ("Qxz", "°C")})
    assert Role.COOLANT not in mapped.log


def test_without_engine_speed_a_question_is_better_than_a_refusal(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    bare = read(heron_log, heron_vehicle, {Role.RPM: ("Qxz", "")})
    # Its idle, its gears and the pulse width bear it out.
    assert bare.doubts == ()
    np.testing.assert_allclose(bare.log[Role.RPM], heron_log[Role.RPM])
    # Of a large file only the beginning of such a column was read.
    columns = (Column(0, "Time", "s"), Column(1, "Qxz", ""), Column(2, "MAP", "kPa"))
    values = {0: heron_log.time_s, 2: heron_log[Role.MAP]}
    raw = RawColumns(columns, values, "text", samples={1: heron_log[Role.RPM]})
    asked = map_channels(raw, "drive", 14.7, None, heron_vehicle).doubts
    assert any("Engine speed" in d and "'Qxz'" in d for d in asked)
    wish = read(heron_log, heron_vehicle, {Role.RPM: ("Idle Speed Target", "rpm")})
    assert not any("Idle Speed Target" in d for d in wish.doubts)


def test_a_wish_under_a_strange_name_is_known_by_the_table(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    """Lambda is named as what it is; the other mixture is what the sheet's table wants, or something else."""
    assert heron_vehicle.target is not None
    wish = heron_vehicle.target.lookup(heron_log[Role.MAP], heron_log[Role.RPM])
    for other, known in ((wish, True), (np.roll(wish, 900) * 1.07, False)):
        columns = [Column(0, "Time", "s")]
        values = {0: heron_log.time_s}
        for at, (role, usual) in enumerate(NAMES.items(), 1):
            columns.append(
                Column(at, *(("Measured Lambda", "λ") if role is Role.LAMBDA else usual))
            )
            values[at] = heron_log[role]
        columns.append(Column(len(columns), "Lambda zyx", "λ"))
        values[len(columns) - 1] = other
        raw = RawColumns(tuple(columns), values, "text")
        mapped = map_channels(raw, "drive", heron_vehicle.stoich_afr, None, heron_vehicle)
        assert (Role.TARGET in mapped.log) is known
        # What the table does not want may be wanted all the same: that is asked.
        asked = [o.role for o in mapped.overlooked]
        assert asked == ([] if known else [Role.TARGET]) and len(mapped.doubts) == len(asked)


def test_of_two_that_are_called_alike_the_one_that_behaves_as_one_is_taken(
    heron_log: Log, heron_vehicle: Vehicle
) -> None:
    """Measured lambda beside a copy of the table's wish, neither named as what it is."""
    assert heron_vehicle.target is not None
    wish = heron_vehicle.target.lookup(heron_log[Role.MAP], heron_log[Role.RPM])
    columns = [Column(0, "Time", "s")]
    values = {0: heron_log.time_s}
    for at, (role, usual) in enumerate(NAMES.items(), 1):
        columns.append(Column(at, *((("Lambda qxz"), "λ") if role is Role.LAMBDA else usual)))
        values[at] = heron_log[role]
    columns.append(Column(len(columns), "Lambda zyx", "λ"))
    values[len(columns) - 1] = wish
    raw = RawColumns(tuple(columns), values, "text")
    mapped = map_channels(raw, "drive", heron_vehicle.stoich_afr, None, heron_vehicle)
    np.testing.assert_allclose(mapped.log[Role.LAMBDA], heron_log[Role.LAMBDA], atol=1e-9)
    assert mapped.doubts == ()
